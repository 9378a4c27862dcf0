//! Size and brightness of things over time.

use super::{Below, Layer, Layered, Rows};
use crate::motion::{Break, Columns, Frames, Motion, MotionError, Sample, corners};
use crate::signal::{Driven, Thing};
use std::sync::Arc;

/// How large and bright things are: factors, at least 0.
pub struct Swelling {
    scale: Driven,
    brightness: Driven,
}

/// Another motion whose things are larger and brighter at some times.
pub type Swell = Layered<Swelling>;

impl Swell {
    /// Factors on size and brightness, at least 0.
    pub fn new(inner: Arc<dyn Motion>, scale: Driven, brightness: Driven) -> Self {
        Self::over(inner, Swelling { scale, brightness })
    }
}

impl Layer for Swelling {
    fn changes(&self) -> Columns {
        let of = |driven: &Driven, column| if driven.fixed() == Some(1.0) { Columns::NONE } else { column };
        of(&self.scale, Columns::SCALE) | of(&self.brightness, Columns::BRIGHTNESS)
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, _: Columns, out: &mut Sample) {
        let count = inner.len();
        let factor = |driven: &Driven, row: usize| {
            let (index, frame) = rows.get(row);
            driven.at(frame, Thing { index, count }).max(0.0)
        };
        out.scales.iter_mut().enumerate().for_each(|(row, scale)| *scale *= factor(&self.scale, row));
        out.brightness.iter_mut().enumerate().for_each(|(row, bright)| *bright *= factor(&self.brightness, row));
    }

    fn breaks(&self, _: Below<'_>, _: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(corners(self.scale.bends(range.from, range.to)).collect())
    }
}
