use super::Signal;

/// c₀ + c₁x + c₂x² …, x counted in some unit of frames.
#[derive(Debug, Clone, PartialEq)]
pub struct Polynomial {
    /// c₀, c₁, c₂ …
    pub coefficients: Vec<f64>,
    /// Frames for which x grows by 1, above 0.
    pub unit: f64,
}

impl Polynomial {
    fn until(&self, x: f64) -> f64 {
        let sum = |sum: f64, (power, c): (usize, &f64)| sum * x + c / (power as f64 + 1.0);
        self.coefficients.iter().enumerate().rev().fold(0.0, sum) * x
    }
}

impl Signal for Polynomial {
    fn at(&self, frame: f64) -> f64 {
        let x = frame / self.unit;
        self.coefficients.iter().rev().fold(0.0, |sum, c| sum * x + c)
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.unit * (self.until(b / self.unit) - self.until(a / self.unit)))
    }

    fn slope(&self, frame: f64) -> f64 {
        let x = frame / self.unit;
        let sum = |sum: f64, (power, c): (usize, &f64)| sum * x + c * power as f64;
        self.coefficients.iter().enumerate().skip(1).rev().fold(0.0, sum) / self.unit
    }
}
