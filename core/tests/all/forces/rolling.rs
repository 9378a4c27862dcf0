//! Rolling without sliding, edge over edge, and rocking until it lies still.

use crate::cases::cases;
use crate::common::{circle, points, still, strand};
use glam::{DQuat, DVec2, DVec3};
use proptest::prelude::*;
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Segment, Strand, UpRule};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Ride, Sample, prepared};
use zickzack_core::physics::{Prism, Roller, Settle, SettleSetup, Trundle, Trundling};
use zickzack_core::pose::{Axis, angle_between};
use zickzack_core::seam::measure;

const FRAMES: f64 = 96.0;
const FPS: f64 = 24.0;

fn trundling(roller: Roller) -> Trundling {
    Trundling {
        roller,
        under: false,
        up: UpRule::Steady,
        flat: false,
        axes: (Axis::PlusX, Axis::PlusY),
        correction: 0.0,
    }
}

fn rolling(on: Strand, laps: &str, how: Trundling) -> Arc<dyn Motion> {
    let path = still(on);
    let ride = Arc::new(Ride::new(path.clone(), 1, laps.parse::<Fraction>().unwrap(), FRAMES));
    let motion: Arc<dyn Motion> = Arc::new(Trundle::new(ride, &path, how, FPS));
    prepared(&motion, Frames { from: -5.0, to: FRAMES + 5.0 }, &Cancel::default()).unwrap()
}

fn line(length: f64, slope: f64) -> Strand {
    let to = DVec3::new(libm::cos(slope), libm::sin(slope), 0.0) * length;
    Strand::new(vec![Segment::Line { from: DVec3::ZERO, to }], false).unwrap()
}

fn at(motion: &dyn Motion, frame: f64) -> (DVec3, DQuat, DVec3, DVec3) {
    let mut sample = Sample::default();
    motion.sample_at(&[(0, frame)], Columns::POSE | Columns::VELOCITY | Columns::SPIN, &mut sample);
    (sample.positions[0], sample.orientations[0], sample.velocities[0], sample.spins[0])
}

proptest! {
    #![proptest_config(cases(32))]

    #[test]
    fn where_a_ball_touches_nothing_slides(points in points(3..7), radius in 0.02..0.2f64, frame in 1.0..95.0f64) {
        let on = strand(&points, true);
        let curve = Curve::from(on.clone());
        let motion = rolling(on.clone(), "1", trundling(Roller::Round { radius }));
        let (middle, _, velocity, spin) = at(&*motion, frame);
        let here = curve.strands()[0].at(on.length() * frame / FRAMES);
        // Corners of the path are none for what rolls on it: looked at apart from them.
        prop_assume!(motion.breaks(0, Frames { from: frame - 0.01, to: frame + 0.01 }).unwrap().is_empty());
        let down = here.point - middle;
        prop_assert!((down.length() - radius).abs() < 1e-9, "it stands on the ground");
        let slip = velocity + spin.cross(down);
        prop_assert!(slip.length() <= 1e-6 * on.length() / FRAMES, "{slip}");
    }

    #[test]
    fn a_ball_turns_by_the_way_over_its_radius_on_straight_ground(radius in 0.05..2.0f64, slope in -1.0..1.0f64, frame in 0.0..96.0f64) {
        let how = Trundling { up: UpRule::Towards(DVec3::Y), ..trundling(Roller::Round { radius }) };
        let motion = rolling(line(10.0, slope), "1", how);
        let (position, turn, ..) = at(&*motion, frame);
        let way = 10.0 * frame / FRAMES;
        let wanted = DQuat::from_rotation_z(slope - way / radius);
        prop_assert!(angle_between(turn, wanted) < 1e-7, "{}", angle_between(turn, wanted));
        let up = DVec3::new(-libm::sin(slope), libm::cos(slope), 0.0);
        let ground = DVec3::new(libm::cos(slope), libm::sin(slope), 0.0) * way;
        prop_assert!(position.distance(ground + up * radius) < 1e-9);
    }

    #[test]
    fn a_prism_stands_on_its_edge_and_nothing_of_it_is_below_the_ground(
        sides in 3usize..12, side in 0.1..1.0f64, weight in prop::sample::select(vec![0.0, 0.5, 4.0]), frame in 0.5..95.0f64, boxed: bool,
    ) {
        let prism = if boxed { Prism::cuboid(side, 0.4 * side + 0.1, weight) } else { Prism::regular(sides, side, weight) };
        let corners: Vec<DVec2> = if boxed {
            let (w, h) = (0.5 * side, 0.5 * (0.4 * side + 0.1));
            vec![DVec2::new(w, -h), DVec2::new(w, h), DVec2::new(-w, h), DVec2::new(-w, -h)]
        } else {
            let apart = TAU / sides as f64;
            let far = 0.5 * side / libm::sin(0.5 * apart);
            (0..sides).map(|i| { let a = -0.25 * TAU + apart * (i as f64 + 0.5); DVec2::new(libm::cos(a), libm::sin(a)) * far }).collect()
        };
        let motion = rolling(line(12.0, 0.0), "1", Trundling { up: UpRule::Towards(DVec3::Y), ..trundling(Roller::Prism(prism.clone())) });
        let world = |frame: f64| {
            let (position, turn, ..) = at(&*motion, frame);
            corners.iter().map(|corner| position + turn * corner.extend(0.0)).collect::<Vec<_>>()
        };
        let here = world(frame);
        let lowest = here.iter().map(|corner| corner.y).fold(f64::INFINITY, f64::min);
        prop_assert!(lowest.abs() <= 1e-6 * side, "{lowest}");
        // The edge that is lowest stays where it is while the prism tips over it.
        let edge = here.iter().position(|corner| corner.y <= lowest + 1e-12).unwrap();
        let h = 1e-6;
        if motion.breaks(0, Frames { from: frame - 2.0 * h, to: frame + 2.0 * h }).unwrap().is_empty() {
            prop_assert!(world(frame - h)[edge].distance(world(frame + h)[edge]) < 1e-6 * 12.0 / FRAMES);
        }
        // It lies on a side whenever it tells so.
        for contact in motion.contacts(Frames { from: 1.0, to: 40.0 }) {
            let corners = world(contact.frame);
            prop_assert!(corners.iter().filter(|corner| corner.y.abs() < 1e-6).count() == 2, "{corners:?}");
        }
    }

    #[test]
    fn what_has_whole_sides_or_turns_in_its_lap_closes(sides in 3usize..9, count in 3usize..40, ball: bool) {
        let radius = 5.0;
        let round = TAU * radius;
        let (roller, laps) = if ball {
            (Roller::Round { radius: radius / count as f64 }, "1".to_owned())
        } else {
            // So many whole rounds of the prism.
            (Roller::Prism(Prism::regular(sides, round / (sides * count) as f64, 0.0)), "1".to_owned())
        };
        let motion = rolling(circle(radius), &laps, Trundling { up: UpRule::Towards(DVec3::Y), ..trundling(roller) });
        let seam = measure(&motion, FRAMES, FPS, &Cancel::default()).unwrap();
        prop_assert!(seam.closes(1e-6), "{seam:?}");
    }

    #[test]
    fn a_settling_disc_touches_with_its_lowest_point_and_its_rim_rolls(
        radius in 0.1..1.0f64, tilt in 0.05..1.4f64, leans in -3.0..3.0f64, ends in -3.0..3.0f64, seconds in 0.5..4.0f64, part in 0.01..0.9f64,
        turns in prop::option::of(prop_oneof![2.0..20.0f64, -20.0..-2.0f64]),
    ) {
        let setup = SettleSetup {
            place: DVec3::new(1.0, 0.5, -2.0), radius, middle: 0.0, tilt, leans, ends, seconds, turns, gravity: 9.81, start_frame: 4.0, fps: FPS,
        };
        let motion = Settle::new(vec![setup]);
        let frame = 4.0 + part * seconds * FPS;
        let lowest = |frame: f64| {
            let (position, turn, ..) = at(&motion, frame);
            let axis = turn * DVec3::Y;
            let down = (DVec3::NEG_Y + axis * axis.y).normalize();
            (position + down * radius, turn.conjugate() * down)
        };
        let (touches, _) = lowest(frame);
        prop_assert!((touches.y - 0.5).abs() < 1e-9, "{touches}");
        // What touches does not slide: the point of the rim that is lowest has no velocity.
        let down = lowest(frame).1 * radius;
        let h = 1e-4;
        let point = |frame: f64| { let (position, turn, ..) = at(&motion, frame); position + turn * down };
        let slides = (point(frame + h) - point(frame - h)) / (2.0 * h);
        let runs = (lowest(frame + h).0 - lowest(frame - h).0).length() / (2.0 * h);
        prop_assert!(slides.length() <= 1e-5 * runs + 1e-7, "{slides} {runs}");
        // In the end it lies flat, facing as it should.
        let (position, turn, ..) = at(&motion, 4.0 + seconds * FPS + 1.0);
        prop_assert!(position.distance(setup.place) < 1e-12);
        prop_assert!(angle_between(turn, DQuat::from_rotation_y(ends)) < 1e-9);
        if let Some(turns) = turns {
            prop_assert!((motion.turns(0) - turns.abs()).abs() < 1e-6);
        }
        // It never turns by more than a quarter in a frame at the touching point, and nothing jumps.
        for i in 0..(seconds * FPS) as usize {
            let (a, b) = (lowest(4.0 + i as f64), lowest(4.5 + i as f64));
            prop_assert!((a.0 - b.0).length() <= 2.0 * radius);
            let h = 1e-6;
            let frame = 4.0 + i as f64;
            prop_assert!(at(&motion, frame - h).0.distance(at(&motion, frame + h).0) < 1e-3 * radius);
        }
    }
}

fn at_tilt(motion: &dyn Motion, frame: f64) -> f64 {
    libm::acos((at(motion, frame).1 * DVec3::Y).y.min(1.0))
}

#[test]
fn the_tilt_falls_as_the_cube_root_of_the_time_left_and_the_speed_follows_it() {
    let setup = SettleSetup {
        place: DVec3::ZERO,
        radius: 0.4,
        middle: 0.1,
        tilt: 0.8,
        leans: 0.0,
        ends: 0.0,
        seconds: 3.0,
        turns: None,
        gravity: 9.81,
        start_frame: 0.0,
        fps: FPS,
    };
    let motion = Settle::new(vec![setup]);
    for part in [0.0, 0.2, 0.5, 0.8] {
        let frame = part * 72.0;
        let tilt = 0.8 * libm::cbrt(1.0 - part);
        assert!((at_tilt(&motion, frame) - tilt).abs() < 1e-9);
        // How fast the direction in which it leans runs round, measured.
        let leaning = |frame: f64| {
            let axis = at(&motion, frame).1 * DVec3::Y;
            libm::atan2(-axis.z, axis.x)
        };
        let h = 1e-4;
        let mut round = leaning(frame + h) - leaning(frame);
        round -= TAU * (round / TAU).round();
        let wanted = libm::sqrt(4.0 * 9.81 / (0.4 * libm::sin(tilt)));
        assert!((round / h * FPS / wanted - 1.0).abs() < 1e-3, "{part}");
    }
    assert_eq!(motion.contacts(Frames { from: 0.0, to: 100.0 }).len(), 1);
}
