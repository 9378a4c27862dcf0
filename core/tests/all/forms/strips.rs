//! The corners of strips at rest.

use glam::DVec3;
use proptest::prelude::*;
use serde_json::Value;
use zickzack_core::motion::{Cloth, Strip, StripEnd};

const ENDS: [(&str, StripEnd); 3] =
    [("straight", StripEnd::Straight), ("pointed", StripEnd::Pointed), ("swallow-tailed", StripEnd::Swallowtail)];

fn strip(end: StripEnd, (width, thickness): (f64, f64), stripes: usize) -> Strip {
    let colours = ["#ff0000".to_owned(), "#0000ff".to_owned()];
    Strip { width, thickness, end, stripes, colours, picture: String::new() }
}

fn triangles(cloth: &Cloth, colour: usize) -> impl Iterator<Item = [DVec3; 3]> + '_ {
    cloth.triangles[colour].iter().map(|three| three.map(|corner| cloth.places[corner as usize]))
}

/// Square metres of a colour, and these times where they are.
fn looks(cloth: &Cloth, colour: usize) -> [f64; 4] {
    let mut sums = [0.0; 4];
    for [a, b, c] in triangles(cloth, colour) {
        let area = 0.5 * (b - a).cross(c - a).length();
        let at = (a + b + c) / 3.0 * area;
        [area, at.x, at.y, at.z].iter().zip(&mut sums).for_each(|(own, sum)| *sum += own);
    }
    sums
}

proptest! {
    /// It holds as much as its outline times its thickness, or has that outline's area on one side where it has none; its sides face
    /// outwards; its stripes are parts of its length; its corners are on it and on its picture.
    #[test]
    fn a_strip_is_as_large_as_its_outline(
        (_, end) in prop::sample::select(ENDS.to_vec()), width in 0.05..3.0f64, thick: bool, length in 0.1..9.0f64,
        stripes in 1usize..9, spaces in 1usize..40,
    ) {
        let thickness = if thick { 0.1 * width } else { 0.0 };
        let cloth = strip(end, (width, thickness), stripes).cloth(length, 2 * spaces + 1);
        let tail = match end {
            StripEnd::Straight => 0.0,
            _ => (0.7 * width).min(0.4 * length),
        };
        let area = width * (length - 0.5 * tail);
        let all = || (0..2).flat_map(|colour| triangles(&cloth, colour));
        if thick {
            let volume: f64 = all().map(|[a, b, c]| a.dot(b.cross(c)) / 6.0).sum();
            prop_assert!((volume - area * thickness).abs() < 1e-9 * area, "{volume} of {}", area * thickness);
        } else {
            let found: f64 = (0..2).map(|colour| looks(&cloth, colour)[0]).sum();
            prop_assert!((found - area).abs() < 1e-9 * area, "{found} of {area}");
        }
        for (colour, three) in (0..2).flat_map(|colour| cloth.triangles[colour].iter().map(move |three| (colour, three))) {
            let [a, b, c] = three.map(|corner| cloth.places[corner as usize]);
            let normal = (b - a).cross(c - a).normalize();
            prop_assert!(three.iter().all(|corner| cloth.normals[*corner as usize].distance(normal) < 1e-6));
            let middle = (a.x + b.x + c.x) / 3.0 / length * stripes as f64;
            prop_assert_eq!(middle.min(stripes as f64 - 1e-9) as usize % 2, colour, "{} of {}", middle, stripes);
            let farthest = a.x.max(b.x).max(c.x) - a.x.min(b.x).min(c.x);
            prop_assert!(farthest <= length / (2 * spaces) as f64 + 1e-9 * length, "as fine as its joints");
        }
        for (at, spot) in cloth.places.iter().zip(&cloth.spots) {
            let inside = at.x >= 0.0 && at.x <= length && at.z.abs() <= 0.5 * width + 1e-12;
            prop_assert!(inside && (spot.x * length - at.x).abs() < 1e-12 * length && ((0.5 - spot.y) * width - at.z).abs() < 1e-12);
        }
    }
}

/// What the View draws is held to the same list.
#[test]
fn strips_are_those_of_the_view() {
    let cases: Value = serde_json::from_str(include_str!("../../fixtures/strips.json")).unwrap();
    for case in cases.as_array().unwrap() {
        let number = |name: &str| case[name].as_f64().unwrap();
        let end = ENDS.iter().find(|(word, _)| case["end"] == *word).unwrap().1;
        let strip = strip(end, (number("width"), number("thickness")), number("stripes") as usize);
        let cloth = strip.cloth(number("length"), number("joints") as usize);
        for (colour, wanted) in case["looks"].as_array().unwrap().iter().enumerate() {
            let wanted = wanted.as_array().unwrap().iter().map(|x| x.as_f64().unwrap());
            let far = looks(&cloth, colour).into_iter().zip(wanted).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
            assert!(far < 1e-6, "{case}: {:?}", looks(&cloth, colour));
        }
    }
}
