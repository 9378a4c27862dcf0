//! What a thing lies on: one surface, or two between which it goes along where they meet.

use super::{BALL, Face, Footing, Mode, Solver, Support};
use glam::DVec3;

/// Part of the speed below which something neither goes into what it touches nor leaves it.
pub(super) const ALONG: f64 = 1e-9;
/// Normals whose sine is below this are of one flat, or of two that face each other.
const ALIKE: f64 = 1e-6;

impl Footing {
    pub(super) const fn on(one: Support) -> Self {
        Self { one, other: None }
    }

    pub(super) fn supports(self) -> impl Iterator<Item = Support> {
        std::iter::once(self.one).chain(self.other)
    }

    pub(super) fn holds(self, support: Support) -> bool {
        self.one == support || self.other == Some(support)
    }

    /// Without one of two.
    fn without(self, support: Support) -> Self {
        Self::on(if self.one == support { self.other.unwrap_or(self.one) } else { self.one })
    }
}

/// How it lies at a place, with a velocity.
#[derive(Debug, Clone, Copy)]
pub(super) struct Seat {
    /// Unit vector away from what it lies on; between two, in the middle.
    pub normal: DVec3,
    /// The unit vector along which both meet.
    pub line: Option<DVec3>,
    /// The part of its radius by which a ball rolls: less than 1 between two.
    pub lever: f64,
    /// Acceleration without what it lies on, metres per second squared.
    pub free: DVec3,
    /// The most friction, metres per second squared.
    pub friction: f64,
    /// How strongly it is pressed onto each, metres per second squared; below 0 it would leave.
    pub presses: [f64; 2],
    normals: [DVec3; 2],
}

impl Seat {
    /// The part of a vector along what it lies on.
    pub fn level(&self, v: DVec3) -> DVec3 {
        self.line.map_or_else(|| v - self.normal * v.dot(self.normal), |line| line * v.dot(line))
    }

    /// What it is held by, metres per second squared.
    pub fn held(&self) -> DVec3 {
        self.normals[0] * self.presses[0] + self.normals[1] * self.presses[1]
    }

    /// True when it stays on all of it.
    pub fn stays(&self) -> bool {
        self.presses.iter().all(|press| *press >= 0.0)
    }

    /// How many times as much is to be moved where it rolls.
    pub fn rolling(&self) -> f64 {
        1.0 + BALL / (self.lever * self.lever)
    }

    /// How many times as fast slipping ends where friction turns it as well.
    pub fn gripping(&self) -> f64 {
        1.0 + self.lever * self.lever / BALL
    }
}

impl Solver<'_> {
    /// How it lies now. Two supports whose normals are alike count as the first.
    pub(super) fn seat(&self, footing: Footing, place: DVec3, velocity: DVec3) -> Seat {
        self.seat_at(footing, self.time, place, velocity)
    }

    /// How it lies so many seconds after it was let go.
    pub(super) fn seat_at(&self, footing: Footing, time: f64, place: DVec3, velocity: DVec3) -> Seat {
        let free = self.forecast.air(time).acceleration(velocity);
        let single = |support: Support| {
            let (_, normal) = self.gap(support, place);
            (normal, self.pressed(support, place, velocity, free, normal))
        };
        let (one, press) = single(footing.one);
        let alone = Seat {
            normal: one,
            line: None,
            lever: 1.0,
            free,
            friction: self.friction(footing.one, time) * press.max(0.0),
            presses: [press, 0.0],
            normals: [one, DVec3::ZERO],
        };
        let Some(second) = footing.other else { return alone };
        let (other, second_press) = single(second);
        let (cross, cosine) = (one.cross(other), one.dot(other));
        if cross.length() < ALIKE {
            return alone;
        }
        let sine = cross.length_squared();
        let presses = [(press - cosine * second_press) / sine, (second_press - cosine * press) / sine];
        let middle = one + other;
        Seat {
            normal: middle.normalize(),
            line: Some(cross.normalize()),
            lever: 0.5 * middle.length(),
            free,
            friction: self.friction(footing.one, time) * presses[0].max(0.0)
                + self.friction(second, time) * presses[1].max(0.0),
            presses,
            normals: [one, other],
        }
    }

    /// What presses it onto one thing, metres per second squared, where nothing else holds it.
    fn pressed(&self, support: Support, place: DVec3, velocity: DVec3, free: DVec3, normal: DVec3) -> f64 {
        let bend = match support {
            Support::Face(i) if self.faces[i].flat.is_none() => {
                let Face { outside, ref surface, .. } = self.faces[i];
                outside * surface.bend(place, velocity)
            }
            _ => 0.0,
        };
        -free.dot(normal) - bend
    }

    /// What rubs along one support does to it, metres per second squared.
    fn rubbed(&self, seat: &Seat, velocity: DVec3, spin: DVec3) -> DVec3 {
        let slips = if !self.balls() {
            seat.level(velocity)
        } else if matches!(self.mode, Mode::Rolls(_)) {
            DVec3::ZERO
        } else {
            self.slip(seat, velocity, spin)
        };
        slips.normalize_or_zero() * -seat.friction
    }

    /// True where it stays on all that it lies on: pressed onto it by what acts, or onto one by what rubs along the
    /// other, as a ball that spins in a corner.
    pub(super) fn stays(&self, footing: Footing, seat: &Seat, (time, place): (f64, DVec3), velocity: DVec3) -> bool {
        let Some(other) = footing.other.filter(|_| !seat.stays()) else { return seat.stays() };
        let pushed = |onto: Support, from: Support| {
            let alone = self.seat_at(Footing::on(from), time, place, velocity);
            let going = alone.free + alone.held() + self.rubbed(&alone, velocity, self.spin);
            alone.stays() && going.dot(self.gap(onto, place).1) < 0.0
        };
        let [one, two] = seat.presses;
        (one >= 0.0 || pushed(footing.one, other)) && (two >= 0.0 || pushed(other, footing.one))
    }

    /// What presses it onto something when it goes on as it lies, metres per second squared; where that would take it
    /// away, together with what rubs along the rest.
    pub(super) fn pressing(&self, support: Support, footing: Option<Footing>) -> f64 {
        let (_, normal) = self.gap(support, self.place);
        let along = self.velocity - normal * self.velocity.dot(normal);
        let pressed = |free: DVec3| self.pressed(support, self.place, along, free, normal);
        let Some(footing) = footing else { return pressed(self.forecast.air(self.time).acceleration(along)) };
        let seat = self.seat(footing, self.place, along);
        let by_itself = pressed(seat.free + seat.held());
        if by_itself >= 0.0 {
            return by_itself;
        }
        pressed(seat.free + seat.held() + self.rubbed(&seat, along, self.spin))
    }

    /// What is left of a footing at a place: what it is pressed onto.
    pub(super) fn still_on(&self, footing: Footing) -> Option<Footing> {
        let seat = self.seat(footing, self.place, self.velocity);
        match (footing.other, seat.presses) {
            (None, [press, _]) => (press >= 0.0).then_some(footing),
            (Some(_), _) if self.stays(footing, &seat, (self.time, self.place), self.velocity) => Some(footing),
            (Some(other), [one, _]) => self.still_on(footing.without(if one < 0.0 { footing.one } else { other })),
        }
    }

    /// What it lies on from now on, having come to rest against `support` beside what it lay on; nothing where it is
    /// held by three.
    pub(super) fn joined(&self, support: Support, footing: Option<Footing>) -> Option<Footing> {
        let Some(footing) = footing else { return Some(Footing::on(support)) };
        let pair = |other: Support| {
            let pair = Footing { one: support, other: Some(other) };
            let seat = self.seat(pair, self.place, self.velocity);
            let stays = seat.line.is_some() && self.stays(pair, &seat, (self.time, self.place), self.velocity);
            stays.then_some(pair)
        };
        let Some(second) = footing.other else { return Some(pair(footing.one).unwrap_or(Footing::on(support))) };
        // Of three only two may be needed: those on which it then leaves the third.
        let leaves = |pair: &Footing, third: Support| {
            let seat = self.seat(*pair, self.place, DVec3::ZERO);
            let (_, normal) = self.gap(third, self.place);
            (seat.free + seat.held()).dot(normal) > ALONG * seat.free.length()
        };
        let either = [(footing.one, second), (second, footing.one)];
        either.into_iter().find_map(|(kept, third)| pair(kept).filter(|pair| leaves(pair, third)))
    }

    /// Velocity of the point, or the points, where a ball touches.
    pub(super) fn slip(&self, seat: &Seat, velocity: DVec3, spin: DVec3) -> DVec3 {
        seat.level(velocity - spin.cross(seat.normal) * (self.setup.rolling_radius * seat.lever))
    }

    /// The spin with which nothing slips; about the normal it goes on as it was.
    pub(super) fn gripping(&self, seat: &Seat, velocity: DVec3, spin: DVec3) -> DVec3 {
        let rolls = seat.normal.cross(velocity) / (self.setup.rolling_radius * seat.lever);
        let upright = if seat.line.is_some() { DVec3::ZERO } else { seat.normal * spin.dot(seat.normal) };
        rolls + upright
    }
}
