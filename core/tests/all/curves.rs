//! Paths by arc length, and the axes along them.

use crate::cases::cases;
use crate::common::{circle, place, points, simpson_length, smooth, strand};
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::f64::consts::{PI, TAU};
use zickzack_core::curve::{
    AxesTable, Curve, CurveError, Node, Outline, Placement, Placing, Plane, PointKind, Segment, Strand, UpRule,
    place as place_outline, placed, tessellate, thinned, through, transport,
};
use zickzack_core::pose::signed_angle;

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

    #[test]
    fn axes_of_a_closed_path_meet_after_a_lap(list in prop::collection::vec(place(), 3..9)) {
        let strand = smooth(&list, true);
        let table = AxesTable::new(strand.nodes(0.02), UpRule::Steady, true);
        let (start, length) = (strand.at(0.0), strand.length());
        let home = table.up(length, start.point, start.tangent);
        let first = table.up(0.0, start.point, start.tangent);
        prop_assert!(home.distance(first) <= 1e-9, "{}", home.distance(first));
    }

    #[test]
    fn axes_are_perpendicular_unit_vectors_and_never_jump(list in prop::collection::vec(place(), 3..9), world: bool) {
        let strand = smooth(&list, true);
        let rule = if world { UpRule::Towards(DVec3::Y) } else { UpRule::Steady };
        let table = AxesTable::new(strand.nodes(0.02), rule, true);
        let up_at = |s: f64| {
            let s = strand.normalise(s);
            let here = strand.at(s);
            (table.up(s, here.point, here.tangent), here.tangent)
        };
        let (steps, length) = (20_000, strand.length());
        for i in 0..steps {
            let (mut low, mut high) = (length * f64::from(i) / f64::from(steps), length * f64::from(i + 1) / f64::from(steps));
            let (up, tangent) = up_at(low);
            prop_assert!((up.length() - 1.0).abs() < 1e-12 && up.dot(tangent).abs() < 1e-12);
            if up.distance(up_at(high).0) < 0.02 {
                continue;
            }
            // A fast turn gets smaller in ever shorter steps; a jump does not.
            for _ in 0..30 {
                let middle = 0.5 * (low + high);
                let here = up_at(middle).0;
                if here.distance(up_at(low).0) > here.distance(up_at(high).0) { high = middle } else { low = middle }
            }
            prop_assert!(up_at(low).0.distance(up_at(high).0) < 1e-4, "at {low} of {length}: {} {}", up_at(low).0, up_at(high).0);
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

fn winding(p: f64, q: f64, t: f64) -> (DVec3, DVec3) {
    let (long, short) = (TAU * p * t, TAU * q * t);
    let reach = 2.0 + 0.7 * libm::cos(short);
    let point = DVec3::new(reach * libm::cos(long), 0.7 * libm::sin(short), -reach * libm::sin(long));
    let shrink = -0.7 * TAU * q * libm::sin(short);
    let slope = DVec3::new(
        shrink * libm::cos(long) - reach * TAU * p * libm::sin(long),
        0.7 * TAU * q * libm::cos(short),
        -shrink * libm::sin(long) - reach * TAU * p * libm::cos(long),
    );
    (point, slope)
}

fn torus_strand(p: f64, q: f64, pieces: usize) -> Strand {
    let n = pieces as f64;
    let segments = (0..pieces).map(|i| {
        let ((a, da), (d, dd)) = (winding(p, q, i as f64 / n), winding(p, q, ((i + 1) % pieces) as f64 / n));
        Segment::Cubic { points: [a, a + da / (3.0 * n), d - dd / (3.0 * n), d] }
    });
    Strand::new(segments.collect(), true).unwrap()
}

/// Gauss's double integral for the writhe by the midpoint rule; the diagonal contributes nothing.
fn writhe(p: f64, q: f64, n: usize) -> f64 {
    let samples: Vec<(DVec3, DVec3)> = (0..n).map(|i| winding(p, q, (i as f64 + 0.5) / n as f64)).collect();
    let mut sum = 0.0;
    for i in 0..n {
        for j in 0..i {
            let apart = samples[i].0 - samples[j].0;
            sum += 2.0 * samples[i].1.cross(samples[j].1).dot(apart) / (apart.length() * apart.length_squared());
        }
    }
    sum / (n * n) as f64 / (4.0 * PI)
}

#[test]
fn the_closing_angle_of_torus_windings_is_two_pi_times_the_writhe() {
    for (p, q) in [(2.0, 3.0), (3.0, 2.0), (1.0, 4.0), (3.0, 5.0)] {
        let strand = torus_strand(p, q, 400);
        let angle = AxesTable::new(strand.nodes(0.01), UpRule::Steady, true).closing_angle();
        // The omitted diagonal leaves an error of first order in 1/n; three grids take two orders out.
        let (a, b, c) = (writhe(p, q, 1000), writhe(p, q, 2000), writhe(p, q, 4000));
        let (ab, bc) = (2.0 * b - a, 2.0 * c - b);
        let reference = TAU * (bc + (bc - ab) / 3.0);
        // What has to be added over the lap is minus the angle by which the carried axes went round.
        let laps = (angle + reference) / TAU;
        let miss = (laps - laps.round()).abs() * TAU;
        assert!(miss < 1e-4, "({p},{q}): {angle} against {reference}, off {miss}");
    }
}

#[test]
fn halving_the_step_of_steady_axes_divides_the_error_by_fourteen() {
    // A curve without symmetries.
    let curve = |t: f64| {
        DVec3::new(libm::cos(t) + 0.3 * libm::sin(2.3 * t), 0.4 * t + 0.2 * libm::cos(1.7 * t), libm::sin(t) * 1.2)
    };
    let slope = |t: f64| {
        DVec3::new(-libm::sin(t) + 0.69 * libm::cos(2.3 * t), 0.4 - 0.34 * libm::sin(1.7 * t), 1.2 * libm::cos(t))
            .normalize()
    };
    let end_up = |n: usize| {
        let nodes: Vec<Node> = (0..=n)
            .map(|i| {
                let t = 4.0 * i as f64 / n as f64;
                Node { at: t, point: curve(t), tangent: slope(t) }
            })
            .collect();
        *AxesTable::new(nodes, UpRule::Steady, false).ups().last().unwrap()
    };
    let (truth, tangent) = (end_up(60_000), slope(4.0));
    let error = |n: usize| signed_angle(end_up(n), truth, tangent).abs();
    for n in [40, 80, 160] {
        let ratio = error(n) / error(2 * n);
        assert!(ratio >= 14.0, "{n}: {ratio}");
    }
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn between_nodes_steady_axes_are_where_a_much_finer_table_has_them(list in prop::collection::vec(place(), 4..8)) {
        let strand = smooth(&list, true);
        let (table, fine) =
            (AxesTable::new(strand.nodes(0.02), UpRule::Steady, true), AxesTable::new(strand.nodes(0.001), UpRule::Steady, true));
        for i in 0..997 {
            let s = strand.length() * f64::from(i) / 997.0;
            let here = strand.at(s);
            let (a, b) = (table.up(s, here.point, here.tangent), fine.up(s, here.point, here.tangent));
            prop_assert!(signed_angle(a, b, here.tangent).abs() < 1e-4, "{i}: {}", signed_angle(a, b, here.tangent));
        }
    }
}

#[test]
fn a_vertical_loop_turns_by_half_turns_and_the_turn_is_eased() {
    let ring = Strand::new(vec![Segment::circle(DVec3::ZERO, 1.0, DVec3::X, DVec3::Y)], true).unwrap();
    let table = AxesTable::new(ring.nodes(0.02), UpRule::Towards(DVec3::Y), true);
    assert_eq!(table.half_turns(), 2);
    // Where the direction lies within 20° of the vertical, up turns by π about it. Against the
    // least-turn axes (here: the radius) the rate stays below 1.9 times its mean over the bridge.
    let (length, steps) = (ring.length(), 100_000);
    let angle = |i: i32| {
        let s = ring.normalise(length * f64::from(i) / f64::from(steps));
        let here = ring.at(s);
        signed_angle(-here.point.normalize(), table.up(s, here.point, here.tangent), here.tangent)
    };
    let bridge = 40.0_f64.to_radians() / TAU * f64::from(steps);
    let fastest = (0..steps)
        .map(|i| {
            let turn = angle(i + 1) - angle(i);
            (turn - (turn / TAU).round() * TAU).abs()
        })
        .fold(0.0, f64::max);
    assert!(fastest <= 1.9 * PI / bridge, "{fastest} against a mean of {}", PI / bridge);
}

#[test]
fn a_bridge_over_the_start_of_a_closed_path_is_as_smooth_as_any() {
    // Starts where it runs straight up.
    let ring =
        Strand::new(vec![Segment::circle(DVec3::ZERO, 1.0, DVec3::X, DVec3::new(0.0, 1.0, 0.3).normalize())], true)
            .unwrap();
    let table = AxesTable::new(ring.nodes(0.02), UpRule::Towards(DVec3::Y), true);
    let (length, steps) = (ring.length(), 50_000);
    let up = |i: i32| {
        let s = ring.normalise(length * f64::from(i) / f64::from(steps));
        let here = ring.at(s);
        table.up(s, here.point, here.tangent)
    };
    for i in 0..steps {
        assert!(up(i).distance(up(i + 1)) < 0.01, "{i}: {} {}", up(i), up(i + 1));
    }
}

#[test]
fn a_reversal_at_one_place_keeps_up() {
    let a = Node { at: 0.0, point: DVec3::ZERO, tangent: DVec3::X };
    let b = Node { at: 0.0, point: DVec3::ZERO, tangent: DVec3::NEG_X };
    assert_eq!(transport(&a, DVec3::Y, &b), DVec3::Y);
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

#[test]
fn a_path_that_ends_inside_a_bridge_keeps_its_axes_to_the_very_end() {
    // Level, then straight up to the end; and the same the other way round.
    let level = Segment::Line { from: DVec3::new(-2.0, 0.0, 0.0), to: DVec3::new(-1.0, 0.0, 0.0) };
    let bend = Segment::Arc {
        centre: DVec3::new(-1.0, 1.0, 0.0),
        x: DVec3::NEG_Y,
        y: DVec3::X,
        radius: 1.0,
        start: 0.0,
        sweep: PI / 2.0,
    };
    let upright = Segment::Line { from: DVec3::new(0.0, 1.0, 0.0), to: DVec3::new(1e-9, 4.0, 1e-9) };
    let strand = Strand::new(vec![level, bend, upright], false).unwrap();
    let table = AxesTable::new(strand.nodes(0.02), UpRule::Towards(DVec3::Y), false);
    let up = |s: f64| {
        let here = strand.at(s);
        table.up(s, here.point, here.tangent)
    };
    let (end, before) = (up(strand.length()), up(strand.length() - 1e-6));
    assert!(end.distance(before) < 1e-5 && (end.length() - 1.0).abs() < 1e-12, "{before} {end}");
    assert!(end.dot(strand.at(strand.length()).tangent).abs() < 1e-12);
}
