//! When something that moves first meets something that stands: going forward as far as the distance and the speed
//! say that nothing can be met (conservative advancement, Mirtich 1996), and halving once it is crossed.

use super::air::Course;
use glam::DVec3;

/// A stretch of motion.
pub struct Reach<'a> {
    /// Where it begins, metres.
    pub place: DVec3,
    /// Where it goes.
    pub course: &'a Course,
    /// What lengths are measured by, metres.
    pub size: f64,
}

/// Seconds beyond which nothing is looked for.
const LONGEST: f64 = 7200.0;
/// Most steps forward; what is grazed for longer than that counts as not met.
const MOST_STEPS: usize = 20_000;
/// Part of the size within which it counts as touching where it begins.
const ON_IT: f64 = 1e-9;
/// Part of the size within which what is crossed was touched.
const NEAR: f64 = 1e-7;
/// Seconds over which the speed towards a thing is measured.
const MOMENT: f64 = 1e-7;

/// What is met.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Met {
    /// It is touched after so many seconds.
    Touched(f64),
    /// After so many seconds it has gone round the border of something that is open, to its other side.
    Rounded(f64),
}

impl Met {
    /// Seconds until it is touched.
    pub const fn touched(self) -> Option<f64> {
        match self {
            Self::Touched(after) => Some(after),
            Self::Rounded(_) => None,
        }
    }
}

/// When `gap`, in metres, which grows at most as fast as one moves, goes from above 0 to below it.
pub fn meeting(reach: &Reach<'_>, gap: impl Fn(DVec3) -> f64) -> Option<Met> {
    let (course, end) = (reach.course, reach.course.lasts().min(LONGEST));
    let at = |t: f64| gap(reach.place + course.offset(t));
    let most = course.most_acceleration();
    let (mut t, mut here) = (0.0, at(0.0));
    if here.abs() <= ON_IT * reach.size {
        match leaving(course, &at, here, end) {
            Leaves::Into => return Some(Met::Touched(0.0)),
            Leaves::At(later) => t = later,
        }
        here = at(t);
    }
    for _ in 0..MOST_STEPS {
        if t >= end {
            return None;
        }
        let speed = course.velocity(t).length();
        let safe = 2.0 * here.abs() / (speed + (speed * speed + 4.0 * most * here.abs()).sqrt());
        if !safe.is_finite() {
            return None;
        }
        let safe = safe.max(1e-13 * (1.0 + t));
        let next = (t + safe).min(end);
        let there = at(next);
        // Beyond what is safe it is looked once as far again, which brings it to a crossing that is near.
        let far = (t + 2.0 * safe).min(end);
        let crossed = match here > 0.0 {
            true if there < 0.0 => Some((t, next)),
            true if at(far) < 0.0 => Some((next, far)),
            _ => None,
        };
        if let Some((from, to)) = crossed {
            let (low, high) = crossing(&at, from, to);
            // What touches comes near first; round a border the sign alone changes.
            return Some(if at(low) <= NEAR * reach.size { Met::Touched(low) } else { Met::Rounded(high) });
        }
        (t, here) = (next, there);
    }
    None
}

/// What becomes of something that touches where it begins.
enum Leaves {
    Into,
    /// From so many seconds on it is clearly away from it, or goes along it.
    At(f64),
}

fn leaving(course: &Course, at: &impl Fn(f64) -> f64, here: f64, end: f64) -> Leaves {
    let off = (at(MOMENT) - here) / MOMENT;
    let speed = course.velocity(0.0).length();
    if off < -1e-6 * speed {
        return Leaves::Into;
    }
    if off <= 1e-6 * speed {
        return Leaves::At(MOMENT.min(end));
    }
    // Before it can have turned back; less where what it leaves bends towards it.
    let mut later = (0.5 * off / course.most_acceleration()).min(1e-2).min(end);
    for _ in 0..60 {
        if at(later) >= 0.25 * off * later {
            break;
        }
        later *= 0.5;
    }
    Leaves::At(later)
}

fn crossing(at: &impl Fn(f64) -> f64, mut low: f64, mut high: f64) -> (f64, f64) {
    for _ in 0..200 {
        let middle = 0.5 * (low + high);
        if middle <= low || middle >= high {
            break;
        }
        if at(middle) < 0.0 { high = middle } else { low = middle }
    }
    (low, high)
}
