//! Things that rock round their rim until they lie still.
//!
//! The tilt falls as the cube root of the time that is left (Moffatt 2000), and the point that touches runs round at
//! Ω = √(4g/(a·sin α)), for a thin disc of radius a. The rim rolls: its arc is the arc on the table, a·χ′ = a·cos α·ψ′,
//! and while the tilt falls the middle gives way, so that what touches does not slide outwards either.

use crate::motion::{Break, BreakKind, Columns, Contact, Extent, Frames, Motion, MotionError, Outside, Sample};
use crate::pose::{about, turn_between};
use crate::quadrature::{gauss, gauss_vector};
use crate::roots::{halved, middle};
use crate::work::here;
use glam::{DQuat, DVec2, DVec3};
use rayon::prelude::*;
use std::f64::consts::{FRAC_PI_2, TAU};
use std::sync::Arc;

/// How a thing is let go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SettleSetup {
    /// Where the middle of its rim comes to lie, metres.
    pub place: DVec3,
    /// Of the rim, metres.
    pub radius: f64,
    /// Its origin over the middle of its rim, metres.
    pub middle: f64,
    /// Radians at the start, from 0 to below a quarter turn.
    pub tilt: f64,
    /// Radians: towards where it leans at the start, counterclockwise seen from above.
    pub leans: f64,
    /// Radians about its own axis in which it comes to lie.
    pub ends: f64,
    /// Seconds until it lies still.
    pub seconds: f64,
    /// Turns of the point that touches; nothing for as many as gravity makes.
    pub turns: Option<f64>,
    /// Metres per second squared.
    pub gravity: f64,
    /// Frame at which it is let go.
    pub start_frame: f64,
    /// Frames per second.
    pub fps: f64,
}

/// How far the touching point has run.
#[derive(Debug, Clone, Copy, Default)]
struct Way {
    /// Radians on the table.
    ran: f64,
    /// Radians on the rim.
    rolled: f64,
    /// Metres that the middle has been moved, along x and z, so that nothing slides while the tilt falls.
    off: DVec2,
}

/// A thing that settles.
#[derive(Debug, Clone)]
struct Settling {
    setup: SettleSetup,
    /// How many times as fast the touching point runs as gravity makes it.
    quicker: f64,
    /// The tilt at which the touching point would run a quarter turn per frame, or the tilt at the start; from there on
    /// its speed stays, and the tilt is eased out.
    calm: f64,
    /// The way at tilts from the first to there, evenly.
    falling: Arc<Vec<Way>>,
    /// The way at even parts of the time in which it is eased out.
    easing: Arc<Vec<Way>>,
    /// Radians turned about its own axis at the start.
    turned: f64,
}

/// Least stretches between which the way of the touching point is kept.
const STRETCHES: usize = 24;
/// Most of them.
const MOST_STRETCHES: f64 = 20_000.0;

impl Settling {
    fn new(setup: SettleSetup) -> Self {
        let quicker = match setup.turns {
            None => 1.0,
            Some(turns) => {
                // More speed makes more turns, if less than in proportion where it is eased out earlier.
                let wanted = turns.abs() * TAU;
                let run = |quicker: f64| Self::quicker(setup, quicker).runs();
                let mut high = 1.0;
                for _ in 0..40 {
                    if run(high) >= wanted {
                        break;
                    }
                    high *= 2.0;
                }
                middle(halved((0.0, high), 80, |quicker| run(quicker) < wanted))
            }
        };
        let mut settling = Self::quicker(setup, quicker);
        settling.lay_out();
        let end = settling.way(setup.seconds);
        // It lies at the end as if it had been turned by what the table saw and the rim did not.
        settling.turned = setup.leans + (end.ran - end.rolled) * setup.sense() - setup.ends;
        settling
    }

    fn quicker(setup: SettleSetup, quicker: f64) -> Self {
        let most = FRAC_PI_2 * setup.fps;
        // Ω at a tilt is κ√(4g/(a·sin α)).
        let sine = 4.0 * setup.gravity * quicker * quicker / (setup.radius * most * most);
        let calm = if sine >= libm::sin(setup.tilt) { setup.tilt } else { libm::asin(sine) };
        Self { setup, quicker, calm, falling: Arc::default(), easing: Arc::default(), turned: 0.0 }
    }

    /// Radians that the touching point runs in all.
    fn runs(&self) -> f64 {
        self.fallen(self.setup.tilt, self.calm).0 + self.speed(self.calm) * self.easing_seconds()
    }

    /// Keeps the way at so many places that little is left to sum up in between.
    fn lay_out(&mut self) {
        let stretches = |runs: f64, least: usize| ((runs / TAU).clamp(0.0, MOST_STRETCHES).ceil() as usize).max(least);
        let (count, tilt) = (stretches(self.fallen(self.setup.tilt, self.calm).0, STRETCHES), self.setup.tilt);
        let at = |i: usize| tilt + (self.calm - tilt) * i as f64 / count as f64;
        let mut falling = vec![Way::default()];
        for i in 0..count {
            falling.push(self.fall(&falling[i], at(i), at(i + 1)));
        }
        let count = stretches(self.speed(self.calm) * self.easing_seconds(), STRETCHES / 8);
        let mut easing = vec![falling[falling.len() - 1]];
        for i in 0..count {
            let part = |i: usize| i as f64 / count as f64;
            easing.push(self.ease(&easing[i], part(i), part(i + 1)));
        }
        (self.falling, self.easing) = (Arc::new(falling), Arc::new(easing));
    }

    /// Radians per second at a tilt.
    fn speed(&self, tilt: f64) -> f64 {
        self.quicker * (4.0 * self.setup.gravity / (self.setup.radius * libm::sin(tilt))).sqrt()
    }

    /// Radians run on the table and on the rim while the tilt falls from `a` to `b`: dt = −3·t_f·α²/α₀³·dα.
    fn fallen(&self, a: f64, b: f64) -> (f64, f64) {
        let ran = self.run_by_tilt();
        (gauss(&ran, b, a), gauss(|tilt| ran(tilt) * libm::cos(tilt), b, a))
    }

    /// Radians run on the table while the tilt falls from `a` to `b`.
    fn ran_down(&self, a: f64, b: f64) -> f64 {
        gauss(self.run_by_tilt(), b, a)
    }

    /// Radians run on the table for each radian that the tilt falls.
    fn run_by_tilt(&self) -> impl Fn(f64) -> f64 {
        let start = self.setup.tilt;
        let scale = 3.0 * self.setup.seconds / (start * start * start);
        move |tilt| self.speed(tilt) * scale * tilt * tilt
    }

    /// Towards where it leans when the touching point has run so far.
    fn leans(&self, ran: f64) -> DVec2 {
        let (sine, cosine) = libm::sincos(self.setup.leans + ran * self.setup.sense());
        DVec2::new(cosine, -sine)
    }

    /// The way after the tilt has fallen from `a` to `b`. What touches does not slide: when the tilt falls, the middle
    /// gives way against where it leans by as much as the touching circle grows.
    fn fall(&self, before: &Way, a: f64, b: f64) -> Way {
        let (ran, rolled) = self.fallen(a, b);
        let grows = |tilt: f64| self.leans(before.ran + self.ran_down(a, tilt)) * (self.setup.radius * libm::sin(tilt));
        Way { ran: before.ran + ran, rolled: before.rolled + rolled, off: before.off - gauss_vector(grows, b, a) }
    }

    /// The way after a part of the time in which it is eased out, from another part.
    fn ease(&self, before: &Way, from: f64, to: f64) -> Way {
        let whole = self.speed(self.calm) * self.easing_seconds();
        let rolled = gauss(|x| libm::cos(self.eased(x).0), from, to) * whole;
        let grows = |x: f64| {
            let (tilt, falls) = self.eased(x);
            self.leans(before.ran + whole * (x - from)) * (-falls * self.setup.radius * libm::sin(tilt))
        };
        let ran = whole * (to - from);
        Way { ran: before.ran + ran, rolled: before.rolled + rolled, off: before.off - gauss_vector(grows, from, to) }
    }

    /// Seconds until it is eased out.
    fn calm_after(&self) -> f64 {
        let part = self.calm / self.setup.tilt;
        self.setup.seconds * (1.0 - part * part * part)
    }

    fn easing_seconds(&self) -> f64 {
        self.setup.seconds - self.calm_after()
    }

    /// Tilt while it is eased out, by the part of that time that is over, and its slope: it goes on as it fell, and comes
    /// to 0 softly.
    fn eased(&self, x: f64) -> (f64, f64) {
        let left = (1.0 - x).max(0.0);
        let more = 1.0 + 5.0 / 3.0 * x;
        (self.calm * left * left * more, self.calm * left * (5.0 / 3.0 * left - 2.0 * more))
    }

    fn tilt(&self, seconds: f64) -> f64 {
        let calm = self.calm_after();
        if seconds <= calm {
            return self.setup.tilt * libm::cbrt((1.0 - seconds / self.setup.seconds).max(0.0));
        }
        if seconds >= self.setup.seconds {
            return 0.0;
        }
        self.eased((seconds - calm) / self.easing_seconds()).0
    }

    /// The way of the touching point.
    fn way(&self, seconds: f64) -> Way {
        let calm = self.calm_after();
        if seconds < calm {
            let (tilt, count) = (self.tilt(seconds), self.falling.len() - 1);
            let part = (self.setup.tilt - tilt) / (self.setup.tilt - self.calm);
            let i = ((part * count as f64).floor() as usize).min(count);
            let from = self.setup.tilt + (self.calm - self.setup.tilt) * i as f64 / count as f64;
            return self.fall(&self.falling[i], from, tilt);
        }
        let count = self.easing.len() - 1;
        let part = ((seconds.min(self.setup.seconds) - calm) / self.easing_seconds().max(1e-300)).min(1.0);
        let i = ((part * count as f64).floor() as usize).min(count);
        self.ease(&self.easing[i], i as f64 / count as f64, part)
    }

    fn pose(&self, frame: f64) -> (DVec3, DQuat) {
        let setup = &self.setup;
        let seconds = ((frame - setup.start_frame) / setup.fps).clamp(0.0, setup.seconds);
        let (tilt, way) = (self.tilt(seconds), self.way(seconds));
        let (on_table, on_rim) = (setup.leans + way.ran * setup.sense(), way.rolled * setup.sense() + self.turned);
        let turn = about(DVec3::Y, on_table) * about(DVec3::Z, -tilt) * about(DVec3::Y, -on_rim);
        // It comes to lie at its place.
        let off = way.off - self.easing[self.easing.len() - 1].off;
        let rim = setup.place + DVec3::new(off.x, setup.radius * libm::sin(tilt), off.y);
        (rim + turn * (DVec3::Y * setup.middle), turn)
    }
}

impl SettleSetup {
    /// Which way the touching point runs.
    fn sense(&self) -> f64 {
        if self.turns.is_some_and(|turns| turns < 0.0) { -1.0 } else { 1.0 }
    }

    fn end_frame(&self) -> f64 {
        self.start_frame + self.seconds * self.fps
    }
}

/// Things that settle, each by itself.
#[derive(Debug, Clone)]
pub struct Settle {
    things: Arc<Vec<Settling>>,
}

/// Half the frames over which velocities are measured.
const STEP: f64 = 1e-4;

impl Settle {
    /// Of setups with finite numbers, radius, time and gravity above 0 and tilts between 0 and a quarter turn.
    pub fn new(setups: Vec<SettleSetup>) -> Self {
        let counted = here();
        Self { things: Arc::new(setups.into_par_iter().map(|setup| counted.on(|| Settling::new(setup))).collect()) }
    }

    /// How many times as fast as gravity makes it the touching point of a thing runs.
    pub fn quicker(&self, object: usize) -> f64 {
        self.things[object].quicker
    }

    /// Turns of the touching point of a thing until it lies still.
    pub fn turns(&self, object: usize) -> f64 {
        self.things[object].runs() / TAU
    }
}

impl Motion for Settle {
    fn len(&self) -> usize {
        self.things.len()
    }

    fn extent(&self) -> Extent {
        let setups = self.things.iter().map(|thing| thing.setup);
        let from = setups.clone().map(|setup| setup.start_frame).fold(f64::INFINITY, f64::min);
        Extent { from, to: setups.map(|setup| setup.end_frame()).fold(from, f64::max), outside: Outside::Holds }
    }

    fn varies(&self) -> Columns {
        Columns::POSITION | Columns::ORIENTATION
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(object, frame)) in at.iter().enumerate() {
            let thing = &self.things[object];
            let (position, orientation) = thing.pose(frame);
            if let Some(value) = out.positions.get_mut(row) {
                *value = position;
            }
            if let Some(value) = out.orientations.get_mut(row) {
                *value = orientation;
            }
            if columns.touch(Columns::VELOCITY | Columns::SPIN | Columns::TRAVEL) {
                let ((p, q), (r, s)) = (thing.pose(frame - STEP), thing.pose(frame + STEP));
                let velocity = (r - p) / (2.0 * STEP);
                if let Some(value) = out.velocities.get_mut(row) {
                    *value = velocity;
                }
                if let Some(travel) = out.travels.get_mut(row) {
                    *travel = velocity.normalize_or_zero();
                }
                if let Some(spin) = out.spins.get_mut(row) {
                    *spin = turn_between(q, s) / (2.0 * STEP);
                }
            }
        }
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let setup = &self.things[object].setup;
        let corners = [setup.start_frame, setup.end_frame()].into_iter().filter(|frame| range.holds(*frame));
        Ok(corners.map(|frame| Break { frame, kind: BreakKind::Corner }).collect())
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let of = |(object, thing): (usize, &Settling)| {
            let frame = thing.setup.end_frame();
            range.holds(frame).then(|| Contact {
                object,
                other: "table".to_owned(),
                frame,
                place: thing.setup.place,
                middle: thing.pose(frame).0,
                normal: DVec3::Y,
                impulse: DVec3::ZERO,
                speed_in: 0.0,
                speed_out: 0.0,
            })
        };
        let mut contacts: Vec<Contact> = self.things.iter().enumerate().filter_map(of).collect();
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        contacts
    }
}
