//! One thing that is thrown, with its bounces, slides and rest.
//!
//! Flights without drag, or with drag that grows with the speed, have closed forms; contacts with the sides of a box
//! are roots of quadratics, others are found by going forward as far as nothing can be met (`meeting`). A thing that
//! bounces ever faster comes to rest at the limit of the series, and slides from then on: at the deceleration
//! friction × pressure on what is flat, in steps where the ground bends or the air drags.

use super::air::{Air, Course};
use super::meeting::{Met, Reach, meeting};
use super::obstacle::{Bounds, Obstacle, Side};
use super::steps::{Knot, Moving, Stepper};
use crate::motion::{Contact, Frames};
use crate::pose::scaled_axis;
use crate::surface::Shape;
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// What is thrown, and against what.
#[derive(Debug, Clone)]
pub struct LaunchSetup {
    /// Where it starts, metres.
    pub start: DVec3,
    /// How fast it starts, metres per second.
    pub velocity: DVec3,
    /// How fast it turns at the start, radians per second about world axes.
    pub spin: DVec3,
    /// Metres; where it is above 0, friction makes it turn and its turning feeds friction, as with a solid ball.
    pub rolling_radius: f64,
    /// What acts on it in flight.
    pub air: Air,
    /// Where the centre of the thing may be.
    pub bounds: Bounds,
    /// The sides that stop it; it passes through the others.
    pub sides: Vec<Side>,
    /// What else stops it.
    pub obstacles: Arc<Vec<Obstacle>>,
    /// How far its centre stays from obstacles, metres.
    pub radius: f64,
    /// Speed after ÷ speed before, across the side; 0 to 1.
    pub bounciness: f64,
    /// Coefficient of friction, at least 0.
    pub friction: f64,
    /// Frame at which it is let go.
    pub start_frame: f64,
    /// Frames per second.
    pub fps: f64,
    /// Seconds after which it stays where it is, when it has touched nothing by then.
    pub stays: Option<f64>,
    /// Frames after which it is thrown anew, above 0.
    pub every: Option<f64>,
    /// It is there before it is let go.
    pub waits: bool,
    /// Frames for which it is there from then on.
    pub life: f64,
}

impl LaunchSetup {
    /// A flight with nothing in its way, a second a frame.
    pub fn free(start: DVec3, velocity: DVec3, air: Air) -> Self {
        Self {
            start,
            velocity,
            spin: DVec3::ZERO,
            rolling_radius: 0.0,
            air,
            bounds: Bounds { min: DVec3::NEG_INFINITY, max: DVec3::INFINITY },
            sides: Vec::new(),
            obstacles: Arc::default(),
            radius: 0.0,
            bounciness: 0.0,
            friction: 0.0,
            start_frame: 0.0,
            fps: 1.0,
            stays: None,
            every: None,
            waits: true,
            life: f64::INFINITY,
        }
    }
}

/// What it touches.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Support {
    Side(Side),
    Obstacle(usize),
}

/// How it goes on.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Mode {
    Flies,
    /// Along something, against friction.
    Slides(Support),
    /// Along something, gripping it.
    Rolls(Support),
    /// It lies for good.
    Lies,
}

/// A stretch without events.
#[derive(Debug, Clone)]
pub(super) struct Piece {
    /// Seconds after the start.
    pub from: f64,
    place: DVec3,
    course: Course,
    /// Direction of travel when the velocity vanishes.
    travel: DVec3,
    spin: DVec3,
    /// Change of the spin, per second.
    turning: DVec3,
    turn: DQuat,
    /// It goes on smoothly from the piece before it.
    pub joined: bool,
}

/// Parts of a turn whose axis changes.
const TURN_STEPS: usize = 16;

impl Piece {
    pub fn place(&self, time: f64) -> DVec3 {
        match &self.course {
            Course::Step(knots) => knots.0.between(&knots.1, time - self.from).0,
            course => self.place + course.offset(time - self.from),
        }
    }

    pub fn velocity(&self, time: f64) -> DVec3 {
        self.course.velocity(time - self.from)
    }

    pub fn spin(&self, time: f64) -> DVec3 {
        self.spin + self.turning * (time - self.from)
    }

    pub fn orientation(&self, time: f64) -> DQuat {
        let t = time - self.from;
        if self.spin == DVec3::ZERO && self.turning == DVec3::ZERO {
            return self.turn;
        }
        // About one axis all the while it is one turn.
        if self.turning.cross(self.spin).length() <= 1e-12 * self.turning.length() * self.spin.length() {
            return scaled_axis((self.spin + self.turning * (0.5 * t)) * t) * self.turn;
        }
        let step = t / TURN_STEPS as f64;
        let part =
            |turn: DQuat, i: usize| scaled_axis((self.spin + self.turning * (step * (i as f64 + 0.5))) * step) * turn;
        (0..TURN_STEPS).fold(self.turn, part).normalize()
    }

    /// Direction of travel; the velocity may be nothing but rounding, as at the top of an upright throw.
    pub fn travel(&self, time: f64) -> DVec3 {
        let velocity = self.velocity(time);
        let sum = self.course.velocity(0.0).length() + self.course.most_acceleration() * (time - self.from);
        if velocity.length() > 1e-12 * sum { velocity.normalize() } else { self.travel }
    }
}

/// One thing, thrown.
#[derive(Debug, Clone)]
pub struct Throw {
    pub(super) setup: LaunchSetup,
    pub(super) pieces: Vec<Piece>,
    /// When each piece begins, seconds: looked through faster than the pieces themselves.
    begins: Vec<f64>,
    struck: Vec<Struck>,
    pub(super) capped: Option<f64>,
}

/// A contact, with what it was with; where nothing, it came to stay.
#[derive(Debug, Clone, Copy)]
struct Struck {
    on: Option<Support>,
    frame: f64,
    middle: DVec3,
    normal: DVec3,
    impulse: DVec3,
    speed_in: f64,
    speed_out: f64,
}

/// Contacts within one frame beyond which the motion is taken to have stopped.
const CONTACTS_PER_FRAME: usize = 4096;
/// Pieces for each contact that there may be, beyond which it is not followed further.
const PIECES: usize = 4;
/// Seconds of flight below which the rest of a series of bounces is taken at its limit: under gravity on earth they
/// rise by a ten-millionth of a millimetre.
const LIMIT_FLIGHT: f64 = 1e-5;
/// Slack when a contact is tested for lying within its side, relative to the size of the box.
const EDGE: f64 = 1e-9;
/// Seconds over which the bend of the ground is measured.
const BEND: f64 = 1e-5;
/// Seconds of the shortest step along what bends.
const SHORTEST_SLIDE: f64 = 1e-6;
/// Parts of the moment of inertia: a solid ball's, by mass and squared radius.
const BALL: f64 = 0.4;

impl Throw {
    /// Solves the throw up to a frame. All numbers of the setup must be finite (bounds aside), `fps` positive,
    /// bounciness in 0..=1, friction and drag not negative.
    /// At most so many contacts are followed.
    pub fn solve(setup: LaunchSetup, until_frame: f64, most_contacts: usize) -> Self {
        let frames = (until_frame - setup.start_frame).min(setup.every.unwrap_or(f64::INFINITY));
        let until = (frames / setup.fps).max(0.0);
        let mut solver = Solver::new(&setup, most_contacts);
        while solver.time < until && solver.step() {}
        let Solver { pieces, struck, capped, .. } = solver;
        let begins = pieces.iter().map(|piece| piece.from).collect();
        Self { pieces, begins, struck, capped, setup }
    }

    /// How many contacts there are up to where it is solved.
    pub(super) const fn touches(&self) -> usize {
        self.struck.len()
    }

    /// The frames of all contacts, in order.
    pub(super) fn touched_at(&self) -> impl Iterator<Item = f64> {
        self.struck.iter().map(|struck| struck.frame)
    }

    /// One of its contacts, as that of thing `object`, so many frames later.
    pub(super) fn contact(&self, number: usize, object: usize, later: f64) -> Contact {
        let Struck { on, frame, middle, normal, impulse, speed_in, speed_out } = self.struck[number];
        let other = match on {
            Some(Support::Side(side)) => side.name(),
            Some(Support::Obstacle(i)) => &self.setup.obstacles[i].name,
            None => "target",
        };
        let (other, place) = (other.to_owned(), middle - normal * self.setup.radius);
        Contact { object, other, frame: frame + later, place, middle, normal, impulse, speed_in, speed_out }
    }

    /// Seconds since it was let go for the last time, and at which frame that was.
    pub(super) fn since(&self, frame: f64) -> (f64, f64) {
        let setup = &self.setup;
        let throws = setup.every.map_or(0.0, |every| ((frame - setup.start_frame) / every).floor() * every);
        let from = setup.start_frame + throws;
        ((frame - from) / setup.fps, from)
    }

    /// Frames within a range by which what happened in the first throw comes later, with that throw's first frame.
    pub(super) fn throws(&self, range: Frames) -> Vec<f64> {
        let Some(every) = self.setup.every else { return vec![0.0] };
        let (first, last) =
            ((range.from - self.setup.start_frame) / every, (range.to - self.setup.start_frame) / every);
        (first.floor() as i64..=last.floor() as i64).map(|i| i as f64 * every).collect()
    }

    /// True where it is there at a frame.
    pub(super) fn is_there(&self, frame: f64) -> bool {
        let (seconds, from) = self.since(frame);
        (seconds >= 0.0 || self.setup.waits) && frame - from < self.setup.life
    }

    pub(super) fn piece(&self, time: f64) -> &Piece {
        let after = self.begins.partition_point(|from| *from <= time);
        &self.pieces[after.saturating_sub(1)]
    }
}

struct Solver<'a> {
    setup: &'a LaunchSetup,
    pieces: Vec<Piece>,
    struck: Vec<Struck>,
    time: f64,
    place: DVec3,
    velocity: DVec3,
    spin: DVec3,
    turn: DQuat,
    travel: DVec3,
    mode: Mode,
    /// Which side of each obstacle it is on: 1 outside, −1 within.
    outside: Vec<f64>,
    stepper: Stepper,
    joined: bool,
    capped: Option<f64>,
    /// How far beyond a side still counts as on it, metres.
    slack: f64,
    most_contacts: usize,
}

/// How it goes on, how its spin changes, and the event that ends that by itself.
type Going = (Course, DVec3, Option<(f64, Event)>);

enum Event {
    /// Only the end of a step.
    Goes,
    Touch(Support),
    SlidesOff,
    Stops,
    /// It is on the other side of an open obstacle.
    Rounds(usize),
    /// Nothing slips any more.
    Grips,
    /// The time to stay has come.
    Stays,
}

impl<'a> Solver<'a> {
    fn new(setup: &'a LaunchSetup, most_contacts: usize) -> Self {
        let side = |obstacle: &Obstacle| if obstacle.surface.distance(setup.start).0 < 0.0 { -1.0 } else { 1.0 };
        Self {
            setup,
            pieces: Vec::new(),
            struck: Vec::new(),
            time: 0.0,
            place: setup.start,
            velocity: setup.velocity,
            spin: setup.spin,
            turn: DQuat::IDENTITY,
            travel: setup.velocity.normalize_or_zero(),
            mode: Mode::Flies,
            outside: setup.obstacles.iter().map(side).collect(),
            stepper: Stepper::default(),
            joined: false,
            capped: None,
            slack: EDGE * setup.bounds.size(),
            most_contacts,
        }
    }

    fn balls(&self) -> bool {
        self.setup.rolling_radius > 0.0
    }

    /// Goes to the next event; false when nothing more happens.
    fn step(&mut self) -> bool {
        if self.pieces.len() >= PIECES * self.most_contacts {
            return self.held();
        }
        let (course, turning, own) = self.course();
        let piece = Piece {
            from: self.time,
            place: self.place,
            course,
            travel: self.travel,
            spin: self.spin,
            turning,
            turn: self.turn,
            joined: std::mem::take(&mut self.joined),
        };
        let Some((after, event)) = self.next_event(&piece.course, own) else {
            self.pieces.push(piece);
            return false;
        };
        let time = self.time + after;
        // A step that was taken whole ends exactly at its last knot.
        let whole = match &piece.course {
            Course::Step(knots) if after >= knots.1.after => Some(knots.1),
            _ => None,
        };
        self.place = whole.map_or_else(|| piece.place(time), |to| to.place);
        self.velocity = whole.map_or_else(|| piece.velocity(time), |to| to.velocity);
        self.spin = piece.spin(time);
        self.turn = piece.orientation(time);
        self.travel = piece.travel(time);
        self.time = time;
        if matches!(event, Event::Stops) {
            self.travel = piece.course.velocity(0.0).normalize_or(self.travel);
        }
        self.pieces.push(piece);
        match event {
            Event::Goes => {
                self.joined = true;
                true
            }
            Event::Touch(support) => self.touch(support),
            Event::Rounds(obstacle) => {
                self.outside[obstacle] = -self.outside[obstacle];
                self.joined = true;
                true
            }
            Event::SlidesOff => {
                self.mode = Mode::Flies;
                true
            }
            Event::Grips => {
                if let Mode::Slides(support) = self.mode {
                    self.mode = Mode::Rolls(support);
                    self.spin = self.gripping(support);
                }
                true
            }
            Event::Stops => {
                self.velocity = DVec3::ZERO;
                self.spin = DVec3::ZERO;
                true
            }
            Event::Stays => {
                self.stay();
                true
            }
        }
    }

    /// How it goes on, how its spin changes, and the event that ends that by itself.
    fn course(&mut self) -> Going {
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
    fn evenly(&mut self, support: Support) -> Option<Going> {
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
    fn along(&mut self, support: Support) -> Going {
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
    fn stepped(&mut self, forces: &super::steps::Forces<'_>) -> Going {
        let from = Moving { place: self.place, velocity: self.velocity, spin: self.spin };
        let (used, there) = self.stepper.step(&from, f64::INFINITY, forces);
        let knot = |after, m: &Moving| Knot { after, place: m.place, velocity: m.velocity, acceleration: forces(m).0 };
        (Course::Step(Box::new((knot(0.0, &from), knot(used, &there)))), DVec3::ZERO, Some((used, Event::Goes)))
    }

    fn is_flat(&self, support: Support) -> bool {
        match support {
            Support::Side(_) => true,
            Support::Obstacle(i) => matches!(*self.setup.obstacles[i].surface.shape, Shape::Plane { .. }),
        }
    }

    /// How far it is from touching, metres, and the unit vector away from what it would touch.
    fn gap(&self, support: Support, place: DVec3) -> (f64, DVec3) {
        match support {
            Support::Side(side) => {
                let (axis, sign) = side.axis();
                let mut normal = DVec3::ZERO;
                normal[axis] = -sign;
                (sign * (self.setup.bounds.side(side) - place[axis]), normal)
            }
            Support::Obstacle(i) => {
                let (distance, normal) = self.setup.obstacles[i].surface.distance(place);
                (self.outside[i] * distance - self.setup.radius, normal * self.outside[i])
            }
        }
    }

    fn friction(&self, support: Support) -> f64 {
        match support {
            Support::Side(_) => self.setup.friction,
            Support::Obstacle(i) => self.setup.friction * self.setup.obstacles[i].surface.grip,
        }
    }

    fn bounciness(&self, support: Support) -> f64 {
        match support {
            Support::Side(_) => self.setup.bounciness,
            Support::Obstacle(i) => (self.setup.bounciness * self.setup.obstacles[i].surface.bounce).min(1.0),
        }
    }

    /// What presses it onto what it lies on, metres per second squared, and what it would be accelerated by without.
    fn pressing(&self, support: Support, place: DVec3, velocity: DVec3) -> (f64, DVec3) {
        let free = self.setup.air.acceleration(velocity);
        let (_, normal) = self.gap(support, place);
        if self.is_flat(support) {
            return (-free.dot(normal), free);
        }
        let bend = self.gap(support, place + velocity * BEND).1 - self.gap(support, place - velocity * BEND).1;
        (-free.dot(normal) - velocity.dot(bend) / (2.0 * BEND), free)
    }

    /// Velocity of the point where a ball touches.
    fn slip(&self, support: Support) -> DVec3 {
        let (_, normal) = self.gap(support, self.place);
        let along = self.velocity - normal * self.velocity.dot(normal);
        along - self.spin.cross(normal) * self.setup.rolling_radius
    }

    /// The spin with which nothing slips.
    fn gripping(&self, support: Support) -> DVec3 {
        let (_, normal) = self.gap(support, self.place);
        normal.cross(self.velocity) / self.setup.rolling_radius + normal * self.spin.dot(normal)
    }

    /// True when it moves away from what it lies on.
    fn leaves(&self, on: Support) -> bool {
        let (_, normal) = self.gap(on, self.place);
        self.velocity.dot(normal) > 1e-9 * self.velocity.length()
    }

    fn next_event(&self, course: &Course, own: Option<(f64, Event)>) -> Option<(f64, Event)> {
        if self.mode == Mode::Lies {
            return None;
        }
        let mut next = own;
        let mut offer = |after: f64, event: Event| {
            if next.as_ref().is_none_or(|(known, _)| after < *known) {
                next = Some((after, event));
            }
        };
        let on = match self.mode {
            Mode::Slides(support) | Mode::Rolls(support) => Some(support),
            _ => None,
        };
        for side in Side::ALL {
            if on == Some(Support::Side(side)) {
                continue;
            }
            let chosen = self.setup.sides.contains(&side);
            // An edge ends what it lies on only where that is a side of the box.
            let edge = matches!(on, Some(Support::Side(_)));
            if !chosen && !edge {
                continue;
            }
            if let Some(after) = self.reaches(side, course) {
                offer(after, if chosen { Event::Touch(Support::Side(side)) } else { Event::SlidesOff });
            }
        }
        for i in 0..self.setup.obstacles.len() {
            let support = Support::Obstacle(i);
            if on == Some(support) {
                continue;
            }
            let reach = Reach { place: self.place, course, size: self.size() };
            if let Some(after) = self.meets_plane(support, course) {
                after.into_iter().for_each(|after| offer(after, Event::Touch(support)));
                continue;
            }
            match meeting(&reach, |place| self.gap(support, place).0) {
                Some(Met::Touched(after)) => offer(after, Event::Touch(support)),
                Some(Met::Rounded(after)) => offer(after, Event::Rounds(i)),
                None => {}
            }
        }
        if let Some(stays) = self.setup.stays.filter(|stays| self.struck.is_empty() && *stays >= self.time) {
            offer(stays - self.time, Event::Stays);
        }
        next
    }

    /// What lengths are measured by, metres.
    fn size(&self) -> f64 {
        let size = self.setup.bounds.size();
        if size > 0.0 { size } else { 1.0 }
    }

    /// In closed form, seconds until what flies on a parabola meets a plane, if it does; nothing for all else.
    fn meets_plane(&self, support: Support, course: &Course) -> Option<Option<f64>> {
        let Course::Parabola { velocity, acceleration } = course else { return None };
        let (gap, normal) = self.gap(support, self.place);
        if !self.is_flat(support) || gap < -self.slack {
            return None;
        }
        Some(first_reach(gap.max(0.0), -velocity.dot(normal), -acceleration.dot(normal)))
    }

    /// Seconds until it meets a side from the inside, within the side's edges.
    fn reaches(&self, side: Side, course: &Course) -> Option<f64> {
        let (axis, sign) = side.axis();
        let distance = sign * (self.setup.bounds.side(side) - self.place[axis]);
        if !distance.is_finite() || distance < -self.slack {
            return None;
        }
        let after = match course {
            Course::Parabola { velocity, acceleration } => {
                // Rounding may leave it a hair beyond a side that it meets together with another.
                first_reach(distance.max(0.0), sign * velocity[axis], sign * acceleration[axis])?
            }
            _ => {
                let reach = Reach { place: self.place, course, size: self.size() };
                meeting(&reach, |place| sign * (self.setup.bounds.side(side) - place[axis]))?.touched()?
            }
        };
        let (place, leaving) = (self.place + course.offset(after), course.velocity(after));
        let inside = Side::ALL.into_iter().filter(|other| other.axis().0 != axis).all(|other| {
            let (axis, sign) = other.axis();
            let beyond = sign * (place[axis] - self.setup.bounds.side(other));
            // On the very edge it counts as gone when it moves out through an open side.
            let gone = beyond > -self.slack && sign * leaving[axis] > 0.0 && !self.setup.sides.contains(&other);
            beyond <= self.slack && !gone
        });
        inside.then_some(after)
    }

    /// Across × −e; along, at most μ(1+e) times the speed across is lost, and of a ball at most what makes it grip.
    fn touch(&mut self, support: Support) -> bool {
        let (gap, normal) = self.gap(support, self.place);
        let (e, friction) = (self.bounciness(support), self.friction(support));
        let before = self.velocity;
        let across = (-before.dot(normal)).max(0.0);
        match support {
            Support::Side(side) => self.place[side.axis().0] = self.setup.bounds.side(side),
            Support::Obstacle(_) => self.place -= normal * gap,
        }
        self.velocity = before - normal * before.dot(normal);
        self.rub(normal, friction * (1.0 + e) * across);
        self.velocity += normal * (e * across);
        self.mode = match self.mode {
            // Beside what it lies on it may touch something else.
            Mode::Slides(on) | Mode::Rolls(on) if on != support && !self.leaves(on) => Mode::Slides(on),
            _ => Mode::Flies,
        };
        self.settle_or_fly(support, normal, e * across);
        self.travel = self.velocity.try_normalize().unwrap_or(self.travel);
        self.note(Some(support), normal, before)
    }

    /// Friction along what is touched, of so much change of velocity at most.
    fn rub(&mut self, normal: DVec3, most: f64) {
        if !self.balls() {
            self.velocity = slowed(self.velocity, most);
            return;
        }
        let radius = self.setup.rolling_radius;
        let slip = self.velocity - normal * self.velocity.dot(normal) - self.spin.cross(normal) * radius;
        let by = (slip.length() / (1.0 + 1.0 / BALL)).min(most);
        let change = slip.normalize_or_zero() * -by;
        self.velocity += change;
        self.spin -= normal.cross(change) / (BALL * radius);
    }

    fn note(&mut self, on: Option<Support>, normal: DVec3, before: DVec3) -> bool {
        let frame = self.setup.start_frame + self.time * self.setup.fps;
        self.struck.push(Struck {
            on,
            frame,
            middle: self.place,
            normal,
            impulse: self.velocity - before,
            speed_in: before.length(),
            speed_out: self.velocity.length(),
        });
        self.too_many(frame)
    }

    /// It stays where it was thrown to.
    fn stay(&mut self) {
        let before = self.velocity;
        self.velocity = DVec3::ZERO;
        self.spin = DVec3::ZERO;
        self.mode = Mode::Lies;
        let up = (-self.setup.air.gravity).try_normalize().unwrap_or(-before.normalize_or_zero());
        self.note(None, up, before);
    }

    /// Takes what is left of ever shorter bounces at its limit: time T/(1−e) of the next flight T, and along the side
    /// the friction of all their contacts.
    fn settle_or_fly(&mut self, support: Support, normal: DVec3, leaving: f64) {
        let e = self.bounciness(support);
        let pressing = self.pressing(support, self.place, self.velocity - normal * leaving).0;
        if pressing <= 0.0 || e >= 1.0 {
            return;
        }
        let flight = 2.0 * leaving / pressing;
        if flight > LIMIT_FLIGHT {
            return;
        }
        let left = 1.0 - e;
        self.velocity -= normal * self.velocity.dot(normal);
        let limit = self.place + self.velocity * (flight / left);
        // Where another side comes first, it rests from here on and slides into that; what bends it does not leave.
        if self.is_flat(support) && self.setup.bounds.contains(limit) {
            self.place = limit;
            self.time += flight / left;
        }
        self.rub(normal, self.friction(support) * (1.0 + e) * leaving / left);
        self.mode = Mode::Slides(support);
    }

    /// False, and at rest from here on, when contacts come too fast or are too many.
    fn too_many(&mut self, frame: f64) -> bool {
        let count = self.struck.len();
        let fast = count > CONTACTS_PER_FRAME && frame - self.struck[count - CONTACTS_PER_FRAME].frame < 1.0;
        if fast || count >= self.most_contacts {
            return self.held();
        }
        true
    }

    /// It is held from here on, and that is said.
    fn held(&mut self) -> bool {
        self.capped = Some(self.setup.start_frame + self.time * self.setup.fps);
        self.pieces.push(Piece {
            from: self.time,
            place: self.place,
            course: Course::Parabola { velocity: DVec3::ZERO, acceleration: DVec3::ZERO },
            travel: self.travel,
            spin: DVec3::ZERO,
            turning: DVec3::ZERO,
            turn: self.turn,
            joined: false,
        });
        false
    }
}

fn slowed(velocity: DVec3, by: f64) -> DVec3 {
    let speed = velocity.length();
    if speed <= by { DVec3::ZERO } else { velocity * (1.0 - by / speed) }
}

/// The first time after which `distance` is covered outward at speed `w` and acceleration `a`; the
/// root at which it moves outward, without cancellation.
fn first_reach(distance: f64, w: f64, a: f64) -> Option<f64> {
    if a == 0.0 {
        return (w > 0.0).then(|| distance / w);
    }
    let square = w * w + 2.0 * a * distance;
    if square < 0.0 {
        return None;
    }
    let root = square.sqrt();
    if w > 0.0 { Some(2.0 * distance / (w + root)) } else { (a > 0.0).then(|| (root - w) / a) }
}
