//! Figures with few numbers, in the plane z = 0 about the origin; those that rise do so along z.

use super::follow::{Fineness, Jet, follow};
use super::segment::Segment;
use super::strand::{CurveError, Strand};
use crate::fraction::greatest_common_divisor;
use glam::{DVec2, DVec3};
use std::f64::consts::{FRAC_PI_2, TAU};

/// A figure. Lengths in metres, angles in radians, counter-clockwise from +x.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Figure {
    /// Along x, its middle in the origin.
    Line { length: f64 },
    /// Part of a circle.
    Arc { radius: f64, start: f64, sweep: f64 },
    /// From +x.
    Circle { radius: f64 },
    /// Half its width along x and half its height along y.
    Ellipse { x: f64, y: f64 },
    /// Corners on a circle, the first one up.
    Polygon { sides: usize, radius: f64, rounding: f64 },
    /// Corners by turns on two circles, the first one up on the outer.
    Star { points: usize, outer: f64, inner: f64, rounding: f64 },
    /// Round the z axis from z = 0, the radius changing evenly; negative turns go clockwise.
    Helix { from: f64, to: f64, turns: f64, height: f64 },
    /// A belt round two wheels of these radii, their middles so far apart along x; counter-clockwise from below the
    /// first wheel, which lies at −x. Neither wheel may lie within the other.
    Belt { first: f64, second: f64, apart: f64 },
    /// To and fro across while it goes once along: 2 lobes are a figure eight.
    Eight { width: f64, height: f64, lobes: usize },
}

/// How far generated cubics may be off, relative to the figure's size.
const TOLERANCE: f64 = 1e-10;

/// The same for windings, which may go round very often.
const WINDING: f64 = 1e-9;

impl Figure {
    /// The figure as one strand.
    ///
    /// # Errors
    /// [`CurveError::NoLength`] where its numbers give it none, and as [`Strand::new`].
    pub fn strand(&self) -> Result<Strand, CurveError> {
        match *self {
            Self::Line { length } => {
                let half = DVec3::X * (0.5 * length);
                Strand::new(vec![Segment::Line { from: -half, to: half }], false)
            }
            Self::Arc { radius, start, sweep } => Strand::new(arcs(radius, start, sweep), false),
            Self::Circle { radius } => Strand::new(arcs(radius, 0.0, TAU), true),
            Self::Ellipse { x, y } if x == y => Self::Circle { radius: x }.strand(),
            Self::Ellipse { x, y } => {
                let ellipse = |a: f64| {
                    let (sine, cosine) = libm::sincos(a);
                    let point = DVec3::new(x * cosine, y * sine, 0.0);
                    Jet { point, derivative: DVec3::new(-x * sine, y * cosine, 0.0) }
                };
                Strand::new(follow(&ellipse, 0.0, TAU, &smooth(x.max(y), 16)), true)
            }
            Self::Polygon { sides, radius, rounding } => {
                let corner = |i: usize| on_circle(radius, i as f64 / sides as f64);
                Strand::new(rounded(&(0..sides).map(corner).collect::<Vec<_>>(), rounding), true)
            }
            Self::Star { points, outer, inner, rounding } => {
                let corner = |i: usize| {
                    on_circle(if i.is_multiple_of(2) { outer } else { inner }, i as f64 / (2 * points) as f64)
                };
                Strand::new(rounded(&(0..2 * points).map(corner).collect::<Vec<_>>(), rounding), true)
            }
            Self::Helix { from, to, turns, height } => helix(from, to, turns, height),
            Self::Belt { first, second, apart } => belt(first, second, apart),
            Self::Eight { width, height, lobes } => {
                let n = lobes as f64;
                let eight = |a: f64| {
                    let ((s, c), (ns, nc)) = (libm::sincos(a), libm::sincos(n * a));
                    let point = DVec3::new(0.5 * width * s, 0.5 * height * ns, 0.0);
                    Jet { point, derivative: DVec3::new(0.5 * width * c, 0.5 * height * n * nc, 0.0) }
                };
                Strand::new(follow(&eight, 0.0, TAU, &smooth(width.max(height), 16 * lobes)), true)
            }
        }
    }
}

fn smooth(size: f64, pieces: usize) -> Fineness {
    Fineness { tolerance: TOLERANCE * size, pieces, halvings: 12 }
}

/// The corner at a part of the circle, from the top clockwise.
fn on_circle(radius: f64, part: f64) -> DVec2 {
    let (sine, cosine) = libm::sincos(FRAC_PI_2 - TAU * part);
    DVec2::new(cosine, sine) * radius
}

/// An arc of any sweep, in pieces of at most a turn.
fn arcs(radius: f64, start: f64, sweep: f64) -> Vec<Segment> {
    let count = (sweep.abs() / TAU).ceil().max(1.0);
    let piece = |i: usize| Segment::Arc {
        centre: DVec3::ZERO,
        x: DVec3::X,
        y: DVec3::Y,
        radius,
        start: start + sweep * i as f64 / count,
        sweep: sweep / count,
    };
    (0..count as usize).map(piece).collect()
}

/// Its straight parts touch both wheels from outside: the direction to where they do is the same on both.
fn belt(first: f64, second: f64, apart: f64) -> Result<Strand, CurveError> {
    let lean = (first - second) / apart;
    if !(-1.0..=1.0).contains(&lean) {
        return Err(CurveError::NoLength);
    }
    let angle = libm::acos(lean);
    let (sine, cosine) = libm::sincos(angle);
    let (left, right) = (DVec3::NEG_X * (0.5 * apart), DVec3::X * (0.5 * apart));
    let (above, below) = (DVec3::new(cosine, sine, 0.0), DVec3::new(cosine, -sine, 0.0));
    let arc = |centre: DVec3, radius: f64, start: f64, sweep: f64| Segment::Arc {
        centre,
        x: DVec3::X,
        y: DVec3::Y,
        radius,
        start,
        sweep,
    };
    let segments = vec![
        Segment::Line { from: left + below * first, to: right + below * second },
        arc(right, second, -angle, 2.0 * angle),
        Segment::Line { from: right + above * second, to: left + above * first },
        arc(left, first, angle, TAU - 2.0 * angle),
    ];
    Strand::new(segments, true)
}

fn helix(from: f64, to: f64, turns: f64, height: f64) -> Result<Strand, CurveError> {
    let angle = TAU * turns;
    let helix = |x: f64| {
        let (sine, cosine) = libm::sincos(angle * x);
        let radius = from + (to - from) * x;
        let (out, round) = (DVec3::new(cosine, sine, 0.0), DVec3::new(-sine, cosine, 0.0));
        Jet {
            point: out * radius + DVec3::Z * (height * x),
            derivative: out * (to - from) + round * (radius * angle) + DVec3::Z * height,
        }
    };
    let size = from.abs().max(to.abs()).max(height.abs());
    let pieces = ((turns.abs() * 16.0).ceil() as usize).clamp(4, 64_000);
    Strand::new(follow(&helix, 0.0, 1.0, &smooth(size, pieces)), false)
}

/// A closed polygon whose corners are rounded by arcs of `rounding` metres, less where a side is too short.
pub fn rounded(corners: &[DVec2], rounding: f64) -> Vec<Segment> {
    let count = corners.len();
    let at = |i: usize| corners[i % count];
    let cuts: Vec<Option<Rounding>> =
        (0..count).map(|i| Rounding::new(at(i + count - 1), at(i), at(i + 1), rounding)).collect();
    let mut segments = Vec::with_capacity(2 * count);
    for i in 0..count {
        let leave = cuts[i].as_ref().map_or(at(i), |cut| cut.to);
        let arrive = cuts[(i + 1) % count].as_ref().map_or(at(i + 1), |cut| cut.from);
        segments.push(Segment::Line { from: leave.extend(0.0), to: arrive.extend(0.0) });
        segments.extend(cuts[(i + 1) % count].as_ref().map(Rounding::arc));
    }
    segments
}

/// An arc in place of a corner.
struct Rounding {
    from: DVec2,
    to: DVec2,
    centre: DVec2,
    radius: f64,
    turn: f64,
}

impl Rounding {
    fn new(before: DVec2, corner: DVec2, after: DVec2, radius: f64) -> Option<Self> {
        let (into, out) = (corner - before, after - corner);
        let (a, b) = (into.try_normalize()?, out.try_normalize()?);
        let turn = libm::atan2(a.perp_dot(b), a.dot(b));
        let half = libm::tan(0.5 * turn.abs());
        let most = 0.5 * into.length().min(out.length());
        let cut = (radius * half).min(most);
        let radius = cut / half;
        if !(radius > 0.0 && radius.is_finite() && turn.abs() > 1e-9) {
            return None;
        }
        let from = corner - a * cut;
        let centre = from + a.perp() * (radius * turn.signum());
        Some(Self { from, to: corner + b * cut, centre, radius, turn })
    }

    fn arc(&self) -> Segment {
        let out = (self.from - self.centre) / self.radius;
        Segment::Arc {
            centre: self.centre.extend(0.0),
            x: out.extend(0.0),
            y: out.perp().extend(0.0),
            radius: self.radius,
            start: 0.0,
            sweep: self.turn,
        }
    }
}

/// Windings round a torus whose axis is z: `long` turns round the axis while it goes `short` times round the
/// tube. A common divisor gives as many strands, one beside the other.
///
/// # Errors
/// [`CurveError::NoLength`] where it goes round neither way, and as [`Strand::new`].
pub fn torus_winding(radius: f64, tube: f64, long: i64, short: i64, start: f64) -> Result<Vec<Strand>, CurveError> {
    let shared = greatest_common_divisor(long.unsigned_abs(), short.unsigned_abs());
    if shared == 0 {
        return Err(CurveError::NoLength);
    }
    let (p, q) = ((long / shared as i64) as f64, (short / shared as i64) as f64);
    let pieces = (16.0 * (p.abs() + q.abs())) as usize;
    (0..shared)
        .map(|strand| {
            // The strands lie beside each other round the tube, or round the axis where none goes round the tube.
            let beside = strand as f64 / shared as f64 * TAU;
            let (shift_p, shift_q) = if p == 0.0 { (beside, 0.0) } else { (0.0, beside / p.abs()) };
            let winding = |x: f64| {
                let (sa, ca) = libm::sincos(p * x * TAU + start + shift_p);
                let (sb, cb) = libm::sincos(q * x * TAU + shift_q);
                let out = radius + tube * cb;
                let (away, round) = (DVec3::new(ca, sa, 0.0), DVec3::new(-sa, ca, 0.0));
                Jet {
                    point: away * out + DVec3::Z * (tube * sb),
                    derivative: (round * (out * p) + (DVec3::Z * cb - away * sb) * (tube * q)) * TAU,
                }
            };
            Strand::new(
                follow(&winding, 0.0, 1.0, &Fineness { tolerance: WINDING * (radius + tube), pieces, halvings: 8 }),
                true,
            )
        })
        .collect()
}
