//! A motion of one thing, sampled finely enough to be measured against.

use crate::motion::{Break, BreakKind, Columns, Frames, Motion, MotionError, Sample};
use crate::pose::Pose;
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

/// One thing at every quarter frame and at every break.
#[derive(Debug, Clone)]
pub struct Track {
    /// In order of frames; both ends of the range included.
    pub instants: Vec<Instant>,
}

/// Steps per frame.
const STEPS: f64 = 4.0;
/// Frames before a break at which its left side is looked up.
const BEFORE: f64 = 1e-6;
/// Breaks closer to each other than this many frames are taken as one.
const CLOSE: f64 = 1e-4;

impl Track {
    /// Samples thing `object` of a prepared motion over `range`.
    pub fn new(motion: &dyn Motion, object: usize, range: Frames) -> Result<Self, MotionError> {
        let breaks = thinned(motion.breaks(object, range)?, range);
        let mut frames: Vec<(f64, Option<BreakKind>)> = breaks.iter().map(|b| (b.frame, Some(b.kind))).collect();
        let steps = ((range.to - range.from) * STEPS).floor() as usize;
        let regular = (0..=steps).map(|i| range.from + i as f64 / STEPS).chain([range.to]);
        frames.extend(regular.map(|frame| (frame, None)));
        frames.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.is_some().cmp(&a.1.is_some())));
        frames.dedup_by(|later, earlier| (later.0 - earlier.0).abs() < CLOSE && later.1.is_none());
        let columns = Columns::POSE | Columns::VELOCITY | Columns::SPIN;
        let mut sample = Sample::default();
        let mut states = |offset: &dyn Fn(Option<BreakKind>) -> f64| -> Vec<State> {
            let at: Vec<(usize, f64)> = frames.iter().map(|&(frame, kind)| (object, frame - offset(kind))).collect();
            motion.sample_at(&at, columns, &mut sample);
            let state =
                |row| State { pose: sample.pose(row), velocity: sample.velocities[row], spin: sample.spins[row] };
            (0..at.len()).map(state).collect()
        };
        let rights = states(&|_| 0.0);
        let lefts = states(&|kind| if kind.is_some() { BEFORE } else { 0.0 });
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
        let mut track = Self { instants };
        track.align_orientations();
        Ok(track)
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
