//! Cubics along a function of one parameter.

use super::segment::Segment;
use crate::pose::bend;
use glam::DVec3;

/// A place and how it changes with the parameter.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Jet {
    /// Metres.
    pub point: DVec3,
    /// Metres per unit of the parameter.
    pub derivative: DVec3,
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
pub fn follow(function: &impl Fn(f64) -> Jet, from: f64, to: f64, fineness: &Fineness) -> Vec<Segment> {
    let mut segments = Vec::with_capacity(fineness.pieces);
    let mut left = (from, function(from));
    for piece in 1..=fineness.pieces {
        let at = from + (to - from) * (piece as f64 / fineness.pieces as f64);
        let right = (at, function(at));
        halve(function, left, right, fineness.tolerance, fineness.halvings, &mut segments);
        left = right;
    }
    segments
}

fn halve(
    function: &impl Fn(f64) -> Jet,
    left: (f64, Jet),
    right: (f64, Jet),
    tolerance: f64,
    halvings: u32,
    segments: &mut Vec<Segment>,
) {
    let segment = hermite(left, right);
    let at = 0.5 * (left.0 + right.0);
    let middle = function(at);
    let off = |t: f64, there: DVec3| segment.at(t).distance(there);
    let near = || {
        let quarter = |x: f64| left.0 + (right.0 - left.0) * x;
        // Far from the origin rounding alone is more than some tolerances.
        let tolerance = tolerance.max(ROUNDING * middle.point.abs().max_element());
        off(0.5, middle.point) <= tolerance
            && off(0.25, function(quarter(0.25)).point) <= tolerance
            && off(0.75, function(quarter(0.75)).point) <= tolerance
            && bend(left.1.derivative, right.1.derivative) < WIDEST
    };
    if halvings == 0 || segments.len() >= MOST_SEGMENTS || near() {
        segments.push(segment);
        return;
    }
    halve(function, left, (at, middle), tolerance, halvings - 1, segments);
    halve(function, (at, middle), right, tolerance, halvings - 1, segments);
}

/// What rounding makes of a place that was computed, as a part of its coordinates.
const ROUNDING: f64 = 1e-13;
/// Most cubics along one function, but for those looked at to begin with.
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
pub fn measured(place: &impl Fn(f64) -> DVec3, at: f64, step: f64, (from, to): (f64, f64)) -> Jet {
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
pub fn follow_formula(place: &impl Fn(f64) -> DVec3) -> Result<Vec<Segment>, f64> {
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
    let jet = |at: f64| measured(place, at, 1e-4, (0.0, 1.0));
    let fineness = Fineness { tolerance: 1e-9 * (high - low).length(), pieces: 128, halvings: 8 };
    let segments = follow(&jet, 0.0, 1.0, &fineness);
    match segments.iter().position(|segment| !segment.is_finite()) {
        Some(index) => Err(index as f64 / segments.len() as f64),
        None => Ok(segments),
    }
}
