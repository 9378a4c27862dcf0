//! Paths made from other paths.

use super::Curve;
use super::follow::{ByDifferences, Fineness, follow};
use super::segment::Segment;
use super::strand::{CurveError, Strand};
use crate::noise::LoopingNoise;
use crate::pose::{bend, perpendicular};
use crate::random;
use crate::surface::Surface;
use crate::work::spend;
use glam::{DQuat, DVec3};
use std::f64::consts::PI;

/// How many points a resampled strand gets.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Spacing {
    /// So many on each strand, both ends of an open one included; at least 2, and 3 on a closed one.
    Count(usize),
    /// So many metres from one to the next, or a little less so that they come out even.
    Distance(f64),
}

/// What lies between the points of a resampled strand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Between {
    /// Straight lines.
    Straight,
    /// Cubics with the directions that the strand has at its points.
    Smooth,
}

/// Most points that resampling makes.
const MOST_POINTS: f64 = 200_000.0;

/// Points at even distances by length on every strand, and a new strand through them.
///
/// # Errors
/// As [`Strand::new`] of what comes of it.
pub fn resampled(curve: &Curve, spacing: Spacing, between: Between) -> Result<Curve, CurveError> {
    each(curve, |strand| {
        let length = strand.length();
        let fewest = if strand.closed() { 3 } else { 1 };
        let pieces = match spacing {
            Spacing::Count(count) if strand.closed() => count,
            Spacing::Count(count) => count.saturating_sub(1),
            // What is but for rounding a whole number of steps is that many.
            Spacing::Distance(distance) => (length / distance - 1e-9).ceil().clamp(1.0, MOST_POINTS) as usize,
        }
        .max(fewest);
        let place = |i: usize| {
            let s = if i == pieces && !strand.closed() { length } else { length * i as f64 / pieces as f64 };
            strand.at(s)
        };
        let third = length / pieces as f64 / 3.0;
        let segment = |i: usize| {
            let (a, b) = (place(i), place(i + 1));
            match between {
                Between::Straight => Segment::Line { from: a.point, to: b.point },
                Between::Smooth => Segment::Cubic {
                    points: [a.point, a.point + a.tangent * third, b.point - b.tangent * third, b.point],
                },
            }
        };
        Strand::new((0..pieces).map(segment).collect(), strand.closed())
    })
}

fn each(curve: &Curve, change: impl Fn(&Strand) -> Result<Strand, CurveError>) -> Result<Curve, CurveError> {
    Curve::new(curve.strands().iter().map(change).collect::<Result<_, _>>()?)
}

/// How a path is made smooth.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Smoothing {
    /// Turns of the direction by more than this stay corners, radians.
    pub keep: f64,
    /// How often every other point is put a quarter of the way to the middle of its neighbours.
    pub rounds: usize,
    /// 0: through the points; 1: the limit of subdividing them, a uniform cubic B-spline.
    pub amount: f64,
}

/// Radians of turning after which a curved piece gets a point of its own.
const CHORD: f64 = 0.4;

/// Through or near the joints of every strand without a change of direction, but at corners and open ends.
///
/// # Errors
/// As [`Strand::new`] of what comes of it.
pub fn smoothed(curve: &Curve, smoothing: &Smoothing) -> Result<Curve, CurveError> {
    each(curve, |strand| {
        let mut points = polygon(strand);
        let count = points.len();
        let kept: Vec<bool> = (0..count)
            .map(|i| {
                let open_end = !strand.closed() && (i == 0 || i + 1 == count);
                let (before, after) = (points[(i + count - 1) % count], points[(i + 1) % count]);
                open_end || bend(points[i] - before, after - points[i]) > smoothing.keep
            })
            .collect();
        for _ in 0..smoothing.rounds {
            let moved = |i: usize| if kept[i] { points[i] } else { points[i] + pull(&points, i) * 0.25 };
            points = (0..count).map(moved).collect();
        }
        Strand::new(spline(&points, &kept, strand.closed(), smoothing.amount), strand.closed())
    })
}

/// The joints of a strand, and points between them on what is curved.
fn polygon(strand: &Strand) -> Vec<DVec3> {
    let mut points = Vec::new();
    for segment in strand.segments() {
        let pieces = (segment.turning() / CHORD).ceil().max(1.0);
        points.extend((0..pieces as usize).map(|i| segment.at(i as f64 / pieces)));
    }
    if !strand.closed() {
        points.extend(strand.segments().last().map(|segment| segment.at(1.0)));
    }
    points
}

/// From a point to its neighbours: the sum of both ways.
fn pull(points: &[DVec3], i: usize) -> DVec3 {
    let count = points.len();
    points[(i + count - 1) % count] + points[(i + 1) % count] - points[i] * 2.0
}

/// A cubic per side. With `amount` 1 that of the uniform B-spline; less of it puts every joint and its two
/// handles back towards the point, by the same, so that the direction stays one.
fn spline(points: &[DVec3], kept: &[bool], closed: bool, amount: f64) -> Vec<Segment> {
    let count = points.len();
    let moved = |i: usize| if kept[i] { DVec3::ZERO } else { pull(points, i) / 6.0 };
    let sides = if closed { count } else { count - 1 };
    (0..sides)
        .map(|i| {
            let j = (i + 1) % count;
            let (a, b) = (points[i], points[j]);
            let third = (b - a) / 3.0;
            let back = |joint: usize| moved(joint) * (amount - 1.0);
            let knot = |joint: usize| points[joint] + moved(joint) * amount;
            Segment::Cubic { points: [knot(i), a + third + back(i), b - third + back(j), knot(j)] }
        })
        .collect()
}

/// Wandering off a path.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Meander {
    /// Metres to about which the path is moved, along each axis.
    pub amount: DVec3,
    /// The noise that moves it.
    pub noise: LoopingNoise,
    /// Which part of the loop it is, 0 to 1.
    pub part: f64,
}

/// How far what is pressed onto a surface may be off, relative to the path's length.
const PRESS_TOLERANCE: f64 = 1e-7;
/// Most pieces of what is computed point by point.
const MOST_PIECES: f64 = 20_000.0;
/// Pieces of what is computed point by point, per strand and per corner of it.
const PIECES: usize = 24;

/// Every place of the curve moved by noise that hangs on the place alone: what met still meets.
///
/// # Errors
/// As [`remade`].
pub fn meandered(curve: &Curve, meander: &Meander) -> Result<Curve, CurveError> {
    let noise = &meander.noise;
    let away = |place: DVec3| {
        let value = |axis: u64| noise.at(axis, place + APART, meander.part);
        place + meander.amount * DVec3::new(value(0), value(1), value(2))
    };
    // The finest layer must not fall between two pieces.
    let cell = noise.size / f64::from(1_u32 << noise.octaves.min(16));
    // What is random to the eye needs no more than can be seen of it.
    remade(curve, Fine { features: 0.5 * cell, tolerance: NOISE_TOLERANCE * meander.amount.max_element() }, &away)
}

/// How far a meander may be off, as a part of its amount.
const NOISE_TOLERANCE: f64 = 1e-4;

/// Away from the lattice, on which all noise is 0.
const APART: DVec3 = DVec3::new(0.371, 0.593, 0.217);

/// How finely a curve is made anew, metres.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fine {
    /// The width of what must not be missed.
    pub features: f64,
    /// How far it may be off.
    pub tolerance: f64,
}

/// The curve with every place taken elsewhere.
///
/// # Errors
/// [`CurveError::TooFine`] where bends are too small for the path's length, and as [`Strand::new`].
pub fn remade(curve: &Curve, fine: Fine, away: &(impl Fn(DVec3) -> DVec3 + Sync)) -> Result<Curve, CurveError> {
    if curve.length() / fine.features > MOST_PIECES {
        return Err(CurveError::TooFine);
    }
    each(curve, |strand| {
        let length = strand.length();
        // Corners stay corners: the direction is taken from one side of them.
        let mut ends: Vec<f64> = strand.corners().to_vec();
        ends.extend([0.0, length]);
        ends.sort_by(f64::total_cmp);
        ends.dedup();
        let mut segments = Vec::new();
        for pair in ends.windows(2) {
            let (from, to) = (pair[0], pair[1]);
            let place = |s: f64| away(strand.at_normalised(s.clamp(from, to)).point);
            let step = 1e-4 * (to - from).min(fine.features);
            let way = ByDifferences { place, step, ends: (from, to) };
            let pieces = (((to - from) / fine.features).ceil() as usize).max(PIECES);
            segments.extend(follow(&way, from, to, &Fineness { tolerance: fine.tolerance, pieces, halvings: 6 }));
        }
        Strand::new(segments, strand.closed())
    })
}

/// Strands whose ends lie within `gap` metres become one; a strand whose own ends do becomes closed. Between
/// the ends comes a straight bridge, or they are moved together where `bridge` is false.
///
/// # Errors
/// As [`Strand::new`] of what was joined.
pub fn joined(curve: &Curve, gap: f64, bridge: bool) -> Result<Curve, CurveError> {
    let (mut open, closed): (Vec<&Strand>, Vec<&Strand>) = curve.strands().iter().partition(|strand| !strand.closed());
    let mut strands: Vec<Strand> = closed.into_iter().cloned().collect();
    while !open.is_empty() {
        let mut chain = open.remove(0).segments().to_vec();
        loop {
            let (start, end) = (chain[0].at(0.0), chain[chain.len() - 1].at(1.0));
            // The nearest end of what is left, to either end of the chain.
            let ways = open.iter().enumerate().flat_map(|(index, strand)| {
                let (a, b) = ends(strand);
                [
                    (end.distance(a), index, 0),
                    (end.distance(b), index, 1),
                    (start.distance(b), index, 2),
                    (start.distance(a), index, 3),
                ]
            });
            let nearest = ways.min_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
            let own = end.distance(start);
            let near = |near: &(f64, usize, usize)| near.0 <= gap && near.0 < own.max(f64::MIN_POSITIVE);
            let Some((_, index, way)) = nearest.filter(|nearest| near(nearest) && spend(1 + open.len() as u64)) else {
                break;
            };
            let strand = open.remove(index);
            let forth = strand.segments().to_vec();
            let back = || strand.segments().iter().rev().map(Segment::reversed).collect::<Vec<_>>();
            chain = match way {
                0 => linked(chain, forth, bridge),
                1 => linked(chain, back(), bridge),
                2 => linked(forth, chain, bridge),
                _ => linked(back(), chain, bridge),
            };
        }
        let (start, end) = (chain[0].at(0.0), chain[chain.len() - 1].at(1.0));
        let closes = chain.len() > 1 && end.distance(start) <= gap;
        if closes && !bridge && end != start {
            let middle = 0.5 * (start + end);
            let last = chain.len() - 1;
            chain[last] = ending(&chain[last], middle);
            chain[0] = ending(&chain[0].reversed(), middle).reversed();
        }
        strands.push(Strand::new(chain, closes)?);
    }
    Curve::new(strands)
}

fn ends(strand: &Strand) -> (DVec3, DVec3) {
    let segments = strand.segments();
    (segments[0].at(0.0), segments[segments.len() - 1].at(1.0))
}

/// One chain after another.
fn linked(mut first: Vec<Segment>, mut second: Vec<Segment>, bridge: bool) -> Vec<Segment> {
    let last = first.len() - 1;
    let (end, start) = (first[last].at(1.0), second[0].at(0.0));
    if end != start && bridge {
        first.push(Segment::Line { from: end, to: start });
    } else if end != start {
        let middle = 0.5 * (end + start);
        first[last] = ending(&first[last], middle);
        second[0] = ending(&second[0].reversed(), middle).reversed();
    }
    first.extend(second);
    first
}

/// The segment with its end elsewhere.
fn ending(segment: &Segment, end: DVec3) -> Segment {
    let [a, b, c, d] = segment.as_cubic();
    match segment {
        Segment::Line { from, .. } => Segment::Line { from: *from, to: end },
        _ => Segment::Cubic { points: [a, b, c + (end - d), end] },
    }
}

/// Where copies of a path go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Placement {
    /// Metres.
    pub position: DVec3,
    /// Unit quaternion.
    pub orientation: DQuat,
    /// Positive factor.
    pub scale: f64,
}

/// The curve enlarged, turned and moved.
///
/// # Errors
/// As [`Strand::new`] of what comes of it.
pub fn placed(curve: &Curve, placement: &Placement) -> Result<Curve, CurveError> {
    each(curve, |strand| strand.placed(placement))
}

/// The strands of all curves, in order.
///
/// # Errors
/// [`CurveError::Empty`] without curves.
pub fn together(curves: impl IntoIterator<Item = Curve>) -> Result<Curve, CurveError> {
    Curve::new(curves.into_iter().flat_map(|curve| curve.strands).collect())
}

/// How copies of a path are put.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Spray {
    /// Each a step, a turn in radians and a factor further than the one before.
    Regular { step: DVec3, angle: f64, grow: f64 },
    /// Each by itself, from a seed: places within ±`scatter`, axes tilted by at most `tilt` (evenly over the
    /// cap of the ball), turned by at most ±`spin`, sizes within 1 ± `vary`.
    Random { scatter: DVec3, tilt: f64, spin: f64, vary: f64, seed: u64 },
}

/// Where each of so many copies goes, turned and enlarged `about` a place; `axis` is the upright one.
pub fn sheaf(copies: usize, about: DVec3, axis: DVec3, spray: &Spray) -> Vec<Placement> {
    let one = |copy: usize| {
        let (offset, orientation, scale) = match *spray {
            Spray::Regular { step, angle, grow } => {
                let nth = copy as f64;
                (step * nth, DQuat::from_axis_angle(axis, angle * nth), libm::pow(grow, nth))
            }
            Spray::Random { scatter, tilt, spin, vary, seed } => {
                let signed = |channel| random::signed(seed, copy as u64, channel);
                let side = perpendicular(axis);
                let about = DQuat::from_axis_angle(axis, PI * signed(0)) * side;
                // Even over the cap: its height is, the angle is not.
                let height = 1.0 - random::unit(seed, copy as u64, 1) * (1.0 - libm::cos(tilt));
                let tilted = DQuat::from_axis_angle(about, libm::acos(height));
                let turned = DQuat::from_axis_angle(axis, spin * signed(2));
                (scatter * DVec3::new(signed(3), signed(4), signed(5)), tilted * turned, 1.0 + vary * signed(6))
            }
        };
        Placement { position: about + offset - orientation * (about * scale), orientation, scale }
    };
    (0..copies).map(one).collect()
}

/// With every place in z = 0. Arcs must lie in a plane of equal z.
///
/// # Errors
/// As [`Strand::new`]: nothing may be left of what lay along z.
pub fn flattened(curve: &Curve) -> Result<Curve, CurveError> {
    let flat = |p: DVec3| p.with_z(0.0);
    let lies_flat = |strand: &Strand| strand.segments().iter().all(|s| [0.0, 0.3, 1.0].map(|t| s.at(t).z) == [0.0; 3]);
    if curve.strands().iter().all(lies_flat) {
        return Ok(curve.clone());
    }
    each(curve, |strand| {
        let segments = strand.segments().iter().map(|segment| match *segment {
            Segment::Line { from, to } => Segment::Line { from: flat(from), to: flat(to) },
            Segment::Arc { centre, x, y, radius, start, sweep } => {
                Segment::Arc { centre: flat(centre), x, y, radius, start, sweep }
            }
            Segment::Cubic { points } => Segment::Cubic { points: points.map(flat) },
        });
        Strand::new(segments.collect(), strand.closed())
    })
}

/// Where on a surface a place of a path goes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum PressWay {
    /// The nearest place.
    Nearest,
    /// The nearest one on a line of this direction, a unit vector.
    Along(DVec3),
}

/// Looks along a strand for what is missed.
const LOOKS: usize = 400;

/// The curve on a surface, `clearance` metres off it, and which part of its length misses the surface and stays
/// where it was.
///
/// # Errors
/// As [`remade`].
pub fn pressed(curve: &Curve, surface: &Surface, way: PressWay, clearance: f64) -> Result<(Curve, f64), CurveError> {
    let touch = |place: DVec3| match way {
        PressWay::Nearest => Some(surface.nearest(place)),
        PressWay::Along(direction) => surface.along(place, direction),
    };
    let away = |place: DVec3| touch(place).map_or(place, |touch| touch.point + touch.normal * clearance);
    let misses = |strand: &Strand| {
        let missed = (0..LOOKS).filter(|i| {
            let s = strand.length() * (*i as f64 + 0.5) / LOOKS as f64;
            touch(strand.at_normalised(s).point).is_none()
        });
        missed.count() as f64 / LOOKS as f64 * strand.length()
    };
    let missed = curve.strands().iter().map(misses).sum::<f64>() / curve.length();
    let finest = curve.length() / curve.strands().len() as f64 / 64.0;
    let fine = Fine { features: finest, tolerance: PRESS_TOLERANCE * curve.length() };
    Ok((remade(curve, fine, &away)?, missed))
}
