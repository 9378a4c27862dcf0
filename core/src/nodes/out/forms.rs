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
    use crate::schema::Choice;
    use serde_json::Value;

    /// Parts of a metre by which the box around a form may be off what the file says: what is round has corners.
    const ROUNDED: f64 = 2e-3;
    /// Most by which what is shown may reach beyond the form, but for what is named.
    const ORNAMENT: f64 = 0.07;

    /// The page holds what it shows to the same file.
    #[test]
    fn forms_are_as_large_as_what_is_shown() {
        let things: Value = serde_json::from_str(include_str!("../../../tests/fixtures/things.json")).unwrap();
        for (word, thing) in things.as_object().unwrap() {
            let shape = Shown::from_word(word).and_then(|thing| thing.form(1.0));
            let shape = shape.unwrap_or_else(|| panic!("{word} has a form")).shape(1.0);
            let bounds = shape.compute_local_aabb();
            for (side, found) in [bounds.mins, bounds.maxs].into_iter().enumerate() {
                for (axis, found) in [found.x, found.y, found.z].into_iter().enumerate() {
                    let told = |of: &str| thing[of][side][axis].as_f64().unwrap();
                    let name = format!("{}{}", ["-", "+"][side], ["x", "y", "z"][axis]);
                    let off = (f64::from(found) - told("form")).abs();
                    assert!(off <= ROUNDED, "{word} {name}: {found}, {}", told("form"));
                    let beyond = thing["beyond"].as_array().is_some_and(|beyond| beyond.contains(&name.clone().into()));
                    let ornament = (told("shown") - told("form")).abs();
                    assert_eq!(ornament > ORNAMENT, beyond, "{word} {name} is shown {ornament} m off its form");
                }
            }
        }
    }
}
