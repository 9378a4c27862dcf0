//! Throws with bounces, in closed form between contacts.
//!
//! Flights are parabolas; contacts are roots of quadratics; a thing that bounces ever faster comes
//! to rest at the limit of the series, then slides at the deceleration friction × gravity.

use crate::motion::{Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Outside, Sample};
use glam::DVec3;
use std::sync::Arc;

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
    const fn axis(self) -> (usize, f64) {
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
    /// True when a place lies in it or on its border.
    pub fn contains(&self, place: DVec3) -> bool {
        place.cmpge(self.min).all() && place.cmple(self.max).all()
    }

    /// The longest side that has an end, metres; 0 when there is none.
    fn size(&self) -> f64 {
        (self.max - self.min).to_array().into_iter().filter(|side| side.is_finite()).fold(0.0, f64::max)
    }
}

/// What is thrown, and against what.
#[derive(Debug, Clone, PartialEq)]
pub struct LaunchSetup {
    /// Where it starts, metres.
    pub start: DVec3,
    /// How fast it starts, metres per second.
    pub velocity: DVec3,
    /// Downward (−y) acceleration, metres per second squared; negative pulls up.
    pub gravity: f64,
    /// Where the centre of the thing may be.
    pub bounds: Bounds,
    /// The sides that stop it; it passes through the others.
    pub sides: Vec<Side>,
    /// Speed after ÷ speed before, across the side; 0 to 1.
    pub bounciness: f64,
    /// Coefficient of friction, at least 0.
    pub friction: f64,
    /// Frame at which it is let go.
    pub start_frame: f64,
    /// Frames per second.
    pub fps: f64,
}

/// A stretch of constant acceleration.
#[derive(Debug, Clone, Copy)]
struct Piece {
    /// Seconds after the start.
    from: f64,
    position: DVec3,
    velocity: DVec3,
    acceleration: DVec3,
    /// Direction of travel when the velocity vanishes.
    travel: DVec3,
}

impl Piece {
    fn position(&self, time: f64) -> DVec3 {
        let t = time - self.from;
        self.position + (self.velocity + self.acceleration * (0.5 * t)) * t
    }

    fn velocity(&self, time: f64) -> DVec3 {
        self.velocity + self.acceleration * (time - self.from)
    }

    /// False where the velocity is nothing but rounding, as at the top of an upright throw.
    fn moves(&self, time: f64) -> bool {
        let sum = self.velocity.length() + self.acceleration.length() * (time - self.from);
        self.velocity(time).length() > 1e-12 * sum
    }
}

/// One thing, thrown.
#[derive(Debug, Clone)]
pub struct Launch {
    setup: LaunchSetup,
    pieces: Vec<Piece>,
    contacts: Vec<Contact>,
    solved_until: f64,
    capped: Option<f64>,
}

/// Contacts within one frame beyond which the motion is taken to have stopped.
const CONTACTS_PER_FRAME: usize = 4096;
/// Contacts in all beyond which the motion is taken to have stopped.
const MOST_CONTACTS: usize = 100_000;
/// Seconds of flight below which the rest of a series of bounces is taken at its limit.
const LIMIT_FLIGHT: f64 = 1e-7;
/// Slack when a contact is tested for lying within its side, relative to the size of the box.
const EDGE: f64 = 1e-9;

impl Launch {
    /// Solves the throw up to a frame. All numbers of the setup must be finite (bounds aside), `fps`
    /// positive, bounciness in 0..=1 and friction not negative.
    pub fn solve(setup: LaunchSetup, until_frame: f64) -> Self {
        let until = ((until_frame - setup.start_frame) / setup.fps).max(0.0);
        let mut solver = Solver::new(&setup);
        while solver.time < until && solver.step() {}
        let Solver { pieces, contacts, capped, .. } = solver;
        Self { pieces, contacts, solved_until: until_frame, capped, setup }
    }

    /// The frame at which it was taken to have stopped because contacts came too fast or were too many.
    pub const fn capped(&self) -> Option<f64> {
        self.capped
    }

    /// What was thrown.
    pub const fn setup(&self) -> &LaunchSetup {
        &self.setup
    }

    fn seconds(&self, frame: f64) -> f64 {
        (frame - self.setup.start_frame) / self.setup.fps
    }

    fn piece(&self, time: f64) -> &Piece {
        let after = self.pieces.partition_point(|piece| piece.from <= time);
        &self.pieces[after.saturating_sub(1)]
    }
}

struct Solver<'a> {
    setup: &'a LaunchSetup,
    pieces: Vec<Piece>,
    contacts: Vec<Contact>,
    time: f64,
    position: DVec3,
    velocity: DVec3,
    travel: DVec3,
    /// The side it lies on.
    resting: Option<Side>,
    capped: Option<f64>,
    /// How far beyond a side still counts as on it, metres.
    slack: f64,
}

enum Event {
    Touch(Side),
    SlidesOff,
    Stops,
}

impl<'a> Solver<'a> {
    fn new(setup: &'a LaunchSetup) -> Self {
        Self {
            setup,
            pieces: Vec::new(),
            contacts: Vec::new(),
            time: 0.0,
            position: setup.start,
            velocity: setup.velocity,
            travel: setup.velocity.normalize_or_zero(),
            resting: None,
            capped: None,
            slack: EDGE * setup.bounds.size(),
        }
    }

    /// Goes to the next event; false when nothing more happens.
    fn step(&mut self) -> bool {
        let acceleration = self.acceleration();
        let piece = Piece {
            from: self.time,
            position: self.position,
            velocity: self.velocity,
            acceleration,
            travel: self.travel,
        };
        self.pieces.push(piece);
        let Some((after, event)) = self.next_event(acceleration) else {
            return false;
        };
        let time = self.time + after;
        let (position, velocity) = (piece.position(time), piece.velocity(time));
        self.time = time;
        self.position = position;
        self.velocity = velocity;
        self.travel = velocity.try_normalize().unwrap_or(self.travel);
        match event {
            Event::Touch(side) => self.touch(side),
            Event::SlidesOff => {
                self.resting = None;
                true
            }
            Event::Stops => {
                self.travel = piece.velocity.normalize_or(self.travel);
                self.velocity = DVec3::ZERO;
                true
            }
        }
    }

    fn acceleration(&self) -> DVec3 {
        let gravity = DVec3::NEG_Y * self.setup.gravity;
        let Some(side) = self.resting else { return gravity };
        let (axis, sign) = side.axis();
        let pressing = gravity[axis] * sign;
        let mut along = gravity;
        along[axis] = 0.0;
        along - self.velocity.normalize_or_zero() * (self.setup.friction * pressing)
    }

    fn next_event(&self, acceleration: DVec3) -> Option<(f64, Event)> {
        let mut next: Option<(f64, Event)> = None;
        let mut offer = |after: f64, event: Event| {
            if next.as_ref().is_none_or(|(known, _)| after < *known) {
                next = Some((after, event));
            }
        };
        if self.resting.is_some() && self.velocity != DVec3::ZERO && acceleration != DVec3::ZERO {
            offer(self.velocity.length() / acceleration.length(), Event::Stops);
        }
        for side in Side::ALL {
            if self.resting == Some(side) {
                continue;
            }
            let chosen = self.setup.sides.contains(&side);
            if !chosen && self.resting.is_none() {
                continue;
            }
            if let Some(after) = self.reaches(side, acceleration) {
                offer(after, if chosen { Event::Touch(side) } else { Event::SlidesOff });
            }
        }
        next
    }

    /// Seconds until it meets a side from the inside, within the side's edges.
    fn reaches(&self, side: Side, acceleration: DVec3) -> Option<f64> {
        let (axis, sign) = side.axis();
        let bound = self.bound(side);
        let distance = sign * (bound - self.position[axis]);
        if !distance.is_finite() || distance < -self.slack {
            return None;
        }
        // Rounding may leave it a hair beyond a side that it meets together with another.
        let distance = distance.max(0.0);
        let after = first_reach(distance, sign * self.velocity[axis], sign * acceleration[axis])?;
        let place = self.position + (self.velocity + acceleration * (0.5 * after)) * after;
        let leaving = self.velocity + acceleration * after;
        let inside = Side::ALL.into_iter().filter(|other| other.axis().0 != axis).all(|other| {
            let (axis, sign) = other.axis();
            let beyond = sign * (place[axis] - self.bound(other));
            // On the very edge it counts as gone when it moves out through an open side.
            let gone = beyond > -self.slack && sign * leaving[axis] > 0.0 && !self.setup.sides.contains(&other);
            beyond <= self.slack && !gone
        });
        inside.then_some(after)
    }

    fn bound(&self, side: Side) -> f64 {
        let (axis, sign) = side.axis();
        if sign < 0.0 { self.setup.bounds.min[axis] } else { self.setup.bounds.max[axis] }
    }

    /// Contact without spin: across × −e; along, at most μ(1+e) times the speed across is lost.
    fn touch(&mut self, side: Side) -> bool {
        let (axis, sign) = side.axis();
        let (e, friction) = (self.setup.bounciness, self.setup.friction);
        let before = self.velocity;
        let across = (before[axis] * sign).max(0.0);
        let mut along = before;
        along[axis] = 0.0;
        along = slowed(along, friction * (1.0 + e) * across);
        self.position[axis] = self.bound(side);
        self.velocity = along;
        self.velocity[axis] = -sign * e * across;
        self.settle_or_fly(side, e * across);
        self.travel = self.velocity.try_normalize().unwrap_or(self.travel);
        let mut normal = DVec3::ZERO;
        normal[axis] = -sign;
        let frame = self.setup.start_frame + self.time * self.setup.fps;
        self.contacts.push(Contact {
            object: 0,
            other: side.name().to_owned(),
            frame,
            place: self.position,
            normal,
            impulse: self.velocity - before,
            speed_in: before.length(),
            speed_out: self.velocity.length(),
        });
        self.too_many(frame)
    }

    /// Takes what is left of ever shorter bounces at its limit: time T/(1−e) of the next flight T,
    /// and along the side the friction of all their contacts.
    fn settle_or_fly(&mut self, side: Side, leaving: f64) {
        let (axis, sign) = side.axis();
        let pressing = -self.setup.gravity * if axis == 1 { sign } else { 0.0 };
        if pressing <= 0.0 || self.setup.bounciness >= 1.0 {
            return;
        }
        let flight = 2.0 * leaving / pressing;
        if flight > LIMIT_FLIGHT {
            return;
        }
        let left = 1.0 - self.setup.bounciness;
        self.velocity[axis] = 0.0;
        let limit = self.position + self.velocity * (flight / left);
        // Where another side comes first, it rests from here on and slides into that.
        if self.setup.bounds.contains(limit) {
            self.position = limit;
            self.time += flight / left;
        }
        let lost = self.setup.friction * (1.0 + self.setup.bounciness) * leaving / left;
        self.velocity = slowed(self.velocity, lost);
        self.resting = Some(side);
    }

    /// False, and at rest from here on, when contacts come too fast or are too many.
    fn too_many(&mut self, frame: f64) -> bool {
        let count = self.contacts.len();
        let fast = count > CONTACTS_PER_FRAME && frame - self.contacts[count - CONTACTS_PER_FRAME].frame < 1.0;
        let crowded = fast || count >= MOST_CONTACTS;
        if crowded {
            self.capped = Some(frame);
            self.pieces.push(Piece {
                from: self.time,
                position: self.position,
                velocity: DVec3::ZERO,
                acceleration: DVec3::ZERO,
                travel: self.travel,
            });
        }
        !crowded
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

impl Motion for Launch {
    fn len(&self) -> usize {
        1
    }

    fn extent(&self) -> Extent {
        Extent { from: self.setup.start_frame, to: self.solved_until, outside: Outside::RunsOn }
    }

    fn prepare(&self, range: Frames, _cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        Ok((range.to > self.solved_until)
            .then(|| -> Arc<dyn Motion> { Arc::new(Self::solve(self.setup.clone(), range.to)) }))
    }

    fn varies(&self) -> Columns {
        Columns::POSITION
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(_, frame)) in at.iter().enumerate() {
            let time = self.seconds(frame);
            if time < 0.0 || self.pieces.is_empty() {
                if let Some(position) = out.positions.get_mut(row) {
                    *position = self.setup.start;
                }
                if let Some(travel) = out.travels.get_mut(row) {
                    *travel = self.setup.velocity.normalize_or_zero();
                }
                continue;
            }
            let piece = self.piece(time);
            let velocity = piece.velocity(time);
            if let Some(position) = out.positions.get_mut(row) {
                *position = piece.position(time);
            }
            if let Some(value) = out.velocities.get_mut(row) {
                *value = velocity / self.setup.fps;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = if piece.moves(time) { velocity.normalize() } else { piece.travel };
            }
        }
    }

    fn breaks(&self, _object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let frame_of = |time: f64| self.setup.start_frame + time * self.setup.fps;
        let mut breaks: Vec<Break> = self
            .pieces
            .iter()
            .map(|piece| Break { frame: frame_of(piece.from), kind: BreakKind::Corner })
            .chain(self.contacts.iter().map(|contact| Break { frame: contact.frame, kind: BreakKind::Contact }))
            .filter(|b| range.holds(b.frame))
            .collect();
        breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.kind.rank().cmp(&b.kind.rank())));
        breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
        Ok(breaks)
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        self.contacts.iter().filter(|contact| range.holds(contact.frame)).cloned().collect()
    }
}
