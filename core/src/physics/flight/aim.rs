//! How to throw so that a thing lands at a place.
//!
//! Where flights have a closed form the throw for each time is known, and the times at which it is as wanted are looked
//! for. Where drag grows with the square of speed, each of those ways is followed while that drag grows from nothing to
//! what it is (continuation, Allgower and Georg 1990), by Newton's method for velocity and time together. What is given
//! is a solution: it was flown, and it lands.

use super::air::Air;
use crate::roots::{bottom, middle, try_halved};
use crate::work::here;
use glam::{DMat4, DVec3, DVec4};
use rayon::prelude::*;

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

/// How many times are looked at to find a solution between them, on a scale that grows evenly.
const LOOKS: usize = 320;
/// The shortest and longest flight that is looked at, as parts of a time that fits the distance.
const SPAN: (f64, f64) = (1e-4, 60.0);
/// What a solution may miss, as a part of the distance and of what is wanted.
const MISSES: f64 = 1e-9;
/// Metres per second beyond which nothing is thrown.
const FASTEST: f64 = 1e5;

/// The ways to throw by so much, in metres, shortest flight first: none, one or two.
pub fn aimed(air: &Air, by: DVec3, wanted: Wanted) -> Vec<Aimed> {
    let free = Air { quadratic: 0.0, ..*air };
    let mut found = aimed_free(&free, by, wanted);
    if air.is_stepped() {
        // Each is followed by itself, side by side.
        let counted = here();
        let followed = |way| counted.on(|| through_drag(air, by, wanted, way));
        found = found.into_par_iter().filter_map(followed).collect();
        found.sort_by(|a, b| a.seconds.total_cmp(&b.seconds));
        found.dedup_by(|a, b| (a.seconds - b.seconds).abs() <= 1e-6 * b.seconds);
    }
    found.retain(|way| way.velocity.length() <= FASTEST);
    found
}

/// The velocity with which a flight against the square of speed goes `by` metres in so many seconds, above 0; nothing
/// where it would have to be beyond all measure.
pub(in crate::physics) fn thrown_through(air: &Air, by: DVec3, seconds: f64) -> Option<DVec3> {
    let velocity = Air { quadratic: 0.0, ..*air }.thrown(by, seconds)?;
    through_drag(air, by, Wanted::Time(seconds), Aimed { velocity, seconds }).map(|way| way.velocity)
}

/// The ways where flights have a closed form.
fn aimed_free(air: &Air, by: DVec3, wanted: Wanted) -> Vec<Aimed> {
    let at = |seconds: f64| air.thrown(by, seconds).map(|velocity| Aimed { velocity, seconds });
    if let Wanted::Time(seconds) = wanted {
        return at(seconds).into_iter().collect();
    }
    let up = -air.gravity.normalize_or_zero();
    let off = |seconds: f64| at(seconds).map(|aimed| misses(air, aimed.velocity, up, wanted, MISSES));
    let fitting = fitting_time(air, by, wanted);
    let ratio = libm::log(SPAN.1 / SPAN.0) / LOOKS as f64;
    let times: Vec<f64> = (0..=LOOKS).map(|i| fitting * SPAN.0 * libm::exp(ratio * i as f64)).collect();
    let misses: Vec<Option<f64>> = times.iter().map(|&seconds| off(seconds)).collect();
    let mut found = Vec::new();
    for (i, pair) in misses.windows(2).enumerate() {
        let [Some(a), Some(b)] = *pair else { continue };
        if (a > 0.0) != (b > 0.0)
            && let Some(time) = crossing(&off, (times[i], times[i + 1]), a)
            // A leap from one side to the other is no solution.
            && off(time).is_some_and(|miss| miss.abs() <= 1e-6 * (1.0 + size_of(wanted)))
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

/// What a number that is wanted is measured by.
const fn size_of(wanted: Wanted) -> f64 {
    match wanted {
        Wanted::Time(size) | Wanted::Height(size) | Wanted::Slope(size) | Wanted::Speed(size) => size.abs(),
    }
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
fn misses(air: &Air, velocity: DVec3, up: DVec3, wanted: Wanted, tolerance: f64) -> f64 {
    let rising = velocity.dot(up);
    match wanted {
        Wanted::Time(_) => 0.0,
        Wanted::Speed(speed) => velocity.length() - speed,
        Wanted::Slope(slope) => {
            let along = (velocity - up * rising).length();
            libm::atan2(rising, along) - slope
        }
        Wanted::Height(height) => air.rises(velocity, up, tolerance) - height,
    }
}

/// How high a throw rises over its start, metres; below 0 where it begins downwards, by as much as its speed.
pub fn apex(air: &Air, velocity: DVec3, up: DVec3) -> f64 {
    if air.gravity == DVec3::ZERO {
        velocity.dot(up)
    } else {
        air.rises(velocity, up, crate::physics::rigid::steps::Stepper::TOLERANCE)
    }
}

/// Where what is missed, `before` at the first of two times, changes its side.
fn crossing(off: &impl Fn(f64) -> Option<f64>, between: (f64, f64), before: f64) -> Option<f64> {
    try_halved(between, 100, |time| Some((off(time)? > 0.0) == (before > 0.0))).map(middle)
}

/// Where what is missed is least, if that is all but nothing.
fn touching(off: &impl Fn(f64) -> Option<f64>, times: &[f64], misses: &[Option<f64>]) -> Option<f64> {
    let size = |miss: &Option<f64>| miss.map_or(f64::INFINITY, f64::abs);
    let least = (1..times.len() - 1).min_by(|a, b| size(&misses[*a]).total_cmp(&size(&misses[*b])))?;
    let far = |t: f64| off(t).map_or(f64::INFINITY, f64::abs);
    let time = bottom((times[least - 1], times[least + 1]), 200, |a, b| far(a) < far(b));
    (far(time) <= 1e-7).then_some(time)
}

/// The shortest part of the drag by which it grows in one go.
const LEAST_GROWTH: f64 = 1.0 / 4096.0;
/// Newton's steps for one part of the drag; at the end there may be as many again.
const MOST_TRIES: usize = 7;
/// Error of steps and of the solution on the way, near the end, and at the end: a flight in steps of fifth order takes four
/// times as long where it may be off by a thousandth.
const ROUGH: (f64, f64) = (1e-6, 1e-3);
const FINE: (f64, f64) = (1e-9, 1e-8);
const EXACT: (f64, f64) = (1e-12, MISSES);

/// A way to throw that is followed while the drag by the square of speed grows to what it is.
fn through_drag(air: &Air, by: DVec3, wanted: Wanted, free: Aimed) -> Option<Aimed> {
    let grown = |part: f64| Air { quadratic: air.quadratic * part, ..*air };
    let (mut here, mut part, mut growth) = (free, 0.0, 0.25);
    // How velocity and time change with the drag.
    let mut change: Option<(DVec3, f64)> = None;
    let mut slopes = None;
    while part < 1.0 {
        let next: f64 = f64::min(part + growth, 1.0);
        let ahead = change.map_or(here, |(velocity, seconds)| Aimed {
            velocity: here.velocity + velocity * (next - part),
            seconds: (here.seconds + seconds * (next - part)).max(0.5 * here.seconds),
        });
        let solved = solved(&grown(next), by, wanted, ahead, ROUGH, &mut slopes).filter(|(way, _)| {
            // Another way than the one that is followed lies farther off.
            way.velocity.distance(ahead.velocity) <= 0.5 * (1.0 + here.velocity.length())
        });
        match solved {
            Some((way, tries)) => {
                let by_part = 1.0 / (next - part);
                change = Some(((way.velocity - here.velocity) * by_part, (way.seconds - here.seconds) * by_part));
                (here, part) = (way, next);
                growth *= if tries <= 3 { 2.0 } else { 1.0 };
            }
            None => {
                slopes = None;
                growth *= 0.25;
                if growth < LEAST_GROWTH {
                    return None;
                }
            }
        }
    }
    for within in [FINE, EXACT] {
        here = solved(air, by, wanted, here, within, &mut slopes)?.0;
    }
    Some(here).filter(|way| way.velocity.length() <= FASTEST)
}

/// Places that a way to throw misses, metres, and by how much it misses what is wanted; and the velocity with which it
/// arrives.
fn flown(air: &Air, by: DVec3, wanted: Wanted, way: Aimed, tolerance: f64) -> (DVec4, DVec3) {
    let (there, arriving) = air.arrives_within(way.velocity, way.seconds, tolerance);
    let miss = misses(air, way.velocity, -air.gravity.normalize_or_zero(), wanted, tolerance);
    ((there - by).extend(miss), arriving)
}

/// How what is missed changes with velocity and time, by differences.
fn slopes(air: &Air, by: DVec3, wanted: Wanted, way: Aimed, now: (DVec4, DVec3), tolerance: f64) -> DMat4 {
    let h = tolerance.sqrt() * (1.0 + way.velocity.length());
    let column = |axis: DVec3| {
        let ahead = Aimed { velocity: way.velocity + axis * h, ..way };
        (flown(air, by, wanted, ahead, tolerance).0 - now.0) / h
    };
    // Where the time is what is wanted it does not change.
    let later = if matches!(wanted, Wanted::Time(_)) { DVec4::W } else { now.1.extend(0.0) };
    DMat4::from_cols(column(DVec3::X), column(DVec3::Y), column(DVec3::Z), later)
}

/// Newton's method for velocity and time together: the solution near a way to throw, and after how many steps; nothing
/// where it does not come near one. The slopes are measured once and mended by what each step shows (Broyden 1965), since
/// each column of them is a flight; they are measured anew where that does not lead on.
fn solved(
    air: &Air,
    by: DVec3,
    wanted: Wanted,
    near: Aimed,
    (tolerance, least): (f64, f64),
    known: &mut Option<DMat4>,
) -> Option<(Aimed, usize)> {
    let size = by.length() + air.gravity.length() * near.seconds * near.seconds;
    let sizes = DVec3::splat(size).extend(size_of(wanted) + 1e-3);
    // What a change of speed and of time is measured by.
    let scale = DVec3::splat(1.0 + near.velocity.length()).extend(near.seconds);
    let off = |missed: DVec4| (missed / sizes).truncate().length().max((missed.w / sizes.w).abs());
    let (mut way, mut fresh) = (near, false);
    let mut now = flown(air, by, wanted, way, tolerance);
    let most = if least < ROUGH.1 { 2 * MOST_TRIES } else { MOST_TRIES };
    for tries in 0..most {
        if off(now.0) <= least {
            return Some((way, tries));
        }
        let slopes = *known.get_or_insert_with(|| {
            fresh = true;
            slopes(air, by, wanted, way, now, tolerance)
        });
        let step = slopes.inverse() * now.0;
        let most = 2.0 * (1.0 + way.velocity.length());
        let velocity = step.truncate().clamp_length_max(most);
        // Too bold a step may be answered by a flight that ends nowhere.
        let seconds = step.w.clamp(-way.seconds, 0.5 * way.seconds);
        let next = Aimed { velocity: way.velocity - velocity, seconds: way.seconds - seconds };
        if !next.velocity.is_finite() || !next.seconds.is_finite() || next.velocity.length() > 10.0 * FASTEST {
            if fresh {
                return None;
            }
            *known = None;
            continue;
        }
        let there = flown(air, by, wanted, next, tolerance);
        if !fresh && (off(there.0).is_nan() || off(there.0) > LEADS_ON * off(now.0)) {
            *known = None;
            continue;
        }
        let changed = -velocity.extend(seconds) / scale;
        let unforeseen = there.0 - now.0 - slopes * (changed * scale);
        let by_change = changed / scale / changed.length_squared();
        *known = Some(if by_change.is_finite() {
            slopes + DMat4::from_cols_array_2d(&by_change.to_array().map(|part| (unforeseen * part).to_array()))
        } else {
            slopes
        });
        (way, now, fresh) = (next, there, false);
    }
    None
}

/// Part of what was missed that may be left by a step whose slopes were not measured where it begins.
const LEADS_ON: f64 = 0.9;
