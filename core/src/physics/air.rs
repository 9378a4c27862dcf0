//! What acts on a thing in flight, and where that takes it.
//!
//! Without drag flights are parabolas; with drag that grows with the speed they are exponentials; with drag that grows
//! with its square they are integrated, by Dormand and Prince's pair of orders 5 and 4.

use super::steps::{Knot, Moving, Stepper};
use crate::surface::Travel;
use glam::DVec3;

/// What acts on a thing in flight.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Air {
    /// Metres per second squared.
    pub gravity: DVec3,
    /// How the air moves, metres per second.
    pub wind: DVec3,
    /// Deceleration by speed through the air, per second; at least 0.
    pub linear: f64,
    /// Deceleration by squared speed through the air, per metre; at least 0.
    pub quadratic: f64,
}

/// Steps after which a flight is not followed further.
const MOST_STEPS: usize = 20_000;
/// Tries after which no throw is taken to arrive.
const MOST_TRIES: usize = 24;

impl Air {
    /// Gravity and nothing else.
    pub const fn still(gravity: DVec3) -> Self {
        Self { gravity, wind: DVec3::ZERO, linear: 0.0, quadratic: 0.0 }
    }

    /// Metres per second squared.
    pub fn acceleration(&self, velocity: DVec3) -> DVec3 {
        if self.linear == 0.0 && self.quadratic == 0.0 {
            return self.gravity;
        }
        let through = velocity - self.wind;
        self.gravity - through * (self.linear + self.quadratic * through.length())
    }

    /// True where flights have no closed form.
    pub fn is_stepped(&self) -> bool {
        self.quadratic != 0.0
    }

    /// The course of a flight from a velocity, where there is a closed form.
    pub fn course(&self, velocity: DVec3) -> Course {
        if self.linear == 0.0 {
            return Course::Parabola { velocity, acceleration: self.gravity };
        }
        let last = self.wind + self.gravity / self.linear;
        Course::Drag { last, beyond: velocity - last, rate: self.linear }
    }

    /// Where a free flight from the origin with this velocity is after so many seconds, metres.
    pub fn flown(&self, velocity: DVec3, seconds: f64) -> DVec3 {
        self.arrives(velocity, seconds).0
    }

    /// Where a free flight from the origin is after so many seconds, metres, and how fast, metres per second; NaN where
    /// it cannot be followed.
    pub fn arrives(&self, velocity: DVec3, seconds: f64) -> (DVec3, DVec3) {
        if !self.is_stepped() {
            let course = self.course(velocity);
            return (course.offset(seconds), course.velocity(seconds));
        }
        let mut moving = Moving { place: DVec3::ZERO, velocity, spin: DVec3::ZERO };
        let mut stepper = Stepper::to_the_end();
        let mut left = seconds;
        let mut steps = 0;
        while left > 0.0 {
            // Drag beyond all measure asks for ever shorter steps, or goes beyond all numbers.
            steps += 1;
            if steps > MOST_STEPS || !moving.place.is_finite() || !moving.velocity.is_finite() {
                return (DVec3::NAN, DVec3::NAN);
            }
            let (used, next) = stepper.step(&moving, left, &|m| (self.acceleration(m.velocity), DVec3::ZERO));
            moving = next;
            left -= used;
        }
        (moving.place, moving.velocity)
    }

    /// The velocity with which a free flight goes `by` metres in so many seconds, above 0; nothing where drag lets none
    /// arrive.
    pub fn thrown(&self, by: DVec3, seconds: f64) -> Option<DVec3> {
        self.thrown_near(by, seconds, None)
    }

    /// As [`thrown`](Self::thrown), beginning to look from a velocity that may be near.
    pub fn thrown_near(&self, by: DVec3, seconds: f64, near: Option<DVec3>) -> Option<DVec3> {
        let t = seconds;
        let calm = if self.linear == 0.0 {
            by / t - self.gravity * (0.5 * t)
        } else {
            let last = self.wind + self.gravity / self.linear;
            last + (by - last * t) * (self.linear / -libm::expm1(-self.linear * t))
        };
        if !self.is_stepped() {
            return calm.is_finite().then_some(calm);
        }
        // Newton with slopes from differences: three flights a step.
        let size = by.length() + self.gravity.length() * t * t;
        let mut velocity = near.unwrap_or(calm);
        for _ in 0..MOST_TRIES {
            let off = self.flown(velocity, t) - by;
            if off.length() <= 1e-12 * size {
                return Some(velocity);
            }
            let h = 1e-6 * (1.0 + velocity.length());
            let column =
                |axis: DVec3| (self.flown(velocity + axis * h, t) - self.flown(velocity - axis * h, t)) / (2.0 * h);
            let slopes = glam::DMat3::from_cols(column(DVec3::X), column(DVec3::Y), column(DVec3::Z));
            if slopes.determinant().abs() < 1e-300 {
                return None;
            }
            let change = slopes.inverse() * off;
            // Too bold a step may be answered by a flight that ends nowhere.
            let most = 2.0 * (1.0 + velocity.length());
            velocity -= change.clamp_length_max(most);
            if !velocity.is_finite() {
                return None;
            }
        }
        ((self.flown(velocity, t) - by).length() <= 1e-9 * size).then_some(velocity)
    }
}

/// Where a stretch without events goes, by seconds from its beginning.
#[derive(Debug, Clone)]
pub enum Course {
    /// Constant acceleration.
    Parabola { velocity: DVec3, acceleration: DVec3 },
    /// Towards a velocity, at a rate.
    Drag { last: DVec3, beyond: DVec3, rate: f64 },
    /// A step of an integration, from one knot to the next; apart, since most courses are much smaller.
    Step(Box<(Knot, Knot)>),
}

impl Course {
    /// Metres from where it began.
    pub fn offset(&self, t: f64) -> DVec3 {
        match self {
            Self::Parabola { velocity, acceleration } => (*velocity + *acceleration * (0.5 * t)) * t,
            Self::Drag { last, beyond, rate } => *last * t - *beyond * (libm::expm1(-rate * t) / rate),
            Self::Step(knots) => knots.0.between(&knots.1, t).0 - knots.0.place,
        }
    }

    /// Metres per second.
    pub fn velocity(&self, t: f64) -> DVec3 {
        match self {
            Self::Parabola { velocity, acceleration } => *velocity + *acceleration * t,
            Self::Drag { last, beyond, rate } => *last + *beyond * libm::exp(-rate * t),
            Self::Step(knots) => knots.0.between(&knots.1, t).1,
        }
    }
}

impl Travel for Course {
    fn offset(&self, t: f64) -> DVec3 {
        Self::offset(self, t)
    }

    fn velocity(&self, t: f64) -> DVec3 {
        Self::velocity(self, t)
    }

    fn falls(&self, t: f64, normal: DVec3) -> f64 {
        match self {
            Self::Parabola { acceleration, .. } => -acceleration.dot(normal),
            // It dies down, and keeps its direction.
            Self::Drag { beyond, rate, .. } => (beyond.dot(normal) * rate * libm::exp(-rate * t)).max(0.0),
            Self::Step(_) => self.most_acceleration(),
        }
    }

    fn most_acceleration(&self) -> f64 {
        match self {
            Self::Parabola { acceleration, .. } => acceleration.length(),
            Self::Drag { beyond, rate, .. } => beyond.length() * rate,
            Self::Step(knots) => 2.0 * knots.0.acceleration.length().max(knots.1.acceleration.length()),
        }
    }

    fn lasts(&self) -> f64 {
        match self {
            Self::Step(knots) => knots.1.after,
            _ => f64::INFINITY,
        }
    }
}
