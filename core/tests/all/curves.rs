//! Paths by arc length, and the axes along them.

use crate::cases::cases;
use crate::common::{circle, place, points, simpson_length, smooth, strand};
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::f64::consts::{PI, TAU};
use zickzack_core::curve::{
    AxesTable, Curve, CurveError, Outline, Placement, Placing, Plane, PointKind, Segment, Strand, UpRule,
    place as place_outline, placed, tessellate, thinned, through,
};

/// Cubics whose speed stays well away from zero, so that the reference is good to 1e-11.
fn cubic() -> impl Strategy<Value = Segment> {
    (place(), place(), place(), place())
        .prop_map(|(a, b, c, d)| Segment::Cubic { points: [a, b, c, d] })
        .prop_filter("no near-cusp", |segment| {
            (0..=400).all(|i| segment.derivative(f64::from(i) / 400.0).length() > 0.25 * segment.size())
        })
}

/// Distance of a place from a line through points.
fn off_line(place: DVec3, line: &[DVec3]) -> f64 {
    let pieces = line.windows(2).map(|pair| {
        let chord = pair[1] - pair[0];
        let x = ((place - pair[0]).dot(chord) / chord.length_squared().max(1e-300)).clamp(0.0, 1.0);
        place.distance(pair[0] + chord * x)
    });
    pieces.fold(f64::INFINITY, f64::min)
}

proptest! {
    #![proptest_config(cases(48))]

    #[test]
    fn length_agrees_with_simpson_and_richardson(segment in cubic()) {
        let strand = Strand::new(vec![segment], false).unwrap();
        let reference = simpson_length(&segment, 0.0, 1.0);
        prop_assert!((strand.length() / reference - 1.0).abs() <= 1e-9, "{} {}", strand.length(), reference);
    }

    #[test]
    fn what_is_put_elsewhere_is_the_same_path_enlarged_turned_and_moved(
        list in points(2..7), closed in any::<bool>(), position in place(), about in place(), angle in -3.0..3.0f64, scale in 1e-3..1e3f64,
    ) {
        let Ok(curve) = through(&list, closed).map(Curve::from) else { return Ok(()) };
        let orientation = DQuat::from_axis_angle(about.try_normalize().unwrap_or(DVec3::Y), angle);
        let made = placed(&curve, &Placement { position, orientation, scale }).unwrap();
        let (before, after) = (&curve.strands()[0], &made.strands()[0]);
        let length = after.length();
        prop_assert!((length / (before.length() * scale) - 1.0).abs() <= 1e-12);
        // As it would be measured anew.
        let anew = Strand::new(after.segments().to_vec(), closed).unwrap();
        prop_assert!((length / anew.length() - 1.0).abs() <= 1e-12);
        prop_assert_eq!(after.corners().len(), anew.corners().len());
        prop_assert!(after.corners().iter().zip(anew.corners()).all(|(a, b)| (a - b).abs() <= 1e-12 * length));
        prop_assert!(after.corners().iter().all(|corner| after.joints().contains(corner)));
        for i in 0..=64 {
            let part = f64::from(i) / 64.0;
            let (then, now, again) = (before.at(part * before.length()), after.at(part * length), anew.at(part * length));
            let moved = position + orientation * (then.point * scale);
            let size = moved.length() + length;
            prop_assert!(now.point.distance(moved) <= 1e-9 * size, "{} {}", now.point, moved);
            prop_assert!(now.point.distance(again.point) <= 1e-9 * size);
        }
    }

    #[test]
    fn equal_steps_of_arc_length_are_equally_long(segment in cubic(), steps in 2usize..6) {
        let strand = Strand::new(vec![segment], false).unwrap();
        let length = strand.length();
        // The parameter at an arc length, found by halving against the reference length alone.
        for i in 1..steps {
            let s = length * i as f64 / steps as f64;
            let (mut low, mut high) = (0.0, 1.0);
            for _ in 0..45 {
                let middle = 0.5 * (low + high);
                if simpson_length(&segment, 0.0, middle) < s { low = middle } else { high = middle }
            }
            prop_assert!(strand.at(s).point.distance(segment.at(0.5 * (low + high))) <= 1e-9 * length);
        }
    }

    #[test]
    fn a_path_is_continuous_and_no_step_is_longer_than_its_arc(list in points(2..9), closed: bool) {
        let strand = strand(&list, closed);
        let length = strand.length();
        let steps = 3000;
        let step = length / f64::from(steps);
        let mut before = strand.at(0.0).point;
        for i in 1..=steps {
            let here = strand.at(f64::from(i) * step).point;
            prop_assert!(here.distance(before) <= step * (1.0 + 1e-6) + 1e-9 * length);
            before = here;
        }
        if closed {
            prop_assert!(strand.at(0.0).point.distance(strand.at(length * (1.0 - 1e-12)).point) < 1e-6 * length);
        }
    }

}

#[test]
fn a_circle_is_as_long_as_a_circle() {
    let ring = circle(3.0);
    assert_eq!(ring.length(), 3.0 * TAU);
    assert!(ring.at(ring.length() / 4.0).point.distance(DVec3::new(0.0, 0.0, -3.0)) < 1e-12);
}

#[test]
fn a_cusp_keeps_even_spacing() {
    // A cubic that stops in its middle: both halves lie on one line, folded.
    let folded = Segment::Cubic { points: [DVec3::ZERO, DVec3::X * 2.0, -DVec3::X, DVec3::X] };
    let cusp = Segment::Cubic { points: [DVec3::ZERO, DVec3::new(1.0, 1.0, 0.0), DVec3::new(0.0, 1.0, 0.0), DVec3::X] };
    for segment in [folded, cusp] {
        let strand = Strand::new(vec![segment], false).unwrap();
        let (length, steps) = (strand.length(), 4000);
        let mut walked = 0.0;
        for i in 0..steps {
            let (a, b) = (f64::from(i) / f64::from(steps), f64::from(i + 1) / f64::from(steps));
            walked += strand.at(a * length).point.distance(strand.at(b * length).point);
        }
        // Each of at most two folds hides no more than the step it falls into.
        assert!((walked / length - 1.0).abs() < 2.0 / f64::from(steps) + 1e-6, "{walked} {length}");
    }
}

proptest! {
    #![proptest_config(cases(64))]

    #[test]
    fn a_drawn_path_passes_its_points_in_order_and_smooth_ones_without_a_corner(list in points(3..9), closed: bool) {
        let strand = strand(&list, closed);
        let mut from = 0.0;
        for (i, point) in list.iter().enumerate() {
            // The nearest place after the last one that was found, to a thousandth of the path.
            let near = (0..=4000)
                .map(|k| from + (strand.length() - from) * f64::from(k) / 4000.0)
                .min_by(|a, b| {
                    let off = |s: f64| strand.at(s).point.distance(point.position);
                    // At a crossing the first of two equally near places counts.
                    (off(*a) > 0.02).cmp(&(off(*b) > 0.02)).then(a.total_cmp(b))
                })
                .unwrap();
            prop_assert!(strand.at(near).point.distance(point.position) < 0.05, "point {i}");
            from = near;
        }
        let smooth = list.iter().filter(|point| point.kind == PointKind::Smooth).count();
        let (joints, ends) = (list.len(), if closed { 0 } else { 2 });
        prop_assert!(strand.corners().len() <= joints - smooth.saturating_sub(ends).min(joints));
    }

    #[test]
    fn straight_pieces_for_drawing_lie_near_the_path(list in points(2..8), closed: bool, share in 1e-4..1e-2f64) {
        let strand = strand(&list, closed);
        let tolerance = share * strand.length();
        let pieces = tessellate(&strand, tolerance);
        for i in 0..=300 {
            let place = strand.at(strand.length() * f64::from(i) / 300.0).point;
            let off = off_line(place, &pieces);
            prop_assert!(off <= 4.0 * tolerance, "{i}: {off} of {tolerance}");
        }
    }

    #[test]
    fn a_thinned_line_keeps_its_ends_and_passes_all_points_within_the_tolerance(list in points(2..8), closed: bool, share in 1e-4..1e-2f64) {
        let strand = strand(&list, closed);
        let fine = tessellate(&strand, share * strand.length() / 10.0);
        let tolerance = share * strand.length();
        let few = thinned(&fine, tolerance);
        prop_assert_eq!((few.first(), few.last()), (fine.first(), fine.last()));
        prop_assert!(few.len() <= fine.len() && few.iter().all(|point| fine.contains(point)));
        for (i, &point) in fine.iter().enumerate() {
            prop_assert!(off_line(point, &few) <= tolerance * (1.0 + 1e-9), "{i}");
        }
        // What is straight needs its ends alone.
        let straight: Vec<DVec3> = (0..50).map(|i| few[0] + DVec3::X * f64::from(i)).collect();
        prop_assert_eq!(thinned(&straight, 1e-9).len(), 2);
    }

    #[test]
    fn a_path_scaled_by_k_is_k_times_as_long_with_the_same_axes(list in prop::collection::vec(place(), 3..8), k in 0.05..50.0f64) {
        let small = smooth(&list, true);
        let large = smooth(&list.iter().map(|place| *place * k).collect::<Vec<_>>(), true);
        prop_assert!((large.length() / (small.length() * k) - 1.0).abs() < 1e-9);
        let axes = |strand: &Strand| AxesTable::new(strand.nodes(0.02), UpRule::Steady, true);
        let (a, b) = (axes(&small), axes(&large));
        for i in 0..200 {
            let x = f64::from(i) / 200.0;
            let (p, q) = (small.at(x * small.length()), large.at(x * large.length()));
            prop_assert!(q.point.distance(p.point * k) <= 1e-9 * k * small.length());
            let (u, v) = (a.up(x * small.length(), p.point, p.tangent), b.up(x * large.length(), q.point, q.tangent));
            prop_assert!(u.distance(v) < 1e-6, "{i}: {u} {v}");
        }
    }
}

/// A ring in the front plane, laid out as a file would.
fn ring() -> Outline {
    let arc = |i: i32| Segment::Arc {
        centre: DVec3::ZERO,
        x: DVec3::X,
        y: DVec3::Y,
        radius: 100.0,
        start: f64::from(i) * PI / 2.0,
        sweep: PI / 2.0,
    };
    Outline { id: "ring".to_owned(), segments: (0..4).map(arc).collect(), closed: true }
}

#[test]
fn an_outline_is_laid_in_its_plane_at_its_place_and_size() {
    for (plane, axis) in [(Plane::Ground, DVec3::Y), (Plane::Front, DVec3::Z), (Plane::Side, DVec3::X)] {
        let placing = Placing { scale: 0.02, plane, turn: 0.7, centred: true, at: DVec3::new(1.0, 2.0, 3.0) };
        let (curve, joints) = place_outline(&[ring()], &placing, &BTreeMap::new()).unwrap();
        assert!((curve.length() / (TAU * 2.0) - 1.0).abs() < 1e-12);
        assert_eq!(joints.len(), 4);
        for i in 0..50 {
            let place = curve.strands()[0].at(curve.length() * f64::from(i) / 50.0).point - placing.at;
            assert!((place.length() - 2.0).abs() < 1e-9 && place.dot(axis).abs() < 1e-9, "{plane:?}: {place}");
        }
    }
}

#[test]
fn a_moved_joint_takes_only_its_neighbours_along_and_the_path_stays_whole() {
    let placing = Placing { scale: 0.02, plane: Plane::Front, turn: 0.0, centred: true, at: DVec3::ZERO };
    let goal = DVec3::new(3.0, 0.5, 0.2);
    let moved = BTreeMap::from([("0.0".to_owned(), goal), ("0.77".to_owned(), DVec3::ONE)]);
    let (curve, joints) = place_outline(&[ring()], &placing, &moved).unwrap();
    let strand = &curve.strands()[0];
    assert!(
        strand.at(0.0).point.distance(goal) < 1e-12
            && strand.at(strand.length() * (1.0 - 1e-12)).point.distance(goal) < 1e-6
    );
    assert_eq!(joints[0].point.position, goal);
    // The two pieces that do not touch it are the circular arcs they were.
    assert!(matches!(strand.segments()[1], Segment::Arc { .. }) && matches!(strand.segments()[2], Segment::Arc { .. }));
    assert!(
        matches!(strand.segments()[0], Segment::Cubic { .. }) && matches!(strand.segments()[3], Segment::Cubic { .. })
    );
}

#[test]
fn what_is_no_path_says_why() {
    let line = |from, to| Segment::Line { from, to };
    assert_eq!(Strand::new(vec![], false).unwrap_err(), CurveError::Empty);
    assert_eq!(Strand::new(vec![line(DVec3::X, DVec3::X)], true).unwrap_err(), CurveError::NoLength);
    let gap = vec![line(DVec3::ZERO, DVec3::X), line(DVec3::Y, DVec3::Z)];
    assert_eq!(Strand::new(gap, false).unwrap_err(), CurveError::Gap(2));
    let endless = vec![line(DVec3::ZERO, DVec3::X), line(DVec3::X, DVec3::splat(f64::INFINITY))];
    assert_eq!(Strand::new(endless, false).unwrap_err(), CurveError::NotFinite(2));
    assert_eq!(through(&[], false).unwrap_err(), CurveError::Empty);
}
