//! Measuring the seam on the unwrapped motion: what is at F + δ against what is at δ.

use crate::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use crate::pose::angle_between;
use glam::DVec3;
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
    /// How many things go on where another one began.
    pub trading: usize,
    /// Things without a certain partner, in order; each is compared with itself.
    pub uncertain: Vec<usize>,
    /// For each thing, the thing whose beginning its end runs into.
    pub partners: Vec<usize>,
}

impl Seam {
    /// True when nothing is off by more than `tolerance` in the units of the gaps.
    pub fn closes(&self, tolerance: f64) -> bool {
        [self.position, self.velocity, self.orientation, self.spin].iter().all(|gap| gap.amount <= tolerance)
    }
}

/// Fractions of a frame after the loop point at which the two ends are compared.
const OFFSETS: [f64; 4] = [0.0, 0.25, 0.5, 0.75];

const COLUMNS: Columns = Columns::POSE;

/// Measures how the motion at `frames` + δ misses the motion at δ, for δ in [0, 1), after things
/// that look the same were matched on position, velocity and orientation together.
pub fn measure(motion: &Arc<dyn Motion>, frames: f64, fps: f64, cancel: &Cancel) -> Result<Seam, MotionError> {
    let motion = prepared(motion, Frames { from: -1.0, to: frames + 2.0 }, cancel)?;
    let columns = COLUMNS | Columns::VELOCITY | Columns::SPIN;
    let (mut start, mut end) = (Sample::default(), Sample::default());
    motion.sample(0.0, columns, &mut start);
    motion.sample(frames, columns, &mut end);
    let looks: Vec<u64> = (0..motion.len()).map(|object| motion.look(object)).collect();
    let (partners, uncertain) = match_ends(&start, &end, &looks);
    let mut seam = Seam {
        trading: partners.iter().enumerate().filter(|&(object, &partner)| object != partner).count(),
        uncertain,
        partners,
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
            let mut widen = |gap: fn(&mut Seam) -> &mut Gap, amount: f64| {
                let gap = gap(&mut seam);
                if amount > gap.amount {
                    *gap = Gap { amount, object, frame: frames + offset };
                }
            };
            widen(|s| &mut s.position, end.positions[object].distance(start.positions[partner]));
            widen(|s| &mut s.velocity, end.velocities[object].distance(start.velocities[partner]) * fps);
            widen(|s| &mut s.orientation, angle_between(end.orientations[object], start.orientations[partner]));
            widen(|s| &mut s.spin, end.spins[object].distance(start.spins[partner]) * fps);
        }
    }
    Ok(seam)
}

/// For each thing at the end its partner at the start, and the things for which none is certain:
/// a pair is certain when each is the other's nearest of the same look.
fn match_ends(start: &Sample, end: &Sample, looks: &[u64]) -> (Vec<usize>, Vec<usize>) {
    let count = looks.len();
    let spread = extent(&start.positions).max(extent(&end.positions));
    let scale = spread.length() * 0.1;
    let axis = spread.max_position();
    let to_start = Finder::new(start, looks, axis);
    let to_end = Finder::new(end, looks, axis);
    let mut partners: Vec<usize> = (0..count).collect();
    let mut uncertain = Vec::new();
    for object in 0..count {
        let partner = to_start.nearest(end, object, looks[object], scale);
        let back = partner.and_then(|partner| to_end.nearest(start, partner, looks[partner], scale));
        match (partner, back) {
            (Some(partner), Some(back)) if back == object => partners[object] = partner,
            _ => uncertain.push(object),
        }
    }
    (partners, uncertain)
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
    looks: &'a [u64],
    axis: usize,
    order: Vec<usize>,
}

impl<'a> Finder<'a> {
    fn new(sample: &'a Sample, looks: &'a [u64], axis: usize) -> Self {
        let mut order: Vec<usize> = (0..looks.len()).collect();
        let at = |i: usize| sample.positions[i][axis];
        order.sort_by(|&a, &b| at(a).total_cmp(&at(b)).then(a.cmp(&b)));
        Self { sample, looks, axis, order }
    }

    /// The thing of this look nearest to `row` of `other`; the same index wins a tie.
    fn nearest(&self, other: &Sample, row: usize, look: u64, scale: f64) -> Option<usize> {
        let x = other.positions[row][self.axis];
        let middle = self.order.partition_point(|&i| self.sample.positions[i][self.axis] < x);
        let own = (self.looks.get(row) == Some(&look)).then_some(row);
        let mut best = own.map(|own| (self.distance(own, other, row, scale), own));
        let (below, above) = (self.order[..middle].iter().rev(), self.order[middle..].iter());
        let sides: [&mut dyn Iterator<Item = &usize>; 2] = [&mut below.into_iter(), &mut above.into_iter()];
        for side in sides {
            for &i in side {
                let apart = self.sample.positions[i][self.axis] - x;
                if best.is_some_and(|(known, _)| apart * apart > known) {
                    break;
                }
                if self.looks[i] != look {
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
        let turn = angle_between(self.sample.orientations[i], other.orientations[row]) * scale;
        place + pace + turn * turn
    }
}
