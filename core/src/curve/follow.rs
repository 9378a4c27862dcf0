//! Cubics along a function of one parameter.

use super::segment::Segment;
use crate::pose::bend;
use crate::work::{here, spend};
use glam::DVec3;
use rayon::prelude::*;

/// A place and how it changes with the parameter.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Jet {
    /// Metres.
    pub point: DVec3,
    /// Metres per unit of the parameter.
    pub derivative: DVec3,
}

/// A function of one parameter that can be followed.
pub trait Way: Sync {
    /// The place and how it changes.
    fn jet(&self, at: f64) -> Jet;

    /// The place alone, where that is cheaper.
    fn place(&self, at: f64) -> DVec3 {
        self.jet(at).point
    }
}

impl<F: Fn(f64) -> Jet + Sync> Way for F {
    fn jet(&self, at: f64) -> Jet {
        self(at)
    }
}

/// A function of which only the places are known; how they change is measured by differences over `step`, which
/// reach beyond neither `from` nor `to`.
pub struct ByDifferences<F> {
    /// The places.
    pub place: F,
    /// The step of the differences.
    pub step: f64,
    /// The least parameter and the largest.
    pub ends: (f64, f64),
}

impl<F: Fn(f64) -> DVec3 + Sync> Way for ByDifferences<F> {
    fn jet(&self, at: f64) -> Jet {
        measured(&self.place, at, self.step, self.ends)
    }

    fn place(&self, at: f64) -> DVec3 {
        (self.place)(at)
    }
}

/// How finely a function is followed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fineness {
    /// Metres by which the cubics may be off, about.
    pub tolerance: f64,
    /// Pieces looked at to begin with, at least 1: what is narrower than these may be missed.
    pub pieces: usize,
    /// How often each of them is halved at most.
    pub halvings: u32,
}

/// Cubics that have the function's places and derivatives where they meet (Hermite), halved until they are
/// off by no more than the tolerance in their middle and at their quarters. Their error falls with the
/// fourth power of a piece's width, that of their length with the same.
pub fn follow(way: &impl Way, from: f64, to: f64, fineness: &Fineness) -> Vec<Segment> {
    let end = |piece: usize| {
        let at = from + (to - from) * (piece as f64 / fineness.pieces as f64);
        (at, way.jet(at))
    };
    // Sharing out a few takes longer than doing them.
    let few = fineness.pieces < FEW;
    let counted = here();
    let ends: Vec<(f64, Jet)> = if few {
        (0..=fineness.pieces).map(end).collect()
    } else {
        (0..=fineness.pieces).into_par_iter().map(|piece| counted.on(|| end(piece))).collect()
    };
    let most = (MOST_SEGMENTS / fineness.pieces).max(4);
    let piece = |pair: &[(f64, Jet)]| {
        let mut segments = Vec::new();
        halve(way, (pair[0], pair[1]), (fineness.tolerance, most), fineness.halvings, &mut segments);
        segments
    };
    if few {
        return ends.windows(2).flat_map(piece).collect();
    }
    ends.par_windows(2).map(|pair| counted.on(|| piece(pair))).collect::<Vec<_>>().concat()
}

/// Fewer pieces than this are followed one after another.
const FEW: usize = 16;

/// Looks that following one piece counts as.
const OF_A_PIECE: u64 = 4;

fn halve(
    way: &impl Way,
    (left, right): ((f64, Jet), (f64, Jet)),
    (tolerance, most): (f64, usize),
    halvings: u32,
    segments: &mut Vec<Segment>,
) {
    let segment = hermite(left, right);
    if !spend(OF_A_PIECE) {
        segments.push(segment);
        return;
    }
    let at = 0.5 * (left.0 + right.0);
    let middle = way.place(at);
    let off = |t: f64, there: DVec3| segment.at(t).distance(there);
    let near = || {
        let quarter = |x: f64| left.0 + (right.0 - left.0) * x;
        // Far from the origin rounding alone is more than some tolerances.
        let tolerance = tolerance.max(ROUNDING * middle.abs().max_element());
        off(0.5, middle) <= tolerance
            && off(0.25, way.place(quarter(0.25))) <= tolerance
            && off(0.75, way.place(quarter(0.75))) <= tolerance
            && bend(left.1.derivative, right.1.derivative) < WIDEST
    };
    if halvings == 0 || segments.len() >= most || near() {
        segments.push(segment);
        return;
    }
    let middle = (at, way.jet(at));
    halve(way, (left, middle), (tolerance, most), halvings - 1, segments);
    halve(way, (middle, right), (tolerance, most), halvings - 1, segments);
}

/// What rounding makes of a place that was computed, as a part of its coordinates.
const ROUNDING: f64 = 1e-13;
/// About how many cubics there are at most along one function, shared among the pieces to begin with.
const MOST_SEGMENTS: usize = 200_000;
/// Most that the direction turns within one piece, radians.
const WIDEST: f64 = 1.0;

/// The cubic with these places and derivatives at its ends.
pub fn hermite(left: (f64, Jet), right: (f64, Jet)) -> Segment {
    let third = (right.0 - left.0) / 3.0;
    let (a, d) = (left.1.point, right.1.point);
    Segment::Cubic { points: [a, a + left.1.derivative * third, d - right.1.derivative * third, d] }
}

/// The jet of a function whose derivative is not known, by differences of fourth order over `step`, which
/// reach beyond neither `from` nor `to`.
fn measured(place: &impl Fn(f64) -> DVec3, at: f64, step: f64, (from, to): (f64, f64)) -> Jet {
    let point = place(at);
    let derivative = if at - 2.0 * step >= from && at + 2.0 * step <= to {
        (place(at - 2.0 * step) - place(at + 2.0 * step) + (place(at + step) - place(at - step)) * 8.0) / (12.0 * step)
    } else {
        // One-sided, of the same order.
        let step = if at - from < to - at { step } else { -step };
        let ahead = |times: f64| place(at + times * step);
        (ahead(1.0) * 48.0 - ahead(2.0) * 36.0 + ahead(3.0) * 16.0 - ahead(4.0) * 3.0 - point * 25.0) / (12.0 * step)
    };
    Jet { point, derivative }
}

/// Most coordinates of a formula's places, metres.
const FARTHEST: f64 = 1e9;

/// Cubics along a function of a parameter from 0 to 1 that knows nothing but its places; `Err` with the
/// parameter at which it gives none.
///
/// # Errors
/// The parameter, 0 to 1, at which the function gives no finite place.
pub fn follow_formula(place: &(impl Fn(f64) -> DVec3 + Sync)) -> Result<Vec<Segment>, f64> {
    const LOOKS: u32 = 1000;
    let wrong = |along: &f64| {
        let place = place(*along);
        !(place.is_finite() && place.abs().max_element() <= FARTHEST)
    };
    if let Some(along) = (0..=LOOKS).map(|i| f64::from(i) / f64::from(LOOKS)).find(wrong) {
        return Err(along);
    }
    let places = || (0..=LOOKS).map(|i| place(f64::from(i) / f64::from(LOOKS)));
    let (low, high) =
        (places().reduce(DVec3::min).unwrap_or_default(), places().reduce(DVec3::max).unwrap_or_default());
    let way = ByDifferences { place, step: 1e-4, ends: (0.0, 1.0) };
    let fineness = Fineness { tolerance: 1e-9 * (high - low).length(), pieces: 128, halvings: 8 };
    let segments = follow(&way, 0.0, 1.0, &fineness);
    match segments.iter().position(|segment| !segment.is_finite()) {
        Some(index) => Err(index as f64 / segments.len() as f64),
        None => Ok(segments),
    }
}
