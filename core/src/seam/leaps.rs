//! What leaps in sight: a thing that is seen just before and just after a frame and is not where it was.
//!
//! Looked for at every frame at which a motion says that it is not smooth, and wherever a thing comes farther from one
//! frame to the next than its speed says; there the moment is found by halving.

use crate::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample};
use crate::pose::angle_between;
use rayon::prelude::*;
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
/// Frames that are looked at by one worker.
const FRAMES_OF_A_PART: usize = 16;
/// Moments that are looked at together.
const AT_ONCE: usize = 4096;
/// Halvings with which the moment is found.
const HALVINGS: usize = 34;

/// Of a motion that was prepared for a frame more than the loop on both sides.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn leaps(motion: &dyn Motion, frames: f64, cancel: &Cancel) -> Result<Leaps, MotionError> {
    let mut moments = said(motion, frames, cancel)?;
    moments.extend(hasty(motion, frames, cancel)?);
    moments.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    moments.dedup_by(|a, b| a.0 == b.0 && (a.1 - b.1).abs() < 2.0 * BESIDE);
    // Frame by frame: a path that moves is then made once for all that are looked at together.
    moments.sort_by(|a, b| a.1.total_cmp(&b.1).then(a.0.cmp(&b.0)));
    let mut found = Leaps::default();
    let (mut before, mut after) = (Sample::default(), Sample::default());
    let columns = Columns::POSE | Columns::VELOCITY | Columns::ALIVE;
    for part in moments.chunks(AT_ONCE) {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        let moved = |by: f64| part.iter().map(|&(object, frame)| (object, frame + by)).collect::<Vec<_>>();
        motion.sample_at(&moved(-BESIDE), columns, &mut before);
        motion.sample_at(&moved(BESIDE), columns, &mut after);
        for (row, &(object, frame)) in part.iter().enumerate() {
            if !(before.alive[row] && after.alive[row]) {
                continue;
            }
            let metres = before.positions[row].distance(after.positions[row]);
            let turn = angle_between(before.orientations[row], after.orientations[row]);
            let speed = before.velocities[row].length().max(after.velocities[row].length());
            // Beside a corner or a contact it goes on at the speeds of both sides.
            if metres > LEAST + 4.0 * BESIDE * speed {
                found.leaps.push(Leap { object, frame: frame.min(frames), metres, turn });
            } else if turn > FRAC_PI_2 {
                found.flips += 1;
            }
        }
    }
    found.leaps.sort_by(|a, b| b.metres.total_cmp(&a.metres).then(a.object.cmp(&b.object)));
    Ok(found)
}

/// Things and the frames at which they say that they are not smooth.
fn said(motion: &dyn Motion, frames: f64, cancel: &Cancel) -> Result<Vec<(usize, f64)>, MotionError> {
    let mut moments = Vec::new();
    for object in 0..motion.len() {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        let breaks = motion.breaks(object, Frames { from: 0.0, to: frames + BESIDE })?;
        let frames = breaks.iter().map(|b| b.frame).filter(|&frame| frame > BESIDE && !begins(motion, object, frame));
        moments.extend(frames.map(|frame| (object, frame)));
    }
    Ok(moments)
}

/// True where a life of a thing begins at a frame: it is another thing then.
fn begins(motion: &dyn Motion, object: usize, frame: f64) -> bool {
    birth_within(motion, object, frame - BESIDE, frame + BESIDE).is_some()
}

/// The last birth of a thing within a stretch of frames.
fn birth_within(motion: &dyn Motion, object: usize, from: f64, to: f64) -> Option<f64> {
    motion.lives()?.begin(object, from, to).last().map(|life| life.from)
}

/// Things and the moments at which they come farther than their speed says.
fn hasty(motion: &dyn Motion, frames: f64, cancel: &Cancel) -> Result<Vec<(usize, f64)>, MotionError> {
    let last = frames.ceil() as usize;
    let at = |i: usize| (i as f64).min(frames);
    // The frames of each part, and the first of the next one.
    let part = |first: usize| -> Result<Vec<(usize, f64, f64)>, MotionError> {
        let (mut before, mut after) = (Sample::default(), Sample::default());
        let mut pairs = Vec::new();
        for i in first..=(first + FRAMES_OF_A_PART).min(last) {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            motion.sample(at(i), Columns::POSITION | Columns::VELOCITY, &mut after);
            let mut born = Vec::new();
            for object in (0..motion.len()).filter(|_| i > first) {
                if let Some(birth) = birth_within(motion, object, at(i - 1), at(i)) {
                    born.push((object, birth + BESIDE));
                    continue;
                }
                let far = before.positions[object].distance(after.positions[object]);
                let speed = before.velocities[object].length().max(after.velocities[object].length());
                if far > LEAST + HASTE * speed {
                    pairs.push((object, at(i - 1), at(i)));
                }
            }
            // What was born since then is looked at from its birth on.
            motion.sample_at(&born, Columns::POSITION, &mut before);
            for (row, &(object, birth)) in born.iter().enumerate().filter(|(_, born)| born.1 < at(i)) {
                let far = before.positions[row].distance(after.positions[object]);
                if far > LEAST + HASTE * after.velocities[object].length() * (at(i) - birth) {
                    pairs.push((object, birth, at(i)));
                }
            }
            std::mem::swap(&mut before, &mut after);
        }
        Ok(pairs)
    };
    let firsts: Vec<usize> = (0..last).step_by(FRAMES_OF_A_PART).collect();
    let parts = firsts.into_par_iter().map(|first| cancel.watched(|| part(first)));
    let mut pairs: Vec<(usize, f64, f64)> = parts.collect::<Result<Vec<_>, _>>()?.concat();
    let mut before = Sample::default();
    for _ in 0..HALVINGS {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        let rows: Vec<(usize, f64)> = pairs
            .iter()
            .flat_map(|&(object, low, high)| [low, 0.5 * (low + high), high].map(|frame| (object, frame)))
            .collect();
        motion.sample_at(&rows, Columns::POSITION, &mut before);
        for (pair, places) in pairs.iter_mut().zip(before.positions.chunks(3)) {
            let middle = 0.5 * (pair.1 + pair.2);
            let first = places[0].distance(places[1]) > places[1].distance(places[2]);
            if first { pair.2 = middle } else { pair.1 = middle }
        }
    }
    Ok(pairs.into_iter().map(|(object, _, high)| (object, high)).collect())
}
