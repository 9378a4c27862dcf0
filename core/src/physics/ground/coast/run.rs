//! A bead that is followed along its wire.

use super::{CoastEnd, CoastFate, CoastSetup, Node};
use crate::curve::{OnStrand, Strand};
use crate::physics::flight::dormand_prince;
use crate::roots::halved;
use crate::work::spend;

/// Error of one step, as a part of what is covered.
pub(super) const TOLERANCE: f64 = 1e-13;

/// Most steps.
pub(super) const MOST_NODES: usize = 200_000;

/// Seconds that are looked at, at most, where it neither repeats nor comes to rest.
pub(super) const LONGEST: f64 = 600.0;

/// Part of the largest speed below which it may be all but still on a hump.
pub(super) const SLOW: f64 = 1e-6;

/// Part of a strand over which its bend is measured.
pub(super) const BEND: f64 = 1e-5;

/// Places at which a path's height is looked at.
pub(super) const LOOKS: usize = 4096;

/// The wire, and what pulls.
pub(super) struct Wire<'a> {
    pub(super) strand: &'a Strand,
    pub(super) setup: &'a CoastSetup,
}

impl Wire<'_> {
    pub(super) fn on(&self, s: f64) -> OnStrand {
        self.strand.at(s)
    }

    /// Height against gravity, in metres squared per second squared.
    pub(super) fn potential(&self, s: f64) -> f64 {
        -self.on(s).point.dot(self.setup.gravity)
    }

    /// The force of the wire, and the pull of gravity along it, per unit of mass.
    pub(super) fn forces(&self, s: f64, v: f64) -> (f64, f64) {
        let here = self.on(s);
        let pull = here.tangent.dot(self.setup.gravity);
        if self.setup.friction == 0.0 {
            return (0.0, pull);
        }
        let step = BEND * self.strand.length();
        let bend = (self.on(s + step).tangent - self.on(s - step).tangent) / (2.0 * step);
        let across = self.setup.gravity - here.tangent * pull;
        ((bend * (v * v) - across).length(), pull)
    }

    /// Acceleration while it moves the way `sign` says.
    pub(super) fn acceleration(&self, s: f64, v: f64, sign: f64) -> f64 {
        let (normal, pull) = self.forces(s, v);
        pull - sign * self.setup.friction * normal
    }

    /// True where static friction or an end of the path holds a bead that stands still.
    pub(super) fn sticks(&self, s: f64) -> bool {
        let (normal, pull) = self.forces(s, 0.0);
        // A place that was given may be rounded.
        let (length, slack) = (self.strand.length(), 1e-12 * self.strand.length());
        let pressed = s <= slack && pull < 0.0 || s >= length - slack && pull > 0.0;
        if pressed && !self.strand.closed() {
            return true;
        }
        pull.abs() <= self.setup.friction * normal + 1e-12 * self.setup.gravity.length()
    }

    /// One step of so many seconds: place and speed after it, and the estimated errors of both.
    pub(super) fn step(&self, from: Node, h: f64, sign: f64) -> ([f64; 2], [f64; 2]) {
        dormand_prince::step([from.s, from.v], h, |&[s, v]| [v, self.acceleration(s, v, sign)])
    }
}

/// Place and speed at a time between two nodes: a quintic with place, speed and acceleration of both.
pub(super) fn between(a: &Node, b: &Node, t: f64) -> (f64, f64) {
    let h = b.t - a.t;
    if h <= 0.0 {
        return (b.s, b.v);
    }
    let x = (t - a.t) / h;
    let (v0, v1, a0, a1) = (a.v * h, b.v * h, a.a * h * h, b.a * h * h);
    let rise = b.s - a.s;
    let c3 = 10.0 * rise - 6.0 * v0 - 4.0 * v1 - 1.5 * a0 + 0.5 * a1;
    let c4 = -15.0 * rise + 8.0 * v0 + 7.0 * v1 + 1.5 * a0 - a1;
    let c5 = 6.0 * rise - 3.0 * v0 - 3.0 * v1 - 0.5 * a0 + 0.5 * a1;
    let s = a.s + x * (v0 + x * (0.5 * a0 + x * (c3 + x * (c4 + x * c5))));
    let v = v0 + x * (a0 + x * (3.0 * c3 + x * (4.0 * c4 + x * 5.0 * c5)));
    (s, v / h)
}

/// A run that is being worked out.
pub(super) struct Run<'a> {
    pub(super) wire: Wire<'a>,
    pub(super) nodes: Vec<Node>,
    pub(super) turns: Vec<f64>,
    /// The way it moves, or is about to.
    pub(super) sign: f64,
    /// Half of the squared speed and the potential, where nothing takes from it.
    pub(super) energy: f64,
    /// The largest speed that there may be, to measure others by.
    pub(super) fastest: f64,
    pub(super) undecided: bool,
}

/// Whether something has happened by a place and a speed.
pub(super) type Sign = Box<dyn Fn([f64; 2]) -> bool>;

/// Why a step ended.
pub(super) enum Event {
    None,
    /// It stands still.
    Still,
    /// It is at an end of an open path.
    End,
    /// It has come round to a place.
    Passes,
}

impl<'a> Run<'a> {
    pub(super) fn new(wire: Wire<'a>) -> Self {
        let setup = wire.setup;
        let (s, v) = (setup.start, setup.push);
        let pull = wire.forces(s, 0.0).1;
        let sign = if v == 0.0 { pull.signum() } else { v.signum() };
        let energy = 0.5 * v * v + wire.potential(s);
        let lowest = potentials(&wire).into_iter().map(|(_, height)| height).fold(f64::MAX, f64::min);
        let fastest = (2.0 * (energy - lowest).max(0.0)).sqrt().max(v.abs());
        let a = wire.acceleration(s, v, sign);
        Self { wire, nodes: vec![Node { t: 0.0, s, v, a }], turns: Vec::new(), sign, energy, fastest, undecided: false }
    }

    pub(super) fn now(&self) -> Node {
        self.nodes[self.nodes.len() - 1]
    }

    /// A step that keeps to the tolerance, or less where something happens in it. `goal` is a place to stop at.
    pub(super) fn advance(&mut self, h: &mut f64, goal: Option<f64>) -> Event {
        let from = self.now();
        let scale = [self.wire.strand.length().min(1e3), self.fastest.max(1e-9)];
        let (mut there, mut tries) = self.wire.step(from, *h, self.sign).into_try(scale);
        while tries > 1.0 && *h > 1e-9 {
            *h *= (0.9 * libm::pow(tries, -0.2)).clamp(0.1, 0.9);
            (there, tries) = self.wire.step(from, *h, self.sign).into_try(scale);
        }
        let used = *h;
        *h *= (0.9 * libm::pow(tries.max(1e-10), -0.2)).clamp(0.2, 4.0);
        let still = there[1] * self.sign < 0.0;
        let beyond = |s: f64| !self.wire.strand.closed() && !(0.0..=self.wire.strand.length()).contains(&s);
        let passes = goal.is_some_and(|goal| (from.s - goal) * (there[0] - goal) <= 0.0 && from.s != goal);
        if !still && !beyond(there[0]) && !passes {
            let s = there[0];
            let v = self.kept(s, there[1]);
            let a = self.wire.acceleration(s, v, self.sign);
            self.nodes.push(Node { t: from.t + used, s, v, a });
            return Event::None;
        }
        // What happens first within the step, to the last bit: each is looked for by its own sign.
        let length = self.wire.strand.length();
        let signs: Vec<(Event, Sign)> = {
            let sign = self.sign;
            let closed = self.wire.strand.closed();
            let ahead = goal.map(|goal| (goal, goal > from.s));
            vec![
                (Event::Still, Box::new(move |x: [f64; 2]| x[1] * sign <= 0.0)),
                (Event::End, Box::new(move |x: [f64; 2]| !closed && !(0.0..=length).contains(&x[0]))),
                (
                    Event::Passes,
                    Box::new(move |x: [f64; 2]| {
                        ahead.is_some_and(|(goal, up)| if up { x[0] >= goal } else { x[0] <= goal })
                    }),
                ),
            ]
        };
        let mut first = (used, Event::None, there);
        for (event, happened) in signs {
            if !happened(there) || happened([from.s, from.v]) {
                continue;
            }
            let (_, high) = halved((0.0, used), 200, |after| !happened(self.wire.step(from, after, self.sign).0));
            if high <= first.0 {
                first = (high, event, self.wire.step(from, high, self.sign).0);
            }
        }
        let (after, event, [mut s, mut v]) = first;
        match event {
            Event::Still => v = 0.0,
            Event::End => s = s.clamp(0.0, length),
            Event::Passes => s = goal.unwrap_or(s),
            Event::None => {}
        }
        let a = self.wire.acceleration(s, v, self.sign);
        self.nodes.push(Node { t: from.t + after, s, v, a });
        event
    }

    /// The speed that the energy leaves, where nothing takes from it and it is not all but still.
    pub(super) fn kept(&mut self, s: f64, v: f64) -> f64 {
        if self.wire.setup.friction != 0.0 {
            return v;
        }
        if v.abs() < SLOW * self.fastest && self.wire.forces(s, 0.0).1.abs() < 1e-4 * self.wire.setup.gravity.length() {
            // It has just enough for a hump and would never be over it: it is given a little, and that is said.
            self.undecided = true;
            let v = self.sign * 2.0 * SLOW * self.fastest;
            self.energy = 0.5 * v * v + self.wire.potential(s);
            return v;
        }
        let left = 2.0 * (self.energy - self.wire.potential(s));
        // Near a turning point the energy says little about the speed.
        if left > 1e-4 * self.fastest * self.fastest { self.sign * left.sqrt() } else { v }
    }

    /// It turns about where it stands; false where it stays.
    pub(super) fn turn(&mut self) -> bool {
        let here = self.now();
        self.turns.push(here.t);
        if self.wire.sticks(here.s) {
            return false;
        }
        self.sign = self.wire.forces(here.s, 0.0).1.signum();
        let a = self.wire.acceleration(here.s, 0.0, self.sign);
        let last = self.nodes.len() - 1;
        self.nodes[last].a = a;
        true
    }

    /// At an end of an open path; false where it stays.
    pub(super) fn end(&mut self) -> bool {
        let here = self.now();
        self.turns.push(here.t);
        if self.wire.setup.end == CoastEnd::Stops {
            self.nodes.push(Node { v: 0.0, a: 0.0, ..here });
            return false;
        }
        self.sign = -self.sign;
        let v = self.sign * here.v.abs();
        let a = self.wire.acceleration(here.s, v, self.sign);
        self.nodes.push(Node { v, a, ..here });
        true
    }
}

pub(super) trait IntoTry {
    /// Where a step leads, and its error as a part of the tolerance.
    fn into_try(self, scale: [f64; 2]) -> ([f64; 2], f64);
}

impl IntoTry for ([f64; 2], [f64; 2]) {
    fn into_try(self, scale: [f64; 2]) -> ([f64; 2], f64) {
        let (there, error) = self;
        (there, (error[0].abs() / scale[0]).max(error[1].abs() / scale[1]) / TOLERANCE)
    }
}

/// Places along the wire with their potential.
pub(super) fn potentials(wire: &Wire<'_>) -> Vec<(f64, f64)> {
    let length = wire.strand.length();
    (0..=LOOKS)
        .map(|i| {
            let s = length * i as f64 / LOOKS as f64;
            (s, wire.potential(s))
        })
        .collect()
}

/// Follows the bead until it is known what becomes of it.
pub(super) fn follow(run: &mut Run<'_>, seconds: f64) -> CoastFate {
    let first = run.now();
    if first.v == 0.0 && run.wire.sticks(first.s) {
        return CoastFate::Rests;
    }
    let closed = run.wire.strand.closed();
    let lossless = run.wire.setup.friction == 0.0;
    let length = run.wire.strand.length();
    // A bead that is let go without a push begins at a turning point.
    let mut still: Vec<f64> = if first.v == 0.0 { vec![0.0] } else { Vec::new() };
    let mut h = 1e-4;
    // What nothing takes from repeats itself, and that is found out.
    let seconds = if lossless { LONGEST } else { seconds };
    while run.now().t < seconds && run.nodes.len() < MOST_NODES && spend(1) {
        let goal = (closed && lossless).then_some(first.s + run.sign * length);
        match run.advance(&mut h, goal) {
            Event::None => {}
            Event::Passes => return CoastFate::Round { period: run.now().t },
            Event::End if !run.end() => return CoastFate::Stops { after: run.now().t },
            Event::End => {
                still.push(run.now().t);
                h = h.min(1e-3);
            }
            Event::Still => {
                still.push(run.now().t);
                if !run.turn() {
                    return CoastFate::Stops { after: run.now().t };
                }
                h = h.min(1e-3);
            }
        }
        if lossless && still.len() >= 2 {
            let half = still[1] - still[0];
            let period = 2.0 * half;
            let short = short_of(run);
            finish(run, period, &mut h);
            return CoastFate::Swings { period, short };
        }
    }
    CoastFate::Goes
}

/// By how much the next rise is higher than the bead comes, metres; none where an end of the path is what turns it.
pub(super) fn short_of(run: &Run<'_>) -> Option<f64> {
    let here = run.now();
    let length = run.wire.strand.length();
    let gravity = run.wire.setup.gravity.length();
    let from = run.wire.potential(here.s);
    // On beyond the place where it turned, up to the first top.
    let way = if run.nodes.len() > 1 { (here.s - run.nodes[run.nodes.len() - 2].s).signum() } else { 1.0 };
    let (mut top, mut s) = (from, here.s);
    for _ in 0..LOOKS {
        s += way * length / LOOKS as f64;
        if !run.wire.strand.closed() && !(0.0..=length).contains(&s) {
            return None;
        }
        let height = run.wire.potential(s);
        if height < top {
            break;
        }
        top = height;
    }
    if top > from && gravity > 0.0 { Some((top - from) / gravity) } else { None }
}

/// Goes on to the end of a period, which is to the bit where it began.
pub(super) fn finish(run: &mut Run<'_>, period: f64, h: &mut f64) {
    let first = run.nodes[0];
    while run.now().t < period && run.nodes.len() < MOST_NODES && spend(1) {
        *h = h.min(period - run.now().t);
        match run.advance(h, None) {
            Event::None | Event::Passes => {}
            Event::End => {
                run.end();
                *h = h.min(1e-3);
            }
            Event::Still => {
                run.turn();
                *h = h.min(1e-3);
            }
        }
        if period - run.now().t < 1e-12 * period {
            break;
        }
    }
    run.turns.retain(|turn| *turn < period * (1.0 - 1e-12));
    if first.v == 0.0 {
        run.turns.insert(0, 0.0);
    }
    let last = run.nodes.len() - 1;
    run.nodes[last] = Node { t: period, ..first };
}
