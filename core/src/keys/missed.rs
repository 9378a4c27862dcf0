//! How far keys are from the motion that they were made of.

use super::track::Track;
use crate::motion::{Columns, Frames, Motion, Sample};
use crate::pose::{Pose, angle_between};
use glam::{DQuat, DVec3};

/// Parts of a frame at which keys are compared with a motion that is not calm, and such as are not kept within anything.
pub(super) const PARTS: f64 = 64.0;
pub(super) const FEWER: f64 = 8.0;
/// Frames beside a key at which they are compared too.
const BESIDE: [f64; 2] = [1e-3, 1e-4];

/// Frames within which a leap is where it is said to be.
pub(super) const MOMENT: f64 = 2e-9;

/// The moments at which a track leaps: either side is right there.
pub(super) struct Leaps(Vec<f64>);

impl Leaps {
    /// Of a track.
    pub fn of(track: &Track) -> Self {
        Self(track.instants.iter().filter(|i| i.broken.is_some()).map(|i| i.frame).collect())
    }

    fn hold(&self, frame: f64) -> bool {
        let after = self.0.partition_point(|leap| *leap < frame);
        let near = |i: usize| self.0.get(i).is_some_and(|leap| (leap - frame).abs() <= MOMENT);
        near(after) || after.checked_sub(1).is_some_and(near)
    }
}

/// Frames at which keys are compared with a motion over a range: some between two instants of the track where it is calm, or
/// else at so many parts of every frame; on both sides of every key, between keys that stand close, and between all instants, which
/// lie closer where much happens.
pub(super) fn compared(range: Frames, (track, parts): (&Track, f64), keys: impl Iterator<Item = f64>) -> Vec<f64> {
    let even = track.restless.iter().flat_map(|(from, to)| {
        let number = |frame: f64| (frame - range.from) * parts;
        (number(*from).ceil() as usize..=number(*to).floor() as usize).map(|i| range.from + i as f64 / parts)
    });
    let calm = track.calm.iter().map(|(frame, _)| *frame);
    let instants = track.instants.iter().map(|instant| instant.frame);
    let mut keys: Vec<f64> = keys.collect();
    keys.sort_by(f64::total_cmp);
    let beside = keys.iter().flat_map(|frame| BESIDE.into_iter().flat_map(move |by| [frame - by, frame + by]));
    let beside = beside.chain(keys.iter().copied());
    // Keys that stand close do so because much happens between them.
    let close = keys.windows(2).filter(|pair| pair[1] - pair[0] > MOMENT && pair[1] - pair[0] < 8.0 / PARTS);
    let within = close.flat_map(|pair| (1..8).map(|i| pair[0] + (pair[1] - pair[0]) * f64::from(i) / 8.0));
    let between = track.instants.windows(2).map(|pair| 0.5 * (pair[0].frame + pair[1].frame));
    let mut frames: Vec<f64> = even.chain(calm).chain(instants).chain(beside).chain(within).chain(between).collect();
    // What comes at the very end may belong to what would come after it.
    frames.retain(|frame| *frame >= range.from && (*frame < range.to || range.from == range.to));
    let leaps = Leaps::of(track);
    frames.retain(|frame| !leaps.hold(*frame));
    frames.sort_by(f64::total_cmp);
    frames.dedup();
    frames
}

/// How far keys are from the motion at a frame, metres and radians.
#[derive(Debug, Clone, Copy)]
pub(super) struct Missed {
    pub frame: f64,
    pub far: f64,
    pub turned: f64,
}

/// The largest of what is missed, and its frame.
pub(super) fn worst(missed: &[Missed], of: impl Fn(&Missed) -> f64) -> (f64, f64) {
    let first = missed.first().map_or(0.0, |missed| missed.frame);
    missed
        .iter()
        .map(|m| (of(m), m.frame))
        .fold((0.0, first), |worst, here| if here.0 > worst.0 { here } else { worst })
}

/// Times as much as may be missed that a thing may move or turn from one frame that is compared to the next where it is
/// missed by a good part of that; where it does more it is looked at between them.
const STRIDE: f64 = 4.0;
/// That part.
const A_GOOD_PART: f64 = 0.3;
/// Frames that are looked at between two.
const BETWEEN: u32 = 7;

/// Poses of a thing that are known, by their frames.
#[derive(Debug, Default)]
pub(super) struct Seen(Vec<(f64, Pose)>);

impl Seen {
    /// What a track has looked at.
    pub fn of(track: &Track) -> Self {
        let mut calm = track.calm.clone();
        calm.sort_by(|a, b| a.0.total_cmp(&b.0));
        Self(calm)
    }

    /// Poses at frames in order; those that are not known are looked at.
    fn poses(&mut self, motion: &dyn Motion, object: usize, frames: &[f64]) -> Vec<Pose> {
        let mut next = 0;
        let mut known = |frame: f64| {
            while self.0.get(next).is_some_and(|(at, _)| *at < frame) {
                next += 1;
            }
            self.0.get(next).filter(|(at, _)| *at == frame).map(|(_, pose)| *pose)
        };
        let found: Vec<Option<Pose>> = frames.iter().map(|frame| known(*frame)).collect();
        let missing = frames.iter().zip(&found).filter(|(_, pose)| pose.is_none());
        let at: Vec<(usize, f64)> = missing.map(|(frame, _)| (object, *frame)).collect();
        let mut sample = Sample::default();
        motion.sample_at(&at, Columns::POSE, &mut sample);
        let new: Vec<(f64, Pose)> = at.iter().enumerate().map(|(row, (_, frame))| (*frame, sample.pose(row))).collect();
        let mut looked = new.iter();
        let all = found.into_iter().map(|pose| pose.or_else(|| looked.next().map(|(_, pose)| *pose)));
        let all = all.map(Option::unwrap_or_default).collect();
        self.0.extend(&new);
        self.0.sort_by(|a, b| a.0.total_cmp(&b.0));
        all
    }
}

/// What keys miss at frames in order, and between those where much is missed and much happens.
pub(super) fn compare(
    (motion, object, seen): (&dyn Motion, usize, &mut Seen),
    (frames, leaps): (&[f64], &Leaps),
    keyed: impl Fn(f64) -> (DVec3, DQuat),
    (tolerance, turn): (f64, f64),
) -> Vec<Missed> {
    let mut look = |frames: &[f64]| -> Vec<(Missed, Pose)> {
        let one = |(&frame, here): (&f64, Pose)| {
            let (place, orientation) = keyed(frame);
            let turned = angle_between(orientation, here.orientation);
            (Missed { frame, far: place.distance(here.position), turned }, here)
        };
        frames.iter().zip(seen.poses(motion, object, frames)).map(one).collect()
    };
    let first = look(frames);
    let strides = |[(a, here), (b, next)]: &[(Missed, Pose); 2]| {
        let part = (a.far.max(b.far) / tolerance).max(a.turned.max(b.turned) / turn);
        let far = here.position.distance(next.position) / tolerance;
        let stride = far.max(angle_between(here.orientation, next.orientation) / turn);
        part > A_GOOD_PART && stride > STRIDE && b.frame - a.frame > MOMENT
    };
    let pairs = first.windows(2).filter_map(|pair| <&[(Missed, Pose); 2]>::try_from(pair).ok());
    let between: Vec<f64> = pairs
        .filter(|pair| strides(pair))
        .flat_map(|[(a, _), (b, _)]| {
            let (from, by) = (a.frame, (b.frame - a.frame) / f64::from(BETWEEN + 1));
            (1..=BETWEEN).map(move |i| from + by * f64::from(i))
        })
        .filter(|frame| !leaps.hold(*frame))
        .collect();
    let mut missed: Vec<Missed> = look(&between).into_iter().chain(first).map(|(missed, _)| missed).collect();
    missed.sort_by(|a, b| a.frame.total_cmp(&b.frame));
    let mut tops: Vec<f64> = missed
        .windows(3)
        .flat_map(|three| {
            let far = top(three, |missed| missed.far / tolerance);
            far.into_iter().chain(top(three, |missed| missed.turned / turn))
        })
        .filter(|frame| !leaps.hold(*frame))
        .collect();
    tops.sort_by(f64::total_cmp);
    missed.extend(look(&tops).into_iter().map(|(missed, _)| missed));
    missed.sort_by(|a, b| a.frame.total_cmp(&b.frame));
    missed
}

/// Where the parabola through three frames has its top, if a good part is missed in their middle and less on both sides.
fn top(three: &[Missed], part: impl Fn(&Missed) -> f64) -> Option<f64> {
    let [a, b, c] = three else { return None };
    let (before, here, after) = (part(a), part(b), part(c));
    if here < A_GOOD_PART || here < before || here < after {
        return None;
    }
    // Newton's divided differences.
    let rise = (here - before) / (b.frame - a.frame);
    let bend = ((after - here) / (c.frame - b.frame) - rise) / (c.frame - a.frame);
    let at = 0.5 * (a.frame + b.frame) - 0.5 * rise / bend;
    ((at - b.frame).abs() > MOMENT && at > a.frame && at < c.frame).then_some(at)
}
