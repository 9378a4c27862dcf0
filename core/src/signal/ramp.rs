use super::Signal;

/// From one value to another.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Ramp {
    /// Its value up to `start`.
    pub from: f64,
    /// Its value from `start + length` on.
    pub to: f64,
    /// Frame at which it leaves.
    pub start: f64,
    /// Frames until it is there, at least 0.
    pub length: f64,
    /// Leaves and arrives softly, by 3x² − 2x³, or else evenly.
    pub soft: bool,
}

impl Ramp {
    /// Part of the way that is done, for a part of the time.
    fn part(&self, x: f64) -> f64 {
        if self.soft { x * x * (3.0 - 2.0 * x) } else { x }
    }

    /// The integral of the part of the way that is done, from `start` to a frame.
    fn done_until(&self, frame: f64) -> f64 {
        let along = frame - self.start;
        if along <= 0.0 {
            return 0.0;
        }
        if self.length <= 0.0 {
            return along;
        }
        let x = (along / self.length).min(1.0);
        let inside = if self.soft { x * x * x * (1.0 - 0.5 * x) } else { 0.5 * x * x };
        inside * self.length + (along - self.length).max(0.0)
    }
}

impl Signal for Ramp {
    fn at(&self, frame: f64) -> f64 {
        let along = frame - self.start;
        let x =
            if self.length > 0.0 { (along / self.length).clamp(0.0, 1.0) } else { f64::from(u8::from(along >= 0.0)) };
        self.from + (self.to - self.from) * self.part(x)
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.from * (b - a) + (self.to - self.from) * (self.done_until(b) - self.done_until(a)))
    }

    fn slope(&self, frame: f64) -> f64 {
        let x = (frame - self.start) / self.length;
        if self.length <= 0.0 || !(0.0..1.0).contains(&x) {
            return 0.0;
        }
        let pace = if self.soft { 6.0 * x * (1.0 - x) } else { 1.0 };
        (self.to - self.from) * pace / self.length
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let ends = [self.start, self.start + self.length];
        super::ordered(ends.into_iter().filter(|frame| *frame >= from && *frame <= to).collect())
    }
}
