//! Steps of an integration where there is no closed form.

use crate::physics::flight::dormand_prince;
use glam::DVec3;

/// Place, velocity and spin at a moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Moving {
    /// Metres.
    pub place: DVec3,
    /// Metres per second.
    pub velocity: DVec3,
    /// Radians per second, about world axes.
    pub spin: DVec3,
    /// Seconds.
    pub time: f64,
}

/// A moment between two steps.
#[derive(Debug, Clone, Copy)]
pub struct Knot {
    /// Seconds after the knot before it.
    pub after: f64,
    /// Metres.
    pub place: DVec3,
    /// Metres per second.
    pub velocity: DVec3,
    /// Metres per second squared.
    pub acceleration: DVec3,
}

impl Knot {
    /// The most acceleration on the quintic to another knot, metres per second squared, and not much more.
    pub fn most_acceleration(&self, to: &Self) -> f64 {
        let h = to.after;
        if h <= 0.0 {
            return self.acceleration.length();
        }
        let [c3, c4, c5] = self.cubed(to);
        self.acceleration.length() + (c3.length() * 6.0 + c4.length() * 12.0 + c5.length() * 20.0) / (h * h)
    }

    /// What the quintic to another knot has of the third, fourth and fifth power of the part of the time, metres.
    fn cubed(&self, to: &Self) -> [DVec3; 3] {
        let h = to.after;
        let (v0, v1) = (self.velocity * h, to.velocity * h);
        let (a0, a1) = (self.acceleration * (h * h), to.acceleration * (h * h));
        let rise = to.place - self.place;
        [
            rise * 10.0 - v0 * 6.0 - v1 * 4.0 - a0 * 1.5 + a1 * 0.5,
            rise * -15.0 + v0 * 8.0 + v1 * 7.0 + a0 * 1.5 - a1,
            rise * 6.0 - (v0 + v1) * 3.0 + (a1 - a0) * 0.5,
        ]
    }

    /// Place and velocity so many seconds after this knot, on the quintic through place, velocity and acceleration of
    /// both.
    pub fn between(&self, to: &Self, t: f64) -> (DVec3, DVec3) {
        let h = to.after;
        if h <= 0.0 {
            return (self.place, self.velocity);
        }
        let x = t / h;
        let (v0, a0) = (self.velocity * h, self.acceleration * (h * h));
        let [c3, c4, c5] = self.cubed(to);
        let place = self.place + (v0 + (a0 * 0.5 + (c3 + (c4 + c5 * x) * x) * x) * x) * x;
        let velocity = v0 + (a0 + (c3 * 3.0 + (c4 * 4.0 + c5 * (5.0 * x)) * x) * x) * x;
        (place, velocity / h)
    }
}

/// Accelerations of place and spin.
pub type Forces<'a> = dyn Fn(&Moving) -> (DVec3, DVec3) + 'a;

/// Chooses steps that keep an error.
#[derive(Debug, Clone)]
pub struct Stepper {
    /// Seconds that the next step tries.
    h: f64,
    /// Seconds of the longest step.
    longest: f64,
    /// Error of a step, as a part of what is covered.
    tolerance: f64,
}

impl Default for Stepper {
    /// For steps between which a quintic is good: to the sixth power of their length.
    fn default() -> Self {
        Self { h: 1e-3, longest: 0.02, tolerance: Self::TOLERANCE }
    }
}

/// Seconds of the shortest step.
const SHORTEST: f64 = 1e-7;

impl Stepper {
    /// Error of a step, as a part of what is covered.
    pub const TOLERANCE: f64 = 1e-12;

    /// For what only matters at its end: steps are as long as the error allows.
    pub const fn to_the_end(tolerance: f64) -> Self {
        Self { h: 1e-2, longest: f64::INFINITY, tolerance }
    }

    /// One step of at most `most` seconds, above 0: how many it took, and the state after it.
    pub fn step(&mut self, from: &Moving, most: f64, forces: &Forces<'_>) -> (f64, Moving) {
        let mut h = self.h.min(self.longest).min(most);
        loop {
            let (there, error) = one(from, h, forces);
            let scale = from.velocity.length().max(there.velocity.length()) * h + from.place.length() * 1e-3 + 1e-9;
            let tries = error / (self.tolerance * scale);
            let factor = (0.9 * libm::pow(tries.max(1e-10), -0.2)).clamp(0.2, 4.0);
            if tries <= 1.0 || h <= SHORTEST {
                // A step that was cut short says nothing against longer ones.
                self.h = if h < self.h { self.h.max(h * factor) } else { h * factor };
                return (h, there);
            }
            h = (h * factor.min(0.9)).max(SHORTEST);
            self.h = h;
        }
    }
}

/// After one step of `h` seconds, and the estimated error in metres.
fn one(from: &Moving, h: f64, forces: &Forces<'_>) -> (Moving, f64) {
    let (there, error) =
        dormand_prince::step(numbers(&[from.place, from.velocity, from.spin], from.time), h, |there| {
            let there = moving(there);
            let (acceleration, turning) = forces(&there);
            numbers(&[there.velocity, acceleration, turning], 1.0)
        });
    let Moving { place, velocity, .. } = moving(&error);
    (moving(&there), place.length().max(velocity.length() * h))
}

fn numbers(vectors: &[DVec3; 3], time: f64) -> [f64; 10] {
    std::array::from_fn(|i| if i < 9 { vectors[i / 3][i % 3] } else { time })
}

fn moving(numbers: &[f64; 10]) -> Moving {
    let vector = |i: usize| DVec3::from_slice(&numbers[3 * i..]);
    Moving { place: vector(0), velocity: vector(1), spin: vector(2), time: numbers[9] }
}
