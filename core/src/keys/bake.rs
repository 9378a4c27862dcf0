//! From a motion to keys.

use super::channel::{Channel, Interpolation, Key};
use super::fit::Point;
use super::reduce::{Error, Source, reduce};
use super::track::{Instant, State, Track};
use crate::motion::{BreakKind, Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use crate::pose::{Pose, angle_between};
use crate::work::OF_A_FILE;
use glam::{DQuat, DVec3};
use rayon::prelude::*;
use std::sync::Arc;

/// The keys of one thing.
#[derive(Debug, Clone, PartialEq)]
pub struct ObjectKeys {
    /// x, y and z in metres, each with keys of its own.
    pub position: [Channel<1>; 3],
    /// x, y, z, w; to be normalised after interpolation.
    pub orientation: Channel<4>,
    /// Factors along the thing's own axes.
    pub scale: Channel<3>,
    /// When the thing is there: frames in order from which on it is or is not, the first where the range begins.
    pub presence: Vec<(f64, bool)>,
    /// Largest distance from the motion, metres, and its frame.
    pub off: (f64, f64),
    /// Largest angle from the motion, radians, and its frame.
    pub turned_off: (f64, f64),
}

/// The keys of all things of an output.
#[derive(Debug, Clone, PartialEq)]
pub struct Keys {
    /// One per thing.
    pub objects: Vec<ObjectKeys>,
    /// Frames covered.
    pub range: Frames,
}

/// Keys at every `step` frames from the start of the range, joined straight; where a thing jumps or
/// turns at once, a pair of keys.
pub fn bake_dense(motion: &Arc<dyn Motion>, range: Frames, step: f64, cancel: &Cancel) -> Result<Keys, MotionError> {
    each_object(motion, range, cancel, |ready, object| {
        let track = Track::new(ready, object, range)?;
        let on_step = |frame: f64| {
            let steps = (frame - range.from) / step;
            (steps - steps.round()).abs() < 1e-9
        };
        let last = track.instants.len() - 1;
        let chosen: Vec<&Instant> = track
            .instants
            .iter()
            .enumerate()
            .filter(|(index, i)| *index == 0 || *index == last || i.broken.is_some() || on_step(i.frame))
            .map(|(_, instant)| instant)
            .collect();
        let keys = ObjectKeys {
            position: [0, 1, 2].map(|axis| linear(&chosen, |state| position(state, axis).0, &apart)),
            orientation: linear(&chosen, |state| orientation(state).0, &angle),
            scale: linear(&chosen, |state| scale(state).0, &apart),
            presence: presence(ready, object, &track, range),
            off: (0.0, range.from),
            turned_off: (0.0, range.from),
        };
        Ok(measured(ready, object, &track, range, keys, (f64::INFINITY, f64::INFINITY)).0)
    })
}

/// Times that a thing is reduced again with more to look at, where the keys were off between what was looked at.
pub(super) const MOST_ROUNDS: usize = 12;
/// Instants of one thing up to which that is done: what turns thousands of times a frame is off by what is told then.
pub(super) const MOST_INSTANTS: usize = 200_000;

/// Parts of the tolerance that are aimed at, and that may be found where keys are compared: the rest is for what lies
/// between.
pub(super) const HELD: f64 = 0.9;
pub(super) const SEEN: f64 = 0.97;

/// Few cubic keys: every place within `tolerance` metres, orientations within `turn` radians, at every 64th of a frame
/// and beside every key. Contacts after which the thing leaves by more than the tolerance are kept exactly.
pub fn bake_reduced(
    motion: &Arc<dyn Motion>,
    range: Frames,
    (tolerance, turn): (f64, f64),
    cancel: &Cancel,
) -> Result<Keys, MotionError> {
    each_object(motion, range, cancel, |ready, object| {
        let mut track = Track::within(ready, object, range, (tolerance, turn))?;
        // What moves along several axes is off by the root of the sum of their squares.
        let moving = (0..3).filter(|&axis| moves(&track, axis, tolerance)).count().max(1);
        let along = HELD * tolerance / (moving as f64).sqrt();
        let presence = presence(ready, object, &track, range);
        for round in 0.. {
            let contacts = kept_contacts(&track, tolerance);
            let keys = ObjectKeys {
                position: [0, 1, 2]
                    .map(|axis| reduced(&track, &contacts, along, |state| position(state, axis), &apart)),
                orientation: reduced(&track, &contacts, HELD * turn, orientation, &angle),
                scale: reduced(&track, &contacts, tolerance, scale, &apart),
                presence: presence.clone(),
                off: (0.0, range.from),
                turned_off: (0.0, range.from),
            };
            let (keys, missed) = measured(ready, object, &track, range, keys, (tolerance, turn));
            let over = |missed: &Missed| missed.far > SEEN * tolerance || missed.turned > SEEN * turn;
            let missed: Vec<f64> = missed.iter().filter(|missed| over(missed)).map(|missed| missed.frame).collect();
            if missed.is_empty() || round + 1 == MOST_ROUNDS || track.instants.len() + missed.len() > MOST_INSTANTS {
                return Ok(keys);
            }
            track.look_at(ready, object, &missed);
        }
        unreachable!("the last round returns")
    })
}

/// True where it leaves its first place along an axis by more than a hundredth of the tolerance.
pub(super) fn moves(track: &Track, axis: usize, tolerance: f64) -> bool {
    let first = track.instants[0].right.pose.position[axis];
    let far = |state: &State| (state.pose.position[axis] - first).abs() > 0.01 * tolerance;
    track.instants.iter().any(|instant| far(&instant.left) || far(&instant.right))
}

fn each_object(
    motion: &Arc<dyn Motion>,
    range: Frames,
    cancel: &Cancel,
    bake: impl Fn(&dyn Motion, usize) -> Result<ObjectKeys, MotionError> + Sync,
) -> Result<Keys, MotionError> {
    cancel.within(OF_A_FILE, |cancel| {
        let ready = prepared(motion, range.widened(1.0), cancel)?;
        let one = |object| {
            if cancel.cancelled() { Err(MotionError::Cancelled) } else { cancel.watched(|| bake(&*ready, object)) }
        };
        let objects = (0..ready.len()).into_par_iter().map(one).collect::<Result<Vec<ObjectKeys>, MotionError>>()?;
        Ok(Keys { objects, range })
    })
}

/// When a thing is there, found by as many looks as keys are compared at, and then to the moment.
fn presence(motion: &dyn Motion, object: usize, track: &Track, range: Frames) -> Vec<(f64, bool)> {
    if !motion.varies().contain(Columns::ALIVE) {
        return vec![(range.from, true)];
    }
    let mut sample = Sample::default();
    let mut there = |frames: &[f64]| -> Vec<bool> {
        let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (object, frame)).collect();
        motion.sample_at(&at, Columns::ALIVE, &mut sample);
        sample.alive.clone()
    };
    let count = ((range.to - range.from) * PARTS).floor() as usize;
    let mut frames: Vec<f64> = (0..=count).map(|i| range.from + i as f64 / PARTS).collect();
    frames.extend(track.instants.iter().flat_map(|instant| [instant.frame - MOMENT, instant.frame]));
    frames.push(range.to);
    frames.retain(|frame| range.holds(*frame));
    frames.sort_by(f64::total_cmp);
    let looked = there(&frames);
    let mut found = vec![(range.from, looked[0])];
    for i in 1..frames.len() {
        if looked[i - 1] == looked[i] {
            continue;
        }
        let (mut low, mut high) = (frames[i - 1], frames[i]);
        while high - low > MOMENT {
            let middle = 0.5 * (low + high);
            if middle <= low || middle >= high {
                break;
            }
            if there(&[middle])[0] == looked[i] { high = middle } else { low = middle }
        }
        found.push((high, looked[i]));
    }
    found
}

pub(super) fn position(state: &State, axis: usize) -> ([f64; 1], [f64; 1]) {
    ([state.pose.position[axis]], [state.velocity[axis]])
}

/// The quaternion and its rate: half the spin times the quaternion.
fn orientation(state: &State) -> ([f64; 4], [f64; 4]) {
    let q = state.pose.orientation;
    let w = state.spin;
    let rate = DQuat::from_xyzw(w.x, w.y, w.z, 0.0) * q * 0.5;
    (q.to_array(), rate.to_array())
}

pub(super) fn scale(state: &State) -> ([f64; 3], [f64; 3]) {
    (state.pose.scale.to_array(), [0.0; 3])
}

pub(super) fn apart<const N: usize>(a: &[f64; N], b: &[f64; N]) -> f64 {
    (0..N).map(|i| (a[i] - b[i]).abs()).fold(0.0, f64::max)
}

fn angle(a: &[f64; 4], b: &[f64; 4]) -> f64 {
    let normalised = |q: &[f64; 4]| DQuat::from_array(*q).normalize();
    angle_between(normalised(a), normalised(b))
}

/// Indices of the contacts after which the thing leaves by more than the tolerance before the next, and of those at which
/// a way that is straight before and after bends by more than that.
pub(super) fn kept_contacts(track: &Track, tolerance: f64) -> Vec<usize> {
    let is_contact = |instant: &Instant| instant.broken == Some(BreakKind::Contact);
    let contacts: Vec<usize> = (0..track.instants.len()).filter(|&i| is_contact(&track.instants[i])).collect();
    let last = track.instants.len() - 1;
    let ends = contacts.iter().skip(1).copied().chain([last]);
    let place = |i: usize| track.instants[i].left.pose.position;
    let away = |a: usize, b: usize| (place(a) - place(b)).abs().max_element() > tolerance;
    // In a corner several come one right after the other: how the way bends there is seen from farther away.
    let neighbour = |near: &mut dyn Iterator<Item = usize>, k: usize, end: usize| {
        let near: Vec<usize> = near.take(CORNER).collect();
        // What dies away at one place has none that is farther: the next one counts.
        let next = near.first().copied().unwrap_or(end);
        near.into_iter().find(|&i| away(i, contacts[k])).unwrap_or(next)
    };
    let before = |k: usize| neighbour(&mut contacts[..k].iter().rev().copied(), k, 0);
    let after = |k: usize| neighbour(&mut contacts[k + 1..].iter().copied(), k, last);
    let bends = |from: usize, at: usize, to: usize| {
        let [a, b, c] = [from, at, to].map(|i| &track.instants[i]);
        let part = (b.frame - a.frame) / (c.frame - a.frame);
        let chord = a.right.pose.position.lerp(c.left.pose.position, part);
        (b.right.pose.position - chord).abs().max_element() > tolerance
    };
    let kept = |&((k, &at), to): &((usize, &usize), usize)| {
        let (from, next) = (before(k), after(k));
        leaves(&track.instants[at..=to], tolerance) || (from < at && at < next && bends(from, at, next))
    };
    contacts.iter().enumerate().zip(ends).filter(kept).map(|((_, &at), _)| at).collect()
}

/// Most contacts on either side of one that may come at one place with it, in a corner.
const CORNER: usize = 8;

/// True when the flight bulges off the chord between its ends by more than the tolerance. Between
/// instants the bulge of the Hermite cubic counts too, for flights shorter than a quarter frame.
fn leaves(flight: &[Instant], tolerance: f64) -> bool {
    let (a, b) = (&flight[0], &flight[flight.len() - 1]);
    let length = b.frame - a.frame;
    let chord = |frame: f64| a.right.pose.position.lerp(b.left.pose.position, (frame - a.frame) / length);
    let middle = (a.right.velocity - b.left.velocity) * (length / 8.0);
    let bulge = |offset: DVec3| offset.abs().max_element() > tolerance;
    let whole_is_flight = flight.len() == 2;
    (whole_is_flight && bulge(middle))
        || flight.iter().any(|instant| bulge(instant.right.pose.position - chord(instant.frame)))
}

fn reduced<const N: usize>(
    track: &Track,
    contacts: &[usize],
    tolerance: f64,
    read: impl Fn(&State) -> ([f64; N], [f64; N]),
    error: &impl Error<N>,
) -> Channel<N> {
    let points: Vec<Point<N>> = track
        .instants
        .iter()
        .map(|instant| Point { frame: instant.frame, left: read(&instant.left), right: read(&instant.right) })
        .collect();
    reduced_by(track, &points, contacts, tolerance, error)
}

/// Few keys through points that belong to the instants of a track.
pub(super) fn reduced_by<const N: usize>(
    track: &Track,
    points: &[Point<N>],
    contacts: &[usize],
    tolerance: f64,
    error: &impl Error<N>,
) -> Channel<N> {
    let last = points.len() - 1;
    let jumps = |index: &usize| error(&points[*index].left.0, &points[*index].right.0) > tolerance;
    let knots: Vec<usize> = (0..=last).filter(|&i| track.instants[i].broken.is_some()).collect();
    let bends = |index: &usize| {
        let point = &points[*index];
        (0..N).any(|i| (point.left.1[i] - point.right.1[i]).abs() > 1e-9)
    };
    let mut fixed: Vec<usize> = contacts.iter().copied().filter(bends).collect();
    fixed.extend(knots.iter().copied().filter(jumps));
    fixed.extend([0, last]);
    fixed.sort_unstable();
    fixed.dedup();
    reduce(&Source { points, fixed: &fixed, knots: &knots, tolerance, error })
}

fn linear<const N: usize>(
    instants: &[&Instant],
    read: impl Fn(&State) -> [f64; N],
    error: &impl Error<N>,
) -> Channel<N> {
    let mut keys = Vec::with_capacity(instants.len());
    let key = |frame, value| Key { frame, value, slope_in: [0.0; N], slope_out: [0.0; N] };
    for (index, instant) in instants.iter().enumerate() {
        let (left, right) = (read(&instant.left), read(&instant.right));
        let inside = index > 0 && index + 1 < instants.len();
        if inside && error(&left, &right) > 1e-9 {
            keys.push(key(instant.frame, left));
        }
        keys.push(key(instant.frame, if index + 1 == instants.len() { left } else { right }));
    }
    let first = keys[0].value;
    if keys.iter().all(|key| key.value == first) {
        keys.truncate(1);
    }
    Channel { interpolation: Interpolation::Linear, keys }
}

/// Parts of a frame at which keys are compared with the motion.
const PARTS: f64 = 64.0;
/// Frames beside a key at which they are compared too.
const BESIDE: [f64; 2] = [1e-3, 1e-4];

/// Frames within which a leap is where it is said to be.
const MOMENT: f64 = 2e-9;

/// The moments at which a track leaps: either side is right there.
pub(super) struct Leaps(Vec<f64>);

impl Leaps {
    pub fn of(track: &Track) -> Self {
        Self(track.instants.iter().filter(|i| i.broken.is_some()).map(|i| i.frame).collect())
    }

    fn hold(&self, frame: f64) -> bool {
        let after = self.0.partition_point(|leap| *leap < frame);
        let near = |i: usize| self.0.get(i).is_some_and(|leap| (leap - frame).abs() <= MOMENT);
        near(after) || after.checked_sub(1).is_some_and(near)
    }
}

/// Frames at which keys are compared with a motion over a range: at every 64th of a frame, on both sides of every key
/// and between keys that stand close, and between all instants of the track, which lie closer where much happens.
pub(super) fn compared(range: Frames, track: &Track, keys: impl Iterator<Item = f64>) -> Vec<f64> {
    let count = ((range.to - range.from) * PARTS).floor() as usize;
    let mut keys: Vec<f64> = keys.collect();
    keys.sort_by(f64::total_cmp);
    let beside = keys.iter().flat_map(|frame| BESIDE.into_iter().flat_map(move |by| [frame - by, frame + by]));
    let beside = beside.chain(keys.iter().copied());
    // Keys that stand close do so because much happens between them.
    let close = keys.windows(2).filter(|pair| pair[1] - pair[0] > MOMENT && pair[1] - pair[0] < 8.0 / PARTS);
    let within = close.flat_map(|pair| (1..8).map(|i| pair[0] + (pair[1] - pair[0]) * f64::from(i) / 8.0));
    let between = track.instants.windows(2).map(|pair| 0.5 * (pair[0].frame + pair[1].frame));
    let mut frames: Vec<f64> =
        (0..=count).map(|i| range.from + i as f64 / PARTS).chain(beside).chain(within).chain(between).collect();
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

/// What keys miss at frames in order, and between those where much is missed and much happens.
pub(super) fn compare(
    motion: &dyn Motion,
    object: usize,
    (frames, leaps): (&[f64], &Leaps),
    keyed: impl Fn(f64) -> (DVec3, DQuat),
    (tolerance, turn): (f64, f64),
) -> Vec<Missed> {
    let mut sample = Sample::default();
    let mut look = |frames: &[f64]| -> Vec<(Missed, Pose)> {
        let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (object, frame)).collect();
        motion.sample_at(&at, Columns::POSE, &mut sample);
        let one = |(row, &frame): (usize, &f64)| {
            let (here, (place, orientation)) = (sample.pose(row), keyed(frame));
            let turned = angle_between(orientation, here.orientation);
            (Missed { frame, far: place.distance(here.position), turned }, here)
        };
        frames.iter().enumerate().map(one).collect()
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
    let tops: Vec<f64> = missed
        .windows(3)
        .flat_map(|three| {
            let far = top(three, |missed| missed.far / tolerance);
            far.into_iter().chain(top(three, |missed| missed.turned / turn))
        })
        .filter(|frame| !leaps.hold(*frame))
        .collect();
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

/// The keys with what they miss at most; and what they miss.
fn measured(
    motion: &dyn Motion,
    object: usize,
    track: &Track,
    range: Frames,
    keys: ObjectKeys,
    tolerance: (f64, f64),
) -> (ObjectKeys, Vec<Missed>) {
    let own = keys.position.iter().flat_map(|channel| channel.keys.iter().map(|key| key.frame));
    let frames = compared(range, track, own.chain(keys.orientation.keys.iter().map(|key| key.frame)));
    let keyed = |frame: f64| {
        let place = DVec3::from(keys.position.each_ref().map(|channel| channel.at(frame).0[0]));
        (place, DQuat::from_array(keys.orientation.at(frame).0).normalize())
    };
    let missed = compare(motion, object, (&frames, &Leaps::of(track)), keyed, tolerance);
    let (off, turned_off) = (worst(&missed, |missed| missed.far), worst(&missed, |missed| missed.turned));
    (ObjectKeys { off, turned_off, ..keys }, missed)
}
