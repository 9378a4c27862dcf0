//! Axes along paths: as little turn as can be, closed after a lap, and bridged where there is no up.

use crate::cases::cases;
use crate::common::{place, smooth};
use glam::DVec3;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use zickzack_core::curve::{AxesTable, Node, Segment, Strand, UpRule, transport};
use zickzack_core::pose::signed_angle;

proptest! {
    #![proptest_config(cases(48))]

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
