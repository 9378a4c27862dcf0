//! Swings that die down.

use std::f64::consts::TAU;

/// e^{−t/τ}·sin(2πn·t/T) with τ = T/ln 1000, brought to exactly 0 at T by (1 − (t/T)²)².
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ringing {
    /// Swings to and fro until it lies still.
    pub swings: f64,
    /// Frames until it lies still, above 0.
    pub frames: f64,
}

const FALL: f64 = 6.907_755_278_982_137;

impl Ringing {
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
        (value, slope / self.frames)
    }
}
