//! From a motion to keys.

use super::channel::{Channel, Interpolation, Key};
use super::few::{cubics, few, lines};
use super::limbs::{LimbKeys, turn_at};
use super::missed::{FEWER, Leaps, MOMENT, Missed, PARTS, Seen, compare, compared, worst};
use super::reduce::Error;
use super::track::{Instant, State, Track};
use crate::motion::{Cancel, Columns, Frames, Limbs, Motion, MotionError, Sample, prepared};
use crate::pose::angle_between;
use crate::work::OF_A_FILE;
use glam::{DQuat, DVec3};
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

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
    /// The keys of its joints, where it has some and they are wanted.
    pub limbs: Option<LimbKeys>,
}

/// The keys of all things of an output.
#[derive(Debug, Clone, PartialEq)]
pub struct Keys {
    /// One per thing.
    pub objects: Vec<ObjectKeys>,
    /// Frames covered.
    pub range: Frames,
}

impl Keys {
    /// Largest distance of a thing from where it should be, metres, and its frame; 0 at frame 0 where there are none.
    pub fn off(&self) -> (f64, f64) {
        largest_error(self.objects.iter().map(|object| object.off))
    }

    /// Largest angle by which a thing is turned otherwise than it should be, radians, and its frame.
    pub fn turned_off(&self) -> (f64, f64) {
        largest_error(self.objects.iter().map(|object| object.turned_off))
    }
}

/// The largest of some errors, each with its frame; the first of those that are as large.
pub fn largest_error(errors: impl Iterator<Item = (f64, f64)>) -> (f64, f64) {
    errors.fold((0.0, 0.0), |worst, here| if here.0 > worst.0 { here } else { worst })
}

/// How many keys there are.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Keying {
    /// One at every so many frames from the start of the range, above 0, joined straight; where a thing jumps or turns at
    /// once, a pair.
    Every(f64),
    /// Few cubic ones that keep places and orientations so near, both above 0, at every 64th of a frame and beside every
    /// key. Contacts after which the thing leaves by more than that are kept exactly.
    Within {
        /// Of a place.
        metres: f64,
        /// Of an orientation.
        radians: f64,
    },
    /// Few straight ones, within as much: for forms of file that know no others. Those of the joints of a thing are at the same
    /// frames.
    Straight {
        /// Of a place.
        metres: f64,
        /// Of an orientation.
        radians: f64,
    },
}

impl Keying {
    /// As it is asked for: within so many metres and degrees where these are said, or else every `step` frames. Where
    /// nothing is said of degrees, what is a metre away stays within the metres too.
    pub fn asked(step: f64, metres: Option<f64>, degrees: Option<f64>) -> Self {
        metres.map_or(Self::Every(step), |metres| Self::Within {
            metres,
            radians: degrees.map_or(metres, f64::to_radians),
        })
    }

    /// The same, straight from one to the next.
    #[must_use]
    pub const fn straightened(self) -> Self {
        match self {
            Self::Within { metres, radians } => Self::Straight { metres, radians },
            other => other,
        }
    }

    /// Makes the keys of one thing after another, and gives each to `take` before those of many more are made: so what is
    /// held at a time does not grow with how many things there are.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks; what `take` says, which is then asked no more.
    pub fn each<E: From<MotionError>>(
        self,
        motion: &Arc<dyn Motion>,
        range: Frames,
        cancel: &Cancel,
        take: impl FnMut(ObjectKeys) -> Result<(), E>,
    ) -> Result<(), E> {
        self.each_jointed((motion, &[]), range, cancel, take)
    }

    /// The same, with the keys of the joints of things, by their kinds; where none are given, without.
    ///
    /// # Errors
    /// As of [`each`](Self::each).
    pub fn each_jointed<E: From<MotionError>>(
        self,
        (motion, jointed): (&Arc<dyn Motion>, &[Jointed]),
        range: Frames,
        cancel: &Cancel,
        mut take: impl FnMut(ObjectKeys) -> Result<(), E>,
    ) -> Result<(), E> {
        cancel.within(OF_A_FILE, |cancel| {
            let ready = prepared(motion, range.widened(1.0), cancel)?;
            let done = AtomicUsize::new(0);
            let one = |object| {
                if cancel.cancelled() {
                    return Err(MotionError::Cancelled);
                }
                cancel.watched(|| {
                    let mut keys = match self {
                        Self::Every(step) => dense(&*ready, object, range, step),
                        Self::Within { metres, radians } => few(&*ready, object, range, (metres, radians), cubics),
                        Self::Straight { metres, radians } => few(&*ready, object, range, (metres, radians), lines),
                    }?;
                    let kind = if jointed.is_empty() { None } else { jointed.get(ready.kind(object)) };
                    if let Some(Some((limbs, metres))) = kind {
                        let sizes = keys.scale.keys.iter().flat_map(|key| key.value);
                        let metres = metres * sizes.map(f64::abs).fold(0.0, f64::max);
                        keys.limbs = Some(self.limbs((&*ready, object), (limbs, metres), range, cancel)?);
                    }
                    cancel.reach((done.fetch_add(1, Ordering::Relaxed) + 1) as f64 / ready.len() as f64);
                    Ok(keys)
                })
            };
            // Joints are looked at by all threads: few things at a time, so that some are ready before all are.
            let most = if jointed.is_empty() { AT_A_TIME } else { 2 * rayon::current_num_threads() };
            for from in (0..ready.len()).step_by(most) {
                let some = from..ready.len().min(from + most);
                let made = some.into_par_iter().map(one).collect::<Result<Vec<ObjectKeys>, MotionError>>()?;
                made.into_iter().try_for_each(&mut take)?;
            }
            Ok(())
        })
    }

    /// The keys of all things.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn keys(self, motion: &Arc<dyn Motion>, range: Frames, cancel: &Cancel) -> Result<Keys, MotionError> {
        let mut objects = Vec::new();
        self.each(motion, range, cancel, |keys| {
            objects.push(keys);
            Ok::<(), MotionError>(())
        })?;
        Ok(Keys { objects, range })
    }
}

/// What moves the joints of a kind of things, and how many metres are one of the units in which what hangs on them is written;
/// nothing where keys of them are not wanted.
pub type Jointed = Option<(Limbs, f64)>;

/// Things whose keys are made side by side before they are given on.
const AT_A_TIME: usize = 64;

/// Keys at every `step` frames: [`Keying::Every`].
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn bake_dense(motion: &Arc<dyn Motion>, range: Frames, step: f64, cancel: &Cancel) -> Result<Keys, MotionError> {
    Keying::Every(step).keys(motion, range, cancel)
}

/// Few cubic keys within metres and radians: [`Keying::Within`].
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn bake_reduced(
    motion: &Arc<dyn Motion>,
    range: Frames,
    (metres, radians): (f64, f64),
    cancel: &Cancel,
) -> Result<Keys, MotionError> {
    Keying::Within { metres, radians }.keys(motion, range, cancel)
}

/// Keys at steps of one thing at most.
const MOST_STEPS: f64 = 1e7;
/// Frames within which a frame is on a step.
pub(super) const ON_STEP: f64 = 1e-9;

fn dense(ready: &dyn Motion, object: usize, range: Frames, step: f64) -> Result<ObjectKeys, MotionError> {
    let steps = ((range.to - range.from + ON_STEP) / step).floor();
    if steps > MOST_STEPS {
        return Err(MotionError::TooMuch(format!(
            "Keys at every {step} frames would be {steps:.0} for a thing: choose a larger step or fewer frames."
        )));
    }
    let mut track = Track::new(ready, object, range)?;
    let at = |steps: f64| range.from + steps * step;
    let on_step = |frame: f64| (frame - at(((frame - range.from) / step).round())).abs() <= ON_STEP;
    track.look_between(ready, object, (0..=steps as usize).map(|i| at(i as f64)));
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
        limbs: None,
    };
    let seen = &mut Seen::of(&track);
    Ok(measured((ready, object, seen), (&track, FEWER), range, keys, (f64::INFINITY, f64::INFINITY)).0)
}

/// When a thing is there, found by as many looks as keys are compared at, and then to the moment.
pub(super) fn presence(motion: &dyn Motion, object: usize, track: &Track, range: Frames) -> Vec<(f64, bool)> {
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
pub(super) fn orientation(state: &State) -> ([f64; 4], [f64; 4]) {
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

pub(super) fn angle(a: &[f64; 4], b: &[f64; 4]) -> f64 {
    let normalised = |q: &[f64; 4]| DQuat::from_array(*q).normalize();
    angle_between(normalised(a), normalised(b))
}

pub(super) fn linear<const N: usize>(
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

/// The keys with what they miss at most; and what they miss.
pub(super) fn measured(
    looked: (&dyn Motion, usize, &mut Seen),
    (track, parts): (&Track, f64),
    range: Frames,
    keys: ObjectKeys,
    tolerance: (f64, f64),
) -> (ObjectKeys, Vec<Missed>) {
    let own = keys.position.iter().flat_map(|channel| channel.keys.iter().map(|key| key.frame));
    let frames = compared(range, (track, parts), own.chain(keys.orientation.keys.iter().map(|key| key.frame)));
    let keyed = |frame: f64| {
        let place = DVec3::from(keys.position.each_ref().map(|channel| channel.at(frame).0[0]));
        (place, turn_at(&keys.orientation, frame))
    };
    let missed = compare(looked, (&frames, &Leaps::of(track)), keyed, tolerance);
    let (off, turned_off) = (worst(&missed, |missed| missed.far), worst(&missed, |missed| missed.turned));
    (ObjectKeys { off, turned_off, ..keys }, missed)
}
