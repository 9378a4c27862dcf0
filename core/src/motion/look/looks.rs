//! Things that look as those of another motion.

use crate::curve::Path;
use crate::motion::{
    Break, Cancel, Columns, Contact, Extent, Frames, Kind, Motion, MotionError, Sample, Symmetry, as_inner,
};
use crate::pose::Axis;
use std::sync::Arc;

/// A motion whose things have the kinds and colours of those of another with as many things.
#[derive(Clone)]
pub struct WithLooks {
    inner: Arc<dyn Motion>,
    looks: Arc<dyn Motion>,
}

impl WithLooks {
    /// `inner` itself, where those of `looks` have no kinds.
    pub fn of(inner: Arc<dyn Motion>, looks: &Arc<dyn Motion>) -> Arc<dyn Motion> {
        if looks.kinds().is_empty() || looks.len() != inner.len() {
            return inner;
        }
        Arc::new(Self { inner, looks: looks.clone() })
    }
}

impl Motion for WithLooks {
    as_inner!(len, extent, breaks, contacts, path, facing);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let (inner, looks) = (self.inner.prepare(range, cancel)?, self.looks.prepare(range, cancel)?);
        if inner.is_none() && looks.is_none() {
            return Ok(None);
        }
        let own = self.clone();
        Ok(Some(Arc::new(Self { inner: inner.unwrap_or(own.inner), looks: looks.unwrap_or(own.looks) })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, columns, out);
        if columns.contain(Columns::TINT) {
            let mut looks = Sample::default();
            self.looks.sample_at(at, Columns::TINT, &mut looks);
            out.tints = looks.tints;
        }
    }

    fn varies(&self) -> Columns {
        self.inner.varies()
    }

    fn look(&self, object: usize) -> u64 {
        self.looks.look(object)
    }

    fn kinds(&self) -> &[Kind] {
        self.looks.kinds()
    }

    fn kind(&self, object: usize) -> usize {
        self.looks.kind(object)
    }

    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        self.looks.symmetry(object)
    }
}
