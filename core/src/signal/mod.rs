//! Scalar functions of time with exact integrals where there are such.
//!
//! What accumulates (a phase from a rate, an angle from a spin) is an integral, never a rate
//! times a frame, so that a changing rate never makes the past jump.

mod combine;
mod constant;
mod decay;
mod driven;
mod keys;
mod noise;
mod polynomial;
mod progression;
mod ramp;
mod repeat;
mod reshape;
mod span;
mod steps;
mod wave;

use glam::DVec3;
use std::ops::{Add, Mul, Sub};

pub use combine::{Blend, Product, Sum, Through};
pub use constant::Constant;
pub use decay::Decay;
pub use driven::{Accumulated, Clock, Driven, FormulaSignal, Thing, moment, near};
pub use keys::{Beyond, Handles, Key, Keys, keyed};
pub use noise::NoiseSignal;
pub use polynomial::Polynomial;
pub use progression::Progression;
pub use ramp::Ramp;
pub use repeat::{Repeat, RepeatWay};
pub use reshape::{Limit, Rescale};
pub use span::Span;
pub use steps::{Levels, Steps};
pub use wave::{Wave, WaveShape};

/// Half the frames over which a slope without a closed form is measured.
const STEP: f64 = 1e-3;
/// Most bends that are listed at once.
const MOST_BENDS: usize = 20_000;

/// A function of the frame.
pub trait Signal: Send + Sync + std::fmt::Debug {
    /// Its value at a frame; where it jumps, the one after the jump.
    fn at(&self, frame: f64) -> f64;

    /// Its integral from `a` to `b` over frames, negative when `b` lies before `a`; none where there is no closed form.
    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        let _ = (a, b);
        None
    }

    /// Its rate of change, per frame; where it bends, the one after the bend.
    fn slope(&self, frame: f64) -> f64 {
        slope_of(|frame| self.at(frame), frame, |change| change)
    }

    /// Frames from `from` to `to`, in order, at which it bends or jumps.
    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let _ = (from, to);
        Vec::new()
    }
}

/// How fast a function changes at a frame, by differences: where it bends or jumps there, on the side after it, or
/// before it where it jumps at once afterwards. `change` sees every difference first, and may take whole laps off.
fn slope_of(at: impl Fn(f64) -> f64, frame: f64, change: impl Fn(f64) -> f64) -> f64 {
    one_sided(at, frame, change, f64::abs)
}

/// The same for places.
pub(crate) fn velocity_of(at: impl FnMut(f64) -> DVec3, frame: f64) -> DVec3 {
    one_sided(at, frame, |change| change, DVec3::length)
}

fn one_sided<T>(mut at: impl FnMut(f64) -> T, frame: f64, change: impl Fn(T) -> T, size: impl Fn(T) -> f64) -> T
where
    T: Copy + Default + Add<Output = T> + Sub<Output = T> + Mul<f64, Output = T>,
{
    let here = at(frame);
    let mut sides =
        |step: f64| (change(here - at(frame - step)) * (1.0 / step), change(at(frame + step) - here) * (1.0 / step));
    let mut step = STEP;
    let mut now = sides(step);
    for finer in 0..=FINER_LOOKS {
        // What only bends fast has the same slope on both sides in a finer look.
        if size(now.1 - now.0) <= SMOOTH * (size(now.0) + size(now.1)) + ROUNDING * size(here) / step {
            return (now.0 + now.1) * 0.5;
        }
        if finer < FINER_LOOKS {
            step /= FINER;
            now = sides(step);
        }
    }
    let wide = sides(step * FINER);
    let jumps = |wide: T, fine: T| size(fine) > 0.5 * FINER * size(wide) && size(fine) > 0.0;
    match (jumps(wide.0, now.0), jumps(wide.1, now.1)) {
        (_, false) => now.1,
        (false, true) => now.0,
        (true, true) => T::default(),
    }
}

/// The slope just before a frame.
fn slope_before(signal: &dyn Signal, frame: f64) -> f64 {
    signal.slope(frame - JUST * (1.0 + frame.abs()))
}

/// The value at a frame; where it jumps there, the one before the jump.
fn value_before(signal: &dyn Signal, frame: f64) -> f64 {
    let here = signal.at(frame);
    let step = JUST * (1.0 + frame.abs());
    let before = signal.at(frame - step) + step * signal.slope(frame - step);
    if (here - before).abs() <= JUMP * (1.0 + here.abs()) { here } else { before }
}

/// The slope of what stays between two values: 0 where it would leave them.
fn slope_within(slope: f64, value: f64, least: f64, most: f64) -> f64 {
    let leaves = value < least || value > most || (value <= least && slope < 0.0) || (value >= most && slope > 0.0);
    if leaves { 0.0 } else { slope }
}

/// Part of a frame that is just before another.
const JUST: f64 = 1e-10;
/// Part of a value by which it differs at least where it jumps.
const JUMP: f64 = 1e-6;
/// By this part of both the slopes before and after may differ for the mean to count.
const SMOOTH: f64 = 1e-3;
/// Part of a value that rounding may leave.
const ROUNDING: f64 = 1e-13;
/// By how much every next look is finer, and how many of them there are.
const FINER: f64 = 64.0;
const FINER_LOOKS: usize = 2;

/// The frames `first + i · step`, for whole i, from `from` to `to`.
fn every(first: f64, step: f64, from: f64, to: f64) -> Vec<f64> {
    let (low, high) = (((from - first) / step).ceil(), ((to - first) / step).floor());
    let count = if high >= low { ((high - low) as usize + 1).min(MOST_BENDS) } else { 0 };
    (0..count).map(|i| first + (low + i as f64) * step).collect()
}

/// In order, each once.
fn ordered(mut frames: Vec<f64>) -> Vec<f64> {
    frames.sort_by(f64::total_cmp);
    frames.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
    frames
}

#[cfg(test)]
mod tests;
