//! Few keys of one thing, cubic or straight.

use super::bake::{ObjectKeys, angle, apart, linear, measured, orientation, position, presence, scale};
use super::channel::Channel;
use super::contacts::kept_contacts;
use super::fit::Point;
use super::limbs::turn_between;
use super::missed::{Missed, PARTS, Seen};
use super::reduce::{Error, Source, reduce};
use super::thin::thinned;
use super::track::{Instant, State, Track};
use crate::motion::{Frames, Motion, MotionError};
use glam::DVec3;

/// Times that a thing is reduced again with more to look at, where the keys were off between what was looked at.
pub(super) const MOST_ROUNDS: usize = 12;
/// Instants of one thing up to which that is done: what turns thousands of times a frame is off by what is told then.
pub(super) const MOST_INSTANTS: usize = 200_000;

/// Parts of the tolerance that are aimed at, and that may be found where keys are compared: the rest is for what lies
/// between.
pub(super) const HELD: f64 = 0.9;
pub(super) const SEEN: f64 = 0.97;

/// Of place, orientation and size.
pub(super) type Channels = ([Channel<1>; 3], Channel<4>, Channel<3>);

/// Few keys of one thing, as they are made of a track within a tolerance along each axis, the whole one, and one of turns.
pub(super) fn few(
    ready: &dyn Motion,
    object: usize,
    range: Frames,
    (tolerance, turn): (f64, f64),
    made: impl Fn(&Track, [f64; 3]) -> Channels,
) -> Result<ObjectKeys, MotionError> {
    let mut track = Track::within(ready, object, range, (tolerance, turn))?;
    // What moves along several axes is off by the root of the sum of their squares.
    let moving = (0..3).filter(|&axis| moves(&track, axis, tolerance)).count().max(1);
    let along = HELD * tolerance / (moving as f64).sqrt();
    let presence = presence(ready, object, &track, range);
    let mut seen = Seen::of(&track);
    for round in 0.. {
        let (position, orientation, scale) = made(&track, [along, tolerance, HELD * turn]);
        let keys = ObjectKeys {
            position,
            orientation,
            scale,
            presence: presence.clone(),
            off: (0.0, range.from),
            turned_off: (0.0, range.from),
            limbs: None,
        };
        let (keys, missed) = measured((ready, object, &mut seen), (&track, PARTS), range, keys, (tolerance, turn));
        let over = |missed: &Missed| missed.far > SEEN * tolerance || missed.turned > SEEN * turn;
        let missed: Vec<f64> = missed.iter().filter(|missed| over(missed)).map(|missed| missed.frame).collect();
        if missed.is_empty() || round + 1 == MOST_ROUNDS || track.instants.len() + missed.len() > MOST_INSTANTS {
            return Ok(keys);
        }
        track.look_at(ready, object, &missed);
    }
    unreachable!("the last round returns")
}

/// Cubic ones.
pub(super) fn cubics(track: &Track, [along, tolerance, turn]: [f64; 3]) -> Channels {
    let contacts = kept_contacts(track, tolerance);
    (
        [0, 1, 2].map(|axis| reduced(track, &contacts, along, |state| position(state, axis), &apart)),
        reduced(track, &contacts, turn, orientation, &angle),
        reduced(track, &contacts, tolerance, scale, &apart),
    )
}

/// Straight ones.
pub(super) fn lines(track: &Track, [along, tolerance, turn]: [f64; 3]) -> Channels {
    let all: Vec<&Instant> = track.instants.iter().collect();
    let one = |axis| {
        let between = |a: &[f64; 1], b: &[f64; 1], part: f64| [a[0] + (b[0] - a[0]) * part];
        thinned(&linear(&all, |state| position(state, axis).0, &apart), along, (&apart, &between))
    };
    let even = |a: &[f64; 4], b: &[f64; 4], part: f64| turn_between(a, b, part).to_array();
    let size = |a: &[f64; 3], b: &[f64; 3], part: f64| DVec3::from(*a).lerp(DVec3::from(*b), part).to_array();
    (
        [0, 1, 2].map(one),
        thinned(&linear(&all, |state| orientation(state).0, &angle), turn, (&angle, &even)),
        thinned(&linear(&all, |state| scale(state).0, &apart), tolerance, (&apart, &size)),
    )
}

/// True where it leaves its first place along an axis by more than a hundredth of the tolerance.
pub(super) fn moves(track: &Track, axis: usize, tolerance: f64) -> bool {
    let first = track.instants[0].right.pose.position[axis];
    let far = |state: &State| (state.pose.position[axis] - first).abs() > 0.01 * tolerance;
    track.instants.iter().any(|instant| far(&instant.left) || far(&instant.right))
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
