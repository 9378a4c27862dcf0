//! Size and brightness of things over time.

use super::{Below, Layer, Layered, Rows, Who, who_needs};
use crate::motion::{Break, Columns, Frames, Motion, MotionError, Sample, corners};
use crate::signal::Driven;
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

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        columns | who_needs(inner)
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, _: Columns, out: &mut Sample) {
        let who = Who::of(inner);
        for row in 0..rows.count() {
            let (thing, frame) = who.at(rows, row, out);
            let factor = |driven: &Driven| driven.at(frame, thing).max(0.0);
            if let Some(scale) = out.scales.get_mut(row) {
                *scale *= factor(&self.scale);
            }
            if let Some(brightness) = out.brightness.get_mut(row) {
                *brightness *= factor(&self.brightness);
            }
        }
    }

    fn breaks(&self, _: Below<'_>, _: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(corners(self.scale.bends(range.from, range.to)).collect())
    }
}
