//! What is random about one of many throws.

use crate::pose::{perpendicular, turned};
use crate::random;
use glam::DVec3;
use std::f64::consts::TAU;

/// Random numbers of one thing.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scatter {
    /// From −1 to 1.
    pub late: f64,
    /// Within a ball of radius 1, evenly; in flat scenes within a disc.
    pub place: DVec3,
    /// From 0 to 1, for how far off, and round.
    off: [f64; 2],
    /// Three from 0 to 1, for a place on a surface.
    pub field: [f64; 3],
    /// From −1 to 1.
    fast: f64,
    flat: bool,
}

const LATE: u64 = 61;
const PLACE: u64 = 62;
const OFF: u64 = 65;
const ROUND: u64 = 66;
const FAST: u64 = 67;
const FIELD: u64 = 68;

/// Of a thing; it keeps them when the count changes.
pub fn scattered(seed: u64, object: u64, flat: bool) -> Scatter {
    let unit = |channel| random::unit(seed, object, channel);
    let round = TAU * unit(PLACE);
    let (sine, cosine) = libm::sincos(round);
    let place = if flat {
        DVec3::new(cosine, sine, 0.0) * unit(PLACE + 1).sqrt()
    } else {
        let height = random::signed(seed, object, PLACE + 1);
        let wide = (1.0 - height * height).sqrt();
        DVec3::new(cosine * wide, height, sine * wide) * libm::cbrt(unit(PLACE + 2))
    };
    Scatter {
        late: random::signed(seed, object, LATE),
        place,
        off: [unit(OFF), unit(ROUND)],
        field: [0, 1, 2].map(|i| unit(FIELD + i)),
        fast: random::signed(seed, object, FAST),
        flat,
    }
}

impl Scatter {
    /// Two angles, 0 to a whole turn.
    pub fn round(&self) -> [f64; 2] {
        self.off.map(|part| TAU * part)
    }

    /// From −1 to 1, apart from `late`.
    pub const fn fast(&self) -> f64 {
        self.fast
    }

    /// A velocity that is off by at most `cone` radians, evenly over the directions within, and by at most `by` metres
    /// per second quicker or slower.
    pub fn velocity(&self, velocity: DVec3, cone: f64, by: f64) -> DVec3 {
        let speed = velocity.length();
        let Some(way) = velocity.try_normalize() else { return velocity };
        let way = if self.flat {
            turned(way, DVec3::Z, cone * (2.0 * self.off[0] - 1.0))
        } else {
            let off = libm::acos(1.0 - self.off[0] * (1.0 - libm::cos(cone)));
            turned(turned(way, perpendicular(way), off), way, TAU * self.off[1])
        };
        way * (speed + by * self.fast).max(0.0)
    }
}
