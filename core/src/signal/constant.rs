use super::Signal;

/// The same value at every frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Constant(pub f64);

impl Signal for Constant {
    fn at(&self, _frame: f64) -> f64 {
        self.0
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.0 * (b - a))
    }

    fn slope(&self, _frame: f64) -> f64 {
        0.0
    }
}
