//! What rolls, seen from the side: round, or edge over edge.

use crate::quadrature::gauss;
use glam::DVec2;
use std::f64::consts::TAU;

/// What rolls.
#[derive(Debug, Clone, PartialEq)]
pub enum Roller {
    /// A ball or a cylinder of this radius, metres.
    Round { radius: f64 },
    /// Flat sides, edge over edge.
    Prism(Prism),
}

/// How a roller stands over the ground when it has come some way along it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Standing {
    /// Its middle over the ground, metres: how far ahead of the way it has come, and how high.
    pub middle: DVec2,
    /// Radians that it has turned forwards.
    pub turned: f64,
    /// Metres along the ground where it touches.
    pub touches: f64,
}

/// A prism, its middle over the middle of each side. It begins in the middle of its first side.
#[derive(Debug, Clone, PartialEq)]
pub struct Prism {
    sides: Vec<Tip>,
    /// Metres all round.
    round: f64,
}

/// From lying on one side to lying on the next.
#[derive(Debug, Clone, PartialEq)]
struct Tip {
    /// Metres from the beginning of the round to the middle of the side it lies on.
    from: f64,
    /// Metres to the middle of the next.
    long: f64,
    /// From the edge about which it tips to its middle when it lies, metres.
    arm: DVec2,
    /// Radians that it tips.
    angle: f64,
    /// Radians tipped before in this round.
    before: f64,
    /// Parts of the way at which it has tipped by 0/N … N/N of the angle.
    ways: Vec<f64>,
}

/// Part of a round by which it may be off and still lie on a side.
const EVEN: f64 = 1e-4;

/// Pieces into which a tip is cut to say how far it is when.
const PIECES: usize = 64;

impl Prism {
    /// With `sides` equal sides, at least 3, each so many metres long. `weight` says how much quicker it falls than it
    /// is over its edge: 0 for evenly.
    pub fn regular(sides: usize, side: f64, weight: f64) -> Self {
        let angle = TAU / sides as f64;
        let height = 0.5 * side / libm::tan(0.5 * angle);
        Self::of(&vec![(side, height); sides], angle, weight)
    }

    /// A box, so wide where it lies first and so high, metres.
    pub fn cuboid(width: f64, height: f64, weight: f64) -> Self {
        let (wide, high) = ((width, 0.5 * height), (height, 0.5 * width));
        Self::of(&[wide, high, wide, high], 0.25 * TAU, weight)
    }

    /// Lengths of sides and heights of the middle over them; turned by the same angle from each to the next.
    fn of(sides: &[(f64, f64)], angle: f64, weight: f64) -> Self {
        let mut from = 0.0;
        let mut tips = Vec::with_capacity(sides.len());
        for (i, &(side, height)) in sides.iter().enumerate() {
            let (next, _) = sides[(i + 1) % sides.len()];
            let (long, arm) = (0.5 * (side + next), DVec2::new(-0.5 * side, height));
            tips.push(Tip { from, long, arm, angle, before: angle * i as f64, ways: ways(arm, angle, weight) });
            from += long;
        }
        Self { sides: tips, round: from }
    }

    /// Metres along the ground in one round.
    pub const fn round(&self) -> f64 {
        self.round
    }

    /// Metres along the ground at which it comes to lie on each of its sides, from 0 to below a round.
    pub fn landings(&self) -> Vec<f64> {
        self.sides.iter().map(|tip| tip.from).collect()
    }

    /// True where it lies on none of its sides, so many metres along the ground.
    pub fn on_edge(&self, way: f64) -> bool {
        let within = way - (way / self.round).floor() * self.round;
        let near = EVEN * self.round;
        let lies = |from: f64| (within - from).abs() <= near;
        !(lies(self.round) || self.sides.iter().any(|tip| lies(tip.from)))
    }

    fn standing(&self, way: f64) -> Standing {
        let rounds = (way / self.round).floor();
        let within = (way - rounds * self.round).clamp(0.0, self.round);
        let index = self.sides.partition_point(|tip| tip.from <= within).saturating_sub(1);
        let tip = &self.sides[index];
        let tipped = tip.tipped(((within - tip.from) / tip.long).clamp(0.0, 1.0));
        let (sine, cosine) = libm::sincos(tipped);
        // Forwards is clockwise, seen with the ground below and the way to the right.
        let middle = DVec2::new(tip.arm.x * cosine + tip.arm.y * sine, tip.arm.y * cosine - tip.arm.x * sine);
        let edge = tip.from - tip.arm.x;
        Standing {
            middle: DVec2::new(edge + middle.x - within, middle.y),
            turned: rounds * TAU + tip.before + tipped,
            touches: rounds * self.round + edge,
        }
    }
}

impl Tip {
    /// Radians tipped after a part of the way, 0 to 1.
    fn tipped(&self, part: f64) -> f64 {
        if self.ways.is_empty() {
            return self.angle * part;
        }
        let i = self.ways.partition_point(|way| *way <= part).clamp(1, PIECES);
        let (low, high) = (self.ways[i - 1], self.ways[i]);
        self.angle * (i as f64 - 1.0 + (part - low) / (high - low)) / PIECES as f64
    }
}

/// Parts of the way by parts of the angle, where the speed of tipping is that of a thing that falls: ω² grows with how
/// far its middle is below its highest place.
fn ways(arm: DVec2, angle: f64, weight: f64) -> Vec<f64> {
    if weight == 0.0 {
        return Vec::new();
    }
    let radius = arm.length();
    let top = libm::atan2(-arm.x, arm.y);
    let height = |tipped: f64| radius * libm::cos(tipped - top);
    let least = height(0.0).min(height(angle));
    let slow = |tipped: f64| 1.0 / (1.0 + weight * (radius - height(tipped)) / (radius - least)).sqrt();
    let mut sum = 0.0;
    let mut ways = vec![0.0];
    for i in 0..PIECES {
        let at = |i: usize| angle * i as f64 / PIECES as f64;
        sum += gauss(slow, at(i), at(i + 1));
        ways.push(sum);
    }
    ways.iter_mut().for_each(|way| *way /= sum);
    ways
}

impl Roller {
    /// How it stands when it has come so many metres.
    pub fn standing(&self, way: f64) -> Standing {
        match self {
            Self::Round { radius } => Standing { middle: DVec2::new(0.0, *radius), turned: way / radius, touches: way },
            Self::Prism(prism) => prism.standing(way),
        }
    }

    /// Metres along the ground in one whole turn.
    pub fn round(&self) -> f64 {
        match self {
            Self::Round { radius } => TAU * radius,
            Self::Prism(prism) => prism.round(),
        }
    }
}
