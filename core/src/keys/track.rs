//! A motion of one thing, sampled finely enough to be measured against.

use super::bake::ON_STEP;
use super::channel::hermite;
use crate::motion::{Break, BreakKind, Columns, Frames, Motion, MotionError, Sample};
use crate::pose::{Pose, angle_between};
use glam::{DQuat, DVec3};

/// Pose and rates on one side of an instant.
#[derive(Debug, Clone, Copy)]
pub struct State {
    /// The pose.
    pub pose: Pose,
    /// Metres per frame.
    pub velocity: DVec3,
    /// Radians per frame, world axes.
    pub spin: DVec3,
}

/// An instant of a track.
#[derive(Debug, Clone, Copy)]
pub struct Instant {
    /// Real-valued frame.
    pub frame: f64,
    /// Just before.
    pub left: State,
    /// From here on.
    pub right: State,
    /// Set where the motion is not smooth.
    pub broken: Option<BreakKind>,
}

/// One thing at every frame, or four times as often where its size changes, and at every break.
#[derive(Debug, Clone)]
pub struct Track {
    /// In order of frames; both ends of the range included.
    pub instants: Vec<Instant>,
    /// Poses between instants, where a cubic goes close by all of them.
    pub calm: Vec<(f64, Pose)>,
    /// From frame to frame, in any order: where none does, or nobody has looked.
    pub restless: Vec<(f64, f64)>,
}

/// Steps per frame; and of what changes its size, of which no rate is known that would show what happens between.
const STEPS: f64 = 1.0;
const OF_SIZES: f64 = 4.0;
/// Frames before a break at which its left side is looked up.
const BEFORE: f64 = 1e-6;
/// Frames after it at which its right side is looked up where it leaps there, and what counts as a leap, in metres and
/// radians: within so little time nothing else comes so far.
const AFTER: f64 = 1e-9;
const LEAPS: f64 = 1e-6;
/// Breaks closer to each other than this many frames are taken as one.
const CLOSE: f64 = 1e-4;

impl Track {
    /// Samples thing `object` of a prepared motion over `range`.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn new(motion: &dyn Motion, object: usize, range: Frames) -> Result<Self, MotionError> {
        let breaks = thinned(motion.breaks(object, range)?, range);
        let mut frames: Vec<(f64, Option<BreakKind>)> = breaks.iter().map(|b| (b.frame, Some(b.kind))).collect();
        let often = if motion.varies().contain(Columns::SCALE) { OF_SIZES } else { STEPS };
        let steps = ((range.to - range.from) * often).floor() as usize;
        let regular = (0..=steps).map(|i| range.from + i as f64 / often).chain([range.to]);
        frames.extend(regular.map(|frame| (frame, None)));
        frames.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.is_some().cmp(&a.1.is_some())));
        frames.dedup_by(|later, earlier| (later.0 - earlier.0).abs() < CLOSE && later.1.is_none());
        let mut sampler = Sampler { motion, object, sample: Sample::default() };
        let mut rights = sampler.states(&frames.iter().map(|(frame, _)| *frame).collect::<Vec<f64>>());
        let mut lefts = rights.clone();
        let broken: Vec<usize> = (0..frames.len()).filter(|i| frames[*i].1.is_some()).collect();
        let mut beside = |by: f64| sampler.states(&broken.iter().map(|i| frames[*i].0 + by).collect::<Vec<f64>>());
        // Rounding may put a leap a hair after the frame that it is said to be at.
        for (i, after) in broken.iter().zip(beside(AFTER)) {
            if apart(&rights[*i].pose, &after.pose, (LEAPS, LEAPS)) > 1.0 {
                rights[*i] = after;
            }
        }
        broken.iter().zip(beside(-BEFORE)).for_each(|(i, before)| lefts[*i] = before);
        let instants = frames
            .iter()
            .zip(lefts.into_iter().zip(rights))
            .map(|(&(frame, broken), (mut left, right))| {
                if !broken.is_some_and(BreakKind::is_jump) {
                    left.pose.position = right.pose.position;
                }
                Instant { frame, left, right, broken }
            })
            .collect();
        let mut track = Self { instants, calm: Vec::new(), restless: vec![(range.from, range.to)] };
        track.align_orientations();
        Ok(track)
    }

    /// As [`new`](Self::new), with more instants wherever the cubic between two, through their places and rates, is off by
    /// more than the tolerance in metres and radians; what jumps without having said so is found there.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn within(
        motion: &dyn Motion,
        object: usize,
        range: Frames,
        tolerance: (f64, f64),
    ) -> Result<Self, MotionError> {
        let mut track = Self::new(motion, object, range)?;
        let mut sampler = Sampler { motion, object, sample: Sample::default() };
        let mut found = Vec::new();
        let mut open: Vec<(Instant, Instant)> = track.instants.windows(2).map(|pair| (pair[0], pair[1])).collect();
        track.restless.clear();
        while !open.is_empty() {
            if found.len() >= MOST_FOUND {
                track.restless.extend(open.iter().map(|(a, b)| (a.frame, b.frame)));
                break;
            }
            let inner = |(a, b): &(Instant, Instant)| LOOKS.map(|part| a.frame + (b.frame - a.frame) * part);
            let frames: Vec<f64> = open.iter().flat_map(inner).collect();
            let poses = sampler.poses(&frames);
            let looks = frames.chunks(LOOKS.len()).zip(poses.chunks(LOOKS.len()));
            let mut cut = Vec::new();
            for ((a, b), (frames, poses)) in open.into_iter().zip(looks) {
                let off = |(part, pose): (&f64, &Pose)| misses(&a, &b, *part, pose, tolerance);
                let off = LOOKS.iter().zip(poses).map(off).fold(0.0, f64::max);
                if off <= CALM {
                    track.calm.extend(frames.iter().copied().zip(poses.iter().copied()));
                } else if off <= 0.5 {
                    track.restless.push((a.frame, b.frame));
                } else if b.frame - a.frame > NARROW {
                    cut.push((a, b));
                } else {
                    track.restless.push((a.frame, b.frame));
                    found.extend(sampler.leap(&a, &b, tolerance));
                }
            }
            let middles: Vec<f64> = cut.iter().map(|(a, b)| 0.5 * (a.frame + b.frame)).collect();
            let states = sampler.states(&middles);
            open = Vec::with_capacity(2 * cut.len());
            for (((a, b), frame), state) in cut.into_iter().zip(middles).zip(states) {
                let middle = Instant { frame, left: state, right: state, broken: None };
                found.push(middle);
                open.extend([(a, middle), (middle, b)]);
            }
        }
        track.add(found);
        Ok(track)
    }

    /// More instants, at frames at which the motion is smooth.
    pub(super) fn look_at(&mut self, motion: &dyn Motion, object: usize, frames: &[f64]) {
        let states = Sampler { motion, object, sample: Sample::default() }.states(frames);
        let new = |(&frame, &state): (&f64, &State)| Instant { frame, left: state, right: state, broken: None };
        self.add(frames.iter().zip(&states).map(new).collect());
    }

    /// As [`look_at`](Self::look_at), but for frames that are in order, and where there is no instant yet; what is not smooth
    /// near by was looked at from both sides.
    pub(super) fn look_between(&mut self, motion: &dyn Motion, object: usize, frames: impl Iterator<Item = f64>) {
        let mut at = 0;
        let new = |frame: &f64| {
            while at + 1 < self.instants.len() && self.instants[at + 1].frame <= *frame {
                at += 1;
            }
            let near = |instant: Option<&Instant>| {
                let within = |there: &Instant| if there.broken.is_some() { CLOSE } else { ON_STEP };
                instant.is_some_and(|there| (there.frame - frame).abs() <= within(there))
            };
            !near(self.instants.get(at)) && !near(self.instants.get(at + 1))
        };
        let frames: Vec<f64> = frames.filter(new).collect();
        self.look_at(motion, object, &frames);
    }

    fn add(&mut self, found: Vec<Instant>) {
        if found.is_empty() {
            return;
        }
        self.instants.extend(found);
        self.instants.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        self.instants.dedup_by(|later, earlier| {
            let same = later.frame == earlier.frame;
            if same && later.broken.is_some() {
                *earlier = *later;
            }
            same
        });
        self.align_orientations();
    }

    /// Chooses the sign of each quaternion so that neighbours lie on one side.
    fn align_orientations(&mut self) {
        let mut last = DQuat::IDENTITY;
        for (index, instant) in self.instants.iter_mut().enumerate() {
            for state in [&mut instant.left, &mut instant.right] {
                if index > 0 && state.pose.orientation.dot(last) < 0.0 {
                    state.pose.orientation = -state.pose.orientation;
                }
                last = state.pose.orientation;
            }
        }
    }
}

/// Without breaks that lie at the ends of the range or closer together than can matter.
fn thinned(breaks: Vec<Break>, range: Frames) -> Vec<Break> {
    let mut kept: Vec<Break> = Vec::new();
    for b in breaks {
        let near = kept.last_mut().filter(|last| b.frame - last.frame < CLOSE);
        match near {
            Some(last) if b.kind.rank() < last.kind.rank() => *last = b,
            Some(_) => {}
            None => kept.push(b),
        }
    }
    kept.retain(|b| b.frame > range.from + CLOSE && b.frame < range.to - CLOSE);
    kept
}

/// Parts of a stretch between two instants at which it is looked at: what comes again at a simple part of a frame is not met in
/// the same place each time.
const LOOKS: [f64; 3] = [0.211, 0.5, 0.789];
/// Parts of the tolerance up to which a cubic goes close by.
const CALM: f64 = 1.0 / 32.0;
/// Frames between instants below which it is a leap that is looked for.
const NARROW: f64 = 1.0 / 4096.0;
/// Frames within which a leap is found.
const LEAP: f64 = 1e-9;
/// Instants that are added to a track at most.
const MOST_FOUND: usize = 200_000;

struct Sampler<'a> {
    motion: &'a dyn Motion,
    object: usize,
    sample: Sample,
}

impl Sampler<'_> {
    fn states(&mut self, frames: &[f64]) -> Vec<State> {
        let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (self.object, frame)).collect();
        self.motion.sample_at(&at, Columns::POSE | Columns::VELOCITY | Columns::SPIN, &mut self.sample);
        let sample = &self.sample;
        let state = |row| State { pose: sample.pose(row), velocity: sample.velocities[row], spin: sample.spins[row] };
        (0..at.len()).map(state).collect()
    }

    fn poses(&mut self, frames: &[f64]) -> Vec<Pose> {
        let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (self.object, frame)).collect();
        self.motion.sample_at(&at, Columns::POSE, &mut self.sample);
        (0..at.len()).map(|row| self.sample.pose(row)).collect()
    }

    /// The instant at which it leaps between two, or turns sharply.
    fn leap(&mut self, a: &Instant, b: &Instant, tolerance: (f64, f64)) -> Option<Instant> {
        let (mut low, mut high) = ((a.frame, a.right), (b.frame, b.left));
        while high.0 - low.0 > LEAP {
            let frame = 0.5 * (low.0 + high.0);
            if frame <= low.0 || frame >= high.0 {
                break;
            }
            let middle = self.states(&[frame])[0];
            if apart(&low.1.pose, &middle.pose, tolerance) > apart(&middle.pose, &high.1.pose, tolerance) {
                high = (frame, middle);
            } else {
                low = (frame, middle);
            }
        }
        let leaps = apart(&low.1.pose, &high.1.pose, tolerance) > 0.5;
        let broken = Some(if leaps { BreakKind::Jump } else { BreakKind::Corner });
        (high.0 < b.frame).then_some(Instant { frame: high.0, left: low.1, right: high.1, broken })
    }
}

/// How far two poses are apart, as a part of the tolerance.
fn apart(a: &Pose, b: &Pose, (far, turned): (f64, f64)) -> f64 {
    let off = a.position.distance(b.position).max(a.scale.distance(b.scale));
    (off / far).max(angle_between(a.orientation, b.orientation) / turned)
}

/// How far the cubic between two instants is from a pose at a part of the way, as a part of the tolerance.
fn misses(a: &Instant, b: &Instant, part: f64, pose: &Pose, tolerance: (f64, f64)) -> f64 {
    let length = b.frame - a.frame;
    let place = |i: usize| {
        let (from, to) = (&a.right, &b.left);
        let (out, into) = (from.velocity[i] * length, to.velocity[i] * length);
        hermite(from.pose.position[i], out, to.pose.position[i], into, part)
    };
    let (from, to) = (a.right.pose.orientation, b.left.pose.orientation);
    let to = if from.dot(to) < 0.0 { -to } else { to };
    let rate = |q: DQuat, spin: DVec3| (DQuat::from_xyzw(spin.x, spin.y, spin.z, 0.0) * q * (0.5 * length)).to_array();
    let (out, into) = (rate(from, a.right.spin), rate(to, b.left.spin));
    let turn = |i: usize| hermite(from.to_array()[i], out[i], to.to_array()[i], into[i], part);
    let orientation = DQuat::from_array(std::array::from_fn(turn)).normalize();
    let between = Pose { position: DVec3::from_array(std::array::from_fn(place)), orientation, ..*pose };
    apart(&between, pose, tolerance)
}
