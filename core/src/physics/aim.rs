//! How to throw so that a thing lands at a place.

use super::air::Air;
use glam::DVec3;

/// What is asked of a throw beside where it lands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Wanted {
    /// Seconds on the way, above 0.
    Time(f64),
    /// Metres that its highest place is above the start, against gravity.
    Height(f64),
    /// Radians by which it leaves upwards.
    Slope(f64),
    /// Metres per second at which it leaves.
    Speed(f64),
}

/// A way to throw.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Aimed {
    /// Metres per second at the start.
    pub velocity: DVec3,
    /// Seconds on the way.
    pub seconds: f64,
}

/// How many times are looked at to find a solution between them, on a scale that grows evenly, and the shortest and longest flight that is looked at, as parts of a time that fits the distance.
const CLOSED: (usize, f64, f64) = (320, 1e-4, 60.0);
/// The same where flights have no closed form.
const STEPPED: (usize, f64, f64) = (60, 0.02, 12.0);

/// The ways to throw by so much, in metres, shortest flight first: none, one or two.
pub fn aimed(air: &Air, by: DVec3, wanted: Wanted) -> Vec<Aimed> {
    let at = |seconds: f64| air.thrown(by, seconds).map(|velocity| Aimed { velocity, seconds });
    if let Wanted::Time(seconds) = wanted {
        return at(seconds).into_iter().collect();
    }
    let up = -air.gravity.normalize_or_zero();
    let off = |seconds: f64| at(seconds).map(|aimed| misses(air, &aimed, up, wanted));
    let fitting = fitting_time(air, by, wanted);
    let (looks, shortest, longest) = if air.is_stepped() { STEPPED } else { CLOSED };
    let ratio = libm::log(longest / shortest) / looks as f64;
    let times: Vec<f64> = (0..=looks).map(|i| fitting * shortest * libm::exp(ratio * i as f64)).collect();
    // From each time to the next the throw changes little, and quicker ones need more speed by as much.
    let mut last: Option<Aimed> = None;
    let mut misses = Vec::with_capacity(times.len());
    for &seconds in &times {
        let near = last.map(|last| last.velocity * (last.seconds / seconds)).filter(|_| air.is_stepped());
        let here = air.thrown_near(by, seconds, near).or_else(|| air.thrown(by, seconds));
        last = here.map(|velocity| Aimed { velocity, seconds });
        misses.push(last.map(|aimed| self::misses(air, &aimed, up, wanted)));
    }
    let mut found = Vec::new();
    for (i, pair) in misses.windows(2).enumerate() {
        let [Some(a), Some(b)] = *pair else { continue };
        if (a > 0.0) != (b > 0.0)
            && let Some(time) = halved(&off, times[i], times[i + 1], a)
        {
            found.extend(at(time));
        }
    }
    // Where two solutions fall together they only touch: that is looked for where it nearly does.
    if found.is_empty() {
        found.extend(touching(&off, &times, &misses).and_then(at));
    }
    found
}

/// Seconds that fit the distance and the pull, to look about.
fn fitting_time(air: &Air, by: DVec3, wanted: Wanted) -> f64 {
    let pull = air.gravity.length();
    let far = by.length();
    let free = match wanted {
        Wanted::Speed(speed) if speed > 0.0 => far / speed,
        Wanted::Height(height) if pull > 0.0 => 2.0 * (2.0 * height.abs() / pull).sqrt(),
        _ => 0.0,
    };
    let fallen = if pull > 0.0 { (2.0 * far / pull).sqrt() } else { 0.0 };
    free.max(fallen).max(1e-3)
}

/// By how much a way to throw misses what is wanted.
fn misses(air: &Air, aimed: &Aimed, up: DVec3, wanted: Wanted) -> f64 {
    let rising = aimed.velocity.dot(up);
    match wanted {
        Wanted::Time(_) => 0.0,
        Wanted::Speed(speed) => aimed.velocity.length() - speed,
        Wanted::Slope(slope) => {
            let along = (aimed.velocity - up * rising).length();
            libm::atan2(rising, along) - slope
        }
        Wanted::Height(height) => apex(air, aimed.velocity, up) - height,
    }
}

/// How high a throw rises over its start, metres; below 0 where it begins downwards, by as much as says how far.
pub fn apex(air: &Air, velocity: DVec3, up: DVec3) -> f64 {
    let rising = velocity.dot(up);
    let pull = air.gravity.length();
    if rising <= 0.0 || pull == 0.0 {
        return rising;
    }
    if air.linear == 0.0 && air.quadratic == 0.0 {
        return 0.5 * rising * rising / pull;
    }
    // The moment at which it no longer rises, by halving; drag only brings it nearer, wind may not.
    let slows = |t: f64| air.arrives(velocity, t).1.dot(up) <= 0.0;
    let mut high = rising / pull;
    for _ in 0..40 {
        if slows(high) {
            break;
        }
        high *= 2.0;
    }
    let mut low = 0.0;
    for _ in 0..50 {
        let middle = 0.5 * (low + high);
        if slows(middle) { high = middle } else { low = middle }
    }
    air.flown(velocity, high).dot(up)
}

fn halved(off: &impl Fn(f64) -> Option<f64>, mut low: f64, mut high: f64, before: f64) -> Option<f64> {
    for _ in 0..100 {
        let middle = 0.5 * (low + high);
        if middle <= low || middle >= high {
            break;
        }
        if (off(middle)? > 0.0) == (before > 0.0) { low = middle } else { high = middle }
    }
    Some(0.5 * (low + high))
}

/// Where what is missed is least, if that is all but nothing.
fn touching(off: &impl Fn(f64) -> Option<f64>, times: &[f64], misses: &[Option<f64>]) -> Option<f64> {
    let size = |miss: &Option<f64>| miss.map_or(f64::INFINITY, f64::abs);
    let least = (1..times.len() - 1).min_by(|a, b| size(&misses[*a]).total_cmp(&size(&misses[*b])))?;
    let (mut low, mut high) = (times[least - 1], times[least + 1]);
    let far = |t: f64| off(t).map_or(f64::INFINITY, f64::abs);
    for _ in 0..200 {
        let (a, b) = (low + 0.382 * (high - low), low + 0.618 * (high - low));
        if far(a) < far(b) { high = b } else { low = a }
    }
    let time = 0.5 * (low + high);
    (far(time) <= 1e-7).then_some(time)
}
