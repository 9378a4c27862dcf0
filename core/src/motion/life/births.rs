//! When things are born within a loop.

use crate::random;
use crate::roots::{halved, middle};
use crate::signal::Accumulated;

/// How births are spread over a loop.
#[derive(Debug, Clone)]
pub enum Pattern {
    /// So many, one after another at even distances, the first at frame 0.
    Evenly(usize),
    /// So many, at random.
    AtRandom(usize),
    /// So many, all at one frame.
    AtOnce(usize, f64),
    /// Wherever so many a frame add up to a whole number, from 0 at frame 0 on.
    Rate(Accumulated),
}

const BIRTH: u64 = 61;
const LIFE: u64 = 62;

impl Pattern {
    /// How many births there are in a loop; beyond `most` no more are counted.
    pub fn count(&self, frames: f64, most: usize) -> usize {
        match self {
            Self::Evenly(count) | Self::AtRandom(count) | Self::AtOnce(count, _) => {
                (*count).min(most.saturating_add(1))
            }
            // What adds up to a whole number at the very end is the next loop's first.
            Self::Rate(rate) => (rate.until(frames) - WHOLE).ceil().clamp(0.0, most as f64 + 1.0) as usize,
        }
    }

    /// Frames of `count` births, as many as [`count`](Self::count) says, in [0, `frames`).
    pub fn frames(&self, count: usize, frames: f64, seed: u64) -> Vec<f64> {
        (0..count).map(|i| self.frame(i, frames, seed).clamp(0.0, frames.next_down())).collect()
    }

    fn frame(&self, i: usize, frames: f64, seed: u64) -> f64 {
        match self {
            Self::Evenly(count) => frames * i as f64 / *count as f64,
            Self::AtRandom(_) => frames * random::unit(seed, i as u64, BIRTH),
            Self::AtOnce(_, frame) => *frame,
            Self::Rate(rate) => middle(halved((0.0, frames), HALVINGS, |frame| rate.until(frame) <= i as f64)),
        }
    }
}

/// By how much a number of births may be above a whole one and still be it.
const WHOLE: f64 = 1e-9;
/// Halvings of a loop that leave a rounding of a frame.
const HALVINGS: u32 = 60;

/// Frames that a birth's life lasts: `lasts`, longer or shorter by a random part of up to ±`spread` of it, 0 to 1.
pub fn lifetime(lasts: f64, spread: f64, birth: usize, seed: u64) -> f64 {
    lasts * (1.0 + spread * random::signed(seed, birth as u64, LIFE))
}
