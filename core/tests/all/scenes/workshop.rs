//! Generated and reshaped paths: against references that are computed otherwise.

use crate::cases::cases;
use glam::{DQuat, DVec2, DVec3};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::sync::Arc;
use zickzack_core::curve::*;
use zickzack_core::noise::LoopingNoise;
use zickzack_core::pose::bend;
use zickzack_core::surface::{Shape, Surface};

/// The length of a function's way by Simpson's rule over many steps, with Richardson's step.
fn length_of(place: impl Fn(f64) -> DVec3, from: f64, to: f64) -> f64 {
    let chords = |steps: usize| -> f64 {
        let at = |i: usize| place(from + (to - from) * i as f64 / steps as f64);
        (0..steps).map(|i| at(i).distance(at(i + 1))).sum()
    };
    // A chord sum is off by the square of its step.
    let (a, b, c) = (chords(4000), chords(8000), chords(16_000));
    let (ab, bc) = ((4.0 * b - a) / 3.0, (4.0 * c - b) / 3.0);
    (16.0 * bc - ab) / 15.0
}

fn drawn(points: &[(f64, f64, f64)], closed: bool) -> Option<Curve> {
    let point = |&(x, y, z): &(f64, f64, f64)| PathPoint {
        position: DVec3::new(x, y, z),
        kind: PointKind::Smooth,
        handles: None,
    };
    through(&points.iter().map(point).collect::<Vec<_>>(), closed).ok().map(Curve::from)
}

fn some_points() -> impl Strategy<Value = Vec<(f64, f64, f64)>> {
    prop::collection::vec((-3.0..3.0f64, -3.0..3.0f64, -3.0..3.0f64), 3..7)
}

proptest! {
    #![proptest_config(cases(48))]

    #[test]
    fn a_helix_is_as_long_as_its_formula_says(radius in 0.1..5.0f64, end in 0.1..5.0f64, turns in 0.5..6.0f64, height in -4.0..4.0f64) {
        let strand = Figure::Helix { from: radius, to: end, turns, height }.strand().unwrap();
        let place = |x: f64| {
            let (s, c) = (TAU * turns * x).sin_cos_ref();
            DVec3::new(c, s, 0.0) * (radius + (end - radius) * x) + DVec3::Z * (height * x)
        };
        let reference = length_of(place, 0.0, 1.0);
        prop_assert!((strand.length() - reference).abs() < 1e-9 * reference, "{} {reference}", strand.length());
    }

    #[test]
    fn a_winding_is_as_long_as_its_formula_says_and_lies_on_its_ring(p in -4i64..5, q in -4i64..5, tube in 0.1..0.9f64) {
        prop_assume!((p, q) != (0, 0));
        let strands = torus_winding(1.0, tube, p, q, 0.3).unwrap();
        let ring = Shape::Torus { radius: 1.0, tube };
        let shared = zickzack_core::fraction::greatest_common_divisor(p.unsigned_abs(), q.unsigned_abs());
        prop_assert_eq!(strands.len() as u64, shared);
        let (a, b) = ((p / shared as i64) as f64, (q / shared as i64) as f64);
        let place = |x: f64| {
            let ((sa, ca), (sb, cb)) = ((TAU * a * x).sin_cos_ref(), (TAU * b * x).sin_cos_ref());
            DVec3::new(ca * (1.0 + tube * cb), sa * (1.0 + tube * cb), tube * sb)
        };
        let reference = length_of(place, 0.0, 1.0);
        for strand in &strands {
            prop_assert!(strand.closed());
            // Beside each other round the tube, those that never go round it are not equally long.
            if q != 0 {
                prop_assert!((strand.length() - reference).abs() < 1e-8 * reference, "{} {reference}", strand.length());
            }
            for i in 0..40 {
                let point = strand.at(strand.length() * f64::from(i) / 40.0).point;
                let upright = DVec3::new(point.x, point.z, point.y);
                prop_assert!(ring.nearest(upright).point.distance(upright) < 1e-8);
            }
        }
        if strands.len() > 1 {
            let apart = strands[0].at(0.0).point;
            let nearest = (0..4000).map(|i| strands[1].at(strands[1].length() * f64::from(i) / 4000.0).point.distance(apart)).fold(f64::MAX, f64::min);
            prop_assert!(nearest > 0.01, "strands lie beside each other: {nearest}");
        }
    }

    #[test]
    fn rounded_polygons_are_as_long_as_geometry_says(sides in 3usize..12, radius in 0.5..5.0f64, part in 0.0..0.95f64) {
        let inner = radius * (PI / sides as f64).cos_ref();
        let rounding = part * inner;
        let strand = Figure::Polygon { sides, radius, rounding }.strand().unwrap();
        // A rounded corner that turns by a replaces 2r·tan(a/2) by r·a; all corners turn by one turn.
        let turn = TAU / sides as f64;
        let straight = 2.0 * sides as f64 * radius * (PI / sides as f64).sin_ref();
        let expected = straight - sides as f64 * rounding * (2.0 * (0.5 * turn).tan_ref() - turn);
        prop_assert!((strand.length() - expected).abs() < 1e-9 * expected);
        prop_assert_eq!(strand.corners().len(), if rounding > 1e-6 * radius { 0 } else { sides });
    }

    #[test]
    fn resampled_points_are_evenly_apart_by_length_of_the_original(points in some_points(), closed in any::<bool>(), count in 3usize..60) {
        let Some(curve) = drawn(&points, closed) else { return Ok(()) };
        let strand = &curve.strands()[0];
        let made = resampled(&curve, Spacing::Count(count), Between::Smooth).unwrap();
        let segments = made.strands()[0].segments();
        let pieces = if closed { count } else { count - 1 };
        prop_assert_eq!(segments.len(), pieces);
        for (i, segment) in segments.iter().enumerate() {
            let there = strand.at(strand.length() * i as f64 / pieces as f64).point;
            prop_assert!(segment.at(0.0).distance(there) < 1e-9 * strand.length());
        }
    }

    #[test]
    fn parts_of_a_path_lie_on_it_and_add_up(points in some_points(), closed in any::<bool>(), from in -1.0..1.0f64, share in 0.05..0.9f64) {
        let Some(curve) = drawn(&points, closed) else { return Ok(()) };
        let strand = &curve.strands()[0];
        let (from, share) = if closed { (from, share) } else { (from.abs() * 0.5, share.min(0.5)) };
        let part = strand.trimmed(from, from + share).unwrap();
        prop_assert!((part.length() - share * strand.length()).abs() < 1e-8 * strand.length());
        for i in 0..=20 {
            let x = f64::from(i) / 20.0;
            let there = strand.at((from + share * x) * strand.length()).point;
            prop_assert!(part.at(part.length() * x).point.distance(there) < 1e-7 * strand.length());
        }
        let back = strand.trimmed(from + share, from).unwrap();
        prop_assert!(back.at(0.0).point.distance(part.at(part.length()).point) < 1e-9 * strand.length());
    }

    #[test]
    fn a_path_turned_round_runs_the_other_way(points in some_points(), closed in any::<bool>(), x in 0.0..1.0f64) {
        let Some(curve) = drawn(&points, closed) else { return Ok(()) };
        let strand = &curve.strands()[0];
        let (back, length) = (strand.reversed().unwrap(), strand.length());
        let (there, here) = (strand.at(x * length), back.at((1.0 - x) * length));
        prop_assert!(there.point.distance(here.point) < 1e-8 * length);
    }

    #[test]
    fn a_smoothed_path_has_no_corner_but_those_that_are_kept(points in some_points(), closed in any::<bool>(), amount in 0.0..1.0f64, rounds in 0usize..4) {
        let list: Vec<DVec3> = points.iter().map(|&(x, y, z)| DVec3::new(x, y, z)).collect();
        let mut segments: Vec<Segment> = list.windows(2).map(|pair| Segment::Line { from: pair[0], to: pair[1] }).collect();
        if closed {
            segments.push(Segment::Line { from: list[list.len() - 1], to: list[0] });
        }
        let curve = Curve::from(Strand::new(segments, closed).unwrap());
        let smooth = smoothed(&curve, &Smoothing { keep: PI, rounds, amount }).unwrap();
        prop_assert!(smooth.strands()[0].corners().is_empty(), "{:?}", smooth.strands()[0].corners());
        let kept = smoothed(&curve, &Smoothing { keep: 0.0, rounds, amount }).unwrap();
        prop_assert!((kept.length() - curve.length()).abs() < 1e-9 * curve.length(), "all corners kept");
    }

    #[test]
    fn fitted_curves_are_fewer_and_within_the_tolerance(points in some_points(), closed in any::<bool>(), tolerance in 0.005..0.1f64) {
        let Some(curve) = drawn(&points, closed) else { return Ok(()) };
        let dense = resampled(&curve, Spacing::Count(300), Between::Smooth).unwrap();
        let made = fitted(&dense, tolerance, 1.0).unwrap();
        prop_assert!(made.strands()[0].segments().len() < dense.strands()[0].segments().len());
        let (strand, length) = (&made.strands()[0], made.strands()[0].length());
        let places: Vec<DVec3> = (0..4000).map(|i| strand.at(length * f64::from(i) / 4000.0).point).collect();
        for i in 0..100 {
            let there = dense.strands()[0].at(dense.length() * f64::from(i) / 100.0).point;
            let nearest = places.iter().map(|place| place.distance(there)).fold(f64::MAX, f64::min);
            prop_assert!(nearest < 1.5 * tolerance + length / 4000.0, "{nearest} over {tolerance}");
        }
    }

    #[test]
    fn a_meander_stays_closed_and_within_reach_and_loops(points in some_points(), amount in 0.01..0.5f64, seed in 0u64..99, pace in 0.0..4.0f64) {
        let Some(curve) = drawn(&points, true) else { return Ok(()) };
        let at = |part| meandered(&curve, &Meander { amount: DVec3::splat(amount), noise: LoopingNoise { seed, size: 1.0, pace, octaves: 2 }, part }).unwrap();
        let (start, end) = (at(0.0), at(1.0));
        prop_assert!(start.strands()[0].closed());
        for (a, b) in start.strands()[0].segments().iter().zip(end.strands()[0].segments()) {
            prop_assert!(a.at(0.3).distance(b.at(0.3)) < 1e-9);
        }
        let (strand, original) = (&start.strands()[0], &curve.strands()[0]);
        let places: Vec<DVec3> = (0..600).map(|i| original.at(original.length() * f64::from(i) / 600.0).point).collect();
        for i in 0..50 {
            let there = strand.at(strand.length() * f64::from(i) / 50.0).point;
            let nearest = places.iter().map(|place| place.distance(there)).fold(f64::MAX, f64::min);
            prop_assert!(nearest < 3.0 * amount + original.length() / 600.0);
        }
    }

    #[test]
    fn a_pressed_path_keeps_its_clearance(points in some_points(), clearance in -0.2..0.5f64) {
        let Some(curve) = drawn(&points, false) else { return Ok(()) };
        let surface = Surface::new(Arc::new(Shape::Ball { radius: 1.0 }), DVec3::new(0.5, 0.2, -0.1), DQuat::IDENTITY);
        let (made, missed) = pressed(&curve, &surface, PressWay::Nearest, clearance).unwrap();
        prop_assert_eq!(missed, 0.0);
        let strand = &made.strands()[0];
        for i in 0..200 {
            let point = strand.at(strand.length() * f64::from(i) / 200.0).point;
            // Through its middle a path is torn to the other side: there it may be off.
            let near_the_middle = (0..400).any(|j| curve.strands()[0].at(curve.length() * f64::from(j) / 400.0).point.distance(surface.position) < 0.3);
            prop_assert!(near_the_middle || (point.distance(surface.position) - 1.0 - clearance).abs() < 1e-5);
        }
    }

    #[test]
    fn more_random_copies_leave_the_others_as_they_are(copies in 1usize..30, more in 1usize..30, seed in 0u64..99) {
        let spray = Spray::Random { scatter: DVec3::splat(0.4), tilt: 0.7, spin: PI, vary: 0.3, seed };
        let some = sheaf(copies, DVec3::Y, DVec3::Y, &spray);
        let all = sheaf(copies + more, DVec3::Y, DVec3::Y, &spray);
        prop_assert_eq!(&all[..copies], &some[..]);
        for placement in &all {
            prop_assert!(bend(placement.orientation * DVec3::Y, DVec3::Y) <= 0.7 + 1e-9);
            prop_assert!((0.7..=1.3).contains(&placement.scale));
        }
    }

    #[test]
    fn pieces_of_a_path_in_any_order_and_direction_are_joined_again(points in some_points(), order in any::<u64>(), gap in 0.0..0.01f64) {
        let list: Vec<DVec3> = points.iter().map(|&(x, y, z)| DVec3::new(x, y, z) * 10.0).collect();
        prop_assume!(list.iter().enumerate().all(|(i, a)| list[..i].iter().all(|b| a.distance(*b) > 1.0)));
        let mut pieces: Vec<Strand> = list
            .windows(2)
            .enumerate()
            .map(|(i, pair)| {
                let to = pair[1] + (pair[0] - pair[1]).normalize() * gap;
                let line = Strand::new(vec![Segment::Line { from: pair[0], to }], false).unwrap();
                if order >> i & 1 == 0 { line } else { line.reversed().unwrap() }
            })
            .collect();
        let turns = (order >> 32) as usize % pieces.len();
        pieces.rotate_left(turns);
        let whole: f64 = list.windows(2).map(|pair| pair[0].distance(pair[1])).sum();
        let made = joined(&Curve::new(pieces).unwrap(), 0.02, true).unwrap();
        prop_assert_eq!(made.strands().len(), 1);
        prop_assert!((made.length() - whole).abs() < 1e-6 + 4.0 * gap);
    }
}

/// The standard library's functions are banned from the core; as references they are welcome.
trait Reference {
    fn sin_cos_ref(self) -> (f64, f64);
    fn sin_ref(self) -> f64;
    fn cos_ref(self) -> f64;
    fn tan_ref(self) -> f64;
}

impl Reference for f64 {
    fn sin_cos_ref(self) -> (f64, f64) {
        (libm::sin(self), libm::cos(self))
    }
    fn sin_ref(self) -> f64 {
        libm::sin(self)
    }
    fn cos_ref(self) -> f64 {
        libm::cos(self)
    }
    fn tan_ref(self) -> f64 {
        libm::tan(self)
    }
}

#[test]
fn letters_are_kerned_and_name_what_is_missing() {
    let right = |text: &str| {
        let outlines = lettering(text, 0.0).unwrap();
        let ends = outlines.iter().flat_map(|outline| &outline.segments).map(|segment| segment.at(1.0));
        ends.fold(DVec2::splat(f64::MIN), |most, place| most.max(place.truncate())).x
    };
    assert!(right("AV") < right("A V") - 0.1);
    // Side by side an A and a V are nearer than by their own widths.
    let alone = |text: &str| right(&format!("{text}|")) - right("|");
    assert!(right("AV|") - right("|") < alone("A") + alone("V") - 0.01, "kerned");
    assert_eq!(lettering("o", 0.0).unwrap().len(), 2, "an o has two contours");
    let ids: Vec<String> = lettering("a b", 0.0).unwrap().into_iter().map(|outline| outline.id).collect();
    assert_eq!((ids.first().unwrap().as_str(), ids.last().unwrap().as_str()), ("1", "2"));
    assert_eq!(lettering("", 0.0), Err(LetteringError::Empty));
    assert_eq!(lettering("a漢", 0.0), Err(LetteringError::NoGlyph('漢')));
    assert_eq!(lettering(&"a".repeat(201), 0.0), Err(LetteringError::TooLong(201)));
}
