//! From a motion to keys.

use super::channel::{Channel, Interpolation, Key};
use super::fit::Point;
use super::reduce::{Error, Source, reduce};
use super::track::{Instant, State, Track};
use crate::motion::{BreakKind, Cancel, Frames, Motion, MotionError, prepared};
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
    /// Largest error of each position channel, metres, and of the orientation, radians, with frames.
    pub errors: [(f64, f64); 4],
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
    each_object(motion, range, cancel, |track| {
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
        let mut keys = ObjectKeys {
            position: [0, 1, 2].map(|axis| linear(&chosen, |state| position(state, axis).0, &apart)),
            orientation: linear(&chosen, |state| orientation(state).0, &angle),
            scale: linear(&chosen, |state| scale(state).0, &apart),
            errors: [(0.0, 0.0); 4],
        };
        keys.errors = errors(track, &keys);
        keys
    })
}

/// Few cubic keys: every position within `tolerance` metres, orientations within `turn` radians. Contacts after which the thing leaves by more than the
/// tolerance are kept exactly.
pub fn bake_reduced(
    motion: &Arc<dyn Motion>,
    range: Frames,
    (tolerance, turn): (f64, f64),
    cancel: &Cancel,
) -> Result<Keys, MotionError> {
    each_object(motion, range, cancel, |track| {
        let contacts = kept_contacts(track, tolerance);
        let mut keys = ObjectKeys {
            position: [0, 1, 2].map(|axis| reduced(track, &contacts, tolerance, |state| position(state, axis), &apart)),
            orientation: reduced(track, &contacts, turn, orientation, &angle),
            scale: reduced(track, &contacts, tolerance, scale, &apart),
            errors: [(0.0, 0.0); 4],
        };
        keys.errors = errors(track, &keys);
        keys
    })
}

fn each_object(
    motion: &Arc<dyn Motion>,
    range: Frames,
    cancel: &Cancel,
    bake: impl Fn(&Track) -> ObjectKeys + Sync,
) -> Result<Keys, MotionError> {
    let ready = prepared(motion, range.widened(1.0), cancel)?;
    let objects = (0..ready.len())
        .into_par_iter()
        .map(|object| {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            Ok(bake(&Track::new(&*ready, object, range)?))
        })
        .collect::<Result<Vec<ObjectKeys>, MotionError>>()?;
    Ok(Keys { objects, range })
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
    crate::pose::angle_between(normalised(a), normalised(b))
}

/// Indices of the contacts after which the thing leaves by more than the tolerance before the next.
pub(super) fn kept_contacts(track: &Track, tolerance: f64) -> Vec<usize> {
    let is_contact = |instant: &Instant| instant.broken == Some(BreakKind::Contact);
    let contacts: Vec<usize> = (0..track.instants.len()).filter(|&i| is_contact(&track.instants[i])).collect();
    let ends = contacts.iter().skip(1).copied().chain([track.instants.len() - 1]);
    contacts
        .iter()
        .zip(ends)
        .filter(|&(&from, to)| leaves(&track.instants[from..=to], tolerance))
        .map(|(&from, _)| from)
        .collect()
}

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

/// Largest error of x, y, z and orientation at every instant, each with its frame.
fn errors(track: &Track, keys: &ObjectKeys) -> [(f64, f64); 4] {
    let mut worst = [(0.0, track.instants[0].frame); 4];
    for instant in &track.instants[..track.instants.len() - 1] {
        let here = &instant.right.pose;
        let off = [0, 1, 2, 3].map(|i| match keys.position.get(i) {
            Some(channel) => apart(&channel.at(instant.frame).0, &[here.position[i]]),
            None => angle(&keys.orientation.at(instant.frame).0, &here.orientation.to_array()),
        });
        for (worst, off) in worst.iter_mut().zip(off) {
            if off > worst.0 {
                *worst = (off, instant.frame);
            }
        }
    }
    worst
}
