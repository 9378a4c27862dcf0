//! Meshes: what things look like, as triangles.

use glam::{DAffine3, DMat3, DVec2, DVec3};
use proptest::prelude::*;
use std::collections::BTreeMap;
use zickzack_core::mesh::{FlatError, Mesh, THINGS, ball, filled, letter, ring, slab, thing, turned};
use zickzack_core::nodes::Shown;
use zickzack_core::schema::Choice;

/// Six times the volume within triangles that face outwards.
fn volume(mesh: &Mesh) -> f64 {
    let corner = |i: u32| mesh.places[i as usize];
    mesh.triangles.iter().map(|&[a, b, c]| corner(a).dot(corner(b).cross(corner(c)))).sum()
}

/// By how much more often each edge is gone one way than the other, edges named by their places.
fn open_edges(mesh: &Mesh) -> usize {
    let key = |i: u32| (mesh.places[i as usize] * 1e7).to_array().map(|x| x.round() as i64);
    let mut ways: BTreeMap<_, i32> = BTreeMap::new();
    for &[a, b, c] in &mesh.triangles {
        for (from, to) in [(a, b), (b, c), (c, a)] {
            let (from, to) = (key(from), key(to));
            let (edge, way) = if from < to { ((from, to), 1) } else { ((to, from), -1) };
            *ways.entry(edge).or_default() += way;
        }
    }
    ways.values().filter(|way| **way != 0).count()
}

fn sound(mesh: &Mesh) {
    assert_eq!(mesh.places.len(), mesh.shades.len());
    assert!(mesh.places.iter().all(|place| place.is_finite()));
    assert!(mesh.shades.iter().all(|shade| (0.0..=1.0).contains(shade)));
    for corners in &mesh.triangles {
        let [a, b, c] = corners.map(|corner| mesh.places[corner as usize]);
        assert!((b - a).cross(c - a).length() > 1e-12, "a triangle without area at {a}");
    }
}

#[test]
fn every_thing_has_a_mesh_that_faces_outwards_about_a_metre_large() {
    let words: Vec<&str> =
        Shown::WORDS.iter().copied().filter(|word| !["letter", "own model"].contains(word)).collect();
    let mut named = words.clone();
    named.sort_unstable();
    assert_eq!(named, THINGS, "each word has its mesh");
    for word in words {
        let mesh = thing(word).unwrap();
        sound(&mesh);
        assert!(volume(&mesh) > 0.0, "{word} faces inwards");
        // Bands round a body lie on it and are open.
        let bands = ["club", "barrel"].contains(&word);
        assert_eq!(open_edges(&mesh) > 0, bands, "{word}");
        let low = mesh.places.iter().copied().reduce(DVec3::min).unwrap();
        let high = mesh.places.iter().copied().reduce(DVec3::max).unwrap();
        assert!((0.85..=1.1).contains(&(high - low).max_element()), "{word} is {} large", high - low);
    }
    assert_eq!(thing("letter"), None);
}

#[test]
fn bodies_enclose_as_much_as_their_formulas_say() {
    let tau = std::f64::consts::TAU;
    for parts in [1, 4, 12] {
        // With triangles of an angle a the body is smaller by about half of a² of itself.
        let whole = 6.0 * tau * 2.0 / 3.0 * 8.0;
        let off = 1.0 - volume(&ball(2.0, parts)) / whole;
        assert!(off > 0.0 && off < 0.6 / f64::from(parts * parts), "{parts} parts: {off}");
    }
    let torus = volume(&ring((3.0, 0.5), (200, 100))) / (6.0 * 0.5 * tau * 0.25 * tau * 3.0);
    assert!((torus - 1.0).abs() < 2e-3, "{torus}");
    let cone = volume(&turned(&[(0.0, 0.0), (1.0, 0.0), (0.0, 3.0)], 400)) / (6.0 * 0.5 * tau);
    assert!((cone - 1.0).abs() < 1e-4, "{cone}");
    assert_eq!((open_edges(&ball(1.0, 3)), open_edges(&ring((1.0, 0.2), (7, 5)))), (0, 0));
}

#[test]
fn letters_are_as_large_as_their_outlines_and_have_their_holes() {
    let area = |mesh: &Mesh| -> f64 {
        let corner = |i: u32| mesh.places[i as usize];
        let front =
            mesh.triangles.iter().map(|&[a, b, c]| 0.5 * (corner(b) - corner(a)).cross(corner(c) - corner(a)).z);
        front.filter(|z| *z > 0.0).sum()
    };
    for sign in ["Z", "O", "8", "i", "é", "B"] {
        let mesh = letter(sign).unwrap();
        sound(&mesh);
        let (found, _) = zickzack_core::curve::letters(sign, 0.0).unwrap();
        // By Green's theorem, holes go the other way round.
        let ring = |line: &Vec<DVec2>| -> f64 {
            line.iter().zip(line.iter().cycle().skip(1)).map(|(a, b)| 0.5 * a.perp_dot(*b)).sum()
        };
        let outline: f64 = found[0].lines(1e-3).iter().map(ring).sum();
        assert!((area(&mesh) - outline.abs() * 0.63 * 0.63).abs() < 1e-9, "{sign}: {} of {outline}", area(&mesh));
        let middle = mesh.places.iter().map(|p| p.y).fold((f64::MAX, f64::MIN), |(a, b), y| (a.min(y), b.max(y)));
        assert!((middle.0 + middle.1).abs() < 1e-12, "{sign} is in the middle");
    }
    assert!(letter(" ").is_err() && letter("").is_err() && letter("\u{10ffff}").is_err());
}

#[test]
fn what_encloses_nothing_is_refused() {
    let line = vec![DVec2::ZERO, DVec2::X, 2.0 * DVec2::X];
    assert_eq!(filled(&[]).unwrap_err(), FlatError::Nothing);
    assert_eq!(filled(&[vec![DVec2::ZERO, DVec2::X]]).unwrap_err(), FlatError::Nothing);
    assert_eq!(filled(&[line]).unwrap_err(), FlatError::Nothing);
    assert_eq!(filled(&[vec![DVec2::ZERO, DVec2::X, DVec2::splat(f64::NAN)]]).unwrap_err(), FlatError::NoPlace);
}

/// A star about a place, as large as its corners' distances.
fn star(centre: DVec2, radii: &[f64], turned_back: bool) -> Vec<DVec2> {
    let corner = |(i, radius): (usize, &f64)| {
        let (sin, cos) = libm::sincos(std::f64::consts::TAU * i as f64 / radii.len() as f64);
        centre + DVec2::new(cos, sin) * *radius
    };
    let mut all: Vec<DVec2> = radii.iter().enumerate().map(corner).collect();
    if turned_back {
        all.reverse();
    }
    all
}

proptest! {
    /// What is filled between stars and their holes has the area that is left, and a slab of it is closed.
    #[test]
    fn contours_with_holes_are_filled_and_slabs_are_closed(
        outer in prop::collection::vec(2.0..4.0f64, 3..12), hole in prop::collection::vec(0.3..0.9f64, 3..9),
        beside in prop::collection::vec(0.5..2.0f64, 3..7), back: bool, holed: bool, thickness in 0.01..1.0f64,
    ) {
        // A wide angle may leave less than the hole needs.
        prop_assume!(outer.len() > 4 || !holed);
        let mut contours = vec![star(DVec2::ZERO, &outer, back), star(DVec2::new(9.0, 0.0), &beside, back)];
        if holed {
            contours.push(star(DVec2::ZERO, &hole, !back));
        }
        let area = |line: &Vec<DVec2>| -> f64 { line.iter().zip(line.iter().cycle().skip(1)).map(|(a, b)| 0.5 * a.perp_dot(*b)).sum() };
        let whole: f64 = contours.iter().map(area).sum();
        let (places, triangles) = filled(&contours).unwrap();
        let signed = |&[a, b, c]: &[u32; 3]| {
            let at = |i: u32| places[i as usize];
            0.5 * (at(b) - at(a)).perp_dot(at(c) - at(a))
        };
        prop_assert!(triangles.iter().all(|corners| signed(corners) >= 0.0));
        prop_assert!((triangles.iter().map(signed).sum::<f64>() - whole.abs()).abs() < 1e-9);
        let mesh = slab(&contours, thickness).unwrap();
        prop_assert_eq!(open_edges(&mesh), 0);
        prop_assert!((volume(&mesh) / 6.0 - whole.abs() * thickness).abs() < 1e-9);
    }

    /// Moving, turning, stretching and mirroring a mesh leaves it facing outwards.
    #[test]
    fn what_is_mirrored_still_faces_outwards(numbers in prop::array::uniform9(-2.0..2.0f64), word in prop::sample::select(THINGS.to_vec())) {
        let by = DMat3::from_cols_array(&numbers);
        prop_assume!(by.determinant().abs() > 0.1);
        let (before, after) = (thing(word).unwrap(), thing(word).unwrap().transformed(DAffine3::from_mat3(by)));
        let ratio = volume(&after) / volume(&before);
        // Bands are open, and count only against the origin.
        prop_assert!((ratio - by.determinant().abs()).abs() < 1e-9 * ratio.abs().max(1.0), "{word}: {ratio}");
    }
}
