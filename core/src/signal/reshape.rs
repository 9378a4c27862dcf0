use super::Signal;
use std::sync::Arc;

/// Another signal, stretched and moved: `offset + factor · value`.
#[derive(Debug, Clone)]
pub struct Rescale {
    inner: Arc<dyn Signal>,
    factor: f64,
    offset: f64,
}

impl Rescale {
    /// Takes `from.0` to `to.0` and `from.1`, which is another value, to `to.1`.
    pub fn new(inner: Arc<dyn Signal>, from: (f64, f64), to: (f64, f64)) -> Self {
        let factor = (to.1 - to.0) / (from.1 - from.0);
        Self { inner, factor, offset: to.0 - factor * from.0 }
    }
}

impl Signal for Rescale {
    fn at(&self, frame: f64) -> f64 {
        self.offset + self.factor * self.inner.at(frame)
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.offset * (b - a) + self.factor * self.inner.integral(a, b)?)
    }

    fn slope(&self, frame: f64) -> f64 {
        self.factor * self.inner.slope(frame)
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        self.inner.bends(from, to)
    }
}

/// Another signal, kept between two values.
#[derive(Debug, Clone)]
pub struct Limit {
    /// What is limited.
    pub inner: Arc<dyn Signal>,
    /// Least value.
    pub least: f64,
    /// Largest value, not below the least.
    pub most: f64,
}

impl Signal for Limit {
    fn at(&self, frame: f64) -> f64 {
        self.inner.at(frame).clamp(self.least, self.most)
    }

    fn slope(&self, frame: f64) -> f64 {
        super::slope_within(self.inner.slope(frame), self.inner.at(frame), self.least, self.most)
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        self.inner.bends(from, to)
    }
}
