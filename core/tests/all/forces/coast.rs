//! A bead on a wire, against closed forms: pendulum, cycloid, slope with friction.

use crate::cases::cases;
use crate::common::still;
use glam::DVec3;
use proptest::prelude::*;
use std::f64::consts::PI;
use zickzack_core::curve::{Fineness, Jet, Path, PathPoint, PointKind, Segment, Strand, follow, through};
use zickzack_core::motion::{Columns, Frames, Motion, Sample};
use zickzack_core::physics::{Coast, CoastEnd, CoastFate, CoastSetup};

const G: f64 = 9.81;

fn setup(start: f64, push: f64) -> CoastSetup {
    CoastSetup { start, push, gravity: DVec3::NEG_Y * G, friction: 0.0, end: CoastEnd::Rebounds, fps: 24.0 }
}

/// A circle in the picture's plane that begins at its lowest point and runs to the right.
fn hoop(radius: f64) -> Path {
    still(Strand::new(vec![Segment::circle(DVec3::ZERO, radius, DVec3::NEG_Y, DVec3::X)], true).unwrap())
}

/// The complete elliptic integral K of the modulus k, by the arithmetic-geometric mean.
fn elliptic(k: f64) -> f64 {
    let (mut a, mut b) = (1.0_f64, (1.0 - k * k).sqrt());
    for _ in 0..60 {
        (a, b) = (0.5 * (a + b), (a * b).sqrt());
    }
    PI / (2.0 * a)
}

fn at(motion: &dyn Motion, frame: f64) -> (DVec3, DVec3) {
    let mut sample = Sample::default();
    motion.sample_at(&[(0, frame)], Columns::POSITION | Columns::VELOCITY, &mut sample);
    (sample.positions[0], sample.velocities[0])
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn a_pendulum_swings_in_the_time_of_the_elliptic_integral(radius in 0.2..5.0f64, angle in 0.05..3.0f64) {
        let exact = 4.0 * (radius / G).sqrt() * elliptic(libm::sin(0.5 * angle));
        let coast = Coast::new(hoop(radius), setup(radius * angle, 0.0), 600.0);
        let CoastFate::Swings { period, short } = coast.fate() else { panic!("{:?}", coast.fate()) };
        prop_assert!((period / exact - 1.0).abs() <= 1e-9, "{period} is not {exact}");
        // What it lacks for the top is what the other side of the circle is higher.
        prop_assert!((short.unwrap() - radius * (1.0 + libm::cos(angle))).abs() < 1e-3 * radius);
        // And by a push from below to the same height it takes as long.
        let push = (2.0 * G * radius * (1.0 - libm::cos(angle))).sqrt();
        let pushed = Coast::new(hoop(radius), setup(0.0, push), 600.0);
        prop_assert!((pushed.period().unwrap() / exact - 1.0).abs() <= 1e-9);
    }

    /// What is pushed against an end rests or rebounds at once: its speed is how it goes on, at frame 0 as anywhere.
    #[test]
    fn what_is_pushed_against_an_end_goes_as_fast_as_it_goes(
        length in 0.5..9.0f64, slope in -1.2..1.2f64, push in 0.1..9.0f64, friction in prop::sample::select(vec![0.0, 0.05]), last: bool, rebounds: bool,
    ) {
        let top = DVec3::new(libm::cos(slope), libm::sin(slope), 0.0) * length;
        let path = still(Strand::new(vec![Segment::Line { from: DVec3::ZERO, to: top }], false).unwrap());
        let (start, push) = if last { (path.at(0.0).length(), push) } else { (0.0, -push) };
        let end = if rebounds { CoastEnd::Rebounds } else { CoastEnd::Stops };
        let coast = Coast::new(path, CoastSetup { friction, end, ..setup(start, push) }, 20.0);
        let h = 1e-5;
        let (here, after) = (at(&coast, 0.0), at(&coast, h));
        let gone = (after.0 - here.0) / h;
        prop_assert!(here.1.distance(gone) < 1e-4 * (1.0 + gone.length()), "{} is told, {} is gone: {:?}", here.1, gone, coast.fate());
        prop_assert!(rebounds || here.1 == DVec3::ZERO);
        prop_assert!(!rebounds || (here.1.length() - push.abs() / 24.0).abs() < 1e-9);
    }

    #[test]
    fn what_lies_pressed_against_an_end_stays_there(length in 0.01..50.0f64, slope in 0.1..1.57f64, friction in prop::sample::select(vec![0.0, 0.02]), upper: bool) {
        let top = DVec3::new(libm::cos(slope), libm::sin(slope), 0.0) * length;
        let (from, to) = if upper { (top, DVec3::ZERO) } else { (DVec3::ZERO, top) };
        let path = still(Strand::new(vec![Segment::Line { from, to }], false).unwrap());
        let start = if upper { length } else { 0.0 };
        let coast = Coast::new(path, CoastSetup { friction, ..setup(start, 0.0) }, 20.0);
        prop_assert!(coast.period().is_none(), "{:?}", coast.fate());
        for frame in [0.0, 7.5, 400.0] {
            let (place, velocity) = at(&coast, frame);
            prop_assert!(place.length() < 1e-9 && velocity == DVec3::ZERO, "{place} {velocity}");
        }
        let corners = coast.breaks(0, Frames { from: -50.0, to: 500.0 }).unwrap();
        prop_assert!(corners.len() < 10);
    }

    #[test]
    fn a_pendulum_with_enough_push_goes_round_in_the_time_of_the_elliptic_integral(radius in 0.2..5.0f64, more in 1.05..4.0f64) {
        let push = (4.0 * G * radius).sqrt() * more;
        let k = (4.0 * G * radius).sqrt() / push;
        let exact = 4.0 * radius / push * elliptic(k);
        let coast = Coast::new(hoop(radius), setup(0.0, push), 600.0);
        let round = matches!(coast.fate(), CoastFate::Round { .. });
        prop_assert!(round);
        prop_assert!((coast.period().unwrap() / exact - 1.0).abs() <= 1e-9);
        let least = (push * push - 4.0 * G * radius).sqrt();
        prop_assert!(coast.speeds().0 <= least * (1.0 + 1e-3) && coast.speeds().0 >= least * (1.0 - 1e-9));
    }

    #[test]
    fn energy_and_period_are_kept_at_every_frame(radius in 0.5..3.0f64, angle in 0.3..3.0f64, frame in 0.0..400.0f64) {
        let coast = Coast::new(hoop(radius), setup(radius * angle, 0.0), 600.0);
        let (place, velocity) = at(&coast, frame);
        let energy = 0.5 * (velocity * 24.0).length_squared() + G * place.y;
        let whole = -G * radius * libm::cos(angle);
        prop_assert!((energy - whole).abs() < 1e-7 * G * radius);
        let later = at(&coast, frame + coast.period().unwrap() * 24.0);
        prop_assert!(later.0.distance(place) < 1e-9 * radius && later.1.distance(velocity) < 1e-8);
        // The velocity is the slope of the place.
        let slope = (at(&coast, frame + 1e-4).0 - at(&coast, frame - 1e-4).0) / 2e-4;
        prop_assert!(slope.distance(velocity) < 1e-5 * (1.0 + velocity.length()));
    }

    #[test]
    fn larger_by_a_factor_and_gravity_with_it_gives_the_same_times(radius in 0.3..2.0f64, angle in 0.1..3.0f64, factor in 0.1..50.0f64) {
        let small = Coast::new(hoop(radius), setup(radius * angle, 0.0), 600.0);
        let large = CoastSetup { gravity: DVec3::NEG_Y * G * factor, ..setup(factor * radius * angle, 0.0) };
        let large = Coast::new(hoop(factor * radius), large, 600.0);
        prop_assert!((small.period().unwrap() / large.period().unwrap() - 1.0).abs() < 1e-9);
    }

    #[test]
    fn on_a_slope_with_friction_it_stops_where_the_formula_says(angle in 0.02..0.5f64, more in 0.05..0.9f64, push in 0.5..6.0f64) {
        let (sine, cosine) = (libm::sin(angle), libm::cos(angle));
        let friction = libm::tan(angle) * (1.0 + more);
        let line = Segment::Line { from: DVec3::ZERO, to: DVec3::new(cosine, -sine, 0.0) * 200.0 };
        let path = still(Strand::new(vec![line], false).unwrap());
        let coast = Coast::new(path, CoastSetup { friction, ..setup(0.0, push) }, 600.0);
        let slowing = G * (friction * cosine - sine);
        let (after, distance) = (push / slowing, 0.5 * push * push / slowing);
        prop_assume!(distance < 199.0);
        let CoastFate::Stops { after: found } = coast.fate() else { panic!("{:?}", coast.fate()) };
        prop_assert!((found / after - 1.0).abs() < 1e-6);
        prop_assert!((at(&coast, 1e6).0.length() / distance - 1.0).abs() < 1e-6);
        prop_assert_eq!(at(&coast, 1e6).1, DVec3::ZERO);
    }
}

#[test]
fn a_cycloid_takes_as_long_from_any_height() {
    // x = r(θ + sin θ), y = −r(1 + cos θ)… the lowest point in the middle: every swing takes 4π√(r/g).
    let r = 0.7;
    let jet = |theta: f64| Jet {
        point: DVec3::new(r * (theta + libm::sin(theta)), r * (1.0 - libm::cos(theta)), 0.0),
        derivative: DVec3::new(r * (1.0 + libm::cos(theta)), r * libm::sin(theta), 0.0),
    };
    // Finer than paths are made, so that it is the motion that is measured.
    let fine = Fineness { tolerance: 1e-15, pieces: 4000, halvings: 2 };
    let strand = Strand::new(follow(&jet, -0.99 * PI, 0.99 * PI, &fine), false).unwrap();
    let length = strand.length();
    let path = still(strand);
    let exact = 4.0 * PI * (r / G).sqrt();
    for part in [0.1, 0.3, 0.45] {
        let coast = Coast::new(path.clone(), setup(part * length, 0.0), 600.0);
        let period = coast.period().unwrap();
        assert!((period / exact - 1.0).abs() <= 1e-9, "{} off", period / exact - 1.0);
    }
}

#[test]
fn where_it_is_level_it_rests_and_on_an_exact_hump_it_is_undecided_and_goes_on() {
    let bottom = Coast::new(hoop(1.0), setup(0.0, 0.0), 600.0);
    assert_eq!(bottom.fate(), CoastFate::Rests);
    assert_eq!(at(&bottom, 50.0).0, at(&bottom, 0.0).0);
    let push = (4.0 * G).sqrt();
    let hump = Coast::new(hoop(1.0), setup(0.0, push), 600.0);
    assert!(hump.undecided(), "{:?}", hump.fate());
    assert!(matches!(hump.fate(), CoastFate::Round { .. }), "{:?}", hump.fate());
}

#[test]
fn at_an_open_end_it_stops_or_comes_back() {
    let line = Segment::Line { from: DVec3::ZERO, to: DVec3::new(4.0, -3.0, 0.0) };
    let path = || still(Strand::new(vec![line], false).unwrap());
    let down = (2.0 * 5.0 / (G * 0.6)).sqrt();
    let stops = Coast::new(path(), CoastSetup { end: CoastEnd::Stops, ..setup(0.0, 0.0) }, 600.0);
    let CoastFate::Stops { after } = stops.fate() else { panic!("{:?}", stops.fate()) };
    assert!((after - down).abs() < 1e-9);
    let back = Coast::new(path(), setup(0.0, 0.0), 600.0);
    assert!((back.period().unwrap() - 2.0 * down).abs() < 1e-9, "{:?} is not {}", back.fate(), 2.0 * down);
    let breaks = back.breaks(0, Frames { from: 0.0, to: 2.0 * down * 24.0 - 1.0 }).unwrap();
    assert!(breaks.iter().any(|b| (b.frame - down * 24.0).abs() < 1e-6));
}

#[test]
fn a_drawn_track_with_a_hump_is_passed_or_not_by_its_height() {
    let point = |x: f64, y: f64| PathPoint { position: DVec3::new(x, y, 0.0), kind: PointKind::Smooth, handles: None };
    let strand =
        through(&[point(0.0, 3.0), point(2.0, 0.0), point(4.0, 2.0), point(6.0, 0.5), point(8.0, 3.5)], false).unwrap();
    let coast =
        |push: f64| Coast::new(still(strand.clone()), CoastSetup { end: CoastEnd::Stops, ..setup(0.0, push) }, 600.0);
    // From 3 m it passes a hump of 2 m, and the end at 3.5 m it reaches with a push only.
    let CoastFate::Swings { .. } = coast(0.0).fate() else { panic!("{:?}", coast(0.0).fate()) };
    assert!(matches!(coast(4.0).fate(), CoastFate::Stops { .. }));
}
