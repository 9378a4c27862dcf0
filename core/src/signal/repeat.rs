use super::{Signal, every, ordered, slope_before, value_before};
use std::sync::Arc;

/// How a stretch is repeated.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RepeatWay {
    /// From its beginning each time.
    Again,
    /// Back and forth in turns.
    ThereAndBack,
    /// From its beginning each time, from where the one before it ended.
    Climbing,
}

/// A stretch of another signal, repeated; before and after all repeats it holds.
#[derive(Debug, Clone)]
pub struct Repeat {
    /// What is repeated.
    pub inner: Arc<dyn Signal>,
    /// First frame of the stretch.
    pub from: f64,
    /// Frames of the stretch, above 0.
    pub length: f64,
    /// How often it comes once more before the stretch; infinite for ever.
    pub before: f64,
    /// How often it comes once more after the stretch; infinite for ever.
    pub after: f64,
    /// How.
    pub way: RepeatWay,
}

impl Repeat {
    /// By how much it is higher after a stretch.
    fn climb(&self) -> f64 {
        match self.way {
            RepeatWay::Climbing => self.inner.at(self.from + self.length) - self.inner.at(self.from),
            RepeatWay::Again | RepeatWay::ThereAndBack => 0.0,
        }
    }

    /// The number of the stretch that a frame lies in, and the frames since that began, 0 to the length.
    fn stretch(&self, frame: f64) -> (f64, f64) {
        let along = frame - self.from;
        // What rounding leaves before the end of a stretch is where the next one begins.
        let rounding = 4.0 * f64::EPSILON * (frame.abs() + self.from.abs());
        let number = ((along + rounding) / self.length).floor();
        let inside = number.clamp(-self.before, self.after);
        (inside, (along - inside * self.length).clamp(0.0, self.length))
    }

    fn backwards(&self, number: f64) -> bool {
        self.way == RepeatWay::ThereAndBack && number - 2.0 * (0.5 * number).floor() != 0.0
    }

    fn inside(&self, number: f64, along: f64) -> f64 {
        if self.backwards(number) {
            value_before(&*self.inner, self.from + self.length - along)
        } else {
            self.inner.at(self.from + along)
        }
    }

    /// The integral from `from` to a frame within the repeats.
    fn until(&self, frame: f64) -> Option<f64> {
        let (number, along) = self.stretch(frame);
        let part = |to: f64| self.inner.integral(self.from, self.from + to);
        let whole = part(self.length)?;
        let begun = if self.backwards(number) { whole - part(self.length - along)? } else { part(along)? };
        let climbed = self.climb() * (0.5 * self.length * number * (number - 1.0) + number * along);
        let beyond = frame - self.from - number * self.length - along;
        let held = if beyond == 0.0 { 0.0 } else { beyond * self.at(frame) };
        Some(number * whole + begun + climbed + held)
    }
}

impl Signal for Repeat {
    fn at(&self, frame: f64) -> f64 {
        let (number, along) = self.stretch(frame);
        self.inside(number, along) + number * self.climb()
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.until(b)? - self.until(a)?)
    }

    fn slope(&self, frame: f64) -> f64 {
        let (number, along) = self.stretch(frame);
        // Beyond all repeats it holds.
        if !(-self.before..=self.after).contains(&((frame - self.from) / self.length).floor()) {
            return 0.0;
        }
        if self.backwards(number) {
            -slope_before(&*self.inner, self.from + self.length - along)
        } else {
            self.inner.slope(self.from + along)
        }
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let (first, last) = (self.from - self.before * self.length, self.from + (self.after + 1.0) * self.length);
        // Counted in lengths, rounding may lose the two ends.
        let mut bends: Vec<f64> = [first, last].into_iter().filter(|end| (from..=to).contains(end)).collect();
        let (from, to) = (from.max(first), to.min(last));
        if to < from {
            return Vec::new();
        }
        bends.extend(every(self.from, self.length, from, to));
        for bend in self.inner.bends(self.from, self.from + self.length) {
            let along = bend - self.from;
            match self.way {
                RepeatWay::ThereAndBack => {
                    bends.extend(every(bend, 2.0 * self.length, from, to));
                    bends.extend(every(self.from - along, 2.0 * self.length, from, to));
                }
                RepeatWay::Again | RepeatWay::Climbing => bends.extend(every(bend, self.length, from, to)),
            }
        }
        ordered(bends)
    }
}
