//! When something that moves first meets something that stands: going forward as far as nothing can be met
//! (conservative advancement, Mirtich 1996).
//!
//! How far that is, is told by two bounds. Nothing is met before the gap has been covered at full speed. And nothing is
//! met within the largest ball that touches the surface where it is nearest and holds nothing: behind a wall that bends
//! away, everything on this side of a flat. By the second, what skims over a surface in flat hops comes to where it
//! lands in a few steps, since flat and parabola are both known to the second order.

use crate::roots::halved;
use glam::DVec3;

/// A way through space, by seconds.
pub trait Travel {
    /// Metres from where it begins.
    fn offset(&self, t: f64) -> DVec3;
    /// Metres per second.
    fn velocity(&self, t: f64) -> DVec3;
    /// The most that it is accelerated against a unit vector from a moment on, metres per second squared.
    fn falls(&self, t: f64, normal: DVec3) -> f64;
    /// The most that it is accelerated at all, metres per second squared.
    fn most_acceleration(&self) -> f64;
    /// Seconds it lasts, ∞ where it has no end.
    fn lasts(&self) -> f64;
}

/// Straight on, at one speed.
#[derive(Debug, Clone, Copy)]
pub struct Straight(pub DVec3);

impl Travel for Straight {
    fn offset(&self, t: f64) -> DVec3 {
        self.0 * t
    }

    fn velocity(&self, _: f64) -> DVec3 {
        self.0
    }

    fn falls(&self, _: f64, _: DVec3) -> f64 {
        0.0
    }

    fn most_acceleration(&self) -> f64 {
        0.0
    }

    fn lasts(&self) -> f64 {
        f64::INFINITY
    }
}

/// How a place is to what stands there.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Gap {
    /// Metres until it touches; below 0 behind the surface.
    pub gap: f64,
    /// Unit vector away from the surface.
    pub normal: DVec3,
}

/// A stretch of motion.
pub struct Reach<'a, T> {
    /// Where it begins, metres.
    pub place: DVec3,
    /// Where it goes.
    pub course: &'a T,
    /// What lengths are measured by, metres.
    pub size: f64,
    /// Metres from its middle at which it touches.
    pub radius: f64,
}

/// Seconds beyond which nothing is looked for.
const LONGEST: f64 = 7200.0;
/// Most steps forward.
const MOST_STEPS: usize = 4_000;
/// Part of the size within which it counts as touching.
const ON_IT: f64 = 1e-9;
/// Part of the size within which what is crossed was touched.
const NEAR: f64 = 1e-7;
/// Part of the speed below which it neither comes nearer nor leaves.
const SKIMS: f64 = 1e-9;
/// Steps for which the first bound will do where the second is dearer.
const CHEAP_STEPS: usize = 3;

/// What is met.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Met {
    /// It is touched after so many seconds.
    Touched(f64),
    /// After so many seconds it has gone round the border of something that is open, to its other side.
    Rounded(f64),
    /// It could not be told, from so many seconds on.
    Lost(f64),
}

/// When the gap first goes from above 0 to below it. `gap` grows at most as fast as one moves; `room` gives the radius
/// of a ball that touches the surface where a place is nearest, on that place's side, and holds none of it.
pub fn meeting<T: Travel>(
    reach: &Reach<'_, T>,
    gap: impl Fn(DVec3) -> Gap,
    room: impl Fn(DVec3, &Gap) -> f64,
) -> Option<Met> {
    let (course, end) = (reach.course, reach.course.lasts().min(LONGEST));
    let place = |t: f64| reach.place + course.offset(t);
    let at = |t: f64| gap(place(t));
    let (on_it, most) = (ON_IT * reach.size, course.most_acceleration());
    let mut t = 0.0;
    let mut here = at(0.0);
    for step in 0..MOST_STEPS {
        if t >= end {
            return None;
        }
        let velocity = course.velocity(t);
        let (speed, off) = (velocity.length(), velocity.dot(here.normal));
        if here.gap.abs() <= on_it {
            if off < -SKIMS * speed - f64::MIN_POSITIVE {
                return Some(Met::Touched(touched(&at, t, here.gap, off, end)));
            }
            let Some(later) = leaves(course, &at, t, on_it, end) else { return Some(Met::Touched(t)) };
            t = later;
            here = at(t);
            continue;
        }
        let away = here.gap.abs();
        let mut safe = 2.0 * away / (speed + (speed * speed + 4.0 * most * away).sqrt());
        if here.gap > 0.0 && step >= CHEAP_STEPS {
            let room = room(place(t), &here);
            safe = safe.max(within(course, t, &here, room - reach.radius, room.is_infinite()));
        }
        if safe.is_nan() {
            return None;
        }
        let next = (t + safe.max(1e-13 * (1.0 + t))).min(end);
        let there = at(next);
        if here.gap > 0.0 && there.gap < -on_it {
            let (low, high) = crossing(&at, t, next);
            // What touches comes near first; round a border the sign alone changes.
            return Some(if at(low).gap <= NEAR * reach.size { Met::Touched(low) } else { Met::Rounded(high) });
        }
        (t, here) = (next, there);
    }
    Some(if here.gap.abs() <= NEAR * reach.size { Met::Touched(t) } else { Met::Lost(t) })
}

/// Seconds for which it stays within the ball that touches where it is nearest; of no end, on this side of the flat.
/// `ball` is that ball's radius, less its own.
fn within<T: Travel>(course: &T, t: f64, here: &Gap, ball: f64, flat: bool) -> f64 {
    let velocity = course.velocity(t);
    let (gap, off, falls) = (here.gap, velocity.dot(here.normal), course.falls(t, here.normal));
    // gap + off·s − bends·s² is still above 0.
    let (bends, lasts) = if flat {
        (0.5 * falls, f64::INFINITY)
    } else {
        if ball <= gap {
            return 0.0;
        }
        let (speed, most) = (velocity.length(), course.most_acceleration());
        // |w + v·s + ½a·s²|² ≤ ball², with w from the ball's middle; for no longer than keeps the higher powers small.
        let lasts = 0.25 * (ball / speed.max(1e-300)).min((ball / most.max(1e-300)).sqrt());
        let higher = speed * most * lasts + 0.25 * most * most * lasts * lasts;
        let square = speed * speed + (ball - gap) * falls.max(0.0) + higher;
        // Divided by twice the ball, so that it is as the flat where the ball is large.
        return root(gap * (1.0 - 0.5 * gap / ball), off * (1.0 - gap / ball), 0.5 * square / ball).min(lasts);
    };
    root(gap, off, bends).min(lasts)
}

/// The first s above 0 at which gap + off·s − bends·s² is 0; ∞ where it never is.
fn root(gap: f64, off: f64, bends: f64) -> f64 {
    if bends <= 0.0 {
        // Where it bends away, what straight on would be is sooner.
        return if off < 0.0 { -gap / off } else { f64::INFINITY };
    }
    let inside = (off * off + 4.0 * bends * gap).max(0.0).sqrt();
    if off > 0.0 { (off + inside) / (2.0 * bends) } else { 2.0 * gap / (inside - off) }
}

/// The moment at which it touches, from one at which it all but does and comes nearer.
fn touched(at: &impl Fn(f64) -> Gap, t: f64, gap: f64, off: f64, end: f64) -> f64 {
    if gap <= 0.0 {
        return t;
    }
    let mut ahead = -gap / off;
    for _ in 0..4 {
        let later = (t + 2.0 * ahead).min(end);
        if at(later).gap < 0.0 {
            return crossing(at, t, later).0;
        }
        ahead *= 2.0;
    }
    t
}

/// A moment from which on it is clear of what it touches, or goes along it; nothing where it is pressed onto it.
fn leaves<T: Travel>(course: &T, at: &impl Fn(f64) -> Gap, t: f64, on_it: f64, end: f64) -> Option<f64> {
    const LONGEST: f64 = 1e-2;
    const SHORTEST: f64 = 1e-8;
    let mut ahead = LONGEST;
    while ahead >= SHORTEST {
        let later = (t + ahead).min(end);
        if later <= t {
            return Some(end);
        }
        let part = |share: f64| at(t + (later - t) * share);
        let clear = |gap: &Gap| gap.gap >= -1e-3 * on_it;
        let last = part(1.0);
        let velocity = course.velocity(later);
        if clear(&last)
            && velocity.dot(last.normal) >= -SKIMS * velocity.length() - f64::MIN_POSITIVE
            && [0.25, 0.5, 0.75].iter().all(|share| clear(&part(*share)))
        {
            return Some(later);
        }
        ahead *= 0.5;
    }
    None
}

fn crossing(at: &impl Fn(f64) -> Gap, low: f64, high: f64) -> (f64, f64) {
    halved((low, high), 200, |x| at(x).gap >= 0.0)
}
