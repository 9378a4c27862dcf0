use crate::pose::bend;
use glam::{DQuat, DVec3};
use std::f64::consts::TAU;

/// A piece of a path with a closed form, over its parameter t in [0, 1].
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Segment {
    /// Straight from one place to another.
    Line {
        /// Start, metres.
        from: DVec3,
        /// End, metres.
        to: DVec3,
    },
    /// Part of a circle in any plane.
    Arc {
        /// Metres.
        centre: DVec3,
        /// Unit vector from the centre towards angle 0.
        x: DVec3,
        /// Unit vector from the centre towards a quarter turn; perpendicular to `x`.
        y: DVec3,
        /// Metres, positive.
        radius: f64,
        /// Angle of the start, radians.
        start: f64,
        /// Signed angle covered, radians, within ±2π.
        sweep: f64,
    },
    /// A cubic Bézier.
    Cubic {
        /// Start, two control points, end; metres.
        points: [DVec3; 4],
    },
}

impl Segment {
    /// A whole circle, counter-clockwise as seen from x × y, from `centre + radius·x`.
    pub const fn circle(centre: DVec3, radius: f64, x: DVec3, y: DVec3) -> Self {
        Self::Arc { centre, x, y, radius, start: 0.0, sweep: TAU }
    }

    /// The place at t.
    pub fn at(&self, t: f64) -> DVec3 {
        match *self {
            Self::Line { from, to } => from + (to - from) * t,
            Self::Arc { centre, x, y, radius, start, sweep } => {
                let (sine, cosine) = libm::sincos(start + sweep * t);
                centre + (x * cosine + y * sine) * radius
            }
            Self::Cubic { points: [a, b, c, d] } => {
                let u = 1.0 - t;
                a * (u * u * u) + b * (3.0 * u * u * t) + c * (3.0 * u * t * t) + d * (t * t * t)
            }
        }
    }

    /// The first derivative by t.
    pub fn derivative(&self, t: f64) -> DVec3 {
        match *self {
            Self::Line { from, to } => to - from,
            Self::Arc { x, y, radius, start, sweep, .. } => {
                let (sine, cosine) = libm::sincos(start + sweep * t);
                (y * cosine - x * sine) * (radius * sweep)
            }
            Self::Cubic { points: [a, b, c, d] } => {
                let u = 1.0 - t;
                (b - a) * (3.0 * u * u) + (c - b) * (6.0 * u * t) + (d - c) * (3.0 * t * t)
            }
        }
    }

    /// The unit direction at t; where the derivative vanishes, the limit from within the segment,
    /// and zero for a segment without length.
    pub fn tangent(&self, t: f64) -> DVec3 {
        let derivative = self.derivative(t);
        let size = self.size();
        if derivative.length() > 1e-9 * size {
            return derivative.normalize();
        }
        let inward = if t < 0.5 { 1e-4 } else { -1e-4 };
        ((self.at(t + inward) - self.at(t)) * inward.signum()).normalize_or_zero()
    }

    /// The length of what holds it: metres, at least its own length for lines and Béziers.
    pub fn size(&self) -> f64 {
        match *self {
            Self::Line { from, to } => from.distance(to),
            Self::Arc { radius, sweep, .. } => (radius * sweep).abs(),
            Self::Cubic { points: [a, b, c, d] } => a.distance(b) + b.distance(c) + c.distance(d),
        }
    }

    /// The angle by which its direction turns in all, radians; an upper bound for Béziers.
    pub fn turning(&self) -> f64 {
        match *self {
            Self::Line { .. } => 0.0,
            Self::Arc { sweep, .. } => sweep.abs(),
            Self::Cubic { points: [a, b, c, d] } => {
                let sides: Vec<DVec3> = [b - a, c - b, d - c].into_iter().filter(|side| side.length() > 0.0).collect();
                sides.windows(2).map(|pair| bend(pair[0], pair[1])).sum()
            }
        }
    }

    /// The cubic Bézier with its ends and the directions there: itself for lines and Béziers, near it for arcs of
    /// less than a half turn.
    pub fn as_cubic(&self) -> [DVec3; 4] {
        let (a, d) = (self.at(0.0), self.at(1.0));
        let reach = match *self {
            Self::Cubic { points } => return points,
            Self::Line { .. } => 1.0 / 3.0,
            Self::Arc { sweep, .. } => 4.0 / 3.0 * libm::tan(sweep / 4.0) / sweep,
        };
        [a, a + self.derivative(0.0) * reach, d - self.derivative(1.0) * reach, d]
    }

    /// True when every number in it is finite.
    pub fn is_finite(&self) -> bool {
        match self {
            Self::Line { from, to } => from.is_finite() && to.is_finite(),
            Self::Arc { centre, x, y, radius, start, sweep } => {
                centre.is_finite()
                    && x.is_finite()
                    && y.is_finite()
                    && radius.is_finite()
                    && start.is_finite()
                    && sweep.is_finite()
            }
            Self::Cubic { points } => points.iter().all(|point| point.is_finite()),
        }
    }

    /// The same piece enlarged about the origin by `factor`, then turned, then moved.
    pub fn transformed(&self, factor: f64, turn: DQuat, offset: DVec3) -> Self {
        let place = |point: DVec3| turn * (point * factor) + offset;
        match *self {
            Self::Line { from, to } => Self::Line { from: place(from), to: place(to) },
            Self::Arc { centre, x, y, radius, start, sweep } => Self::Arc {
                centre: place(centre),
                x: turn * x * factor.signum(),
                y: turn * y * factor.signum(),
                radius: radius * factor.abs(),
                start,
                sweep,
            },
            Self::Cubic { points } => Self::Cubic { points: points.map(place) },
        }
    }
}
