//! What a thing that is thrown comes to next, and what it meets there.

use super::super::meeting::{Met, Reach, meeting};
use super::super::obstacle::Side;
use super::{Course, Event, Facing, Mode, Solver, Support};
use glam::DVec3;

/// Seconds over which the bend of the ground is measured.
const BEND: f64 = 1e-5;

impl Solver<'_> {
    pub(super) fn is_flat(&self, support: Support) -> bool {
        match support {
            Support::Side(_) => true,
            Support::Obstacle(i) => self.facing[i].flat.is_some(),
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
            Support::Obstacle(i) => {
                let Facing { outside, flat } = self.facing[i];
                let surface = &self.setup.obstacles[i].surface;
                let (distance, normal) = match flat {
                    Some(normal) => (normal.dot(place - surface.position), normal),
                    None => surface.distance(place),
                };
                (outside * distance - self.setup.radius, normal * outside)
            }
        }
    }

    pub(super) fn friction(&self, support: Support) -> f64 {
        match support {
            Support::Side(_) => self.setup.friction,
            Support::Obstacle(i) => self.setup.friction * self.setup.obstacles[i].surface.grip,
        }
    }

    pub(super) fn bounciness(&self, support: Support) -> f64 {
        match support {
            Support::Side(_) => self.setup.bounciness,
            Support::Obstacle(i) => (self.setup.bounciness * self.setup.obstacles[i].surface.bounce).min(1.0),
        }
    }

    /// What presses it onto what it lies on, metres per second squared, and what it would be accelerated by without.
    pub(super) fn pressing(&self, support: Support, place: DVec3, velocity: DVec3) -> (f64, DVec3) {
        let free = self.setup.air.acceleration(velocity);
        let (_, normal) = self.gap(support, place);
        if self.is_flat(support) {
            return (-free.dot(normal), free);
        }
        let bend = self.gap(support, place + velocity * BEND).1 - self.gap(support, place - velocity * BEND).1;
        (-free.dot(normal) - velocity.dot(bend) / (2.0 * BEND), free)
    }

    /// Velocity of the point where a ball touches.
    pub(super) fn slip(&self, support: Support) -> DVec3 {
        let (_, normal) = self.gap(support, self.place);
        let along = self.velocity - normal * self.velocity.dot(normal);
        along - self.spin.cross(normal) * self.setup.rolling_radius
    }

    /// The spin with which nothing slips.
    pub(super) fn gripping(&self, support: Support) -> DVec3 {
        let (_, normal) = self.gap(support, self.place);
        normal.cross(self.velocity) / self.setup.rolling_radius + normal * self.spin.dot(normal)
    }

    /// True when it moves away from what it lies on.
    pub(super) fn leaves(&self, on: Support) -> bool {
        let (_, normal) = self.gap(on, self.place);
        self.velocity.dot(normal) > 1e-9 * self.velocity.length()
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
        let on = match self.mode {
            Mode::Slides(support) | Mode::Rolls(support) => Some(support),
            _ => None,
        };
        for side in Side::ALL {
            if on == Some(Support::Side(side)) {
                continue;
            }
            let chosen = self.setup.sides.contains(&side);
            // An edge ends what it lies on only where that is a side of the box.
            let edge = matches!(on, Some(Support::Side(_)));
            if !chosen && !edge {
                continue;
            }
            if let Some(after) = self.reaches(side, course) {
                offer(after, if chosen { Event::Touch(Support::Side(side)) } else { Event::SlidesOff });
            }
        }
        for i in 0..self.setup.obstacles.len() {
            let support = Support::Obstacle(i);
            if on == Some(support) {
                continue;
            }
            let reach = Reach { place: self.place, course, size: self.size() };
            if let Some(after) = self.meets_plane(support, course) {
                after.into_iter().for_each(|after| offer(after, Event::Touch(support)));
                continue;
            }
            match meeting(&reach, |place| self.gap(support, place).0) {
                Some(Met::Touched(after)) => offer(after, Event::Touch(support)),
                Some(Met::Rounded(after)) => offer(after, Event::Rounds(i)),
                None => {}
            }
        }
        if let Some(stays) = self.setup.stays.filter(|stays| self.struck.is_empty() && *stays >= self.time) {
            offer(stays - self.time, Event::Stays);
        }
        next
    }

    /// What lengths are measured by, metres.
    pub(super) fn size(&self) -> f64 {
        let size = self.setup.bounds.size();
        if size > 0.0 { size } else { 1.0 }
    }

    /// In closed form, seconds until what flies on a parabola meets a plane, if it does; nothing for all else.
    pub(super) fn meets_plane(&self, support: Support, course: &Course) -> Option<Option<f64>> {
        let Course::Parabola { velocity, acceleration } = course else { return None };
        let (gap, normal) = self.gap(support, self.place);
        if !self.is_flat(support) || gap < -self.slack {
            return None;
        }
        Some(first_reach(gap.max(0.0), -velocity.dot(normal), -acceleration.dot(normal)))
    }

    /// Seconds until it meets a side from the inside, within the side's edges.
    pub(super) fn reaches(&self, side: Side, course: &Course) -> Option<f64> {
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
            _ => {
                let reach = Reach { place: self.place, course, size: self.size() };
                meeting(&reach, |place| sign * (self.setup.bounds.side(side) - place[axis]))?.touched()?
            }
        };
        let (place, leaving) = (self.place + course.offset(after), course.velocity(after));
        let inside = Side::ALL.into_iter().filter(|other| other.axis().0 != axis).all(|other| {
            let (axis, sign) = other.axis();
            let beyond = sign * (place[axis] - self.setup.bounds.side(other));
            // On the very edge it counts as gone when it moves out through an open side.
            let gone = beyond > -self.slack && sign * leaving[axis] > 0.0 && !self.setup.sides.contains(&other);
            beyond <= self.slack && !gone
        });
        inside.then_some(after)
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
