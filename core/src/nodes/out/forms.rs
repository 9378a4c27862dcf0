//! The forms of things as they are shown: about one metre long, nose along x, top along y.

use super::output::Shown;
use crate::physics::{BodyForm, Hull};
use glam::DVec3;
use std::f64::consts::TAU;

/// Corners round each ring of what is round.
const ROUND: usize = 16;

impl Shown {
    /// The form of a thing `size` metres long, above 0; of what has a hole it is the hull. Nothing for a model of one's own.
    pub fn form(self, size: f64) -> Option<BodyForm> {
        let hull = |corners: Vec<DVec3>| {
            let corners: Vec<DVec3> = corners.into_iter().map(|corner| corner * size).collect();
            Hull::of(&corners).map(BodyForm::Hull)
        };
        match self {
            Self::Ball => Some(BodyForm::Ball(0.5 * size)),
            Self::Box => Some(BodyForm::Box(DVec3::new(0.5, 0.3, 0.3) * size)),
            Self::Letter => Some(BodyForm::Box(DVec3::new(0.5, 0.5, 0.05) * size)),
            Self::Capsule => Some(BodyForm::Capsule(0.28 * size, 0.22 * size)),
            Self::Plate => Some(BodyForm::Disc(0.04 * size, 0.5 * size)),
            Self::Ring => Some(BodyForm::Disc(0.08 * size, 0.5 * size)),
            Self::Cone => hull(turned(0, ROUND, &[(0.5, 0.0), (-0.5, 0.32)])),
            Self::Arrow => hull(turned(0, 4, &[(0.5, 0.0), (-0.12, 0.26), (-0.5, 0.08)])),
            Self::Lantern => hull(turned(1, 6, &[(-0.18, 0.1), (-0.32, 0.34), (-0.92, 0.24)])),
            Self::Puck => hull(turned(2, ROUND, &[(-0.1, 0.5), (0.1, 0.5)])),
            Self::Barrel => hull(turned(2, 6, &[(-0.45, 0.5), (0.45, 0.5)])),
            Self::Peg => hull(turned(1, ROUND, &[(-0.5, 0.38), (-0.44, 0.34), (0.5, 0.09), (0.59, 0.0)])),
            Self::Club => hull(turned(0, ROUND, &[(-0.5, 0.03), (-0.45, 0.06), (0.2, 0.13), (0.32, 0.14), (0.5, 0.0)])),
            Self::Boat => hull(hull_of_a_boat()),
            Self::OwnModel => None,
        }
    }
}

/// Rings of corners round an axis, 0 to 2, each at a place along it with a radius.
fn turned(axis: usize, sides: usize, rings: &[(f64, f64)]) -> Vec<DVec3> {
    let (along, right) = (DVec3::AXES[axis], DVec3::AXES[usize::from(axis == 0)]);
    let up = along.cross(right);
    let corner = |at: f64, radius: f64, i: usize| {
        let angle = TAU * i as f64 / sides as f64;
        along * at + (right * libm::cos(angle) + up * libm::sin(angle)) * radius
    };
    rings.iter().flat_map(|&(at, radius)| (0..sides).map(move |i| corner(at, radius, i))).collect()
}

fn hull_of_a_boat() -> Vec<DVec3> {
    let outline = [(0.5, 0.0), (0.22, 0.13), (-0.1, 0.2), (-0.42, 0.15)];
    let corner = |(x, z): (f64, f64)| {
        [(-0.13, 1.0), (-0.13, -1.0), (0.17, 1.0), (0.17, -1.0)].map(|(y, side)| DVec3::new(x, y, side * z))
    };
    outline.into_iter().flat_map(corner).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{THINGS, letter, thing};
    use crate::schema::Choice;
    use glam::DVec3;

    /// Metres that what is shown may reach beyond the form that is reckoned with, or stay within it.
    const ORNAMENT: f64 = 0.07;
    /// Sides on which it reaches farther: a lantern's hook and a boat's mast.
    const BEYOND: [(&str, &str); 2] = [("lantern", "+y"), ("boat", "+y")];

    #[test]
    fn forms_are_as_large_as_what_is_shown() {
        for word in THINGS {
            let (low, high) = box_around(&thing(word).unwrap().places);
            let shape = Shown::from_word(word).and_then(|thing| thing.form(1.0));
            let bounds = shape.unwrap_or_else(|| panic!("{word} has a form")).shape(1.0).compute_local_aabb();
            for (side, (found, shown)) in [(bounds.mins, low), (bounds.maxs, high)].into_iter().enumerate() {
                for (axis, found) in [found.x, found.y, found.z].into_iter().enumerate() {
                    let name = format!("{}{}", ["-", "+"][side], ["x", "y", "z"][axis]);
                    let ornament = (shown[axis] - f64::from(found)).abs();
                    let beyond = BEYOND.contains(&(word, name.as_str()));
                    assert_eq!(ornament > ORNAMENT, beyond, "{word} {name} is shown {ornament} m off its form");
                }
            }
        }
        let (low, high) = box_around(&letter("Z").unwrap().places);
        assert!(low.min_element() > -0.5 && high.max_element() < 0.5, "a letter lies within its sign");
    }

    fn box_around(places: &[DVec3]) -> (DVec3, DVec3) {
        (places.iter().copied().reduce(DVec3::min).unwrap(), places.iter().copied().reduce(DVec3::max).unwrap())
    }
}
