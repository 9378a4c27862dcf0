//! Throws: contacts, rest, and how they scale.

use crate::cases::cases;
use glam::DVec3;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::motion::{Cancel, Columns, Contact, FaceTravel, FaceUp, Frames, Motion, Sample, prepared};
use zickzack_core::physics::{Air, Bounds, Launch, LaunchSetup, Side};
use zickzack_core::pose::Axis;

fn setup(start: DVec3, velocity: DVec3) -> LaunchSetup {
    LaunchSetup {
        start,
        velocity,
        air: Air::still(DVec3::NEG_Y * 9.81),
        bounds: Bounds { min: DVec3::new(-4.0, 0.0, -4.0), max: DVec3::new(4.0, 6.0, 4.0) },
        sides: Side::ALL.to_vec(),
        bounciness: 0.8,
        friction: 0.1,
        start_frame: 0.0,
        fps: 24.0,
        ..LaunchSetup::free(DVec3::ZERO, DVec3::ZERO, Air::still(DVec3::ZERO))
    }
}

fn state(launch: &dyn Motion, frame: f64) -> (DVec3, DVec3) {
    let mut sample = Sample::default();
    launch.sample(frame, Columns::POSITION | Columns::VELOCITY, &mut sample);
    (sample.positions[0], sample.velocities[0] * 24.0)
}

/// Marches in steps and halves the one in which a side is crossed: no formula for contact times.
fn first_contact_by_marching(setup: &LaunchSetup) -> Option<(f64, Side)> {
    let place = |t: f64| setup.start + setup.velocity * t - DVec3::Y * (0.5 * 9.81 * t * t);
    let outside = |t: f64| {
        let p = place(t);
        Side::ALL.into_iter().find(|side| match side {
            Side::Left => p.x < setup.bounds.min.x,
            Side::Right => p.x > setup.bounds.max.x,
            Side::Bottom => p.y < setup.bounds.min.y,
            Side::Top => p.y > setup.bounds.max.y,
            Side::Back => p.z < setup.bounds.min.z,
            Side::Front => p.z > setup.bounds.max.z,
        })
    };
    let step = 1e-4;
    let n = (1..200_000).find(|&n| outside(f64::from(n) * step).is_some())?;
    let (mut low, mut high) = (f64::from(n - 1) * step, f64::from(n) * step);
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        if outside(middle).is_some() { high = middle } else { low = middle }
    }
    outside(high).map(|side| (high, side))
}

fn inside() -> impl Strategy<Value = DVec3> {
    (-3.9..3.9f64, 0.1..5.9f64, -3.9..3.9f64).prop_map(|(x, y, z)| DVec3::new(x, y, z))
}

fn throw() -> impl Strategy<Value = DVec3> {
    (-9.0..9.0f64, -9.0..9.0f64, -9.0..9.0f64).prop_map(|(x, y, z)| DVec3::new(x, y, z))
}

proptest! {
    #![proptest_config(cases(64))]

    #[test]
    fn the_first_contact_is_where_and_when_marching_finds_it(start in inside(), velocity in throw()) {
        let setup = setup(start, velocity);
        let launch = Launch::solve(setup.clone(), 2000.0);
        let contact = &launch.contacts(Frames { from: 0.0, to: 2000.0 })[0];
        let (time, side) = first_contact_by_marching(&setup).unwrap();
        prop_assert!((contact.frame / 24.0 - time).abs() <= 1e-9, "{} {time}", contact.frame / 24.0);
        prop_assert_eq!(contact.other.as_str(), side.name());
    }

    #[test]
    fn contacts_obey_bounciness_and_friction(start in inside(), velocity in throw(), e in 0.0..1.0f64, friction in 0.0..1.5f64) {
        let launch = Launch::solve(LaunchSetup { bounciness: e, friction, ..setup(start, velocity) }, 400.0);
        for contact in launch.contacts(Frames { from: 0.0, to: 400.0 }).iter().filter(|c| c.speed_in > 0.05) {
            let (_, before) = state(&launch, contact.frame - 1e-7);
            let after = before + contact.impulse;
            let (vn, un) = (-before.dot(contact.normal), after.dot(contact.normal));
            if vn < 0.01 {
                // The last contact stands for all that are left of an endless series.
                continue;
            }
            let (vt, ut) = (before + contact.normal * vn, after - contact.normal * un);
            prop_assert!((un - e * vn).abs() < 1e-5);
            let lost = (friction * (1.0 + e) * vn).min(vt.length());
            prop_assert!((vt.length() - ut.length() - lost).abs() < 1e-5 * (1.0 + lost), "{contact:?}");
        }
    }

    #[test]
    fn it_never_leaves_a_closed_box_nor_gains_energy(start in inside(), velocity in throw(), e in 0.0..1.0f64, friction in 0.0..1.5f64) {
        let setup = LaunchSetup { bounciness: e, friction, ..setup(start, velocity) };
        let launch = Launch::solve(setup.clone(), 480.0);
        let mut energy = f64::INFINITY;
        for i in 0..1920 {
            let (p, v) = state(&launch, f64::from(i) / 4.0);
            let slack = DVec3::splat(1e-9);
            prop_assert!(p.cmpge(setup.bounds.min - slack).all() && p.cmple(setup.bounds.max + slack).all(), "{p}");
            let now = 0.5 * v.length_squared() + 9.81 * p.y;
            prop_assert!(now <= energy + 1e-9 * (1.0 + now.abs()));
            energy = now;
        }
    }

    #[test]
    fn the_end_of_a_series_of_bounces_stays_on_the_floor_and_jumps_nowhere(
        start in inside(), across in 0.0..3.0f64, e in 0.5..0.999f64, friction in 0.0..1.5f64,
    ) {
        let setup = LaunchSetup { bounciness: e, friction, ..setup(start, DVec3::X * across) };
        let launch = Launch::solve(setup, 240_000.0);
        // The contact that stands for the rest: nothing touches the floor after it.
        let floor = |contact: &Contact| contact.other == Side::Bottom.name();
        let last = launch.contacts(Frames { from: 0.0, to: 240_000.0 }).into_iter().rfind(floor).unwrap();
        let step = 1e-4;
        let mut before = state(&launch, last.frame - 3000.0 * step);
        for i in -2999..3000 {
            let now = state(&launch, last.frame + f64::from(i) * step);
            prop_assert!(now.0.y >= -1e-12 && now.0.y < 1e-3, "{i}: {}", now.0);
            let speed = now.1.length().max(before.1.length()) / 24.0;
            prop_assert!(now.0.distance(before.0) <= (speed + 1e-3) * step, "{i}: {} {}", before.0, now.0);
            before = now;
        }
        prop_assert!(state(&launch, last.frame + 1.0).0.y == 0.0);
    }

    #[test]
    fn position_is_continuous_and_velocity_its_derivative(start in inside(), velocity in throw(), frame in 0.0..200.0f64) {
        let launch = Launch::solve(setup(start, velocity), 400.0);
        let h = 1e-4;
        prop_assume!(launch.breaks(0, Frames { from: frame - 2.0 * h, to: frame + 2.0 * h }).unwrap().is_empty());
        let ((a, _), (_, v), (b, _)) = (state(&launch, frame - h), state(&launch, frame), state(&launch, frame + h));
        prop_assert!(((b - a) * 24.0 / (2.0 * h)).distance(v) < 1e-4);
    }

    #[test]
    fn a_whole_throw_scales(start in inside(), velocity in throw(), k in 0.1..20.0f64) {
        // Lengths and gravity × k at the same times: positions × k, contact times unchanged.
        let small = setup(start, velocity);
        let large = LaunchSetup {
            start: start * k, velocity: velocity * k, air: Air::still(small.air.gravity * k),
            bounds: Bounds { min: small.bounds.min * k, max: small.bounds.max * k },
            ..small.clone()
        };
        let (small, large) = (Launch::solve(small, 120.0), Launch::solve(large, 120.0));
        for i in 0..120 {
            let (a, b) = (state(&small, f64::from(i)).0, state(&large, f64::from(i)).0);
            prop_assert!(b.distance(a * k) <= 1e-9 * k * (1.0 + a.length()), "{i}: {} {}", a * k, b);
        }
    }

    #[test]
    fn a_throw_scaled_by_a_power_of_two_has_the_same_bits(start in inside(), velocity in throw(), power in -8i32..8) {
        let k = libm::ldexp(1.0, power);
        let small = setup(start, velocity);
        let large = LaunchSetup {
            start: start * k, velocity: velocity * k, air: Air::still(small.air.gravity * k),
            bounds: Bounds { min: small.bounds.min * k, max: small.bounds.max * k },
            ..small.clone()
        };
        let (small, large) = (Launch::solve(small, 240.0), Launch::solve(large, 240.0));
        for i in 0..480 {
            let frame = 0.5 * f64::from(i);
            prop_assert_eq!(state(&small, frame).0 * k, state(&large, frame).0);
        }
    }

    #[test]
    fn a_shot_into_a_corner_comes_back_out_of_it(x in 0.5..4.0f64, y in 0.5..4.0f64, speed in 0.1..20.0f64, e in 0.1..1.0f64) {
        // Aimed exactly at a corner, so that rounding decides which side is met first.
        let bounds = Bounds { min: DVec3::new(-x, -y, -1.0), max: DVec3::new(x, y, 1.0) };
        let launch = Launch::solve(
            LaunchSetup { bounds, air: Air::still(DVec3::ZERO), friction: 0.0, bounciness: e, ..setup(DVec3::ZERO, DVec3::new(x, y, 0.0) * speed) },
            400.0,
        );
        for i in 0..800 {
            let place = state(&launch, 0.5 * f64::from(i)).0;
            prop_assert!(place.x.abs() <= x * (1.0 + 1e-9) && place.y.abs() <= y * (1.0 + 1e-9), "{i}: {place}");
        }
    }

    #[test]
    fn coming_to_rest_beside_a_wall_stays_inside(gap in 0.0..1e-5f64, speed in 0.0..8.0f64, e in 0.0..0.99f64) {
        let thrown = LaunchSetup { friction: 0.0, bounciness: e, ..setup(DVec3::new(4.0 - gap, 1e-9, 0.0), DVec3::X * speed) };
        let launch = Launch::solve(thrown, 400.0);
        for i in 0..400 {
            let place = state(&launch, f64::from(i)).0;
            prop_assert!(place.x <= 4.0 + 1e-8 && place.x >= -4.0 - 1e-8 && place.y >= -1e-8, "{i}: {place}");
        }
    }
}

#[test]
fn apex_heights_fall_by_the_square_of_the_bounciness() {
    let drop = LaunchSetup { friction: 0.0, ..setup(DVec3::Y, DVec3::ZERO) };
    let launch = Launch::solve(drop, 480.0);
    let contacts = launch.contacts(Frames { from: 0.0, to: 480.0 });
    for k in 1..12 {
        let middle = 0.5 * (contacts[k - 1].frame + contacts[k].frame);
        let expected = libm::pow(0.8, 2.0 * k as f64);
        assert!((state(&launch, middle).0.y / expected - 1.0).abs() < 1e-9, "{k}");
    }
}

#[test]
fn endless_bouncing_ends_at_its_limit_time_and_then_slides_to_rest() {
    // Falls 1 m and bounces without losing speed along until the limit: t = √(2h/g)·(1+e)/(1−e).
    let launch = Launch::solve(LaunchSetup { friction: 0.0, ..setup(DVec3::Y, DVec3::X * 0.2) }, 480.0);
    let limit = libm::sqrt(2.0 / 9.81) * 1.8 / 0.2;
    let contacts = launch.contacts(Frames { from: 0.0, to: 480.0 });
    let last = contacts.iter().rfind(|contact| contact.other == "bottom").unwrap().frame / 24.0;
    assert!((last - limit).abs() < 1e-6, "{last} {limit}");
    assert_eq!(state(&launch, 400.0).0.y, 0.0);
    assert!((state(&launch, 400.0).1.x - 0.2).abs() < 1e-12, "without friction it never stops");
    // Put down sliding: v²/(2μg) further on it lies still.
    let slide = LaunchSetup { bounciness: 0.0, friction: 0.25, ..setup(DVec3::ZERO, DVec3::X * 2.0) };
    let launch = Launch::solve(slide, 480.0);
    let (place, speed) = state(&launch, 200.0);
    assert!((place.x - 4.0 / (2.0 * 0.25 * 9.81)).abs() < 1e-9 && speed == DVec3::ZERO, "{place}");
}

#[test]
fn it_leaves_through_a_side_that_was_not_chosen() {
    let chosen = vec![Side::Left, Side::Right, Side::Bottom];
    let flat = LaunchSetup {
        air: Air::still(DVec3::ZERO),
        friction: 0.0,
        sides: chosen,
        ..setup(DVec3::new(0.0, 1.0, 0.0), DVec3::new(3.0, 2.0, 0.0))
    };
    let launch = Launch::solve(flat, 480.0);
    let (place, _) = state(&launch, 480.0);
    assert!(place.y > 6.0);
    assert!(launch.contacts(Frames { from: 0.0, to: 480.0 }).iter().all(|contact| contact.other != "top"));
}

#[test]
fn what_falls_off_an_open_edge_keeps_falling() {
    let sides = vec![Side::Bottom];
    let launch =
        Launch::solve(LaunchSetup { bounciness: 0.0, friction: 0.0, sides, ..setup(DVec3::ZERO, DVec3::X) }, 480.0);
    // Reaches the edge at x = 4 after 4 s and falls from there.
    let (place, _) = state(&launch, 5.0 * 24.0);
    assert!((place.y + 0.5 * 9.81).abs() < 1e-6 && (place.x - 5.0).abs() < 1e-9, "{place}");
}

#[test]
fn preparing_a_longer_range_changes_nothing_that_was_known() {
    let short: Arc<dyn Motion> = Arc::new(Launch::solve(setup(DVec3::Y, DVec3::new(2.0, 3.0, 1.0)), 24.0));
    let long = prepared(&short, Frames { from: 0.0, to: 900.0 }, &Cancel::default()).unwrap();
    for i in 0..24 {
        assert_eq!(state(&*short, f64::from(i)).0, state(&*long, f64::from(i)).0);
    }
}

#[test]
fn facing_a_throw_leads_with_the_nose_and_holds_at_rest() {
    let inner: Arc<dyn Motion> =
        Arc::new(Launch::solve(LaunchSetup { friction: 0.3, ..setup(DVec3::Y, DVec3::new(2.0, 3.0, 1.0)) }, 960.0));
    let facing: Arc<dyn Motion> = Arc::new(FaceTravel::new(inner, Axis::MinusZ, Axis::PlusY, FaceUp::STEADY));
    let ready = prepared(&facing, Frames { from: 0.0, to: 900.0 }, &Cancel::default()).unwrap();
    let mut sample = Sample::default();
    let mut rest = None;
    for i in 0..900 {
        ready.sample(f64::from(i), Columns::POSE | Columns::VELOCITY, &mut sample);
        let (velocity, turn) = (sample.velocities[0], sample.orientations[0]);
        if velocity.length() > 1e-6 {
            assert!((turn * DVec3::NEG_Z).distance(velocity.normalize()) < 1e-9, "{i}");
        } else {
            assert_eq!(*rest.get_or_insert(turn), turn, "{i}: turned at rest");
        }
    }
    assert!(rest.is_some());
}

#[test]
fn too_many_contacts_are_reported_and_the_thing_is_held() {
    // A gap of a hundredth of a millimetre between two walls, crossed at 30 m/s without loss.
    let narrow = Bounds { min: DVec3::new(-5e-6, -10.0, -10.0), max: DVec3::new(5e-6, 10.0, 10.0) };
    let fast = LaunchSetup {
        bounds: narrow,
        air: Air::still(DVec3::ZERO),
        friction: 0.0,
        bounciness: 1.0,
        ..setup(DVec3::ZERO, DVec3::X * 30.0)
    };
    let launch = Launch::solve(fast.clone(), 100.0);
    let frame = launch.capped().expect("it says so");
    assert_eq!(state(&launch, frame + 1.0), state(&launch, frame + 50.0));
    // Ever so often, but never too often within one frame: the whole number is bounded too.
    let often = LaunchSetup { velocity: DVec3::X * 0.1, ..fast };
    let launch = Launch::solve(often, 1e6);
    assert!(launch.capped().is_some() && launch.contacts(Frames { from: 0.0, to: 1e6 }).len() <= 100_000);
}
