use super::{Signal, every};
use crate::roots::halved;
use std::sync::Arc;

/// Another signal, of which only every so many frames a new value is taken.
#[derive(Debug, Clone)]
pub struct Steps {
    /// What is looked at.
    pub inner: Arc<dyn Signal>,
    /// Frames from one look to the next, above 0.
    pub every: f64,
}

/// Most looks whose values are summed up.
const MOST_LOOKS: f64 = 1e5;

impl Signal for Steps {
    fn at(&self, frame: f64) -> f64 {
        self.inner.at((frame / self.every).floor() * self.every)
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        if b < a {
            return Some(-self.integral(b, a)?);
        }
        let (first, last) = ((a / self.every).floor(), (b / self.every).floor());
        if last - first > MOST_LOOKS {
            return None;
        }
        let looks = (last - first) as usize + 1;
        let held = |i: usize| {
            let look = (first + i as f64) * self.every;
            self.inner.at(look) * ((look + self.every).min(b) - look.max(a))
        };
        Some((0..looks).map(held).sum())
    }

    fn slope(&self, _frame: f64) -> f64 {
        0.0
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        every(0.0, self.every, from, to)
    }
}

/// Another signal, rounded to values that are evenly apart.
#[derive(Debug, Clone)]
pub struct Levels {
    /// What is rounded.
    pub inner: Arc<dyn Signal>,
    /// From one value to the next, above 0.
    pub step: f64,
}

impl Signal for Levels {
    fn at(&self, frame: f64) -> f64 {
        (self.inner.at(frame) / self.step).round() * self.step
    }

    fn slope(&self, _frame: f64) -> f64 {
        0.0
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        // Where it jumps is found by looking, a quarter of a frame at a time and then to the last bit.
        let looks = (((to - from) * 4.0).ceil() as usize).clamp(1, super::MOST_BENDS);
        let place = |i: usize| from + (to - from) * i as f64 / looks as f64;
        let jump = |i: usize| {
            let (low, high) = (place(i), place(i + 1));
            let (before, after) = (self.at(low), self.at(high));
            (before != after).then(|| halved((low, high), 60, |frame| self.at(frame) == before).1)
        };
        (0..looks).filter_map(jump).collect()
    }
}
