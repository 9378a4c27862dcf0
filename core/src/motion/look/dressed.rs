//! Things that are given a look one by one.

use super::kinds::laid_over;
use crate::motion::layer::{Layer, Layered, Rows};
use crate::motion::{Columns, Kind, Motion, Sample, Symmetry};
use crate::random;
use std::collections::{BTreeMap, BTreeSet};
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

/// Looks that some things have of their own.
pub struct OwnLooks {
    kinds: Vec<Kind>,
    /// By object.
    of: Vec<u32>,
    scales: Vec<f64>,
    /// Those that are shown as something else, which need not be as symmetric.
    another: BTreeSet<usize>,
}

/// Another motion, some of whose things have a look of their own.
pub type Dressed = Layered<OwnLooks>;

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
        Self::over(inner, OwnLooks { kinds, of, scales, another })
    }
}

impl Layer for OwnLooks {
    fn changes(&self) -> Columns {
        Columns::SCALE
    }

    fn change(&self, _: &dyn Motion, rows: Rows<'_>, _: Columns, out: &mut Sample) {
        out.scales.iter_mut().enumerate().for_each(|(row, scale)| *scale *= self.scales[rows.get(row).0]);
    }

    fn over_shared(self: &Arc<Self>, _: &dyn Motion) -> Option<Arc<Self>> {
        None
    }

    fn look(&self, inner: &dyn Motion, object: usize) -> u64 {
        let own = random::bits(u64::from(self.of[object]), self.scales[object].to_bits(), LOOK);
        random::bits(inner.look(object), own, LOOK)
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        &self.kinds
    }

    fn kind(&self, _: &dyn Motion, object: usize) -> usize {
        self.of[object] as usize
    }

    fn symmetry(&self, inner: &dyn Motion, object: usize) -> Option<Symmetry> {
        if self.another.contains(&object) { None } else { inner.symmetry(object) }
    }
}
