//! Things of a motion that are bent along a path.

use super::chain::Bend;
use super::lying::Lying;
use crate::curve::Path;
use crate::motion::layer::{Below, Layer, Layered, Rows, Who, put_pose, who_needs};
use crate::motion::look::form::Own;
use crate::motion::look::kinds::laid_over;
use crate::motion::{Break, Columns, Frames, Kind, Motion, MotionError, Place, Sample, corners};
use crate::signal::{Driven, Thing};
use std::sync::Arc;

/// How much of its path a thing takes up.
#[derive(Clone)]
pub enum Reach {
    /// As much as it is long.
    OwnLength,
    /// From one part of the path's length to another: it is stretched, or squeezed.
    Between(Driven, Driven),
}

/// Where things lie, over time and from thing to thing.
#[derive(Clone)]
pub struct Placing {
    /// How far along the path, in its lengths.
    pub offset: Driven,
    /// How much of it.
    pub reach: Reach,
    /// How much of the bend there is, 0 to 1.
    pub strength: Driven,
    /// Degrees, clockwise as seen from behind.
    pub roll: Driven,
    /// True where things travel on a path already: then each has its middle where it is on that.
    pub rides: bool,
}

/// Bends things.
pub struct Bending {
    bend: Arc<Bend>,
    placing: Placing,
    kinds: Vec<Kind>,
    of: Vec<u32>,
}

/// A motion whose things are bent along a path.
pub type BentAlong = Layered<Bending>;

impl BentAlong {
    /// Where `placing` rides, things are where `inner` has them on its path; else each lies from where the offset says.
    pub fn new(inner: Arc<dyn Motion>, bend: Bend, placing: Placing) -> Self {
        let bending = Bending::over_things(&*inner, Arc::new(bend), placing);
        Self::over(inner, bending)
    }
}

impl Bending {
    fn over_things(inner: &dyn Motion, bend: Arc<Bend>, placing: Placing) -> Self {
        let own = [Kind { bent: Some(Own(bend.clone())), ..Kind::PLAIN }];
        let (kinds, of) = laid_over(inner, &own, &vec![0; inner.len()]);
        Self { bend, placing, kinds, of }
    }

    /// How a thing lies, `later` frames after it is at a place of its own path.
    fn lying(&self, inner: &dyn Motion, (frame, later): (f64, f64), who: Thing, place: Option<&Place>) -> Lying {
        let (at, placing) = (frame + later, &self.placing);
        let strand = place.map_or(0, |place| place.strand);
        let metres = self.bend.metres(at, strand);
        let mut base = placing.offset.at(at, who);
        let mut ahead = 1.0;
        if let Some(place) = place {
            // Beyond an open end it goes straight on, as what it rides on does.
            let rides_on = inner.path().map_or(metres, |path| {
                let curve = path.at(at);
                curve.strands()[strand % curve.strands().len()].length()
            });
            base += place.later(later, rides_on) / rides_on;
            ahead = place.direction;
        }
        let (from, to) = match &placing.reach {
            Reach::OwnLength => {
                let length = self.bend.length() / metres;
                if place.is_some() { (-0.5 * length, 0.5 * length) } else { (0.0, length) }
            }
            Reach::Between(from, to) => (from.at(at, who), to.at(at, who)),
        };
        Lying {
            frame: at,
            strand,
            from: (base + ahead * from) * metres,
            to: (base + ahead * to) * metres,
            strength: placing.strength.at(at, who).clamp(0.0, 1.0),
            roll: placing.roll.at(at, who).to_radians(),
        }
    }

    fn driven(&self) -> Vec<&Driven> {
        let placing = &self.placing;
        let mut all = vec![&placing.offset, &placing.strength, &placing.roll];
        if let Reach::Between(from, to) = &placing.reach {
            all.extend([from, to]);
        }
        all
    }
}

impl Layer for Bending {
    fn changes(&self) -> Columns {
        let there = if matches!(self.placing.reach, Reach::Between(..)) { Columns::ALIVE } else { Columns::NONE };
        Columns::POSITION | Columns::ORIENTATION | Columns::BENT | there
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        let place = if self.placing.rides { Columns::PLACE } else { Columns::NONE };
        columns.without(Columns::BENT) | place | who_needs(inner)
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let who = Who::of(inner);
        out.bents.clear();
        for row in 0..rows.count() {
            let (thing, frame) = who.at(rows, row, out);
            let place = out.places.get(row).copied().filter(|_| self.placing.rides);
            let lying = |later: f64| self.lying(inner, (frame, later), thing, place.as_ref());
            if columns.contain(Columns::BENT) {
                out.bents.push(lying(0.0));
            }
            if let (Some(alive), Reach::Between(from, to)) = (out.alive.get_mut(row), &self.placing.reach) {
                // What takes up nothing of its path is not there.
                *alive &= from.at(frame, thing) != to.at(frame, thing);
            }
            put_pose(out, row, |later| self.bend.middle(&lying(later)));
        }
    }

    fn breaks(&self, _: Below<'_>, _: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let bends = self.driven().into_iter().flat_map(|driven| driven.bends(range.from, range.to));
        Ok(corners(bends).collect())
    }

    fn path<'a>(&'a self, inner: &'a dyn Motion) -> Option<&'a Path> {
        if self.placing.rides { inner.path() } else { None }
    }

    fn over_shared(self: &Arc<Self>, inner: &dyn Motion) -> Option<Arc<Self>> {
        Some(Arc::new(Self::over_things(inner, self.bend.clone(), self.placing.clone())))
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        &self.kinds
    }

    fn kind(&self, _: &dyn Motion, object: usize) -> usize {
        self.of[object] as usize
    }
}
