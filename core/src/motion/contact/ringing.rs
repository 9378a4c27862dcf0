//! Swings that die down.

use crate::roots::halved;
use std::f64::consts::TAU;

/// e^{−t/τ}·sin(2πn·t/T) with τ = T/ln 1000, brought to exactly 0 at T by (1 − (t/T)²)², times what makes its first
/// peak 1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ringing {
    /// Swings to and fro until it lies still.
    swings: f64,
    /// Frames until it lies still, above 0.
    frames: f64,
    scale: f64,
}

const FALL: f64 = 6.907_755_278_982_137;

impl Ringing {
    /// So many swings to and fro, at least 0, in so many frames, above 0. Without swings it never moves.
    pub fn new(swings: f64, frames: f64) -> Self {
        let plain = Self { swings, frames: 1.0, scale: 1.0 };
        // It rises until somewhere in the first half of its first swing, or before it lies still.
        let (rising, _) = halved((0.0, (0.5 / swings).min(1.0)), 60, |part| plain.with_slope(part).1 > 0.0);
        let peak = plain.at(rising);
        Self { swings, frames, scale: if peak > 1e-100 { 1.0 / peak } else { 0.0 } }
    }

    /// Frames until it lies still.
    pub const fn frames(&self) -> f64 {
        self.frames
    }

    /// So many frames after it was struck: 0 before and from `frames` on.
    pub fn at(&self, after: f64) -> f64 {
        self.with_slope(after).0
    }

    /// The value, and how fast it changes per frame.
    pub fn with_slope(&self, after: f64) -> (f64, f64) {
        let x = after / self.frames;
        if !(0.0..1.0).contains(&x) {
            return (0.0, 0.0);
        }
        let (sine, cosine) = libm::sincos(TAU * self.swings * x);
        let (fall, window) = (libm::exp(-FALL * x), 1.0 - x * x);
        let value = fall * sine * window * window;
        let slope = fall * window * (window * (TAU * self.swings * cosine - FALL * sine) - 4.0 * x * sine);
        (self.scale * value, self.scale * slope / self.frames)
    }
}
