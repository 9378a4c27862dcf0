//! How what is bent along a path leans into its bends: as speed and gravity ask for.

use crate::cases::cases;
use crate::common::circle;
use glam::DVec3;
use proptest::prelude::*;
use std::f64::consts::FRAC_PI_2;
use zickzack_core::curve::{Curve, Path, Segment, Strand};
use zickzack_core::motion::{Banking, Bend, BentForm, FaceUp, Lying, Sections, Strip, StripEnd};
use zickzack_core::signal::Progression;

const F: f64 = 48.0;
const TOLERANCE: f64 = 1e-3;

fn strip(width: f64) -> BentForm {
    let colours = ["#ffffff".to_owned(), "#000000".to_owned()];
    BentForm::Strip(Strip {
        width,
        thickness: 0.02,
        end: StripEnd::Straight,
        stripes: 1,
        colours,
        picture: String::new(),
    })
}

/// A strip as long as it is told on a strand, that leans.
fn banked(strand: Strand, length: f64, banking: Banking) -> Bend {
    let sections = Sections { roll: Progression::steady(0.0), size: Progression::steady(1.0), banking: Some(banking) };
    let path = Path::still(Curve::from(strand));
    Bend::new((strip(0.3), length), (path, FaceUp::Towards(DVec3::Y)), sections, (length, TOLERANCE, F))
}

fn lying(from: f64, to: f64) -> Lying {
    Lying { frame: 0.0, strand: 0, from, to, strength: 1.0, roll: 0.0 }
}

proptest! {
    #![proptest_config(cases(32))]

    /// In a circle on the ground it leans inwards as gravity and the speed ask for, whichever way it lies there, and never farther
    /// than it is told; joints stay as exact as without.
    #[test]
    fn in_a_circle_it_leans_as_speed_and_gravity_ask_for(
        (radius, speed) in (1.0..8.0f64, 0.5..9.0f64),
        (most, over) in (0.2..1.4f64, 0.1..2.0f64),
        (part, back) in (0.0..1.0f64, any::<bool>()),
    ) {
        let circle = circle(radius);
        let banking = Banking { speed, most, over };
        let bend = banked(circle.clone(), 1.0, banking);
        let s = part * circle.length();
        let there = if back { lying(s + 1.0, s) } else { lying(s, s + 1.0) };
        let middle = bend.middle(&there);
        let top = middle.orientation * DVec3::Y;
        let inward = -middle.position.normalize();
        let wanted = libm::atan(speed * speed / (radius * 9.81)).min(most);
        prop_assert!((top.dot(inward) - libm::sin(wanted)).abs() < 1e-6, "{} and not {}", top.dot(inward), libm::sin(wanted));
        prop_assert!((top.y - libm::cos(wanted)).abs() < 1e-6);
        prop_assert!(bend.missed() <= TOLERANCE * 0.3 * 1.01);
    }
}

/// Where a straight piece runs into an arc it comes to lean over the length in which that is eased, evenly, and on neither side of it.
#[test]
fn leaning_is_eased_where_a_bend_begins() {
    let (radius, straight) = (4.0, 6.0);
    let corner = DVec3::new(straight, 0.0, 0.0);
    let centre = corner + DVec3::NEG_Z * radius;
    let arc = Segment::Arc { centre, x: DVec3::Z, y: DVec3::X, radius, start: 0.0, sweep: FRAC_PI_2 };
    let strand = Strand::new(vec![Segment::Line { from: DVec3::ZERO, to: corner }, arc], false).expect("a way");
    let banking = Banking { speed: 5.0, most: 1.5, over: 2.0 };
    let bend = banked(strand, 0.2, banking);
    let leans = |s: f64| {
        let top = bend.middle(&lying(s - 0.1, s + 0.1)).orientation * DVec3::Y;
        libm::acos(top.y.clamp(-1.0, 1.0))
    };
    let wanted = libm::atan(25.0 / (radius * 9.81));
    assert!(leans(straight - 1.3) < 1e-6 && (leans(straight + 1.3) - wanted).abs() < 1e-6);
    let half = libm::atan(0.5 * 25.0 / (radius * 9.81));
    assert!((leans(straight) - half).abs() < 0.02, "{} and not {half}", leans(straight));
    let all: Vec<f64> = (0..=40).map(|i| leans(straight - 1.0 + 0.05 * f64::from(i))).collect();
    assert!(all.is_sorted(), "{all:?}");
}
