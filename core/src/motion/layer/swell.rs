//! Size and brightness of things over time.

use crate::curve::Path;
use crate::motion::{
    Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Sample, as_inner,
};
use crate::pose::Axis;
use crate::signal::{Driven, Thing};
use std::sync::Arc;

/// Another motion whose things are larger and brighter at some times.
#[derive(Clone)]
pub struct Swell {
    inner: Arc<dyn Motion>,
    scale: Driven,
    brightness: Driven,
}

impl Swell {
    /// Factors on size and brightness, at least 0.
    pub fn new(inner: Arc<dyn Motion>, scale: Driven, brightness: Driven) -> Self {
        Self { inner, scale, brightness }
    }
}

impl Motion for Swell {
    as_inner!(len, extent, contacts, path, facing, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range, cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, columns, out);
        let count = self.len();
        let factor = |driven: &Driven, row: usize| driven.at(at[row].1, Thing { index: at[row].0, count }).max(0.0);
        out.scales.iter_mut().enumerate().for_each(|(row, scale)| *scale *= factor(&self.scale, row));
        out.brightness.iter_mut().enumerate().for_each(|(row, bright)| *bright *= factor(&self.brightness, row));
    }

    fn varies(&self) -> Columns {
        let of = |driven: &Driven, column| if driven.fixed() == Some(1.0) { Columns::NONE } else { column };
        self.inner.varies() | of(&self.scale, Columns::SCALE) | of(&self.brightness, Columns::BRIGHTNESS)
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(with_bends(self.inner.breaks(object, range)?, self.scale.bends(range.from, range.to)))
    }
}

/// Breaks with the bends of what drives something among them.
pub(in crate::motion) fn with_bends(mut breaks: Vec<Break>, bends: Vec<f64>) -> Vec<Break> {
    breaks.extend(bends.into_iter().map(|frame| Break { frame, kind: BreakKind::Corner }));
    breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.kind.rank().cmp(&b.kind.rank())));
    breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
    breaks
}
