//! Surfaces to press things onto and to take directions from.

mod body;
mod meeting;
mod profile;
mod shape;
mod spread;
mod wires;

pub use body::Body;
pub use meeting::{Gap, Met, Reach, Straight, Travel, meeting};
pub use profile::{Piece, Profile};
pub use shape::{Rim, Shape};
pub use wires::wires;

use glam::{DQuat, DVec3};
use std::sync::Arc;

/// A place on a surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Touch {
    /// Metres.
    pub point: DVec3,
    /// Unit vector away from the solid; of a plane, its up.
    pub normal: DVec3,
}

/// A shape somewhere in space.
#[derive(Debug, Clone)]
pub struct Surface {
    /// In axes of its own.
    pub shape: Arc<Shape>,
    /// Where its origin is, metres.
    pub position: DVec3,
    /// How its axes are turned.
    pub orientation: DQuat,
    /// Factor on the bounciness of what is thrown against it.
    pub bounce: f64,
    /// Factor on the friction of what touches it.
    pub grip: f64,
}

impl Surface {
    /// A shape at a place, metres, turned; as bouncy and as rough as what touches it.
    pub const fn new(shape: Arc<Shape>, position: DVec3, orientation: DQuat) -> Self {
        Self { shape, position, orientation, bounce: 1.0, grip: 1.0 }
    }

    /// The nearest place on it. Where several are equally near, always the same one of them.
    pub fn nearest(&self, place: DVec3) -> Touch {
        self.placed(self.shape.nearest(self.inside(place)))
    }

    /// Distance from it, metres, negative within, and the unit vector away from it.
    pub fn distance(&self, place: DVec3) -> (f64, DVec3) {
        let (distance, normal) = self.shape.distance(self.inside(place));
        (distance, self.orientation * normal)
    }

    /// How much the unit vector away from it turns where one moves along it with a velocity, against that way: of a ball
    /// of radius r, at a speed v past it, v²/r.
    pub fn bend(&self, place: DVec3, velocity: DVec3) -> f64 {
        self.shape.bend(self.inside(place), self.orientation.conjugate() * velocity)
    }

    /// The radius of a ball that touches it at a place of it, on the side to which the unit vector `away` points, and
    /// holds none of it: ∞ where all of it lies behind a flat there, metres.
    pub fn room(&self, on: DVec3, away: DVec3) -> f64 {
        self.shape.room(self.inside(on), self.orientation.conjugate() * away)
    }

    /// The place on it nearest to `from` on the line through it along the unit vector `direction`, before or
    /// behind it; `None` where the line misses it.
    pub fn along(&self, from: DVec3, direction: DVec3) -> Option<Touch> {
        let back = self.orientation.conjugate();
        self.shape.along(self.inside(from), back * direction).map(|touch| self.placed(touch))
    }

    /// The normal where it is the same everywhere: of a plane, which goes on beyond its rim.
    pub fn flat(&self) -> Option<DVec3> {
        matches!(*self.shape, Shape::Plane { .. }).then(|| self.orientation * DVec3::Y)
    }

    fn inside(&self, place: DVec3) -> DVec3 {
        self.orientation.conjugate() * (place - self.position)
    }

    fn placed(&self, touch: Touch) -> Touch {
        Touch { point: self.orientation * touch.point + self.position, normal: self.orientation * touch.normal }
    }
}

/// A surface for every frame.
#[derive(Clone)]
pub enum Ground {
    /// The same at every frame.
    Still(Surface),
    /// Another at each frame.
    Moving(Arc<dyn Fn(f64) -> Surface + Send + Sync>),
}

impl Ground {
    /// The surface at a frame.
    pub fn at(&self, frame: f64) -> Surface {
        match self {
            Self::Still(surface) => surface.clone(),
            Self::Moving(at) => at(frame),
        }
    }

    /// The surface, when it is the same at every frame.
    pub const fn unmoving(&self) -> Option<&Surface> {
        match self {
            Self::Still(surface) => Some(surface),
            Self::Moving(_) => None,
        }
    }
}
