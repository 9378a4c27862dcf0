//! Measuring the seam on the unwrapped motion: what is at F + δ against what is at δ.

use super::leaps::{Leaps, leaps};
use crate::motion::{
    Bend, Cancel, Columns, Dents, Frames, Kind, Motion, MotionError, Sample, Symmetry, Walk, prepared,
};
use crate::pose::{angle_between, angle_between_alike};
use crate::work::OF_A_PICTURE;
use glam::{DQuat, DVec3};
use std::collections::BTreeSet;
use std::sync::Arc;

/// The largest miss of one kind, and where.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Gap {
    /// How much.
    pub amount: f64,
    /// Which thing.
    pub object: usize,
    /// Frame after the loop's end at which it was measured.
    pub frame: f64,
}

/// What happens at the loop point.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Seam {
    /// Metres.
    pub position: Gap,
    /// Metres per second.
    pub velocity: Gap,
    /// Radians.
    pub orientation: Gap,
    /// Radians per second.
    pub spin: Gap,
    /// Parts of a cycle, or of the way from clip to clip, where clips are played.
    pub clip: Option<Gap>,
    /// Metres by which joints lie otherwise in their thing, or corners of it, where things are bent or dented, or walk.
    pub form: Option<Gap>,
    /// How many things go on where another one began.
    pub trading: usize,
    /// Things without a certain partner, in order; each is compared with itself.
    pub uncertain: Vec<usize>,
    /// For each thing, the thing whose beginning its end runs into.
    pub partners: Vec<usize>,
    /// What leaps in sight anywhere in the loop, and what flips.
    pub leaps: Leaps,
}

impl Seam {
    /// True when nothing is off by more than `tolerance` in the units of the gaps, and nothing leaps.
    pub fn closes(&self, tolerance: f64) -> bool {
        self.leaps.leaps.is_empty() && self.meets(tolerance)
    }

    /// True when nothing is off by more than `tolerance` in the units of the gaps.
    pub fn meets(&self, tolerance: f64) -> bool {
        let gaps = [self.position, self.velocity, self.orientation, self.spin];
        gaps.iter().chain(&self.clip).chain(&self.form).all(|gap| gap.amount <= tolerance)
    }
}

/// Fractions of a frame after the loop point at which the two ends are compared.
const OFFSETS: [f64; 4] = [0.0, 0.25, 0.5, 0.75];

const COLUMNS: Columns = Columns::POSE;

/// Measures how the motion at `frames` + δ misses the motion at δ, for δ in [0, 1), after things
/// that look the same were matched on position, velocity and orientation together.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn measure(motion: &Arc<dyn Motion>, frames: f64, fps: f64, cancel: &Cancel) -> Result<Seam, MotionError> {
    cancel.within(OF_A_PICTURE, |cancel| measured(motion, frames, fps, cancel))
}

fn measured(motion: &Arc<dyn Motion>, frames: f64, fps: f64, cancel: &Cancel) -> Result<Seam, MotionError> {
    let motion = prepared(motion, Frames { from: -1.0, to: frames + 2.0 }, cancel)?;
    let clips = motion.varies().and(Columns::CLIP | Columns::FORMS);
    let columns = COLUMNS | Columns::VELOCITY | Columns::SPIN | clips;
    let (mut start, mut end) = (Sample::default(), Sample::default());
    motion.sample(0.0, columns, &mut start);
    motion.sample(frames, columns, &mut end);
    let alike = Alike::of(&*motion);
    let (partners, uncertain) = match told(&*motion, frames, &alike) {
        Some(partners) => (partners, Vec::new()),
        None => match_ends(&start, &end, &alike),
    };
    let mut seam = Seam {
        trading: partners.iter().enumerate().filter(|&(object, &partner)| object != partner).count(),
        uncertain,
        partners,
        leaps: leaps(&*motion, frames, cancel)?,
        clip: clips.contain(Columns::CLIP).then(Gap::default),
        form: clips.touch(Columns::FORMS).then(Gap::default),
        ..Seam::default()
    };
    for offset in OFFSETS {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        motion.sample(offset, columns, &mut start);
        motion.sample(frames + offset, columns, &mut end);
        for object in 0..motion.len() {
            let partner = seam.partners[object];
            // What is not there at either end does not miss anything.
            if !end.alive[object] && !start.alive[partner] {
                continue;
            }
            let mut widen = |gap: fn(&mut Seam) -> &mut Gap, amount: f64| {
                let gap = gap(&mut seam);
                if amount > gap.amount {
                    *gap = Gap { amount, object, frame: frames + offset };
                }
            };
            widen(|s| &mut s.position, end.positions[object].distance(start.positions[partner]));
            widen(|s| &mut s.velocity, end.velocities[object].distance(start.velocities[partner]) * fps);
            widen(|s| &mut s.orientation, alike.apart(object, start.orientations[partner], end.orientations[object]));
            widen(|s| &mut s.spin, end.spins[object].distance(start.spins[partner]) * fps);
            if let (Some(end), Some(start)) = (end.clips.get(object), start.clips.get(partner)) {
                widen(|s| s.clip.get_or_insert_default(), end.apart(*start));
            }
            if clips.touch(Columns::FORMS) {
                let apart = forms_apart(&*motion, (object, &end), (partner, &start));
                widen(|s| s.form.get_or_insert_default(), apart);
            }
        }
    }
    Ok(seam)
}

/// How far joints of two things that are bent lie apart in them, or corners of two that are dented, metres; what has no form of
/// its own is not off.
fn forms_apart(motion: &dyn Motion, end: (usize, &Sample), start: (usize, &Sample)) -> f64 {
    let kind = |object: usize| motion.kinds().get(motion.kind(object));
    let joints = |(object, sample): (usize, &Sample)| {
        let mut joints = Vec::new();
        if let (Some(bend), Some(lying)) = (kind(object).and_then(bent), sample.bents.get(object)) {
            bend.chain(lying, &mut joints);
        }
        joints
    };
    let corners = |(object, sample): (usize, &Sample)| match (kind(object).and_then(dented), sample.dents.get(object)) {
        (Some(dents), Some(frame)) => dents.corners_moved(*frame),
        _ => Vec::new(),
    };
    let steps = |(object, sample): (usize, &Sample)| match (kind(object).and_then(walked), sample.steps.get(object)) {
        (Some(walk), Some(step)) => walk.joints(step),
        _ => Vec::new(),
    };
    let (joints, corners) = ([joints(end), joints(start)], [corners(end), corners(start)]);
    let steps = [steps(end), steps(start)];
    let apart = joints[0].iter().zip(&joints[1]).map(|(a, b)| a.translation.distance(b.translation));
    let dented_apart = corners[0].iter().zip(&corners[1]).map(|(a, b)| (a - b).abs());
    let walked_apart = steps[0].iter().zip(&steps[1]).map(|(a, b)| a.w_axis.distance(b.w_axis));
    apart.chain(dented_apart).chain(walked_apart).fold(0.0, f64::max)
}

fn walked(kind: &Kind) -> Option<&Walk> {
    kind.walked.as_deref()
}

fn bent(kind: &Kind) -> Option<&Bend> {
    kind.bent.as_deref()
}

fn dented(kind: &Kind) -> Option<&Dents> {
    kind.dented.as_deref()
}

/// The thing that each one goes on as after `frames`: as the motion says, or else the one that looks the same and is where
/// it ends; itself where none is certain.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn partners(motion: &Arc<dyn Motion>, frames: f64, cancel: &Cancel) -> Result<Vec<usize>, MotionError> {
    let alike = Alike::of(&**motion);
    if let Some(partners) = told(&**motion, frames, &alike) {
        return Ok(partners);
    }
    let motion = prepared(motion, Frames { from: 0.0, to: frames }, cancel)?;
    let (mut start, mut end) = (Sample::default(), Sample::default());
    motion.sample(0.0, COLUMNS | Columns::VELOCITY, &mut start);
    motion.sample(frames, COLUMNS | Columns::VELOCITY, &mut end);
    Ok(match_ends(&start, &end, &alike).0)
}

/// Who has a loop earlier the part that each thing has, where the motion knows it.
fn told(motion: &dyn Motion, frames: f64, alike: &Alike) -> Option<Vec<usize>> {
    let partners: Vec<usize> = (0..motion.len()).map(|object| motion.partner(object, frames)).collect::<Option<_>>()?;
    let same = |(object, &partner): (usize, &usize)| alike.looks[object] == alike.looks[partner];
    partners.iter().enumerate().all(same).then_some(partners)
}

/// Which things look the same, and after which turns.
struct Alike {
    looks: Vec<u64>,
    /// Empty where no thing has any.
    symmetries: Vec<Option<Symmetry>>,
}

impl Alike {
    fn of(motion: &dyn Motion) -> Self {
        let symmetries: Vec<_> = (0..motion.len()).map(|object| motion.symmetry(object)).collect();
        let none = symmetries.iter().all(Option::is_none);
        Self {
            looks: (0..motion.len()).map(|object| motion.look(object)).collect(),
            symmetries: if none { Vec::new() } else { symmetries },
        }
    }

    /// The angle between two turns of things that look as `object`.
    fn apart(&self, object: usize, a: DQuat, b: DQuat) -> f64 {
        match self.symmetries.get(object) {
            Some(Some(symmetry)) => angle_between_alike(a, b, symmetry.axis, symmetry.order),
            _ => angle_between(a, b),
        }
    }
}

/// For each thing at the end its partner at the start, and the things for which none is certain:
/// a pair is certain when each is the other's nearest of the same look.
fn match_ends(start: &Sample, end: &Sample, alike: &Alike) -> (Vec<usize>, Vec<usize>) {
    let count = alike.looks.len();
    let mut partners: Vec<usize> = (0..count).collect();
    let all: Vec<usize> = partners.clone();
    let mut left = match_mutual(start, end, alike, (&all, &all), &mut partners);
    if left.is_empty() || left.len() > MOST_IN_ONE_PLACE {
        return (partners, left);
    }
    // Where several are in one place each is as near as the other: those that are left are matched among what is left,
    // and that is certain where it is as near as the nearest of all.
    let (scale, axis) = measures(start, end);
    let (to_start, to_end) = (Finder::new(start, alike, axis, &all), Finder::new(end, alike, axis, &all));
    let mut uncertain = Vec::new();
    let mut taken = vec![false; count];
    let mut is_left = vec![false; count];
    left.iter().for_each(|&object| is_left[object] = true);
    (0..count).filter(|&object| !is_left[object]).for_each(|object| taken[partners[object]] = true);
    while !left.is_empty() {
        let free: Vec<usize> = (0..count).filter(|&object| !taken[object]).collect();
        let before = left.len();
        let still = match_mutual(start, end, alike, (&left, &free), &mut partners);
        let mut next = still.clone();
        for object in left.into_iter().filter(|object| still.binary_search(object).is_err()) {
            let partner = partners[object];
            let far = |other| to_start.distance(other, end, object, scale);
            let back = |other| to_end.distance(other, start, partner, scale);
            let least = to_start.nearest(end, object, scale).map_or(0.0, far);
            let least = least.min(to_end.nearest(start, partner, scale).map_or(0.0, back));
            if far(partner) <= least * (1.0 + 1e-9) + COINCIDES {
                taken[partners[object]] = true;
            } else {
                partners[object] = object;
                uncertain.push(object);
            }
        }
        if next.len() == before {
            uncertain.append(&mut next);
            break;
        }
        left = next;
    }
    uncertain.sort_unstable();
    (partners, uncertain)
}

/// Things without a partner beyond which none is looked for among what is left.
const MOST_IN_ONE_PLACE: usize = 500;
/// Squared metres within which things are in one place.
const COINCIDES: f64 = 1e-18;

/// Metres that a radian counts for, and the coordinate by which things are sorted.
fn measures(start: &Sample, end: &Sample) -> (f64, usize) {
    let spread = extent(&start.positions).max(extent(&end.positions));
    (spread.length() * 0.1, spread.max_position())
}

/// As [`match_ends`], and those that are not certain are matched among what is left, again and again, so that each
/// has a partner of its own; and how many those are.
pub(super) fn match_all(motion: &dyn Motion, start: &Sample, end: &Sample) -> (Vec<usize>, usize) {
    let alike = Alike::of(motion);
    let mut partners = vec![usize::MAX; motion.len()];
    let all: Vec<usize> = (0..motion.len()).collect();
    let (mut ends, mut starts) = (all.clone(), all);
    let mut guessed = None;
    while !ends.is_empty() {
        let left = match_mutual(start, end, &alike, (&ends, &starts), &mut partners);
        if left.len() == ends.len() {
            // Nothing is nearest to nothing: places that are no numbers.
            left.iter().for_each(|&object| partners[object] = object);
            break;
        }
        let taken: BTreeSet<usize> = ends.iter().map(|&object| partners[object]).collect();
        starts.retain(|object| !taken.contains(object));
        guessed.get_or_insert(left.len());
        ends = left;
    }
    (partners, guessed.unwrap_or(0))
}

/// Sets the partner of each of the `ends` that is the nearest of its nearest among the `starts`; gives the others.
fn match_mutual(
    start: &Sample,
    end: &Sample,
    alike: &Alike,
    (ends, starts): (&[usize], &[usize]),
    partners: &mut [usize],
) -> Vec<usize> {
    let (scale, axis) = measures(start, end);
    let to_start = Finder::new(start, alike, axis, starts);
    let to_end = Finder::new(end, alike, axis, ends);
    let mut uncertain = Vec::new();
    for &object in ends {
        let partner = to_start.nearest(end, object, scale);
        let back = partner.and_then(|partner| to_end.nearest(start, partner, scale));
        match (partner, back) {
            (Some(partner), Some(back)) if back == object => partners[object] = partner,
            _ => uncertain.push(object),
        }
    }
    uncertain
}

/// Sides of the box that holds all points.
fn extent(points: &[DVec3]) -> DVec3 {
    let low = points.iter().copied().reduce(DVec3::min).unwrap_or_default();
    let high = points.iter().copied().reduce(DVec3::max).unwrap_or_default();
    high - low
}

/// Things in order of one coordinate, so that a search may stop where that alone is too far.
struct Finder<'a> {
    sample: &'a Sample,
    alike: &'a Alike,
    axis: usize,
    /// That coordinate and the thing.
    order: Vec<(f64, usize)>,
    /// Whether a thing is among them.
    there: Vec<bool>,
}

impl<'a> Finder<'a> {
    fn new(sample: &'a Sample, alike: &'a Alike, axis: usize, things: &[usize]) -> Self {
        let mut order: Vec<(f64, usize)> = things.iter().map(|&i| (sample.positions[i][axis], i)).collect();
        order.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let mut there = vec![false; alike.looks.len()];
        things.iter().for_each(|&i| there[i] = true);
        Self { sample, alike, axis, order, there }
    }

    /// The thing that looks as `row` of `other` and is nearest to it; the same index wins a tie.
    fn nearest(&self, other: &Sample, row: usize, scale: f64) -> Option<usize> {
        let x = other.positions[row][self.axis];
        let middle = self.order.partition_point(|&(at, _)| at < x);
        let mut best = self.there[row].then(|| (self.distance(row, other, row, scale), row));
        let (below, above) = (self.order[..middle].iter().rev(), self.order[middle..].iter());
        let sides: [&mut dyn Iterator<Item = &(f64, usize)>; 2] = [&mut below.into_iter(), &mut above.into_iter()];
        for side in sides {
            for &(at, i) in side {
                let apart = at - x;
                if best.is_some_and(|(known, _)| apart * apart > known) {
                    break;
                }
                if self.alike.looks[i] != self.alike.looks[row] {
                    continue;
                }
                let distance = self.distance(i, other, row, scale);
                if best.is_none_or(|(known, _)| distance < known * (1.0 - 1e-9)) {
                    best = Some((distance, i));
                }
            }
        }
        best.map(|(_, found)| found)
    }

    fn distance(&self, i: usize, other: &Sample, row: usize, scale: f64) -> f64 {
        let place = self.sample.positions[i].distance_squared(other.positions[row]);
        let pace = self.sample.velocities[i].distance_squared(other.velocities[row]);
        let turn = self.alike.apart(i, self.sample.orientations[i], other.orientations[row]) * scale;
        place + pace + turn * turn
    }
}
