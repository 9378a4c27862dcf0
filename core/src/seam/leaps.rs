//! What leaps in sight: a thing that is seen just before and just after a frame and is not where it was.
//!
//! Looked for at every frame at which a motion says that it is not smooth, and wherever a thing comes farther from one
//! frame to the next than its speed says; there the moment is found by halving.

use crate::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample};
use crate::pose::angle_between;
use std::f64::consts::FRAC_PI_2;

/// A thing that is somewhere else at once.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Leap {
    /// Which thing.
    pub object: usize,
    /// Real-valued frame, above 0 and up to the loop's length.
    pub frame: f64,
    /// How far, metres.
    pub metres: f64,
    /// By how much it turns at once, radians.
    pub turn: f64,
}

/// What is found in a loop.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Leaps {
    /// Farthest first.
    pub leaps: Vec<Leap>,
    /// How often a thing in sight turns by more than a quarter turn at once, without leaping.
    pub flips: usize,
}

/// Frames before and after a moment at which it is looked at.
const BESIDE: f64 = 1e-6;
/// Metres beyond what its speed brings it that count as a leap.
const LEAST: f64 = 1e-6;
/// Times its speed from one frame to the next beyond which a leap is looked for.
const HASTE: f64 = 4.0;
/// Poses that are looked at for leaps that are not said, at most.
const MOST_LOOKED: usize = 200_000;
/// Halvings with which the moment is found.
const HALVINGS: usize = 34;

/// A thing on both sides of a moment.
struct Beside {
    metres: f64,
    turn: f64,
    seen: bool,
    /// Metres per frame, the faster of both sides.
    speed: f64,
}

fn beside(motion: &dyn Motion, object: usize, before: f64, after: f64, sample: &mut Sample) -> Beside {
    let columns = Columns::POSE | Columns::VELOCITY | Columns::ALIVE;
    motion.sample_at(&[(object, before), (object, after)], columns, sample);
    Beside {
        metres: sample.positions[0].distance(sample.positions[1]),
        turn: angle_between(sample.orientations[0], sample.orientations[1]),
        seen: sample.alive[0] && sample.alive[1],
        speed: sample.velocities[0].length().max(sample.velocities[1].length()),
    }
}

/// Of a motion that was prepared for a frame more than the loop on both sides.
pub fn leaps(motion: &dyn Motion, frames: f64, cancel: &Cancel) -> Result<Leaps, MotionError> {
    let mut sample = Sample::default();
    let mut found = Leaps::default();
    let count = motion.len();
    let each = (MOST_LOOKED / (frames.ceil() as usize + 1)).max(1);
    let every = count.div_ceil(each);
    for object in 0..count {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        let mut moments: Vec<f64> = motion
            .breaks(object, Frames { from: 0.0, to: frames + BESIDE })?
            .iter()
            .map(|b| b.frame)
            .filter(|frame| *frame > BESIDE)
            .collect();
        if object % every == 0 {
            moments.extend(hasty(motion, object, frames, &mut sample));
        }
        moments.sort_by(f64::total_cmp);
        moments.dedup_by(|a, b| (*a - *b).abs() < 2.0 * BESIDE);
        for frame in moments {
            let there = beside(motion, object, frame - BESIDE, frame + BESIDE, &mut sample);
            // Beside a corner or a contact it goes on at the speeds of both sides.
            if !there.seen {
                continue;
            }
            if there.metres > LEAST + 4.0 * BESIDE * there.speed {
                found.leaps.push(Leap { object, frame: frame.min(frames), metres: there.metres, turn: there.turn });
            } else if there.turn > FRAC_PI_2 {
                found.flips += 1;
            }
        }
    }
    found.leaps.sort_by(|a, b| b.metres.total_cmp(&a.metres).then(a.object.cmp(&b.object)));
    Ok(found)
}

/// Moments at which a thing comes farther than its speed says.
fn hasty(motion: &dyn Motion, object: usize, frames: f64, sample: &mut Sample) -> Vec<f64> {
    let last = frames.ceil() as usize;
    let at: Vec<(usize, f64)> = (0..=last).map(|frame| (object, (frame as f64).min(frames))).collect();
    motion.sample_at(&at, Columns::POSITION | Columns::VELOCITY, sample);
    let pair = |i: usize| {
        let far = sample.positions[i].distance(sample.positions[i + 1]);
        let speed = sample.velocities[i].length().max(sample.velocities[i + 1].length());
        (far > LEAST + HASTE * speed).then_some((at[i].1, at[i + 1].1))
    };
    let hasty: Vec<(f64, f64)> = (0..last).filter_map(pair).collect();
    hasty
        .into_iter()
        .map(|(mut low, mut high)| {
            for _ in 0..HALVINGS {
                let middle = 0.5 * (low + high);
                motion.sample_at(&[(object, low), (object, middle), (object, high)], Columns::POSITION, sample);
                let halves = [0, 1].map(|i| sample.positions[i].distance(sample.positions[i + 1]));
                if halves[0] > halves[1] { high = middle } else { low = middle }
            }
            high
        })
        .collect()
}
