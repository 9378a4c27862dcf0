//! How a thing that is thrown goes on until something happens: through the air, or along what it lies on.

use super::super::steps::{Forces, Knot, Moving};
use super::{BALL, Course, Event, Going, Mode, Solver, Support};
use glam::DVec3;

/// Seconds of the shortest step along what bends.
const SHORTEST_SLIDE: f64 = 1e-6;

impl Solver<'_> {
    /// How it goes on, how its spin changes, and the event that ends that by itself.
    pub(super) fn course(&mut self) -> Going {
        let air = self.setup.air;
        let lies = Course::Parabola { velocity: DVec3::ZERO, acceleration: DVec3::ZERO };
        match self.mode {
            Mode::Lies => (lies, DVec3::ZERO, None),
            Mode::Flies if !air.is_stepped() => (air.course(self.velocity), DVec3::ZERO, None),
            Mode::Flies => self.stepped(&|m| (air.acceleration(m.velocity), DVec3::ZERO)),
            Mode::Slides(support) | Mode::Rolls(support) => self.evenly(support).unwrap_or_else(|| self.along(support)),
        }
    }

    /// Along what is flat, where the acceleration stays the same.
    pub(super) fn evenly(&mut self, support: Support) -> Option<Going> {
        if !self.is_flat(support) || self.setup.air.linear != 0.0 || self.setup.air.is_stepped() {
            return None;
        }
        let (_, normal) = self.gap(support, self.place);
        let gravity = self.setup.air.gravity;
        let pressing = -gravity.dot(normal);
        let downhill = gravity + normal * pressing;
        let friction = self.friction(support) * pressing;
        let level = downhill.length() <= 1e-12 * gravity.length();
        let straight =
            level || downhill.cross(self.velocity).length() <= 1e-12 * downhill.length() * self.velocity.length();
        let parabola = |acceleration| Course::Parabola { velocity: self.velocity, acceleration };
        if self.balls() {
            let slip = self.slip(support);
            if !level {
                return None;
            }
            if matches!(self.mode, Mode::Rolls(_)) || slip.length() <= 1e-12 * self.velocity.length() {
                return Some((parabola(DVec3::ZERO), DVec3::ZERO, None));
            }
            if friction == 0.0 {
                return Some((parabola(DVec3::ZERO), DVec3::ZERO, None));
            }
            // Slipping ends at the rate of friction on the ball and on its turning together.
            let acceleration = slip.normalize() * -friction;
            let turning = normal.cross(acceleration) * (-1.0 / (BALL * self.setup.rolling_radius));
            let lasts = slip.length() / (friction * (1.0 + 1.0 / BALL));
            return Some((parabola(acceleration), turning, Some((lasts, Event::Grips))));
        }
        if !straight {
            return None;
        }
        if self.velocity == DVec3::ZERO {
            // Held where friction is enough, else it begins to slide.
            let held = downhill.length() <= friction;
            let acceleration = if held { DVec3::ZERO } else { downhill - downhill.normalize_or_zero() * friction };
            return Some((parabola(acceleration), DVec3::ZERO, None));
        }
        let acceleration = if level { DVec3::ZERO } else { downhill } - self.velocity.normalize() * friction;
        let slowing = -acceleration.dot(self.velocity.normalize());
        let stops = (slowing > 0.0).then(|| (self.velocity.length() / slowing, Event::Stops));
        Some((parabola(acceleration), DVec3::ZERO, stops))
    }

    /// A step along what bends, or against the air.
    pub(super) fn along(&mut self, support: Support) -> Going {
        let lies = Course::Parabola { velocity: DVec3::ZERO, acceleration: DVec3::ZERO };
        let (_, normal) = self.gap(support, self.place);
        let (pressing, free) = self.pressing(support, self.place, self.velocity);
        if pressing < 0.0 {
            self.mode = Mode::Flies;
            return self.course();
        }
        let downhill = free - normal * free.dot(normal);
        let friction = self.friction(support) * pressing;
        let rolls = self.balls() && matches!(self.mode, Mode::Rolls(_));
        // Standing still, held by friction: for good, since nothing changes any more.
        let slow = self.velocity.length() <= 1e-9 * (1.0 + self.setup.air.gravity.length());
        let calm = self.setup.air.wind == DVec3::ZERO;
        if slow && calm && (downhill.length() <= 1e-9 * free.length() || (!rolls && downhill.length() <= friction)) {
            self.mode = Mode::Lies;
            self.velocity = DVec3::ZERO;
            self.spin = DVec3::ZERO;
            return (lies, DVec3::ZERO, None);
        }
        let mut most = f64::INFINITY;
        // Up to where sliding or slipping may end; friction turns round there, which no step may step over.
        if !rolls && friction > 0.0 {
            let slipping =
                if self.balls() { self.slip(support).length() / (1.0 + 1.0 / BALL) } else { self.velocity.length() };
            most = (slipping / (friction + downhill.length())).max(1e-6);
        }
        let before = if self.balls() { self.slip(support) } else { self.velocity };
        let (course, turning, own) = {
            let setup = self.setup;
            let this = &*self;
            let forces = |m: &Moving| {
                let (_, n) = this.gap(support, m.place);
                let (pressing, free) = this.pressing(support, m.place, m.velocity);
                let flat = free - n * free.dot(n);
                let held = n * (pressing - (-free.dot(n)));
                let along = m.velocity - n * m.velocity.dot(n);
                let friction = this.friction(support) * pressing.max(0.0);
                if rolls {
                    return (flat / (1.0 + BALL) + held, DVec3::ZERO);
                }
                if this.balls() {
                    let slip = along + m.spin.cross(n) * -setup.rolling_radius;
                    let pull = slip.normalize_or_zero() * -friction;
                    let turning = n.cross(pull) * (-1.0 / (BALL * setup.rolling_radius));
                    return (flat + held + pull, turning);
                }
                (flat + held - along.normalize_or_zero() * friction, DVec3::ZERO)
            };
            let from = Moving { place: this.place, velocity: this.velocity, spin: this.spin };
            let mut stepper = this.stepper.clone();
            let (used, there) = loop {
                let (used, mut there) = stepper.step(&from, most, &forces);
                // Kept on the ground, and its velocity along it.
                let (gap, n) = this.gap(support, there.place);
                there.place -= n * gap;
                there.velocity -= n * there.velocity.dot(n);
                // Where it is about to leave the ground it comes up to that in small steps.
                if used <= SHORTEST_SLIDE || this.pressing(support, there.place, there.velocity).0 >= 0.0 {
                    break (used, there);
                }
                most = 0.5 * used;
            };
            let knot = |after: f64, m: &Moving| Knot {
                after,
                place: m.place,
                velocity: m.velocity,
                acceleration: forces(m).0,
            };
            let course = Course::Step(Box::new((knot(0.0, &from), knot(used, &there))));
            let turning = (there.spin - from.spin) / used;
            self.stepper = stepper;
            (course, turning, (used, there))
        };
        let (used, there) = own;
        let after = if self.balls() {
            let (_, n) = self.gap(support, there.place);
            there.velocity - there.spin.cross(n) * self.setup.rolling_radius
        } else {
            there.velocity
        };
        if rolls {
            let (_, n) = self.gap(support, there.place);
            let spin = n.cross(there.velocity) / self.setup.rolling_radius + n * there.spin.dot(n);
            return (course, (spin - self.spin) / used, Some((used, Event::Goes)));
        }
        let ends = friction > 0.0
            && (after.dot(before) <= 0.0 || after.length() <= 1e-6 * (before.length() + used * friction));
        let event = match (ends, self.balls()) {
            (true, true) => Event::Grips,
            (true, false) => Event::Stops,
            _ => Event::Goes,
        };
        (course, turning, Some((used, event)))
    }

    /// A step of an integration in the air.
    pub(super) fn stepped(&mut self, forces: &Forces<'_>) -> Going {
        let from = Moving { place: self.place, velocity: self.velocity, spin: self.spin };
        let (used, there) = self.stepper.step(&from, f64::INFINITY, forces);
        let knot = |after, m: &Moving| Knot { after, place: m.place, velocity: m.velocity, acceleration: forces(m).0 };
        (Course::Step(Box::new((knot(0.0, &from), knot(used, &there)))), DVec3::ZERO, Some((used, Event::Goes)))
    }
}
