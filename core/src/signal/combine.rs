use super::{Signal, ordered};
use std::sync::Arc;

/// Two signals, added.
#[derive(Debug, Clone)]
pub struct Sum(pub Arc<dyn Signal>, pub Arc<dyn Signal>);

/// Two signals, multiplied.
#[derive(Debug, Clone)]
pub struct Product(pub Arc<dyn Signal>, pub Arc<dyn Signal>);

/// What one signal gives at the frame that another one says.
#[derive(Debug, Clone)]
pub struct Through {
    /// Looked at where `at` says.
    pub curve: Arc<dyn Signal>,
    /// Says where.
    pub at: Arc<dyn Signal>,
}

/// Some of one signal, the rest of another.
#[derive(Debug, Clone)]
pub struct Blend {
    /// Alone where the amount is 0.
    pub first: Arc<dyn Signal>,
    /// Alone where the amount is 1.
    pub second: Arc<dyn Signal>,
    /// How much of the second.
    pub amount: f64,
}

fn both(a: &Arc<dyn Signal>, b: &Arc<dyn Signal>, from: f64, to: f64) -> Vec<f64> {
    let mut bends = a.bends(from, to);
    bends.extend(b.bends(from, to));
    ordered(bends)
}

impl Signal for Sum {
    fn at(&self, frame: f64) -> f64 {
        self.0.at(frame) + self.1.at(frame)
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.0.integral(a, b)? + self.1.integral(a, b)?)
    }

    fn slope(&self, frame: f64) -> f64 {
        self.0.slope(frame) + self.1.slope(frame)
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        both(&self.0, &self.1, from, to)
    }
}

impl Signal for Product {
    fn at(&self, frame: f64) -> f64 {
        self.0.at(frame) * self.1.at(frame)
    }

    fn slope(&self, frame: f64) -> f64 {
        self.0.slope(frame) * self.1.at(frame) + self.0.at(frame) * self.1.slope(frame)
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        both(&self.0, &self.1, from, to)
    }
}

impl Blend {
    fn mixed(&self, first: f64, second: f64) -> f64 {
        first * (1.0 - self.amount) + second * self.amount
    }
}

impl Signal for Blend {
    fn at(&self, frame: f64) -> f64 {
        self.mixed(self.first.at(frame), self.second.at(frame))
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.mixed(self.first.integral(a, b)?, self.second.integral(a, b)?))
    }

    fn slope(&self, frame: f64) -> f64 {
        self.mixed(self.first.slope(frame), self.second.slope(frame))
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        both(&self.first, &self.second, from, to)
    }
}

impl Signal for Through {
    fn at(&self, frame: f64) -> f64 {
        self.curve.at(self.at.at(frame))
    }

    fn slope(&self, frame: f64) -> f64 {
        let (place, pace) = (self.at.at(frame), self.at.slope(frame));
        let slope = if pace < 0.0 { super::slope_before(&*self.curve, place) } else { self.curve.slope(place) };
        slope * pace
    }

    /// Those of what says where; between them a curve that bends is bent too, which is not listed.
    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        self.at.bends(from, to)
    }
}
