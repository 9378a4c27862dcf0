//! One thing that is thrown, with its bounces, slides and rest.
//!
//! Flights without drag, or with drag that grows with the speed, have closed forms; contacts with the sides of a box
//! are roots of quadratics, others are found by going forward as far as nothing can be met (`surface::meeting`). A thing that
//! bounces ever faster comes to rest at the limit of the series, and slides from then on: at the deceleration
//! friction × pressure on what is flat, in steps where the ground bends or the air drags.

mod events;
mod faces;
mod footing;
mod going;
mod touching;

use super::air::{Air, Course};
use super::changing::{Changing, Forecast};
use super::obstacle::{Bounds, Obstacle, Side};
use crate::motion::{Contact, Frames};
use crate::physics::rigid::steps::Stepper;
use crate::pose::scaled_axis;
use crate::signal::Thing;
use crate::surface::Travel;
use crate::work::spend;
use faces::Face;
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
    /// What takes the place of air, bounciness and friction where any of it changes over time.
    pub changing: Option<Arc<Changing>>,
    /// Which thing it is, for what changes.
    pub thing: Thing,
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
            changing: None,
            thing: Thing { index: 0, count: 1 },
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
    /// One of the faces that the solver makes of obstacles.
    Face(usize),
}

/// What it lies on.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Footing {
    one: Support,
    /// It lies in between, and goes along where both meet.
    other: Option<Support>,
}

/// How it goes on.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Mode {
    Flies,
    /// Along something, against friction.
    Slides(Footing),
    /// Along something, gripping it.
    Rolls(Footing),
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

/// What was struck.
#[derive(Debug, Clone, Copy)]
enum Other {
    Side(Side),
    Obstacle(usize),
}

/// A contact, with what it was with; where nothing, it came to stay.
#[derive(Debug, Clone, Copy)]
struct Struck {
    on: Option<Other>,
    frame: f64,
    middle: DVec3,
    normal: DVec3,
    impulse: DVec3,
    speed_in: f64,
    speed_out: f64,
}

/// Pieces for each contact that there may be, beyond which it is not followed further.
const PIECES: usize = 4;
/// Slack when a contact is tested for lying within its side, relative to the size of the box.
const EDGE: f64 = 1e-9;
/// Parts of the moment of inertia: a solid ball's, by mass and squared radius.
const BALL: f64 = 0.4;

/// Looks that a step counts as: what lies in its way is looked for.
const OF_A_STEP: u64 = 8;

impl Throw {
    /// Solves the throw up to a frame. All numbers of the setup must be finite (bounds aside), `fps` positive,
    /// bounciness in 0..=1, friction and drag not negative.
    /// At most so many contacts are followed.
    pub fn solve(setup: LaunchSetup, until_frame: f64, most_contacts: usize) -> Self {
        let frames = (until_frame - setup.start_frame).min(setup.every.unwrap_or(f64::INFINITY));
        let until = (frames / setup.fps).max(0.0);
        let mut solver = Solver::new(&setup, until, most_contacts);
        while solver.time < until && spend(OF_A_STEP) && solver.step() {}
        let Solver { pieces, struck, capped, .. } = solver;
        let begins = pieces.iter().map(|piece| piece.from).collect();
        Self { pieces, begins, struck, capped, setup }
    }

    /// Where it is so many seconds after it was let go, metres.
    pub(super) fn place(&self, seconds: f64) -> DVec3 {
        if self.pieces.is_empty() { self.setup.start } else { self.piece(seconds).place(seconds) }
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
            Some(Other::Side(side)) => side.name(),
            Some(Other::Obstacle(i)) => &self.setup.obstacles[i].name,
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

/// What lengths are measured by, metres.
fn size(setup: &LaunchSetup) -> f64 {
    let size = setup.bounds.size();
    if size > 0.0 { size } else { 1.0 }
}

struct Solver<'a> {
    setup: &'a LaunchSetup,
    forecast: Forecast<'a>,
    pieces: Vec<Piece>,
    struck: Vec<Struck>,
    time: f64,
    place: DVec3,
    velocity: DVec3,
    spin: DVec3,
    turn: DQuat,
    travel: DVec3,
    mode: Mode,
    faces: Vec<Face>,
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
    /// What comes next could not be told.
    Lost,
}

impl<'a> Solver<'a> {
    fn new(setup: &'a LaunchSetup, until: f64, most_contacts: usize) -> Self {
        Self {
            setup,
            forecast: Forecast::new(setup, until),
            pieces: Vec::new(),
            struck: Vec::new(),
            time: 0.0,
            place: setup.start,
            velocity: setup.velocity,
            spin: setup.spin,
            turn: DQuat::IDENTITY,
            travel: setup.velocity.normalize_or_zero(),
            mode: Mode::Flies,
            faces: faces::of(&setup.obstacles, setup.start),
            stepper: Stepper::default(),
            joined: false,
            capped: None,
            slack: EDGE * size(setup),
            most_contacts,
        }
    }

    fn balls(&self) -> bool {
        self.setup.rolling_radius > 0.0
    }

    /// What begins now.
    fn piece(&mut self, course: Course, turning: DVec3, travel: DVec3) -> Piece {
        Piece {
            from: self.time,
            place: self.place,
            course,
            travel,
            spin: self.spin,
            turning,
            turn: self.turn,
            joined: std::mem::take(&mut self.joined),
        }
    }

    /// Goes to the next event; false when nothing more happens.
    fn step(&mut self) -> bool {
        if self.pieces.len() >= PIECES * self.most_contacts {
            return self.held();
        }
        let (course, turning, own) = self.course();
        let piece = self.piece(course, turning, self.travel);
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
            Event::Rounds(face) => {
                self.faces[face].outside *= -1.0;
                self.joined = true;
                true
            }
            Event::SlidesOff => {
                self.mode = Mode::Flies;
                true
            }
            Event::Grips => {
                if let Mode::Slides(footing) = self.mode {
                    self.mode = Mode::Rolls(footing);
                    let seat = self.seat(footing, self.place, self.velocity);
                    self.spin = self.gripping(&seat, self.velocity, self.spin);
                }
                true
            }
            Event::Lost => self.held(),
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
}
