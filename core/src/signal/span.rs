use super::{Signal, ordered};
use std::sync::Arc;

/// Another signal within a stretch of frames, and a fixed value outside.
#[derive(Debug, Clone)]
pub struct Span {
    /// What is confined.
    pub inner: Arc<dyn Signal>,
    /// First frame at which it counts.
    pub from: f64,
    /// Frames for which it counts, at least 0.
    pub length: f64,
    /// Frames over which it comes, after `from`, and goes, before the end.
    pub fade: f64,
    /// The value outside.
    pub outside: f64,
    /// Frames after which the stretch comes again, above 0; none for once.
    pub every: Option<f64>,
}

impl Span {
    /// Frames since the stretch began; of one that comes again, from 0 up to where it does.
    fn along(&self, frame: f64) -> f64 {
        let along = frame - self.from;
        self.every.map_or(along, |every| along - (along / every).floor() * every)
    }

    /// How much of the signal there is, and how fast that changes.
    fn weight(&self, frame: f64) -> (f64, f64) {
        let along = self.along(frame);
        let length = self.every.map_or(self.length, |every| self.length.min(every));
        if !(0.0..length).contains(&along) && !self.whole() {
            return (0.0, 0.0);
        }
        let fade = self.fade.min(0.5 * length);
        if fade <= 0.0 || self.whole() {
            return (1.0, 0.0);
        }
        let (x, sign) = if along < 0.5 * length { (along / fade, 1.0) } else { ((length - along) / fade, -1.0) };
        if x >= 1.0 { (1.0, 0.0) } else { (x * x * (3.0 - 2.0 * x), sign * 6.0 * x * (1.0 - x) / fade) }
    }

    /// True where the stretch is all there is.
    fn whole(&self) -> bool {
        self.fade <= 0.0 && self.every.is_some_and(|every| self.length >= every)
    }

    /// The integral over the stretch from its beginning to a frame within it.
    fn inside(&self, begin: f64, from: f64, to: f64) -> Option<f64> {
        let (low, high) = (from.max(begin), to.min(begin + self.length));
        if high <= low {
            return Some(0.0);
        }
        Some(self.inner.integral(low, high)? - self.outside * (high - low))
    }
}

impl Signal for Span {
    fn at(&self, frame: f64) -> f64 {
        let (weight, _) = self.weight(frame);
        if weight == 0.0 { self.outside } else { self.outside + weight * (self.inner.at(frame) - self.outside) }
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        if b < a {
            return Some(-self.integral(b, a)?);
        }
        if self.fade > 0.0 {
            return None;
        }
        if self.whole() {
            return self.inner.integral(a, b);
        }
        let outside = self.outside * (b - a);
        let Some(every) = self.every else { return Some(outside + self.inside(self.from, a, b)?) };
        let (first, last) = (((a - self.from) / every).floor(), ((b - self.from) / every).floor());
        if last - first > super::MOST_BENDS as f64 {
            return None;
        }
        let count = (last - first) as usize + 1;
        let parts = (0..count).map(|i| self.inside(self.from + (first + i as f64) * every, a, b));
        Some(outside + parts.sum::<Option<f64>>()?)
    }

    fn slope(&self, frame: f64) -> f64 {
        let (weight, rise) = self.weight(frame);
        if weight == 0.0 && rise == 0.0 {
            return 0.0;
        }
        weight * self.inner.slope(frame) + rise * (self.inner.at(frame) - self.outside)
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let mut bends = self.inner.bends(from, to);
        let fade = self.fade.min(0.5 * self.length);
        let own = [0.0, fade, self.length - fade, self.length];
        for along in own {
            match self.every {
                Some(every) => bends.extend(super::every(self.from + along, every, from, to)),
                None => bends.extend(Some(self.from + along).filter(|frame| *frame >= from && *frame <= to)),
            }
        }
        ordered(bends)
    }
}
