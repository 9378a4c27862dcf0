//! Things that are given a look one by one.

use super::kinds::laid_over;
use crate::curve::Path;
use crate::motion::{
    Break, Cancel, Columns, Contact, Extent, Frames, Kind, Motion, MotionError, Sample, Symmetry, as_inner,
};
use crate::pose::Axis;
use crate::random;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// What one thing looks like; what is empty stays as it is.
#[derive(Debug, Clone, PartialEq)]
pub struct Look {
    /// The word for how it is shown.
    pub thing: String,
    /// The letter that it is, where it is one.
    pub letter: String,
    /// `#rrggbb`.
    pub colour: String,
    /// Factor on its size, above 0.
    pub scale: f64,
}

impl Look {
    fn kind(&self) -> Kind {
        let Self { thing, letter, colour, .. } = self.clone();
        Kind { thing, letter, colour, ..Kind::PLAIN }
    }
}

/// Another motion, some of whose things have a look of their own.
#[derive(Clone)]
pub struct Dressed {
    inner: Arc<dyn Motion>,
    kinds: Arc<Vec<Kind>>,
    /// By object.
    of: Arc<Vec<u32>>,
    scales: Arc<Vec<f64>>,
    /// Those that are shown as something else, which need not be as symmetric.
    another: Arc<BTreeSet<usize>>,
}

const LOOK: u64 = 43;

impl Dressed {
    /// Looks by object; the others keep theirs.
    pub fn new(inner: Arc<dyn Motion>, looks: &BTreeMap<usize, Look>) -> Self {
        let (mut own, mut of) = (vec![Kind::PLAIN], vec![0; inner.len()]);
        for (&object, look) in looks.range(..inner.len()) {
            let kind = look.kind();
            let known = own.iter().position(|other| *other == kind);
            of[object] = known.unwrap_or_else(|| {
                own.push(kind);
                own.len() - 1
            }) as u32;
        }
        let (kinds, of) = laid_over(&*inner, &own, &of);
        let scales = (0..inner.len()).map(|object| looks.get(&object).map_or(1.0, |look| look.scale)).collect();
        let another = looks.iter().filter(|(_, look)| !look.thing.is_empty()).map(|(object, _)| *object).collect();
        Self { inner, kinds: Arc::new(kinds), of: Arc::new(of), scales: Arc::new(scales), another: Arc::new(another) }
    }

    fn finish(&self, object: impl Fn(usize) -> usize, out: &mut Sample) {
        out.scales.iter_mut().enumerate().for_each(|(row, scale)| *scale *= self.scales[object(row)]);
    }
}

impl Motion for Dressed {
    as_inner!(len, extent, breaks, contacts, path, facing);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range, cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, columns, out);
        self.finish(|row| at[row].0, out);
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        self.inner.sample_range(frame, objects.clone(), columns, out);
        self.finish(|row| objects.start + row, out);
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | Columns::SCALE
    }

    fn look(&self, object: usize) -> u64 {
        let own = random::bits(u64::from(self.of[object]), self.scales[object].to_bits(), LOOK);
        random::bits(self.inner.look(object), own, LOOK)
    }

    fn kinds(&self) -> &[Kind] {
        &self.kinds
    }

    fn kind(&self, object: usize) -> usize {
        self.of[object] as usize
    }

    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        if self.another.contains(&object) { None } else { self.inner.symmetry(object) }
    }
}
