//! Bodies of shapes, by what holds of every solid.

use crate::cases::cases;
use glam::{DVec2, DVec3};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::f64::consts::{PI, TAU};
use zickzack_core::surface::{Body, Piece, Profile, Shape};

const MOST: usize = 40_000;

/// Corners by place: those of both sides of an edge are one.
fn welded(body: &Body) -> Vec<usize> {
    let mut known = BTreeMap::new();
    let key = |place: &DVec3| (*place * 1e7).round().to_array().map(|x| x as i64);
    let mut number = |place| {
        let next = known.len();
        *known.entry(key(place)).or_insert(next)
    };
    body.places.iter().map(&mut number).collect()
}

/// How often each edge is gone along in each direction.
fn edges(body: &Body) -> BTreeMap<(usize, usize), usize> {
    let welded = welded(body);
    let mut edges = BTreeMap::new();
    for triangle in &body.triangles {
        let [a, b, c] = triangle.map(|corner| welded[corner as usize]);
        for edge in [(a, b), (b, c), (c, a)] {
            *edges.entry(edge).or_insert(0) += 1;
        }
    }
    edges
}

/// By the divergence theorem.
fn volume(body: &Body) -> f64 {
    let place = |corner: u32| body.places[corner as usize];
    body.triangles.iter().map(|&[a, b, c]| place(a).dot(place(b).cross(place(c))) / 6.0).sum()
}

/// A solid, its volume, and how finely it is divided: a part of how thin it is.
fn solids() -> impl Strategy<Value = (Shape, f64, f64)> {
    let size = || 0.3..2.0f64;
    let cone = |radius: f64, height: f64| {
        Profile::new([DVec2::ZERO, DVec2::new(radius, 0.0), DVec2::new(0.0, height)]).map(Shape::Lathe)
    };
    // Half a circle from the axis to the axis.
    let round = |radius: f64| {
        let arc = Piece::Arc { centre: DVec2::ZERO, radius, start: -0.5 * PI, sweep: PI };
        Profile::of([arc]).map(Shape::Lathe)
    };
    let ball = |radius: f64| 4.0 / 3.0 * PI * radius * radius * radius;
    let solid = prop_oneof![
        size().prop_map(move |radius| (Shape::Ball { radius }, ball(radius), radius)),
        (size(), size(), size())
            .prop_map(|(x, y, z)| { (Shape::Box { half: DVec3::new(x, y, z) }, 8.0 * x * y * z, x.min(y).min(z)) }),
        (size(), 0.1..0.9f64).prop_map(|(radius, part)| {
            let tube = radius * part;
            (Shape::Torus { radius, tube }, TAU * radius * PI * tube * tube, tube)
        }),
        (size(), size()).prop_filter_map("a cone", move |(radius, height)| {
            Some((cone(radius, height)?, PI * radius * radius * height / 3.0, radius.min(height)))
        }),
        size().prop_filter_map("a round one", move |radius| Some((round(radius)?, ball(radius), radius))),
    ];
    (solid, 0.05..0.5f64).prop_map(|((shape, volume, thin), part)| (shape, volume, thin * part))
}

proptest! {
    #![proptest_config(cases(40))]

    /// A body's corners lie on its shape with the way out there, and no farther apart than they may; it gapes nowhere, and
    /// holds what the solid holds.
    #[test]
    fn bodies_are_the_solids((shape, wanted, apart) in solids()) {
        let (body, told) = shape.body(apart, MOST);
        prop_assert!(body.places.len() <= MOST && told >= apart);
        for (place, normal) in body.places.iter().zip(&body.normals) {
            let (distance, _) = shape.distance(*place);
            prop_assert!(distance.abs() < 1e-9, "{distance} off at {place}");
            prop_assert!((normal.length() - 1.0).abs() < 1e-9);
            // A little way along it one is outside.
            prop_assert!(shape.distance(*place + *normal * 1e-4).0 > 0.0, "{normal} at {place} goes in");
        }
        let edges = edges(&body);
        for ((from, to), times) in &edges {
            prop_assert_eq!(*times, 1, "an edge is gone along twice the same way");
            prop_assert!(edges.contains_key(&(*to, *from)), "it gapes");
        }
        let welded = welded(&body);
        let places: BTreeMap<usize, DVec3> = welded.iter().copied().zip(body.places.iter().copied()).collect();
        let longest = edges.keys().map(|(a, b)| places[a].distance(places[b])).fold(0.0, f64::max);
        // Diagonals are longer than sides, most where three sides of a cube meet that is bulged into a ball.
        prop_assert!(longest <= 1.75 * told, "{longest} long, {told} told");
        let lost = 1.0 - volume(&body) / wanted;
        prop_assert!((-1e-9..0.12).contains(&lost), "{} of {wanted} held", volume(&body));
        // Corners in one place are moved the same way.
        let ways: BTreeSet<(usize, [i64; 3])> =
            welded.iter().zip(&body.normals).map(|(corner, way)| (*corner, (*way * 1e6).round().to_array().map(|x| x as i64))).collect();
        prop_assert_eq!(ways.len(), places.len());
    }

    /// In another order it is the same body.
    #[test]
    fn another_order_changes_nothing((shape, _, apart) in solids()) {
        let (body, _) = shape.body(apart, 2_000);
        let order: Vec<u32> = (0..body.places.len() as u32).rev().collect();
        let turned = body.reordered(&order);
        prop_assert!((volume(&turned) - volume(&body)).abs() < 1e-9 * volume(&body).abs());
        let corners = |body: &Body, triangle: usize| body.triangles[triangle].map(|corner| body.places[corner as usize]);
        prop_assert!((0..body.triangles.len()).all(|i| corners(&body, i) == corners(&turned, i)));
    }
}
