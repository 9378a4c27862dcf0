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
mod ramp;
mod repeat;
mod reshape;
mod span;
mod steps;
mod wave;

pub use combine::{Blend, Product, Sum, Through};
pub use constant::Constant;
pub use decay::Decay;
pub use driven::{Accumulated, Clock, Driven, FormulaSignal, Thing, moment, near};
pub use keys::{Beyond, Handles, Key, Keys, keyed};
pub use noise::NoiseSignal;
pub use polynomial::Polynomial;
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

    /// Its rate of change, per frame.
    fn slope(&self, frame: f64) -> f64 {
        (self.at(frame + STEP) - self.at(frame - STEP)) / (2.0 * STEP)
    }

    /// Frames from `from` to `to`, in order, at which it bends or jumps.
    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let _ = (from, to);
        Vec::new()
    }
}

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
