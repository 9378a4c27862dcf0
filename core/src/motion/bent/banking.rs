//! How what is bent leans into the bends of its path, as something that travels along it would.

use crate::curve::{AxesTable, Strand};
use crate::motion::GRAVITY;
use glam::DVec3;
use std::f64::consts::TAU;

/// Spaces between the nodes of a strand, at least and at most, and over the length in which leaning is eased.
const FEWEST: usize = 64;
const MOST: usize = 8192;
const EASED: f64 = 24.0;
/// Lengths of a strand over which leaning is eased at most: then all of it leans alike.
const LONGEST: f64 = 4.0;

/// Leaning into bends: tan β = v²κ / 9.81, κ the bend towards the side.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Banking {
    /// v, metres per second.
    pub speed: f64,
    /// β at most, radians.
    pub most: f64,
    /// Metres over which the bend is taken together, by a raised cosine, above 0; at least a 4000th of the strand.
    pub over: f64,
}

/// How far something leans all along a strand.
#[derive(Debug, Clone)]
pub(super) struct Lean {
    step: f64,
    closed: bool,
    /// Radians to the right of the tangent, at even steps from the start; of a closed strand without its end.
    angles: Vec<f64>,
}

impl Lean {
    pub fn of(banking: &Banking, strand: &Strand, axes: &AxesTable) -> Self {
        let (length, closed) = (strand.length(), strand.closed());
        let over = banking.over.min(LONGEST * length);
        let spaces = (EASED * length / over).clamp(FEWEST as f64, MOST as f64).ceil() as usize;
        let step = length / spaces as f64;
        // How much it bends to the right in each space, in radians: at corners as well.
        let along = |s: f64| {
            let on = strand.normalise(s);
            let here = strand.at_normalised(on);
            (here.tangent, here.tangent.cross(axes.up(on, here.point, here.tangent)))
        };
        let bends: Vec<f64> = (0..spaces)
            .map(|i| {
                let [(from, _), (_, right), (to, _)] = [0.0, 0.5, 1.0].map(|part| along((i as f64 + part) * step));
                2.0 * libm::asin((0.5 * (to - from).dot(right)).clamp(-1.0, 1.0))
            })
            .collect();
        let reach = (0.5 * over / step).max(1.0);
        let last = reach.floor() as isize;
        let weigh = |off: isize| 1.0 + libm::cos(0.5 * TAU * off as f64 / (reach + 1.0));
        let all: f64 = (-last..=last).map(weigh).sum();
        let bend = |i: isize| {
            let space = if closed { i.rem_euclid(spaces as isize) } else { i };
            usize::try_from(space).ok().and_then(|i| bends.get(i)).copied().unwrap_or(0.0)
        };
        let nodes = if closed { spaces } else { spaces + 1 };
        let angles = (0..nodes as isize)
            .map(|node| {
                // A node lies between two spaces.
                let both = |off: isize| 0.5 * (bend(node + off - 1) + bend(node + off));
                let curvature = (-last..=last).map(|off| weigh(off) * both(off)).sum::<f64>() / (all * step);
                libm::atan(banking.speed * banking.speed * curvature / GRAVITY).clamp(-banking.most, banking.most)
            })
            .collect();
        Self { step, closed, angles }
    }

    /// At so many metres along the strand, as a cubic between its nodes.
    pub fn at(&self, s: f64) -> f64 {
        let at = s / self.step;
        let first = at.floor();
        let node = |i: isize| {
            let count = self.angles.len() as isize;
            let i = if self.closed { i.rem_euclid(count) } else { i.clamp(0, count - 1) };
            self.angles[i as usize]
        };
        let (i, t) = (first as isize, at - first);
        let [a, b, c, d] = [-1, 0, 1, 2].map(|off| node(i + off));
        let (from, to) = (0.5 * (c - a), 0.5 * (d - b));
        let (rest, rise) = (1.0 - t, c - b);
        b + t * t * (3.0 - 2.0 * t) * rise + t * rest * (rest * from - t * to)
    }

    /// Up leant over to the right of the tangent.
    pub fn leant(&self, s: f64, (up, tangent): (DVec3, DVec3)) -> DVec3 {
        let (sine, cosine) = libm::sincos(self.at(s));
        up * cosine + tangent.cross(up) * sine
    }
}
