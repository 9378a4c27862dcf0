//! Steps of an integration where there is no closed form.

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
    /// Place and velocity so many seconds after this knot, on the quintic through place, velocity and acceleration of
    /// both.
    pub fn between(&self, to: &Self, t: f64) -> (DVec3, DVec3) {
        let h = to.after;
        if h <= 0.0 {
            return (self.place, self.velocity);
        }
        let x = t / h;
        let (v0, v1) = (self.velocity * h, to.velocity * h);
        let (a0, a1) = (self.acceleration * (h * h), to.acceleration * (h * h));
        let rise = to.place - self.place;
        let c3 = rise * 10.0 - v0 * 6.0 - v1 * 4.0 - a0 * 1.5 + a1 * 0.5;
        let c4 = rise * -15.0 + v0 * 8.0 + v1 * 7.0 + a0 * 1.5 - a1;
        let c5 = rise * 6.0 - (v0 + v1) * 3.0 + (a1 - a0) * 0.5;
        let place = self.place + (v0 + (a0 * 0.5 + (c3 + (c4 + c5 * x) * x) * x) * x) * x;
        let velocity = v0 + (a0 + (c3 * 3.0 + (c4 * 4.0 + c5 * (5.0 * x)) * x) * x) * x;
        (place, velocity / h)
    }
}

/// Accelerations of place and spin.
pub type Forces<'a> = dyn Fn(&Moving) -> (DVec3, DVec3) + 'a;

/// Chooses steps that keep an error: Dormand and Prince 1980, "A family of embedded Runge-Kutta formulae", table 2.
#[derive(Debug, Clone)]
pub struct Stepper {
    /// Seconds that the next step tries.
    h: f64,
    /// Seconds of the longest step.
    longest: f64,
}

impl Default for Stepper {
    /// For steps between which a quintic is good: to the sixth power of their length.
    fn default() -> Self {
        Self { h: 1e-3, longest: 0.02 }
    }
}

/// Error of a step, as a part of what is covered.
const TOLERANCE: f64 = 1e-12;
/// Seconds of the shortest step.
const SHORTEST: f64 = 1e-7;

impl Stepper {
    /// For what only matters at its end: steps are as long as the error allows.
    pub const fn to_the_end() -> Self {
        Self { h: 1e-2, longest: f64::INFINITY }
    }

    /// One step of at most `most` seconds, above 0: how many it took, and the state after it.
    pub fn step(&mut self, from: &Moving, most: f64, forces: &Forces<'_>) -> (f64, Moving) {
        let mut h = self.h.min(self.longest).min(most);
        loop {
            let (there, error) = one(from, h, forces);
            let scale = from.velocity.length().max(there.velocity.length()) * h + from.place.length() * 1e-3 + 1e-9;
            let tries = error / (TOLERANCE * scale);
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
    const A: [&[f64]; 6] = [
        &[1.0 / 5.0],
        &[3.0 / 40.0, 9.0 / 40.0],
        &[44.0 / 45.0, -56.0 / 15.0, 32.0 / 9.0],
        &[19372.0 / 6561.0, -25360.0 / 2187.0, 64448.0 / 6561.0, -212.0 / 729.0],
        &[9017.0 / 3168.0, -355.0 / 33.0, 46732.0 / 5247.0, 49.0 / 176.0, -5103.0 / 18656.0],
        &[35.0 / 384.0, 0.0, 500.0 / 1113.0, 125.0 / 192.0, -2187.0 / 6784.0, 11.0 / 84.0],
    ];
    const E: [f64; 7] =
        [71.0 / 57600.0, 0.0, -71.0 / 16695.0, 71.0 / 1920.0, -17253.0 / 339_200.0, 22.0 / 525.0, -1.0 / 40.0];
    let mut slopes = [[DVec3::ZERO; 3]; 7];
    let slope = |m: &Moving| {
        let (acceleration, turning) = forces(m);
        [m.velocity, acceleration, turning]
    };
    slopes[0] = slope(from);
    let mut there = *from;
    for (stage, row) in A.iter().enumerate() {
        there = *from;
        for (slope, weight) in slopes.iter().zip(*row) {
            let by = h * weight;
            there.place += slope[0] * by;
            there.velocity += slope[1] * by;
            there.spin += slope[2] * by;
        }
        slopes[stage + 1] = slope(&there);
    }
    let part = |i: usize| slopes.iter().zip(E).map(|(slope, weight)| slope[i] * weight).sum::<DVec3>() * h;
    (there, part(0).length().max(part(1).length() * h))
}
