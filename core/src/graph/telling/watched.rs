//! What nodes give, counted wherever it is asked.

use crate::curve::Path;
use crate::graph::product::Product;
use crate::graph::recalled::Recalled;
use crate::motion::{Break, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Sample, as_inner};
use crate::pose::Axis;
use crate::signal::Signal;
use crate::work::spend;
use std::ops::Range;
use std::sync::Arc;

/// The same product, counted: each value of a signal, each pose of a motion. A signal that is `made_of_others` remembers
/// what it gave.
pub(in crate::graph) fn watched(product: Product, made_of_others: bool) -> Product {
    match product {
        Product::Signal(inner) if made_of_others => Product::Signal(Arc::new(Recalled::new(inner))),
        Product::Motion(inner) => Product::Motion(Arc::new(WatchedMotion { inner })),
        Product::Signal(inner) => Product::Signal(Arc::new(WatchedSignal { inner })),
        // What moves of these is counted where it is made for a frame.
        Product::Path(_) | Product::Surface(_) => product,
    }
}

#[derive(Debug)]
struct WatchedSignal {
    inner: Arc<dyn Signal>,
}

impl Signal for WatchedSignal {
    fn at(&self, frame: f64) -> f64 {
        if spend(1) { self.inner.at(frame) } else { 0.0 }
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        if spend(1) { self.inner.integral(a, b) } else { Some(0.0) }
    }

    fn slope(&self, frame: f64) -> f64 {
        if spend(1) { self.inner.slope(frame) } else { 0.0 }
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        if spend(1) { self.inner.bends(from, to) } else { Vec::new() }
    }
}

struct WatchedMotion {
    inner: Arc<dyn Motion>,
}

impl Motion for WatchedMotion {
    as_inner!(len, extent, path, facing, looks, lives);

    fn shared_by(&self, group: &[u32]) -> Option<Arc<dyn Motion>> {
        Some(Arc::new(Self { inner: self.inner.shared_by(group)? }))
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        if !spend(1) {
            return Err(MotionError::Cancelled);
        }
        let ready = self.inner.prepare(range, cancel)?;
        Ok(ready.map(|inner| Arc::new(Self { inner }) as Arc<dyn Motion>))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        if spend(at.len() as u64) { self.inner.sample_at(at, columns, out) } else { out.reset(at.len(), columns) }
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        let rows = objects.len();
        if spend(rows as u64) {
            self.inner.sample_range(frame, objects, columns, out)
        } else {
            out.reset(rows, columns)
        }
    }

    fn sample(&self, frame: f64, columns: Columns, out: &mut Sample) {
        if spend(self.len() as u64) { self.inner.sample(frame, columns, out) } else { out.reset(self.len(), columns) }
    }

    fn varies(&self) -> Columns {
        self.inner.varies()
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        if spend(1) { self.inner.breaks(object, range) } else { Err(MotionError::Cancelled) }
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        if spend(1) { self.inner.contacts(range) } else { Vec::new() }
    }
}
