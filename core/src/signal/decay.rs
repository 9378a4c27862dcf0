use super::Signal;
use std::f64::consts::LN_2;

/// Falls to half of what is left again and again.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Decay {
    /// Its value up to `start`.
    pub from: f64,
    /// What it comes to in the end.
    pub to: f64,
    /// Frame at which it begins to fall.
    pub start: f64,
    /// Frames in which it comes half the way, above 0.
    pub half: f64,
}

impl Decay {
    fn left(&self, frame: f64) -> f64 {
        libm::exp2(-((frame - self.start).max(0.0)) / self.half)
    }

    /// From `start` to a frame.
    fn until(&self, frame: f64) -> f64 {
        let along = frame - self.start;
        if along <= 0.0 {
            return self.from * along;
        }
        // expm1 keeps the digits of short stretches.
        let fallen = -libm::expm1(-LN_2 * along / self.half) * self.half / LN_2;
        self.to * along + (self.from - self.to) * fallen
    }
}

impl Signal for Decay {
    fn at(&self, frame: f64) -> f64 {
        self.to + (self.from - self.to) * self.left(frame)
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.until(b) - self.until(a))
    }

    fn slope(&self, frame: f64) -> f64 {
        if frame < self.start { 0.0 } else { -(self.from - self.to) * self.left(frame) * LN_2 / self.half }
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        if self.start >= from && self.start <= to { vec![self.start] } else { Vec::new() }
    }
}
