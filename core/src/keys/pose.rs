//! From a motion to few keys of the numbers that pose one thing.

use super::bake::{apart, position, scale};
use super::channel::Channel;
use super::contacts::kept_contacts;
use super::few::{HELD, MOST_INSTANTS, MOST_ROUNDS, SEEN, moves, reduced_by};
use super::fit::Point;
use super::missed::{Leaps, Missed, PARTS, Seen, compare, compared, worst};
use super::track::{State, Track};
use crate::motion::{Cancel, Frames, Motion, MotionError, prepared};
use crate::pose::from_degrees;
use crate::work::OF_A_FILE;
use glam::{DMat3, DQuat, DVec3};
use std::sync::Arc;

/// Keys of one thing's place, metres, of its turns about x, y and z, degrees, and of its scale.
#[derive(Debug, Clone, PartialEq)]
pub struct PoseKeys {
    /// x, y, z in metres.
    pub place: [Channel<1>; 3],
    /// Degrees about x, then y, then z.
    pub turn: [Channel<1>; 3],
    /// The factor along x.
    pub scale: Channel<1>,
    /// Largest error in place, metres, and its frame.
    pub off: (f64, f64),
    /// Largest error in orientation, radians, and its frame.
    pub turned_off: (f64, f64),
}

/// Within `tolerance` metres and `angle` radians at every 64th of a frame and beside every key; in flat scenes about z
/// only.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn bake_pose(
    motion: &Arc<dyn Motion>,
    object: usize,
    range: Frames,
    (tolerance, angle): (f64, f64),
    cancel: &Cancel,
) -> Result<PoseKeys, MotionError> {
    cancel.within(OF_A_FILE, |cancel| {
        let ready = prepared(motion, range.widened(1.0), cancel)?;
        let mut track = Track::within(&*ready, object, range, (tolerance, angle))?;
        let mut seen = Seen::of(&track);
        for round in 0.. {
            let keys = reduced(&track, range, (tolerance, angle));
            let (keys, missed) = measured((&*ready, object, &mut seen), &track, range, keys, (tolerance, angle));
            if missed.is_empty() || round + 1 == MOST_ROUNDS || track.instants.len() + missed.len() > MOST_INSTANTS {
                return Ok(keys);
            }
            track.look_at(&*ready, object, &missed);
        }
        unreachable!("the last round returns")
    })
}

fn reduced(track: &Track, range: Frames, (tolerance, angle): (f64, f64)) -> PoseKeys {
    let contacts = kept_contacts(track, tolerance);
    let moving = (0..3).filter(|&axis| moves(track, axis, tolerance)).count().max(1);
    let along = HELD * tolerance / (moving as f64).sqrt();
    let place = [0, 1, 2].map(|axis| {
        let points = points(track, |state| position(state, axis));
        reduced_by(track, &points, &contacts, along, &apart)
    });
    // Three turns together are off by at most the sum of what each is off.
    let turns = turns(track);
    let turn =
        [0, 1, 2].map(|axis| reduced_by(track, &turns[axis], &contacts, HELD * angle.to_degrees() / 3.0, &apart));
    let sizes = points(track, |state| {
        let (value, slope) = scale(state);
        ([value[0]], [slope[0]])
    });
    let scale = reduced_by(track, &sizes, &contacts, 1e-4, &apart);
    PoseKeys { place, turn, scale, off: (0.0, range.from), turned_off: (0.0, range.from) }
}

/// The keys with what they miss at most, and the frames at which that is more than wanted.
fn measured(
    looked: (&dyn Motion, usize, &mut Seen),
    track: &Track,
    range: Frames,
    keys: PoseKeys,
    (tolerance, angle): (f64, f64),
) -> (PoseKeys, Vec<f64>) {
    let frames =
        compared(range, (track, PARTS), keys.channels().flat_map(|channel| channel.keys.iter().map(|key| key.frame)));
    let keyed = |frame: f64| {
        let at = |channels: &[Channel<1>; 3]| DVec3::from(channels.each_ref().map(|channel| channel.at(frame).0[0]));
        (at(&keys.place), from_degrees(at(&keys.turn)))
    };
    let missed = compare(looked, (&frames, &Leaps::of(track)), keyed, (tolerance, angle));
    let (off, turned_off) = (worst(&missed, |missed| missed.far), worst(&missed, |missed| missed.turned));
    let over = |missed: &Missed| missed.far > SEEN * tolerance || missed.turned > SEEN * angle;
    let missed = missed.iter().filter(|missed| over(missed)).map(|missed| missed.frame).collect();
    (PoseKeys { off, turned_off, ..keys }, missed)
}

/// The seven numbers that pose a thing at a frame, each with its slope per frame: place, metres; turns about x, y and z,
/// degrees, those that are nearest to `near`; scale. Where it turns at once they are as they are afterwards.
pub fn pose_numbers(
    motion: &Arc<dyn Motion>,
    object: usize,
    frame: f64,
    near: DVec3,
    cancel: &Cancel,
) -> Result<[(f64, f64); 7], MotionError> {
    let range = Frames { from: frame, to: frame + 1.0 };
    let track = cancel.within(OF_A_FILE, |cancel| {
        let ready = prepared(motion, range.widened(1.0), cancel)?;
        Track::new(&*ready, object, range)
    })?;
    let here = &track.instants[0].right;
    let turn = nearest_turns(here.pose.orientation, near.map(f64::to_radians));
    let rate = rates(turn, here.spin);
    let (place, velocity) = (here.pose.position, here.velocity);
    Ok([
        (place.x, velocity.x),
        (place.y, velocity.y),
        (place.z, velocity.z),
        (turn.x.to_degrees(), rate.x.to_degrees()),
        (turn.y.to_degrees(), rate.y.to_degrees()),
        (turn.z.to_degrees(), rate.z.to_degrees()),
        (here.pose.scale.x, 0.0),
    ])
}

impl PoseKeys {
    /// All channels, place first.
    pub fn channels(&self) -> impl Iterator<Item = &Channel<1>> {
        self.place.iter().chain(&self.turn).chain([&self.scale])
    }

    /// How many keys there are; a channel that never changes has none.
    pub fn count(&self) -> usize {
        self.channels().filter(|channel| !channel.is_still()).map(|channel| channel.keys.len()).sum()
    }
}

fn points(track: &Track, read: impl Fn(&State) -> ([f64; 1], [f64; 1])) -> Vec<Point<1>> {
    let point = |instant: &super::track::Instant| Point {
        frame: instant.frame,
        left: read(&instant.left),
        right: read(&instant.right),
    };
    track.instants.iter().map(point).collect()
}

/// Turns about x, y and z in degrees, each without jumps, and how fast they change.
fn turns(track: &Track) -> [Vec<Point<1>>; 3] {
    let mut last = DVec3::ZERO;
    let mut three: [Vec<Point<1>>; 3] = Default::default();
    for instant in &track.instants {
        let mut side = |state: &State| {
            last = nearest_turns(state.pose.orientation, last);
            (last, rates(last, state.spin))
        };
        let (left, right) = (side(&instant.left), side(&instant.right));
        for (axis, points) in three.iter_mut().enumerate() {
            let of = |(turn, rate): (DVec3, DVec3)| ([turn[axis].to_degrees()], [rate[axis].to_degrees()]);
            points.push(Point { frame: instant.frame, left: of(left), right: of(right) });
        }
    }
    three
}

/// Radians about x, then y, then z that make an orientation: of all there are those nearest to others.
fn nearest_turns(orientation: DQuat, to: DVec3) -> DVec3 {
    let m = DMat3::from_quat(orientation);
    let sine = (-m.x_axis.z).clamp(-1.0, 1.0);
    let y = libm::asin(sine);
    // Upright about y, turns about x and z are one: the one about z stays as it was.
    let first = if sine.abs() > 1.0 - 1e-12 {
        let both = libm::atan2(-m.y_axis.x, m.y_axis.y);
        DVec3::new(if sine > 0.0 { to.z - both } else { both - to.z }, y, to.z)
    } else {
        DVec3::new(libm::atan2(m.y_axis.z, m.z_axis.z), y, libm::atan2(m.x_axis.y, m.x_axis.x))
    };
    let near = |turns: DVec3| {
        let whole = ((to - turns) / std::f64::consts::TAU).round();
        turns + whole * std::f64::consts::TAU
    };
    let half = std::f64::consts::PI;
    let second = DVec3::new(first.x + half, half - first.y, first.z + half);
    let (first, second) = (near(first), near(second));
    if second.distance_squared(to) < first.distance_squared(to) { second } else { first }
}

/// Radians per frame of the three turns of a thing that spins so, in radians per frame about world axes.
fn rates(turns: DVec3, spin: DVec3) -> DVec3 {
    let z = DQuat::from_rotation_z(turns.z);
    let y = z * DQuat::from_rotation_y(turns.y);
    let axes = DMat3::from_cols(y * DVec3::X, z * DVec3::Y, DVec3::Z);
    // Nearly upright about y the three axes nearly lie in a plane, and rates say nothing.
    if axes.determinant().abs() < 1e-3 { DVec3::ZERO } else { axes.inverse() * spin }
}
