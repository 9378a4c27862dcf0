//! Things thrown to and fro between two places, in turns.

use super::air::Air;
use super::launch::Launch;
use super::throw::LaunchSetup;
use crate::motion::{Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Outside, Sample};
use crate::physics::rigid::steps::Knot;
use crate::pose::scaled_axis;
use crate::roots::bottom_by_thirds;
use glam::{DQuat, DVec3};
use std::f64::consts::TAU;
use std::sync::Arc;

/// A throw from a place to another and back again, for ever.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TossSetup {
    /// The two places that it leaves, metres; where they are the same it comes back after one flight.
    pub places: [DVec3; 2],
    /// Where it is caught at each of them; where that is another place it is carried over while it is held, for longer
    /// than no time.
    pub catches: [DVec3; 2],
    /// Velocities with which it leaves them, metres per second.
    pub velocities: [DVec3; 2],
    /// Seconds in flight, above 0.
    pub flight: f64,
    /// Seconds for which it is held after each.
    pub held: f64,
    /// Turns in each flight, about a unit axis.
    pub turns: f64,
    /// That axis.
    pub axis: DVec3,
    /// What acts on it.
    pub air: Air,
    /// How many things take turns.
    pub things: usize,
    /// Frames from one thing to the next; nothing spreads them evenly over the time for one round.
    pub later: Option<f64>,
    /// Frame at which the first leaves its first place.
    pub start_frame: f64,
    /// Frames per second.
    pub fps: f64,
}

impl TossSetup {
    /// True where it comes back to the place that it left.
    pub fn is_upright(&self) -> bool {
        self.places[0] == self.places[1]
    }

    fn flights(&self) -> usize {
        if self.is_upright() { 1 } else { 2 }
    }

    /// From where it leaves one of the two places to where it is caught at the other, metres.
    pub fn by(&self, from: usize) -> DVec3 {
        self.catches[1 - from] - self.places[from]
    }

    /// Seconds until a thing is where it was, with the same velocity.
    pub fn round(&self) -> f64 {
        self.flights() as f64 * (self.flight + self.held)
    }

    /// Frames from one thing to the next.
    pub fn later(&self) -> f64 {
        self.later.unwrap_or_else(|| self.round() * self.fps / self.things as f64)
    }
}

/// Things thrown to and fro.
#[derive(Clone)]
pub struct Toss {
    setup: TossSetup,
    /// Each flight from its own place.
    flights: Arc<Vec<Launch>>,
}

/// Looks a frame at how near things come, the most of them, and the most things.
const LOOKS: f64 = 8.0;
const MOST_LOOKS: f64 = 20_000.0;
const MOST_COMPARED: usize = 32;
/// Of the moments at which two are nearer than before and after, those that are looked at closely.
const MOST_NEAR: usize = 24;
/// Rounds of narrowing around the nearest.
const ROUNDS: u32 = 40;

/// Where a thing is in its round.
struct Moment {
    flight: usize,
    /// Seconds since that flight began.
    since: f64,
    /// Turns of the rounds and flights before.
    turns: f64,
}

impl Toss {
    /// The velocities must be those that go from each place to the other in the time of the flight.
    pub fn new(setup: TossSetup) -> Self {
        let flight = |i: usize| {
            let nothing = LaunchSetup::free(setup.places[i], setup.velocities[i], setup.air);
            Launch::solve(nothing, setup.flight + 1e-3)
        };
        let flights = (0..setup.flights()).map(flight).collect();
        Self { setup, flights: Arc::new(flights) }
    }

    /// How it is thrown.
    pub const fn setup(&self) -> &TossSetup {
        &self.setup
    }

    /// The nearest that two things come to each other within a round: metres, the two, and the frame; nothing of fewer
    /// than two things, of very many, or where that takes too long.
    pub fn closest(&self) -> Option<(f64, [usize; 2], f64)> {
        let things = self.len();
        let round = self.setup.round() * self.setup.fps;
        let looks = (round * LOOKS).ceil();
        if !(2..=MOST_COMPARED).contains(&things) || looks > MOST_LOOKS {
            return None;
        }
        let places = |frame: f64| -> Vec<DVec3> {
            (0..things).map(|object| self.state(&self.moment(object, frame)).0).collect()
        };
        let apart = |frame: f64, [a, b]: [usize; 2]| places(frame)[a].distance(places(frame)[b]);
        let pairs: Vec<[usize; 2]> = (0..things).flat_map(|a| (a + 1..things).map(move |b| [a, b])).collect();
        let far = || vec![f64::INFINITY; pairs.len()];
        let looked = |look: usize| {
            let places = places(self.setup.start_frame + look as f64 / LOOKS);
            pairs.iter().map(|&[a, b]| places[a].distance(places[b])).collect()
        };
        // Where two are nearer than a look before and after; in between they may be nearer still.
        let last = looks as usize;
        let (mut before, mut now): (Vec<f64>, Vec<f64>) = (far(), looked(0));
        let mut near: Vec<(f64, usize, usize)> = Vec::new();
        for look in 0..=last {
            let after = if look < last { looked(look + 1) } else { far() };
            let least = (0..pairs.len()).filter(|&i| now[i] <= before[i] && now[i] <= after[i]);
            near.extend(least.map(|i| (now[i], i, look)));
            (before, now) = (now, after);
        }
        near.sort_by(|a, b| a.0.total_cmp(&b.0));
        let nearest = |&(_, pair, look): &(f64, usize, usize)| {
            let (pair, frame) = (pairs[pair], self.setup.start_frame + look as f64 / LOOKS);
            let around = (frame - 1.0 / LOOKS, frame + 1.0 / LOOKS);
            let frame = bottom_by_thirds(around, ROUNDS, |one, two| apart(one, pair) < apart(two, pair));
            (apart(frame, pair), pair, frame)
        };
        near.iter().take(MOST_NEAR).map(nearest).min_by(|a, b| a.0.total_cmp(&b.0))
    }

    fn moment(&self, object: usize, frame: f64) -> Moment {
        let setup = &self.setup;
        let seconds = (frame - setup.start_frame - object as f64 * setup.later()) / setup.fps;
        let one = setup.flight + setup.held;
        let rounds = (seconds / setup.round()).floor();
        let within = (seconds - rounds * setup.round()).clamp(0.0, setup.round());
        let flight = ((within / one).floor() as usize).min(setup.flights() - 1);
        let before = rounds * setup.flights() as f64 + flight as f64;
        Moment { flight, since: within - flight as f64 * one, turns: before * setup.turns }
    }

    fn free(&self, flight: usize, seconds: f64) -> (DVec3, DVec3) {
        let mut sample = Sample::default();
        self.flights[flight].sample_at(&[(0, seconds)], Columns::POSITION | Columns::VELOCITY, &mut sample);
        (sample.positions[0], sample.velocities[0])
    }

    /// Place and velocity, metres and seconds.
    fn state(&self, moment: &Moment) -> (DVec3, DVec3) {
        let setup = &self.setup;
        if moment.since < setup.flight {
            return self.free(moment.flight, moment.since);
        }
        // In the hand from how it came to how it leaves, without a jerk.
        let to = (moment.flight + 1) % setup.flights();
        let hand = (moment.flight + 1) % 2;
        let (_, came) = self.free(moment.flight, setup.flight);
        let leaves = setup.velocities[to];
        let knot =
            |after, place, velocity| Knot { after, place, velocity, acceleration: setup.air.acceleration(velocity) };
        let leaving = knot(setup.held, setup.places[hand], leaves);
        knot(0.0, setup.catches[hand], came).between(&leaving, moment.since - setup.flight)
    }

    fn turn(&self, moment: &Moment) -> DQuat {
        let part = (moment.since / self.setup.flight).min(1.0);
        let turns = moment.turns + self.setup.turns * part;
        // Whole turns are none, and taken off while they are exact.
        scaled_axis(self.setup.axis * (TAU * (turns - turns.round())))
    }

    /// Frames of catches and throws of a thing.
    fn events(&self, object: usize, range: Frames) -> Result<Vec<(f64, bool, usize)>, MotionError> {
        let setup = &self.setup;
        let one = (setup.flight + setup.held) * setup.fps;
        let from = setup.start_frame + object as f64 * setup.later();
        let (first, last) = (((range.from - from) / one).floor() as i64 - 1, ((range.to - from) / one).ceil() as i64);
        if last - first > crate::motion::MOST_BREAKS as i64 / 2 {
            return Err(MotionError::TooMuch("It is thrown too often to be followed: let it fly longer.".to_owned()));
        }
        let flights = setup.flights() as i64;
        let of = |i: i64| {
            let leaves = from + i as f64 * one;
            let flight = i.rem_euclid(flights) as usize;
            [(leaves, false, flight), (leaves + setup.flight * setup.fps, true, flight)]
        };
        Ok((first..=last).flat_map(of).filter(|(frame, ..)| range.holds(*frame)).collect())
    }
}

impl Motion for Toss {
    fn len(&self) -> usize {
        self.setup.things
    }

    fn extent(&self) -> Extent {
        let from = self.setup.start_frame;
        Extent { from, to: from + self.setup.round() * self.setup.fps, outside: Outside::Periodic }
    }

    fn varies(&self) -> Columns {
        Columns::POSITION | if self.setup.turns == 0.0 { Columns::NONE } else { Columns::ORIENTATION }
    }

    fn prepare(&self, _range: Frames, _cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        Ok(None)
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(object, frame)) in at.iter().enumerate() {
            let moment = self.moment(object, frame);
            let (place, velocity) = self.state(&moment);
            if let Some(position) = out.positions.get_mut(row) {
                *position = place;
            }
            if let Some(value) = out.velocities.get_mut(row) {
                *value = velocity / self.setup.fps;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = velocity.try_normalize().unwrap_or(DVec3::Y);
            }
            if let Some(orientation) = out.orientations.get_mut(row) {
                *orientation = self.turn(&moment);
            }
            if let (Some(spin), true) = (out.spins.get_mut(row), moment.since < self.setup.flight) {
                *spin = self.setup.axis * (TAU * self.setup.turns / (self.setup.flight * self.setup.fps));
            }
        }
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let kind = |caught: bool| if caught { BreakKind::Contact } else { BreakKind::Corner };
        let events = self.events(object, range)?;
        let mut breaks: Vec<Break> =
            events.into_iter().map(|(frame, caught, _)| Break { frame, kind: kind(caught) }).collect();
        breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.kind.rank().cmp(&b.kind.rank())));
        breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
        Ok(breaks)
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let up = -self.setup.air.gravity.normalize_or_zero();
        let mut contacts = Vec::new();
        for object in 0..self.len() {
            let caught = self.events(object, range).unwrap_or_default().into_iter().filter(|(_, caught, _)| *caught);
            contacts.extend(caught.map(|(frame, _, flight)| {
                let (place, came) = self.free(flight, self.setup.flight);
                let leaves = self.setup.velocities[(flight + 1) % self.setup.flights()];
                let after = if self.setup.held > 0.0 { came } else { leaves };
                Contact {
                    object,
                    other: "hand".to_owned(),
                    frame,
                    place,
                    middle: place,
                    normal: up,
                    impulse: after - came,
                    speed_in: came.length(),
                    speed_out: after.length(),
                }
            }));
        }
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        contacts
    }
}
