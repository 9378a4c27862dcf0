//! Things that look as those of another motion.

use crate::motion::layer::{Layer, Layered, Rows};
use crate::motion::{Cancel, Columns, Frames, Kind, Motion, MotionError, Sample, Symmetry};
use std::sync::Arc;

/// What the things of another motion look like.
pub struct LooksOf(Arc<dyn Motion>);

/// A motion whose things have the kinds and colours of those of another with as many things.
pub type WithLooks = Layered<LooksOf>;

impl WithLooks {
    /// `inner` itself, where those of `looks` have no kinds.
    pub fn of(inner: Arc<dyn Motion>, looks: &Arc<dyn Motion>) -> Arc<dyn Motion> {
        if looks.kinds().is_empty() || looks.len() != inner.len() {
            return inner;
        }
        Arc::new(Self::over(inner, LooksOf(looks.clone())))
    }
}

impl Layer for LooksOf {
    fn changes(&self) -> Columns {
        self.0.varies().and(Columns::CLIP | Columns::FORMS)
    }

    fn change(&self, _: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let own = columns.and(Columns::TINT | Columns::CLIP | Columns::FORMS);
        if own != Columns::NONE {
            let mut looks = Sample::default();
            self.0.sample_at(&rows.later(0.0), own, &mut looks);
            (out.tints, out.clips) = (looks.tints, looks.clips);
            (out.bents, out.dents, out.steps) = (looks.bents, looks.dents, looks.steps);
        }
    }

    fn prepare(&self, _: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Option<Self>, MotionError> {
        Ok(self.0.prepare(range, cancel)?.map(Self))
    }

    fn over_shared(self: &Arc<Self>, _: &dyn Motion) -> Option<Arc<Self>> {
        None
    }

    fn look(&self, _: &dyn Motion, object: usize) -> u64 {
        self.0.look(object)
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        self.0.kinds()
    }

    fn kind(&self, _: &dyn Motion, object: usize) -> usize {
        self.0.kind(object)
    }

    fn symmetry(&self, _: &dyn Motion, object: usize) -> Option<Symmetry> {
        self.0.symmetry(object)
    }
}
