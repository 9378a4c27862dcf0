//! What a thing that is thrown may bounce off.

use crate::surface::Surface;
use glam::DVec3;

/// One side of the box that a thing may bounce off, from the inside.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    Left,
    Right,
    Bottom,
    Top,
    Back,
    Front,
}

impl Side {
    /// All six; the first four are those of a flat scene.
    pub const ALL: [Self; 6] = [Self::Left, Self::Right, Self::Bottom, Self::Top, Self::Back, Self::Front];

    /// Its name on screen and in documents.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Left => "left",
            Self::Right => "right",
            Self::Bottom => "bottom",
            Self::Top => "top",
            Self::Back => "back",
            Self::Front => "front",
        }
    }

    /// Coordinate 0, 1, 2 and the sign of the outward direction.
    pub const fn axis(self) -> (usize, f64) {
        match self {
            Self::Left => (0, -1.0),
            Self::Right => (0, 1.0),
            Self::Bottom => (1, -1.0),
            Self::Top => (1, 1.0),
            Self::Back => (2, -1.0),
            Self::Front => (2, 1.0),
        }
    }
}

/// A box aligned with the world.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bounds {
    /// Smallest corner, metres; −∞ where there is no side.
    pub min: DVec3,
    /// Largest corner, metres; +∞ where there is no side.
    pub max: DVec3,
}

impl Bounds {
    /// Metres by which a place lies beyond a side; below 0 inside it.
    pub fn beyond(&self, side: Side, place: DVec3) -> f64 {
        let (axis, sign) = side.axis();
        sign * (place[axis] - self.side(side))
    }

    /// Where a side is along its axis, metres.
    pub fn side(&self, side: Side) -> f64 {
        let (axis, sign) = side.axis();
        if sign < 0.0 { self.min[axis] } else { self.max[axis] }
    }

    /// The longest side that has an end, metres; 0 when there is none.
    pub fn size(&self) -> f64 {
        (self.max - self.min).to_array().into_iter().filter(|side| side.is_finite()).fold(0.0, f64::max)
    }
}

/// A surface that is bounced off, from the side on which the thing starts.
#[derive(Debug, Clone)]
pub struct Obstacle {
    /// The surface; it does not move.
    pub surface: Surface,
    /// What contacts call it.
    pub name: String,
}
