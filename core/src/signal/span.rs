use super::Signal;

/// Another signal from one frame up to another, and zero outside.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Span<S> {
    /// What is confined.
    pub inner: S,
    /// First frame at which it counts.
    pub from: f64,
    /// Frame from which on it no longer counts; not before `from`.
    pub to: f64,
}

impl<S: Signal> Signal for Span<S> {
    fn at(&self, frame: f64) -> f64 {
        if frame >= self.from && frame < self.to { self.inner.at(frame) } else { 0.0 }
    }

    fn integral(&self, a: f64, b: f64) -> f64 {
        let inside = |frame: f64| frame.max(self.from).min(self.to);
        self.inner.integral(inside(a), inside(b))
    }
}

#[cfg(test)]
mod tests {
    use super::super::Constant;
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn integrals_add_up_and_match_a_fine_sum(
            rate in -2.0..2.0f64, from in 0.0..50.0f64, length in 0.0..50.0f64, a in -20.0..60.0f64, b in 60.0..120.0f64, c in 0.0..1.0f64,
        ) {
            let span = Span { inner: Constant(rate), from, to: from + length };
            let middle = a + c * (b - a);
            let whole = span.integral(a, b);
            prop_assert!((span.integral(a, middle) + span.integral(middle, b) - whole).abs() < 1e-9);
            prop_assert!((span.integral(b, a) + whole).abs() < 1e-12);
            let steps = 20_000;
            let step = (b - a) / steps as f64;
            let sum: f64 = (0..steps).map(|i| span.at(a + (i as f64 + 0.5) * step) * step).sum();
            prop_assert!((sum - whole).abs() < 2.0 * step * rate.abs() + 1e-9);
        }
    }
}
