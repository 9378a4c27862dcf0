//! Things that walk along a path, step by step, by a recording.
//!
//! Where a walker stands, which way it looks, and where all its joints are follow from its place on the path alone: the part of its
//! cycle is how far it has gone by the length of a cycle there. So steps are in time with the way, stop where it stops, and come
//! round where the path does. That place is a column of a sample ([`Columns::STEP`]), which any layer carries along.

mod walk;

pub use walk::{Step, Walk};

use super::layer::{Below, Layer, Layered, Rows, Who, put_pose, who_needs};
use super::look::form::Own;
use super::look::kinds::laid_over;
use super::{Break, Columns, Frames, Kind, Motion, MotionError, Sample, corners};
use crate::curve::Path;
use crate::random;
use crate::signal::Driven;
use std::sync::Arc;

/// Has things walk.
pub struct Walking {
    walk: Arc<Walk>,
    /// Parts of the cycle by which things are ahead, over time and from thing to thing.
    start: Driven,
    /// Parts of a cycle by which each is ahead besides, by chance from 0 up to so many.
    spread: f64,
    seed: u64,
    kinds: Vec<Kind>,
    of: Vec<u32>,
}

/// A motion whose things walk along its path.
pub type WalkAlong = Layered<Walking>;

const START: u64 = 49;

impl WalkAlong {
    /// Things of `inner`, which travel on the path of `walk`.
    pub fn new(inner: Arc<dyn Motion>, walk: Walk, (start, spread, seed): (Driven, f64, u64)) -> Self {
        let walking = Walking::over_things(&*inner, Arc::new(walk), (start, spread, seed));
        Self::over(inner, walking)
    }
}

impl Walking {
    fn over_things(inner: &dyn Motion, walk: Arc<Walk>, (start, spread, seed): (Driven, f64, u64)) -> Self {
        let own = [Kind { walked: Some(Own(walk.clone())), ..Kind::PLAIN }];
        let (kinds, of) = laid_over(inner, &own, &vec![0; inner.len()]);
        Self { walk, start, spread, seed, kinds, of }
    }
}

impl Layer for Walking {
    fn changes(&self) -> Columns {
        Columns::POSITION | Columns::ORIENTATION | Columns::STEP
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        columns.without(Columns::STEP) | Columns::PLACE | who_needs(inner)
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let who = Who::of(inner);
        out.steps.clear();
        for row in 0..rows.count() {
            let (thing, frame) = who.at(rows, row, out);
            let place = out.places[row];
            let chance = self.spread * random::unit(self.seed, thing.index as u64, START);
            let step = |later: f64| {
                self.walk.step(frame + later, (&place, later), self.start.at(frame + later, thing) + chance)
            };
            if columns.contain(Columns::STEP) {
                out.steps.push(step(0.0));
            }
            put_pose(out, row, |later| self.walk.pose(&step(later)));
        }
    }

    fn breaks(&self, _: Below<'_>, _: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(corners(self.start.bends(range.from, range.to)).collect())
    }

    fn path<'a>(&'a self, _: &'a dyn Motion) -> Option<&'a Path> {
        Some(self.walk.path())
    }

    fn look(&self, inner: &dyn Motion, object: usize) -> u64 {
        // What has a start of its own goes on as no other.
        let own = if self.spread > 0.0 || self.start.per_thing() { object as u64 + 1 } else { 0 };
        random::bits(inner.look(object), own, START)
    }

    fn over_shared(self: &Arc<Self>, inner: &dyn Motion) -> Option<Arc<Self>> {
        let how = (self.start.clone(), self.spread, self.seed);
        Some(Arc::new(Self::over_things(inner, self.walk.clone(), how)))
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        &self.kinds
    }

    fn kind(&self, _: &dyn Motion, object: usize) -> usize {
        self.of[object] as usize
    }
}
