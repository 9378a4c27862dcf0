//! What a thing that is thrown comes to next, and what it meets there.

use super::super::obstacle::Side;
use super::{Course, Event, Face, Footing, Mode, Solver, Support};
use crate::surface::{Gap, Met, Reach, meeting};
use glam::DVec3;

impl Solver<'_> {
    pub(super) fn is_flat(&self, support: Support) -> bool {
        match support {
            Support::Side(_) => true,
            Support::Face(i) => self.faces[i].flat.is_some(),
        }
    }

    /// How far it is from touching, metres, and the unit vector away from what it would touch.
    pub(super) fn gap(&self, support: Support, place: DVec3) -> (f64, DVec3) {
        match support {
            Support::Side(side) => {
                let (axis, sign) = side.axis();
                let mut normal = DVec3::ZERO;
                normal[axis] = -sign;
                (sign * (self.setup.bounds.side(side) - place[axis]), normal)
            }
            Support::Face(i) => {
                let Face { outside, flat, ref surface, .. } = self.faces[i];
                let (distance, normal) = match flat {
                    Some((normal, on)) => (normal.dot(place - on), normal),
                    None => surface.distance(place),
                };
                (outside * distance - self.setup.radius, normal * outside)
            }
        }
    }

    pub(super) fn friction(&self, support: Support, time: f64) -> f64 {
        let friction = self.forecast.friction(time);
        match support {
            Support::Side(_) => friction,
            Support::Face(i) => friction * self.faces[i].surface.grip,
        }
    }

    pub(super) fn bounciness(&self, support: Support) -> f64 {
        let bounciness = self.forecast.bounciness(self.time);
        match support {
            Support::Side(_) => bounciness,
            Support::Face(i) => (bounciness * self.faces[i].surface.bounce).min(1.0),
        }
    }

    pub(super) fn next_event(&self, course: &Course, own: Option<(f64, Event)>) -> Option<(f64, Event)> {
        if self.mode == Mode::Lies {
            return None;
        }
        let mut next = own;
        let mut offer = |after: f64, event: Event| {
            if next.as_ref().is_none_or(|(known, _)| after < *known) {
                next = Some((after, event));
            }
        };
        let on = self.footing();
        let lies_on = |support: Support| on.is_some_and(|footing| footing.holds(support));
        for side in Side::ALL {
            if lies_on(Support::Side(side)) {
                continue;
            }
            let chosen = self.setup.sides.contains(&side);
            // An edge ends what it lies on only where that is a side of the box.
            let edge = on.is_some_and(|footing| footing.supports().any(|support| matches!(support, Support::Side(_))));
            if !chosen && !edge {
                continue;
            }
            match self.reaches(side, course) {
                Some(Met::Touched(after)) => {
                    offer(after, if chosen { Event::Touch(Support::Side(side)) } else { Event::SlidesOff });
                }
                Some(Met::Lost(after)) => offer(after, Event::Lost),
                _ => {}
            }
        }
        for i in 0..self.faces.len() {
            let support = Support::Face(i);
            if lies_on(support) {
                continue;
            }
            if let Some(after) = self.meets_flat(support, course) {
                after.into_iter().for_each(|after| offer(after, Event::Touch(support)));
                continue;
            }
            match self.meets(support, course) {
                Some(Met::Touched(after)) => offer(after, Event::Touch(support)),
                Some(Met::Rounded(after)) => offer(after, Event::Rounds(i)),
                Some(Met::Lost(after)) => offer(after, Event::Lost),
                None => {}
            }
        }
        if let Some(stays) = self.setup.stays.filter(|stays| self.struck.is_empty() && *stays >= self.time) {
            offer(stays - self.time, Event::Stays);
        }
        next
    }

    /// What it lies on.
    pub(super) const fn footing(&self) -> Option<Footing> {
        match self.mode {
            Mode::Slides(footing) | Mode::Rolls(footing) => Some(footing),
            _ => None,
        }
    }

    /// When it meets a support, by going forward.
    fn meets(&self, support: Support, course: &Course) -> Option<Met> {
        let radius = if matches!(support, Support::Face(_)) { self.setup.radius } else { 0.0 };
        let reach = Reach { place: self.place, course, size: super::size(self.setup), radius };
        let gap = |place: DVec3| {
            let (gap, normal) = self.gap(support, place);
            Gap { gap, normal }
        };
        let room = |place: DVec3, gap: &Gap| match support {
            Support::Face(i) if self.faces[i].flat.is_none() => {
                self.faces[i].surface.room(place - gap.normal * (gap.gap + radius), gap.normal)
            }
            _ => f64::INFINITY,
        };
        meeting(&reach, gap, room)
    }

    /// In closed form, seconds until what goes on a parabola meets a flat, if it does; nothing for all else.
    fn meets_flat(&self, support: Support, course: &Course) -> Option<Option<f64>> {
        let Course::Parabola { velocity, acceleration } = course else { return None };
        let (gap, normal) = self.gap(support, self.place);
        if !self.is_flat(support) || gap < -self.slack {
            return None;
        }
        Some(first_reach(gap.max(0.0), -velocity.dot(normal), -acceleration.dot(normal)))
    }

    /// When it meets a side from the inside, within the side's edges.
    fn reaches(&self, side: Side, course: &Course) -> Option<Met> {
        let (axis, sign) = side.axis();
        let distance = sign * (self.setup.bounds.side(side) - self.place[axis]);
        if !distance.is_finite() || distance < -self.slack {
            return None;
        }
        let after = match course {
            Course::Parabola { velocity, acceleration } => {
                // Rounding may leave it a hair beyond a side that it meets together with another.
                first_reach(distance.max(0.0), sign * velocity[axis], sign * acceleration[axis])?
            }
            _ => match self.meets(Support::Side(side), course)? {
                Met::Touched(after) => after,
                other => return Some(other),
            },
        };
        let (place, leaving) = (self.place + course.offset(after), course.velocity(after));
        let inside = Side::ALL.into_iter().filter(|other| other.axis().0 != axis).all(|other| {
            let (axis, sign) = other.axis();
            let beyond = sign * (place[axis] - self.setup.bounds.side(other));
            // On the very edge it counts as gone when it moves out through an open side.
            let gone = beyond > -self.slack && sign * leaving[axis] > 0.0 && !self.setup.sides.contains(&other);
            beyond <= self.slack && !gone
        });
        inside.then_some(Met::Touched(after))
    }
}

/// The first time after which `distance` is covered outward at speed `w` and acceleration `a`; the
/// root at which it moves outward, without cancellation.
fn first_reach(distance: f64, w: f64, a: f64) -> Option<f64> {
    if a == 0.0 {
        return (w > 0.0).then(|| distance / w);
    }
    let square = w * w + 2.0 * a * distance;
    if square < 0.0 {
        return None;
    }
    let root = square.sqrt();
    if w > 0.0 { Some(2.0 * distance / (w + root)) } else { (a > 0.0).then(|| (root - w) / a) }
}
