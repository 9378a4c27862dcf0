//! Numbers of a throw that change while it goes on.

use super::air::Air;
use super::throw::{LaunchSetup, Throw};
use crate::signal::{Driven, Thing};
use glam::{DMat3, DVec3};

/// What acts on a thing, and how it bounces, at a moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Weather {
    /// What acts on it in flight.
    pub air: Air,
    /// Speed after ÷ speed before, across the side; 0 to 1.
    pub bounciness: f64,
    /// Coefficient of friction, at least 0.
    pub friction: f64,
}

/// The numbers of a throw, each by frame and thing.
#[derive(Debug, Clone)]
pub struct Changing {
    /// Unit vector along which gravity pulls.
    pub down: DVec3,
    /// Metres per second squared.
    pub gravity: Driven,
    /// Deceleration by speed, per second.
    pub drag: Driven,
    /// Deceleration by squared speed, per metre.
    pub thick_drag: Driven,
    /// Metres per second.
    pub wind: [Driven; 3],
    /// Where nothing leaves the plane z = 0.
    pub flat: bool,
    /// From 0 to 1.
    pub bounciness: Driven,
    /// At least 0.
    pub friction: Driven,
}

/// Seconds by which what is asked at an end of a window is asked within it, so that it is of one side.
const WITHIN: f64 = 1e-9;
/// Looks a frame at which a number must be the same to count as one that does not change: what is kept at an end of its
/// range, or brought to levels, stays the same for a while and bends where nothing tells of it.
const LOOKS: f64 = 16.0;
/// Frames of the longest window.
const LONGEST: f64 = 48.0;
/// Frames beyond the last that is asked for whose bends are known.
const BEYOND: f64 = 240.0;

impl Changing {
    fn parts(&self) -> [&Driven; 8] {
        let [x, y, z] = &self.wind;
        [&self.gravity, &self.drag, &self.thick_drag, x, y, z, &self.bounciness, &self.friction]
    }

    /// True when any of it changes from frame to frame.
    pub fn over_time(&self) -> bool {
        self.parts().iter().any(|part| part.over_time())
    }

    /// True when what acts in flight changes from frame to frame.
    pub fn air_over_time(&self) -> bool {
        self.parts()[..6].iter().any(|part| part.over_time())
    }

    /// True when what acts in flight differs from thing to thing.
    pub fn air_per_thing(&self) -> bool {
        self.parts()[..6].iter().any(|part| part.per_thing())
    }

    /// What acts in flight at a frame on a thing.
    pub fn air(&self, frame: f64, thing: Thing) -> Air {
        let [x, y, z] = self.wind.each_ref().map(|part| part.at(frame, thing));
        Air {
            gravity: self.down * self.gravity.at(frame, thing),
            wind: DVec3::new(x, y, if self.flat { 0.0 } else { z }),
            linear: self.drag.at(frame, thing),
            quadratic: self.thick_drag.at(frame, thing),
        }
    }

    /// What there is at a frame for a thing.
    pub fn at(&self, frame: f64, thing: Thing) -> Weather {
        Weather {
            air: self.air(frame, thing),
            bounciness: self.bounciness.at(frame, thing),
            friction: self.friction.at(frame, thing),
        }
    }

    /// Frames in a range at which something bends or jumps, in order; of formulas they are not known.
    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let mut bends: Vec<f64> = self.parts().iter().flat_map(|part| part.bends(from, to)).collect();
        bends.retain(|frame| frame.is_finite());
        bends.sort_by(f64::total_cmp);
        bends.dedup();
        bends
    }

    fn bends_are_known(&self) -> bool {
        self.parts().iter().all(|part| matches!(part, Driven::Fixed(_) | Driven::Signal(_)) || !part.over_time())
    }
}

/// A time between bends.
#[derive(Debug, Clone, Copy)]
pub(in crate::physics) struct Window {
    /// Seconds after the throw.
    pub from: f64,
    pub until: f64,
    /// What there is all the while, where it does not change.
    pub steady: Option<Weather>,
}

/// What a throw is given over time, by seconds after it was let go.
#[derive(Debug, Clone)]
pub(in crate::physics) struct Forecast<'a> {
    setup: &'a LaunchSetup,
    bends: Vec<f64>,
    known: bool,
    window: Window,
}

impl<'a> Forecast<'a> {
    /// Up to so many seconds.
    pub fn new(setup: &'a LaunchSetup, until: f64) -> Self {
        let calm = Weather { air: setup.air, bounciness: setup.bounciness, friction: setup.friction };
        let always = Window { from: f64::NEG_INFINITY, until: f64::INFINITY, steady: Some(calm) };
        let Some(changing) = &setup.changing else {
            return Self { setup, bends: Vec::new(), known: true, window: always };
        };
        let last = setup.start_frame + until * setup.fps + BEYOND;
        let seconds = |frame: f64| (frame - setup.start_frame) / setup.fps;
        let bends = changing.bends(setup.start_frame, last).into_iter().map(seconds).collect();
        let mut this = Self { setup, bends, known: changing.bends_are_known(), window: always };
        this.window = this.window_at(0.0);
        this
    }

    /// True where anything changes, now or later.
    pub fn changes(&self) -> bool {
        self.setup.changing.is_some()
    }

    /// The window of a moment that never lies before one that was asked for.
    pub fn window(&mut self, time: f64) -> Window {
        if time >= self.window.until - WITHIN {
            self.window = self.window_at(time);
        }
        self.window
    }

    fn window_at(&self, time: f64) -> Window {
        let next = self.bends.partition_point(|bend| *bend <= time + WITHIN);
        let until = self.bends.get(next).copied().unwrap_or(f64::INFINITY).min(time + LONGEST / self.setup.fps);
        let looks = ((until - time) * self.setup.fps * LOOKS).ceil().max(4.0) as u32;
        let of = |i: u32| self.at_frame(time + (until - time) * (f64::from(i) + 0.5) / f64::from(looks));
        let first = of(0);
        let steady = (self.known && (1..looks).all(|i| of(i) == first)).then_some(first);
        Window { from: time, until, steady }
    }

    fn at_frame(&self, seconds: f64) -> Weather {
        let setup = self.setup;
        match &setup.changing {
            Some(changing) => changing.at(setup.start_frame + seconds * setup.fps, setup.thing),
            None => Weather { air: setup.air, bounciness: setup.bounciness, friction: setup.friction },
        }
    }

    /// What acts in flight at a moment of the window that was asked for last.
    pub fn air(&self, time: f64) -> Air {
        self.part(time, |weather| weather.air, |changing, frame| changing.air(frame, self.setup.thing))
    }

    /// The coefficient of friction then.
    pub fn friction(&self, time: f64) -> f64 {
        self.part(time, |weather| weather.friction, |changing, frame| changing.friction.at(frame, self.setup.thing))
    }

    /// The bounciness then.
    pub fn bounciness(&self, time: f64) -> f64 {
        self.part(time, |weather| weather.bounciness, |changing, frame| changing.bounciness.at(frame, self.setup.thing))
    }

    fn part<T>(&self, time: f64, steady: impl Fn(Weather) -> T, changing: impl Fn(&Changing, f64) -> T) -> T {
        let (Window { from, until, steady: None }, Some(numbers)) = (self.window, &self.setup.changing) else {
            return steady(self.window.steady.unwrap_or_else(|| self.at_frame(time)));
        };
        let within = time.clamp(from + WITHIN, (until - WITHIN).max(from + WITHIN));
        changing(numbers, self.setup.start_frame + within * self.setup.fps)
    }
}

/// Steps of a flight that is aimed.
const MOST_STEPS: usize = 2000;
/// Rounds of Newton's method; without drag by the square of speed one is enough.
const ROUNDS: usize = 40;

/// The velocity with which a free flight goes `by` metres in so many seconds, above 0, while things change; `guess` to
/// begin with, metres per second. Nothing where none was found.
pub fn thrown_while_changing(setup: &LaunchSetup, by: DVec3, seconds: f64, guess: DVec3) -> Option<DVec3> {
    let flown = |velocity: DVec3| {
        let free = LaunchSetup {
            velocity,
            changing: setup.changing.clone(),
            thing: setup.thing,
            start_frame: setup.start_frame,
            fps: setup.fps,
            ..LaunchSetup::free(DVec3::ZERO, velocity, setup.air)
        };
        Throw::solve(free, setup.start_frame + seconds * setup.fps, MOST_STEPS).place(seconds)
    };
    let size = by.length() + guess.length() * seconds + 1.0;
    let (mut velocity, mut inverse, mut before) = (guess, DMat3::ZERO, f64::INFINITY);
    let mut by_then = DVec3::ZERO;
    for _ in 0..ROUNDS {
        let off = by - flown(velocity);
        if off.length() <= 1e-10 * size {
            return Some(velocity);
        }
        let nearer = off.length() < before;
        if !nearer {
            // Too far: half as far from where it came.
            by_then *= 0.5;
            velocity -= by_then;
            continue;
        }
        // Slopes hold as long as they bring it ten times nearer.
        if off.length() <= 0.1 * before && before.is_finite() {
            before = off.length();
            by_then = inverse * off;
            velocity += by_then;
            continue;
        }
        before = off.length();
        let step = 1e-4 * (1.0 + velocity.length());
        let column = |axis: DVec3| (flown(velocity + axis * step) - flown(velocity - axis * step)) / (2.0 * step);
        let slopes = DMat3::from_cols(column(DVec3::X), column(DVec3::Y), column(DVec3::Z));
        inverse = slopes.inverse();
        by_then = inverse * off;
        velocity += by_then;
    }
    None
}
