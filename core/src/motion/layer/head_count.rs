//! How many things are there over time.

use crate::curve::Path;
use crate::motion::{Break, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Sample, as_inner};
use crate::pose::Axis;
use crate::signal::{Driven, Thing};
use std::sync::Arc;

/// Another motion of whose things only so many are there.
#[derive(Clone)]
pub struct HeadCount {
    inner: Arc<dyn Motion>,
    count: Driven,
    from_last: bool,
}

/// By how much a number may miss a whole one and still count as it.
const SLACK: f64 = 1e-9;

impl HeadCount {
    /// The whole number of things that `count` says, the first ones or the last ones.
    pub fn new(inner: Arc<dyn Motion>, count: Driven, from_last: bool) -> Self {
        Self { inner, count, from_last }
    }

    /// How many are there at a frame.
    pub fn at(&self, frame: f64) -> usize {
        let count = (self.count.at(frame, Thing { index: 0, count: self.len() }) + SLACK).floor();
        (count.max(0.0) as usize).min(self.len())
    }
}

impl Motion for HeadCount {
    as_inner!(len, extent, breaks, contacts, path, facing, looks, lives, shared);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range, cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, columns, out);
        for (row, alive) in out.alive.iter_mut().enumerate() {
            let (object, frame) = at[row];
            let rank = if self.from_last { self.len() - 1 - object } else { object };
            *alive &= rank < self.at(frame);
        }
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | Columns::ALIVE
    }
}
