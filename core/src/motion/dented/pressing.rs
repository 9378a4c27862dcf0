//! How things press.

use crate::noise;
use crate::signal::Driven;
use glam::DVec3;

/// The form of a dent across it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hollow {
    /// Round below, as of a ball.
    Round,
    /// Deepest in one place.
    Pointed,
    /// Even out to half its reach.
    Flat,
}

impl Hollow {
    /// The part of its depth at a distance, given as the square of its part of the reach: 1 in the middle, 0 with no slope at the
    /// reach and beyond.
    #[inline]
    pub fn at(self, squared: f64) -> f64 {
        if squared >= 1.0 {
            return 0.0;
        }
        let left = 1.0 - squared;
        match self {
            Self::Round => left * left,
            Self::Pointed => {
                let left = 1.0 - squared.sqrt();
                left * left
            }
            Self::Flat => {
                let x = (2.0 - 2.0 * squared.sqrt()).min(1.0);
                x * x * (3.0 - 2.0 * x)
            }
        }
    }
}

/// What counts where several things press.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Several {
    /// The deepest.
    Deepest,
    /// All together.
    Sum,
}

/// Unevenness of dents over the surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Grain {
    /// Part of the depth, 0 to 1, by which it is more here and less there.
    pub amount: f64,
    /// Metres over which it changes, above 0.
    pub size: f64,
    /// Which.
    pub seed: u64,
}

impl Grain {
    /// A factor on the depth at a place of the surface.
    pub(super) fn at(&self, place: DVec3) -> f64 {
        if self.amount == 0.0 {
            return 1.0;
        }
        let DVec3 { x, y, z } = place / self.size;
        (1.0 + self.amount * noise::value(self.seed, GRAIN, [x, y, z, 0.0, 0.0])).max(0.0)
    }
}

const GRAIN: u64 = 45;

/// How things press.
#[derive(Debug, Clone)]
pub struct Pressing {
    /// How far from a thing the surface is moved, metres, above 0.
    pub reach: Driven,
    /// How far it is moved where the thing is, metres, at least 0.
    pub depth: Driven,
    /// Whether that is outwards.
    pub raised: bool,
    /// The form across.
    pub hollow: Hollow,
    /// Frames after which nothing is left of it, at least 0.
    pub tail: f64,
    /// What counts where several press.
    pub several: Several,
    /// Unevenness.
    pub grain: Grain,
}

impl Pressing {
    /// What is left of a dent so many frames after it was made: 1 at once, 0 after its tail, without a slope at either.
    pub fn fade(&self, frames: f64) -> f64 {
        let left = if self.tail > 0.0 { 1.0 - frames / self.tail } else { 1.0 };
        if left <= 0.0 { 0.0 } else { left * left * (3.0 - 2.0 * left) }
    }
}
