//! Which point of a thing is carried.

use super::{Break, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Sample, as_inner};
use crate::curve::Path;
use crate::pose::Axis;
use glam::DVec3;
use std::ops::Range;
use std::sync::Arc;

/// Carries the point `pivot` of each thing, in its own axes and metres at scale 1, where the other motion carries
/// its origin.
#[derive(Clone)]
pub struct Pivoted {
    inner: Arc<dyn Motion>,
    pivot: DVec3,
}

impl Pivoted {
    /// A pivot of 0 leaves everything as it is.
    pub fn new(inner: Arc<dyn Motion>, pivot: DVec3) -> Self {
        Self { inner, pivot }
    }

    fn needs(columns: Columns) -> Columns {
        let turn = Columns::ORIENTATION | Columns::SCALE;
        match (columns.contain(Columns::POSITION), columns.contain(Columns::VELOCITY)) {
            (_, true) => columns | turn | Columns::SPIN,
            (true, false) => columns | turn,
            _ => columns,
        }
    }

    fn finish(&self, columns: Columns, out: &mut Sample) {
        let arm = |row: usize, out: &Sample| out.orientations[row] * (self.pivot * out.scales[row]);
        for row in 0..out.positions.len() {
            out.positions[row] = out.positions[row] - arm(row, out);
        }
        for row in 0..out.velocities.len() {
            out.velocities[row] = out.velocities[row] - out.spins[row].cross(arm(row, out));
        }
        out.keep(columns);
    }
}

impl Motion for Pivoted {
    as_inner!(len, extent, breaks, contacts, path, facing, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range.widened(1.0), cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, Self::needs(columns), out);
        self.finish(columns, out);
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        self.inner.sample_range(frame, objects, Self::needs(columns), out);
        self.finish(columns, out);
    }

    fn varies(&self) -> Columns {
        self.inner.varies()
    }
}
