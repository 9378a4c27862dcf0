//! How a thing that is thrown goes on until something happens: through the air, or along what it lies on.

use super::super::air::Air;
use super::super::changing::{Weather, Window};
use super::{BALL, Course, Event, Footing, Going, Mode, Solver};
use crate::physics::rigid::steps::{Knot, Moving, Stepper};
use crate::roots::halved;
use glam::DVec3;

/// Seconds of the shortest step along what bends.
const SHORTEST_SLIDE: f64 = 1e-6;
/// Seconds of free fall to which a speed amounts that is as good as none where friction holds.
const CREEPS: f64 = 1e-7;
/// The same of slipping, below which a ball grips.
const GRIPS: f64 = 1e-6;
/// Seconds for which something that stands still is looked ahead at, how often, and the halvings in between.
const LIES: f64 = 1.0;
const LOOKS: u32 = 64;
const HALVINGS: u32 = 50;
/// Seconds of friction to which a speed amounts at which its direction is that of the pull.
const ALIGNS: f64 = 1e-5;
/// Seconds below which what is let go again at once is not taken to stand still.
const SHORTEST_REST: f64 = 1e-6;
/// Part of its speed with which it goes away from what it lies on over an edge.
const OVER_EDGE: f64 = 1e-3;
/// Times that it is brought back onto two things at once.
const ONTO_BOTH: usize = 8;

impl Solver<'_> {
    /// How it goes on, how its spin changes, and the event that ends that by itself.
    pub(super) fn course(&mut self) -> Going {
        let window = self.forecast.window(self.time);
        let left = window.until - self.time;
        let (course, turning, own) = self.course_within(window, left);
        let own = match own {
            Some((after, event)) if after <= left => Some((after, event)),
            // Then something changes.
            _ if left.is_finite() && self.mode != Mode::Lies => Some((left, Event::Goes)),
            own => own,
        };
        (course, turning, own)
    }

    fn course_within(&mut self, window: Window, left: f64) -> Going {
        match self.mode {
            Mode::Lies => (lies(), DVec3::ZERO, None),
            Mode::Flies => match window.steady {
                Some(Weather { air, .. }) if !air.is_stepped() => (air.course(self.velocity), DVec3::ZERO, None),
                _ => self.stepped(left),
            },
            Mode::Slides(footing) | Mode::Rolls(footing) => {
                let still = self.still_on(footing);
                if still != Some(footing) {
                    // It came up to this in small steps; in such ones rounding hides which way it goes now.
                    self.stepper = Stepper::default();
                }
                let Some(still) = still else {
                    self.mode = Mode::Flies;
                    return self.course_within(window, left);
                };
                self.mode = if matches!(self.mode, Mode::Rolls(_)) { Mode::Rolls(still) } else { Mode::Slides(still) };
                let even = window.steady.and_then(|weather| self.evenly(still, &weather.air));
                even.unwrap_or_else(|| self.along(still, left))
            }
        }
    }

    /// Along what is flat, where the acceleration stays the same.
    fn evenly(&self, footing: Footing, air: &Air) -> Option<Going> {
        if !footing.supports().all(|support| self.is_flat(support)) || air.linear != 0.0 || air.is_stepped() {
            return None;
        }
        let seat = self.seat(footing, self.place, self.velocity);
        let gravity = air.gravity;
        let downhill = seat.level(gravity);
        let level = downhill.length() <= 1e-12 * gravity.length();
        let straight =
            level || downhill.cross(self.velocity).length() <= 1e-12 * downhill.length() * self.velocity.length();
        let parabola = |acceleration| Course::Parabola { velocity: self.velocity, acceleration };
        if self.balls() {
            if !level {
                return None;
            }
            let slip = self.slip(&seat, self.velocity, self.spin);
            if matches!(self.mode, Mode::Rolls(_))
                || seat.friction == 0.0
                || slip.length() <= 1e-12 * self.velocity.length()
            {
                return Some((parabola(DVec3::ZERO), DVec3::ZERO, None));
            }
            // Slipping ends at the rate of friction on the ball and on its turning together.
            let acceleration = slip.normalize() * -seat.friction;
            let turning = seat.normal.cross(acceleration) * (-seat.lever / (BALL * self.setup.rolling_radius));
            let lasts = slip.length() / (seat.friction * seat.gripping());
            return Some((parabola(acceleration), turning, Some((lasts, Event::Grips))));
        }
        if !straight {
            return None;
        }
        if self.velocity == DVec3::ZERO {
            // Held where friction is enough, else it begins to slide.
            let held = downhill.length() <= seat.friction;
            let slides = downhill - downhill.normalize_or_zero() * seat.friction;
            return Some((parabola(if held { DVec3::ZERO } else { slides }), DVec3::ZERO, None));
        }
        let acceleration = if level { DVec3::ZERO } else { downhill } - self.velocity.normalize() * seat.friction;
        let slowing = -acceleration.dot(self.velocity.normalize());
        let stops = (slowing > 0.0).then(|| (self.velocity.length() / slowing, Event::Stops));
        Some((parabola(acceleration), DVec3::ZERO, stops))
    }

    /// Brought back onto what it lies on.
    fn onto(&self, footing: Footing, mut place: DVec3) -> DVec3 {
        let times = if footing.other.is_some() { ONTO_BOTH } else { 1 };
        for _ in 0..times {
            for support in footing.supports() {
                let (gap, normal) = self.gap(support, place);
                place -= normal * gap;
            }
        }
        place
    }

    /// Seconds, of at most so many, for which it lies where it is when it stands still.
    fn lies_for(&self, footing: Footing, most: f64, rolls: bool) -> f64 {
        let holds = |after: f64| {
            let seat = self.seat_at(footing, self.time + after, self.place, DVec3::ZERO);
            let downhill = seat.level(seat.free).length();
            let held = downhill <= 1e-9 * seat.free.length() || (!rolls && downhill <= seat.friction);
            seat.stays() && held
        };
        if !holds(0.0) {
            return 0.0;
        }
        let most = most.min(LIES);
        let mut low = 0.0;
        for i in 1..=LOOKS {
            let at = most * f64::from(i) / f64::from(LOOKS);
            if !holds(at) {
                return halved((low, at), HALVINGS, &holds).1;
            }
            low = at;
        }
        most
    }

    /// A step along what bends, against the air, or while something changes, of at most so many seconds.
    fn along(&mut self, footing: Footing, left: f64) -> Going {
        let seat = self.seat(footing, self.place, self.velocity);
        let downhill = seat.level(seat.free);
        let friction = seat.friction;
        let rolls = self.balls() && matches!(self.mode, Mode::Rolls(_));
        // Standing still, held by friction: for good, since nothing changes any more.
        let speed = self.velocity.length();
        let held = downhill.length() <= 1e-9 * seat.free.length() || (!rolls && downhill.length() <= friction);
        // Where friction all but holds it, it creeps ever more slowly.
        let creeps = speed <= CREEPS * seat.free.length() && !rolls && downhill.length() <= friction * (1.0 + 1e-4);
        let rests = creeps || (held && speed <= 1e-9 * (1.0 + self.forecast.air(self.time).gravity.length()));
        if rests && self.forecast.changes() {
            // Until something lets it go again.
            let lasts = self.lies_for(footing, left, rolls);
            if lasts > SHORTEST_REST {
                self.velocity = DVec3::ZERO;
                self.spin = DVec3::ZERO;
                return (lies(), DVec3::ZERO, Some((lasts, Event::Goes)));
            }
        } else if rests {
            self.mode = Mode::Lies;
            self.velocity = DVec3::ZERO;
            self.spin = DVec3::ZERO;
            return (lies(), DVec3::ZERO, None);
        }
        // What barely moves goes where it is pulled as good as at once: friction turns it there, the faster the slower it
        // is, and below what a step is exact to none would follow that.
        let slow = ALIGNS * friction;
        let aligned =
            !self.balls() && downhill.length() > friction && speed <= slow && self.velocity.dot(downhill) >= 0.0;
        if aligned {
            self.velocity = self.velocity.project_onto(downhill);
        }
        let mut most = left;
        // Up to where sliding or slipping may end; friction turns round there, which no step may step over.
        let before = if self.balls() { self.slip(&seat, self.velocity, self.spin) } else { self.velocity };
        // What goes downhill faster than friction holds it does not stop within a step.
        let gains = !self.balls() && before.dot(downhill) >= 0.0 && downhill.length() > friction;
        if !rolls && friction > 0.0 && !gains {
            let slipping = if self.balls() { before.length() / seat.gripping() } else { before.length() };
            // Along the straight line where two flats meet it has one way to go: what pulls it onwards is taken off.
            let straight = !self.balls() && seat.line.is_some() && footing.supports().all(|on| self.is_flat(on));
            let slows = if straight { -downhill.dot(before.normalize_or_zero()) } else { downhill.length() };
            most = (slipping / (friction + slows)).max(1e-6).min(left);
        }
        let radius = self.setup.rolling_radius;
        let (from, used, there, ends, leaves) = {
            let this = &*self;
            let forces = |m: &Moving| {
                let seat = this.seat_at(footing, m.time, m.place, m.velocity);
                let (flat, held) = (seat.level(seat.free), seat.free + seat.held());
                // What holds it also bends its way, along with what bends.
                let held = held - seat.level(held);
                if rolls {
                    return (flat / seat.rolling() + held, DVec3::ZERO);
                }
                if this.balls() {
                    let pull = this.slip(&seat, m.velocity, m.spin).normalize_or_zero() * -seat.friction;
                    return (flat + held + pull, seat.normal.cross(pull) * (-seat.lever / (BALL * radius)));
                }
                // What begins to slide is held back against where it begins to.
                let way = seat.level(m.velocity).try_normalize();
                let way = way.filter(|_| !aligned || m.velocity.length() > 2.0 * slow);
                let way = way.unwrap_or(flat.normalize_or_zero());
                (flat + held - way * seat.friction, DVec3::ZERO)
            };
            let from = Moving { place: this.place, velocity: this.velocity, spin: this.spin, time: this.time };
            let mut stepper = this.stepper.clone();
            let (used, there, leaves) = loop {
                let (used, mut there) = stepper.step(&from, most, &forces);
                // What bends is followed; where that ends in an edge it goes on straight.
                let away = this.seat_at(footing, there.time, there.place, there.velocity).normal;
                let leaves = there.velocity.dot(away) > OVER_EDGE * there.velocity.length();
                // Kept on the ground, and its velocity along it.
                there.place = this.onto(footing, there.place);
                let seat = this.seat_at(footing, there.time, there.place, there.velocity);
                there.velocity = seat.level(there.velocity);
                // Where it is about to leave the ground it comes up to that in small steps.
                let seat = this.seat_at(footing, there.time, there.place, there.velocity);
                let stays = !leaves && this.stays(footing, &seat, (there.time, there.place), there.velocity);
                if used <= SHORTEST_SLIDE || stays {
                    break (used, there, leaves);
                }
                most = 0.5 * used;
            };
            let knot = |after: f64, m: &Moving| Knot {
                after,
                place: m.place,
                velocity: m.velocity,
                acceleration: forces(m).0,
            };
            let ends = Course::Step(Box::new((knot(0.0, &from), knot(used, &there))));
            self.stepper = stepper;
            (from, used, there, ends, leaves)
        };
        if leaves {
            let course = Course::Parabola { velocity: self.velocity, acceleration: seat.free };
            return (course, DVec3::ZERO, Some((used, Event::SlidesOff)));
        }
        let seat = self.seat_at(footing, there.time, there.place, there.velocity);
        if rolls {
            let spin = self.gripping(&seat, there.velocity, there.spin);
            return (ends, (spin - self.spin) / used, Some((used, Event::Goes)));
        }
        let turning = (there.spin - from.spin) / used;
        let after = if self.balls() { self.slip(&seat, there.velocity, there.spin) } else { there.velocity };
        // What only begins to move does not stop at once.
        let turns = before != DVec3::ZERO
            && (after.dot(before) <= 0.0 || after.length() <= 1e-6 * (before.length() + used * friction));
        // Less friction than there is keeps a ball rolling: then it grips rather than slip ever less.
        let needed = seat.level(seat.free).length() * (1.0 - 1.0 / seat.rolling());
        let grips = self.balls() && after.length() <= GRIPS * seat.free.length() && needed <= seat.friction;
        let stops = friction > 0.0 && (turns || grips);
        let event = match (stops, self.balls()) {
            (true, true) => Event::Grips,
            (true, false) => Event::Stops,
            _ => Event::Goes,
        };
        (ends, turning, Some((used, event)))
    }

    /// A step of an integration in the air, of at most so many seconds.
    fn stepped(&mut self, left: f64) -> Going {
        let from = Moving { place: self.place, velocity: self.velocity, spin: self.spin, time: self.time };
        let mut stepper = self.stepper.clone();
        let forces = |m: &Moving| (self.forecast.air(m.time).acceleration(m.velocity), DVec3::ZERO);
        let (used, there) = stepper.step(&from, left, &forces);
        let knot = |after, m: &Moving| Knot { after, place: m.place, velocity: m.velocity, acceleration: forces(m).0 };
        let ends = Course::Step(Box::new((knot(0.0, &from), knot(used, &there))));
        self.stepper = stepper;
        (ends, DVec3::ZERO, Some((used, Event::Goes)))
    }
}

const fn lies() -> Course {
    Course::Parabola { velocity: DVec3::ZERO, acceleration: DVec3::ZERO }
}
