//! What acts on a thing in flight, and where that takes it.
//!
//! Without drag flights are parabolas; with drag that grows with the speed they are exponentials; with drag that grows
//! with its square they are integrated, by Dormand and Prince's pair of orders 5 and 4.

use crate::physics::rigid::steps::{Knot, Moving, Stepper};
use crate::roots::{halved, middle};
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
/// Halvings with which the moment is found at which a step no longer rises.
const HALVINGS: u32 = 60;

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
        Course::Drag { velocity, wind: self.wind, gravity: self.gravity, rate: self.linear }
    }

    /// Where a free flight from the origin with this velocity is after so many seconds, metres.
    pub fn flown(&self, velocity: DVec3, seconds: f64) -> DVec3 {
        self.arrives(velocity, seconds).0
    }

    /// Where a free flight from the origin is after so many seconds, metres, and how fast, metres per second; NaN where
    /// it cannot be followed.
    pub fn arrives(&self, velocity: DVec3, seconds: f64) -> (DVec3, DVec3) {
        self.arrives_within(velocity, seconds, Stepper::TOLERANCE)
    }

    /// The same where steps may be off by a part of what they cover; flights with a closed form are exact all the same.
    pub fn arrives_within(&self, velocity: DVec3, seconds: f64, tolerance: f64) -> (DVec3, DVec3) {
        if !self.is_stepped() {
            let course = self.course(velocity);
            return (course.offset(seconds), course.velocity(seconds));
        }
        let mut moving = Moving { place: DVec3::ZERO, velocity, spin: DVec3::ZERO, time: 0.0 };
        let mut stepper = Stepper::to_the_end(tolerance);
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

    /// How high a throw rises over its start along a unit vector, metres; where it begins downwards, below 0 by as much
    /// as its speed. ∞ where it never stops rising, NaN where it cannot be followed.
    pub fn rises(&self, velocity: DVec3, up: DVec3, tolerance: f64) -> f64 {
        let rising = velocity.dot(up);
        if rising <= 0.0 {
            return rising;
        }
        if !self.is_stepped() {
            // Drag and wind change what slows it: v' = −pull − linear·v.
            let pull = -(self.gravity + self.wind * self.linear).dot(up);
            if pull <= 0.0 {
                return f64::INFINITY;
            }
            let x = self.linear / pull;
            // ln(1 + x·rising) / x, which is `rising` where there is no drag.
            let slowed = if x * rising < 1e-300 { rising } else { libm::log1p(x * rising) / x };
            return self.course(velocity).offset(slowed / pull).dot(up);
        }
        let mut here = Knot { after: 0.0, place: DVec3::ZERO, velocity, acceleration: self.acceleration(velocity) };
        let mut stepper = Stepper::to_the_end(tolerance);
        for _ in 0..MOST_STEPS {
            let from = Moving { place: here.place, velocity: here.velocity, spin: DVec3::ZERO, time: 0.0 };
            let (used, to) = stepper.step(&from, 1e4, &|m| (self.acceleration(m.velocity), DVec3::ZERO));
            if !to.place.is_finite() || !to.velocity.is_finite() {
                return f64::NAN;
            }
            let next = Knot {
                after: used,
                place: to.place,
                velocity: to.velocity,
                acceleration: self.acceleration(to.velocity),
            };
            if next.velocity.dot(up) <= 0.0 {
                // Highest where it no longer rises, and there off by the square of what that moment is.
                let rises = |after: f64| here.between(&next, after).1.dot(up) > 0.0;
                return self.peak(&here, middle(halved((0.0, used), HALVINGS, rises)), up, tolerance);
            }
            here = next;
        }
        f64::NAN
    }

    /// The height after so many seconds from a knot, by one more flight, since long steps are only good at their ends.
    fn peak(&self, from: &Knot, seconds: f64, up: DVec3, tolerance: f64) -> f64 {
        (from.place + self.arrives_within(from.velocity, seconds, tolerance).0).dot(up)
    }

    /// The velocity with which a free flight goes `by` metres in so many seconds, above 0; nothing where drag lets none
    /// arrive.
    pub fn thrown(&self, by: DVec3, seconds: f64) -> Option<DVec3> {
        if self.is_stepped() {
            return super::aim::thrown_through(self, by, seconds);
        }
        let (straight, fallen) = drag_parts(self.linear * seconds);
        let velocity =
            self.wind + (by - self.wind * seconds - self.gravity * (fallen * seconds * seconds)) / (straight * seconds);
        velocity.is_finite().then_some(velocity)
    }
}

/// (1 − e^−z) / z and (1 − that) / z, which are 1 and ½ where z is 0.
fn drag_parts(z: f64) -> (f64, f64) {
    if z < 1e-300 {
        return (1.0, 0.5);
    }
    let straight = -libm::expm1(-z) / z;
    if z > 0.5 {
        return (straight, (1.0 - straight) / z);
    }
    // Σ (−z)^n / (n + 2)!, where what is subtracted would be lost.
    let (mut term, mut sum) = (0.5, 0.5);
    for n in 1..18 {
        term *= -z / f64::from(n + 2);
        sum += term;
    }
    (straight, sum)
}

/// Where a stretch without events goes, by seconds from its beginning.
#[derive(Debug, Clone)]
pub enum Course {
    /// Constant acceleration.
    Parabola { velocity: DVec3, acceleration: DVec3 },
    /// Dragged by its speed through the wind, at a rate above 0.
    Drag { velocity: DVec3, wind: DVec3, gravity: DVec3, rate: f64 },
    /// A step of an integration, from one knot to the next; apart, since most courses are much smaller.
    Step(Box<(Knot, Knot)>),
}

impl Course {
    /// Metres from where it began.
    pub fn offset(&self, t: f64) -> DVec3 {
        match self {
            Self::Parabola { velocity, acceleration } => (*velocity + *acceleration * (0.5 * t)) * t,
            Self::Drag { velocity, wind, gravity, rate } => {
                let (straight, fallen) = drag_parts(rate * t);
                *wind * t + (*velocity - *wind) * (straight * t) + *gravity * (fallen * t * t)
            }
            Self::Step(knots) => knots.0.between(&knots.1, t).0 - knots.0.place,
        }
    }

    /// Metres per second.
    pub fn velocity(&self, t: f64) -> DVec3 {
        match self {
            Self::Parabola { velocity, acceleration } => *velocity + *acceleration * t,
            Self::Drag { velocity, wind, gravity, rate } => {
                let (straight, _) = drag_parts(rate * t);
                *wind + (*velocity - *wind) * libm::exp(-rate * t) + *gravity * (straight * t)
            }
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
            Self::Drag { velocity, wind, gravity, rate } => {
                let first = *gravity - (*velocity - *wind) * *rate;
                (-first.dot(normal) * libm::exp(-rate * t)).max(0.0)
            }
            Self::Step(_) => self.most_acceleration(),
        }
    }

    fn most_acceleration(&self) -> f64 {
        match self {
            Self::Parabola { acceleration, .. } => acceleration.length(),
            Self::Drag { velocity, wind, gravity, rate } => (*gravity - (*velocity - *wind) * *rate).length(),
            Self::Step(knots) => knots.0.most_acceleration(&knots.1),
        }
    }

    fn lasts(&self) -> f64 {
        match self {
            Self::Step(knots) => knots.1.after,
            _ => f64::INFINITY,
        }
    }
}
