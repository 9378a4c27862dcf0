//! Throws in air, against surfaces, with spin, at places, and to and fro.

use crate::cases::cases;
use crate::common::place;
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample};
use zickzack_core::physics::{
    Air, Bounds, Launch, LaunchSetup, Obstacle, Side, Toss, TossSetup, Wanted, aimed, apex, scattered,
};
use zickzack_core::pose::angle_between;
use zickzack_core::seam::measure;
use zickzack_core::surface::{Profile, Shape, Surface};

pub(super) const G: DVec3 = DVec3::new(0.0, -9.81, 0.0);
pub(super) const FPS: f64 = 24.0;

pub(super) fn free(start: DVec3, velocity: DVec3, air: Air) -> LaunchSetup {
    LaunchSetup { fps: FPS, ..LaunchSetup::free(start, velocity, air) }
}

pub(super) fn against(shape: Shape, at: DVec3) -> Arc<Vec<Obstacle>> {
    let surface = Surface::new(Arc::new(shape), at, DQuat::IDENTITY);
    Arc::new(vec![Obstacle { surface, name: "surface".to_owned() }])
}

/// Place and velocity, metres and seconds, and spin in radians per second.
pub(super) fn state(motion: &dyn Motion, frame: f64) -> (DVec3, DVec3, DVec3) {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSITION | Columns::VELOCITY | Columns::SPIN, &mut sample);
    (sample.positions[0], sample.velocities[0] * FPS, sample.spins[0] * FPS)
}

/// The classical fourth-order method in small steps, sharing nothing with the program.
fn marched(air: &Air, velocity: DVec3, seconds: f64) -> (DVec3, DVec3) {
    marched_in(air, velocity, seconds, 40_000)
}

fn marched_in(air: &Air, velocity: DVec3, seconds: f64, steps: u32) -> (DVec3, DVec3) {
    let h = seconds / f64::from(steps);
    let pull = |v: DVec3| {
        let through = v - air.wind;
        air.gravity - through * air.linear - through * through.length() * air.quadratic
    };
    let (mut x, mut v) = (DVec3::ZERO, velocity);
    for _ in 0..steps {
        let (k1, l1) = (v, pull(v));
        let (k2, l2) = (v + l1 * (0.5 * h), pull(v + l1 * (0.5 * h)));
        let (k3, l3) = (v + l2 * (0.5 * h), pull(v + l2 * (0.5 * h)));
        let (k4, l4) = (v + l3 * h, pull(v + l3 * h));
        x += (k1 + (k2 + k3) * 2.0 + k4) * (h / 6.0);
        v += (l1 + (l2 + l3) * 2.0 + l4) * (h / 6.0);
    }
    (x, v)
}

fn velocity(most: f64) -> impl Strategy<Value = DVec3> {
    (-most..most, -most..most, -most..most).prop_map(|(x, y, z)| DVec3::new(x, y, z))
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn a_plane_is_as_far_as_its_normal_says_and_nothing_else_is_flat(at in place(), from in place(), axis in place(), turn in 0.0..TAU) {
        prop_assume!(axis.length() > 0.1);
        let turned = DQuat::from_axis_angle(axis.normalize(), turn);
        let of = |shape: Shape| Surface::new(Arc::new(shape), at, turned);
        let (plane, ball) = (of(Shape::Plane { width: 2.0, depth: 1.0 }), of(Shape::Ball { radius: 1.0 }));
        let normal = plane.flat().unwrap();
        let (distance, away) = plane.distance(from);
        prop_assert!((normal.dot(from - at) - distance).abs() < 1e-12 * (1.0 + from.length()));
        prop_assert!(distance.abs() < 1e-6 || away.distance(normal) < 1e-9, "{away} {normal}");
        prop_assert!(ball.flat().is_none());
    }

    #[test]
    fn flights_with_drag_are_those_of_an_independent_integration(
        v in velocity(28.0), wind in velocity(6.0), linear in 0.0..0.6f64, quadratic in 0.0..0.06f64, seconds in 0.2..10.0f64, which in 0usize..3,
    ) {
        let (linear, quadratic) = [(linear, 0.0), (0.0, quadratic), (linear, quadratic)][which];
        let air = Air { gravity: G, wind, linear, quadratic };
        let launch = Launch::solve(free(DVec3::ZERO, v, air), seconds * FPS);
        let (x, end, _) = state(&launch, seconds * FPS);
        let (wanted, wanted_end) = marched(&air, v, seconds);
        prop_assert!(x.distance(wanted) <= 1e-7, "{} {}", which, x.distance(wanted));
        prop_assert!(end.distance(wanted_end) <= 1e-6);
    }

    #[test]
    fn a_thrown_thing_meets_a_surface_when_small_steps_say_so(
        v in velocity(9.0), which in 0usize..4, radius in 0.0..0.3f64, drag in prop::sample::select(vec![0.0, 0.3]),
    ) {
        let shape = match which {
            0 => Shape::Ball { radius: 1.0 },
            1 => Shape::Box { half: DVec3::new(0.8, 0.5, 1.1) },
            2 => Shape::Torus { radius: 1.2, tube: 0.3 },
            _ => Shape::Lathe(Profile::new([glam::DVec2::new(0.0, -0.8), glam::DVec2::new(1.0, -0.2), glam::DVec2::new(0.0, 0.8)]).unwrap()),
        };
        let start = DVec3::new(-3.0, 2.0, 0.4);
        let aim = (DVec3::new(0.6, -0.2, 0.1) - start) * 1.5 + v * 0.3;
        let air = Air { gravity: G, wind: DVec3::ZERO, linear: drag, quadratic: 0.0 };
        let setup = LaunchSetup { obstacles: against(shape, DVec3::ZERO), radius, bounciness: 0.7, ..free(start, aim, air) };
        let other = &setup.obstacles[0].surface;
        let x = |t: f64| start + air.flown(aim, t);
        let step = 1e-3;
        let met = (1..4000).find(|i| other.distance(x(f64::from(*i) * step)).0 < radius);
        let launch = Launch::solve(setup.clone(), 3.9 * FPS);
        let contacts = launch.contacts(Frames { from: 0.0, to: 3.9 * FPS });
        match met {
            None => {
                // Grazed between two looks.
                let grazed = contacts.iter().all(|contact| other.distance(x(contact.frame / FPS)).0 > radius - 1e-6);
                prop_assert!(grazed);
            }
            Some(i) => {
                let first = contacts.first();
                prop_assert!(first.is_some());
                let time = first.unwrap().frame / FPS;
                prop_assert!(time <= f64::from(i) * step, "{time} {}", f64::from(i) * step);
                prop_assert!((other.distance(x(time)).0 - radius).abs() < 1e-8);
                // Nothing was met before.
                prop_assert!((0..(time / step) as i32).all(|j| other.distance(x(f64::from(j) * step)).0 >= radius - 1e-9));
            }
        }
    }

    #[test]
    fn within_a_hollow_ball_it_stays_within_and_keeps_its_energy(v in velocity(5.0), radius in 0.0..0.3f64) {
        let setup = LaunchSetup {
            obstacles: against(Shape::Ball { radius: 2.0 }, DVec3::ZERO), radius, bounciness: 1.0, ..free(DVec3::new(0.3, 0.2, 0.1), v, Air::still(G))
        };
        let launch = Launch::solve(setup.clone(), 240.0);
        prop_assert!(launch.capped().is_none());
        let energy = |(x, v, _): (DVec3, DVec3, DVec3)| 0.5 * v.length_squared() - G.dot(x);
        let first = energy((setup.start, v, DVec3::ZERO));
        for i in 0..480 {
            let now = state(&launch, 0.5 * f64::from(i));
            prop_assert!(now.0.length() <= 2.0 - radius + 1e-8, "{}", now.0.length());
            prop_assert!((energy(now) - first).abs() < 1e-7 * (1.0 + first.abs()), "{i}");
        }
    }

    #[test]
    fn no_solid_ball_gains_energy_and_friction_only_turns_or_slows_it(
        start in place(), v in velocity(6.0), spin in velocity(20.0), e in 0.0..1.0f64, friction in 0.0..1.0f64,
    ) {
        let bounds = Bounds { min: DVec3::splat(-5.5), max: DVec3::splat(5.5) };
        let setup = LaunchSetup {
            bounds, sides: Side::ALL.to_vec(), bounciness: e, friction, radius: 0.2, rolling_radius: 0.2, spin, ..free(start, v, Air::still(G))
        };
        let launch = Launch::solve(setup, 480.0);
        let energy = |(x, v, w): (DVec3, DVec3, DVec3)| 0.5 * v.length_squared() + 0.5 * 0.4 * 0.04 * w.length_squared() - G.dot(x);
        let mut before = f64::INFINITY;
        for i in 0..960 {
            let now = energy(state(&launch, 0.5 * f64::from(i)));
            prop_assert!(now <= before + 1e-9 * (1.0 + now.abs()), "{i}: {now} {before}");
            before = now;
        }
    }

    #[test]
    fn every_way_to_aim_lands_where_it_should_and_as_it_should(
        by in (-6.0..6.0f64, -2.0..2.0f64, -6.0..6.0f64), which in 0usize..4, linear in prop::sample::select(vec![0.0, 0.2]),
        time in 0.4..2.5f64, more in 0.1..3.0f64,
    ) {
        let by = DVec3::new(by.0, by.1, by.2);
        prop_assume!(by.with_y(0.0).length() > 0.5);
        let air = Air { gravity: G, wind: DVec3::new(0.3, 0.0, 0.0) * linear, linear, quadratic: 0.0 };
        let least = libm::sqrt(9.81 * (by.y + by.length()));
        let wanted = [
            Wanted::Time(time),
            Wanted::Height(by.y.max(0.0) + more),
            Wanted::Slope(libm::atan2(by.y, by.with_y(0.0).length()) * 0.6 + 0.4 * 1.3),
            Wanted::Speed(least * (1.0 + more)),
        ][which];
        let found = aimed(&air, by, wanted);
        // Without drag there are two ways to a speed, and to a height where it may still be rising when it lands.
        if linear == 0.0 && by.y.abs() > 0.05 {
            prop_assert_eq!(found.len(), [1, if by.y > 0.0 { 2 } else { 1 }, 1, 2][which], "{:?}", found);
        }
        prop_assert!(!found.is_empty());
        prop_assert!(found.windows(2).all(|pair| pair[0].seconds < pair[1].seconds));
        for way in found {
            prop_assert!(air.flown(way.velocity, way.seconds).distance(by) < 1e-7 * (1.0 + by.length()));
            let off = match wanted {
                Wanted::Time(time) => way.seconds - time,
                Wanted::Height(height) => apex(&air, way.velocity, DVec3::Y) - height,
                Wanted::Slope(slope) => libm::atan2(way.velocity.y, way.velocity.with_y(0.0).length()) - slope,
                Wanted::Speed(speed) => way.velocity.length() - speed,
            };
            prop_assert!(off.abs() < 1e-6, "{wanted:?} {off}");
        }
    }

    /// Flown by an independent integration, not by the one that aims.
    #[test]
    fn every_way_to_aim_against_the_square_of_speed_lands_as_it_should(
        by in (-8.0..8.0f64, -2.0..2.0f64, -8.0..8.0f64), which in 0usize..4, linear in prop::sample::select(vec![0.0, 0.2]),
        quadratic in prop::sample::select(vec![0.004, 0.04, 0.12]), wind in -3.0..3.0f64, time in 0.4..2.5f64, more in 0.1..3.0f64,
    ) {
        let by = DVec3::new(by.0, by.1, by.2);
        prop_assume!(by.with_y(0.0).length() > 0.5);
        let air = Air { gravity: G, wind: DVec3::X * wind, linear, quadratic };
        let least = libm::sqrt(9.81 * (by.y + by.length()));
        let wanted = [
            Wanted::Time(time),
            Wanted::Height(by.y.max(0.0) + more),
            Wanted::Slope(libm::atan2(by.y, by.with_y(0.0).length()) * 0.6 + 0.4 * 1.3),
            Wanted::Speed(least * (1.0 + more)),
        ][which];
        let found = aimed(&air, by, wanted);
        // A time and a height can always be had; of the others drag and wind may leave none.
        prop_assert!(which > 1 || !found.is_empty(), "{wanted:?}");
        // What is faster than sound by far is beyond the reference.
        for way in found.into_iter().filter(|way| way.velocity.length() < 1000.0) {
            prop_assert!(marched(&air, way.velocity, way.seconds).0.distance(by) < 1e-6, "{way:?}");
            // The highest place of so many along the independent flight.
            let highest = || (1..400).map(|i| marched_in(&air, way.velocity, 0.01 * f64::from(i), 200).0.y).fold(0.0, f64::max);
            let (off, near) = match wanted {
                Wanted::Time(time) => (way.seconds - time, 1e-9),
                // Off by how finely the reference is looked at.
                Wanted::Height(height) => (highest() - height, 2e-3 + 2e-5 * way.velocity.length()),
                Wanted::Slope(slope) => (libm::atan2(way.velocity.y, way.velocity.with_y(0.0).length()) - slope, 1e-7),
                Wanted::Speed(speed) => (way.velocity.length() - speed, 1e-7),
            };
            prop_assert!(off.abs() < near, "{wanted:?} {off} {way:?}");
        }
    }

    /// Drag that is next to nothing is next to none, however little it is.
    #[test]
    fn drag_that_vanishes_leaves_the_parabola(v in velocity(20.0), wind in velocity(5.0), seconds in 0.01..20.0f64, power in 3.0..320.0f64) {
        let linear = libm::pow(10.0, -power);
        let (air, calm) = (Air { gravity: G, wind, linear, quadratic: 0.0 }, Air::still(G));
        let (there, free) = (air.flown(v, seconds), calm.flown(v, seconds));
        // To the first order it is ½·(v − w)·t² + g·t³ / 6 less, for each unit of drag.
        let less = ((v - wind) * 0.5 + G * (seconds / 6.0)) * (linear * seconds * seconds);
        let second = (linear * seconds) * less.length() + 1e-12 * (1.0 + free.length());
        prop_assert!((free - less).distance(there) <= second, "{there} {free}");
        let back = air.thrown(there, seconds).unwrap();
        prop_assert!(back.distance(v) < 1e-9 * (1.0 + v.length() + 10.0 * seconds + 1.0 / seconds), "{back} {v}");
    }

    #[test]
    fn lengths_and_gravity_larger_and_drag_smaller_by_a_factor_make_places_larger_by_it(v in velocity(8.0), k in 0.2..8.0f64) {
        let of = |k: f64| {
            let air = Air { gravity: G * k, wind: DVec3::X * k, linear: 0.1, quadratic: 0.03 / k };
            let shape = Shape::Ball { radius: k };
            let setup = LaunchSetup {
                obstacles: against(shape, DVec3::new(2.0, -1.0, 0.0) * k), radius: 0.2 * k, bounciness: 0.6, ..free(DVec3::ZERO, v * k, air)
            };
            Launch::solve(setup, 48.0)
        };
        let (small, large) = (of(1.0), of(k));
        for i in 0..48 {
            let (a, b) = (state(&small, f64::from(i)).0, state(&large, f64::from(i)).0);
            prop_assert!(b.distance(a * k) <= 1e-6 * k * (1.0 + a.length()), "{i}");
        }
    }

    #[test]
    fn things_to_and_fro_close_in_loops_of_whole_rounds(
        b in place(), flight in 0.3..1.2f64, held in 0.0..0.5f64, things in 1usize..6, halves in -4i32..5, aside in prop_oneof![Just(0.0), 0.05..0.6f64], quadratic in prop::sample::select(vec![0.0, 0.03]),
    ) {
        let air = Air { gravity: G, wind: DVec3::ZERO, linear: 0.0, quadratic };
        let a = DVec3::new(0.0, 1.0, 0.0);
        // What is caught aside is carried over while it is held.
        let held = if aside > 0.0 { held.max(0.1) } else { held };
        let over = DVec3::new(-aside, 0.0, 0.3 * aside);
        let catches = [a + over, b - over];
        let velocities = [air.thrown(catches[1] - a, flight).unwrap(), air.thrown(catches[0] - b, flight).unwrap()];
        let setup = TossSetup {
            places: [a, b], catches, velocities, flight, held, turns: 0.5 * f64::from(halves), axis: DVec3::Z, air, things, later: None, start_frame: 3.0, fps: FPS,
        };
        let frames = setup.round() * FPS;
        let motion: Arc<dyn Motion> = Arc::new(Toss::new(setup));
        let seam = measure(&motion, frames, FPS, &Cancel::default()).unwrap();
        prop_assert!(seam.position.amount < 1e-7 && seam.velocity.amount < 1e-5, "{seam:?}");
        // Nothing jumps, and where it is held nothing jerks.
        let breaks = motion.breaks(0, Frames { from: 0.0, to: frames }).unwrap();
        for frame in breaks.iter().map(|b| b.frame) {
            let h = 1e-7;
            let ((p, v, _), (q, w, _)) = (state(&*motion, frame - h), state(&*motion, frame + h));
            prop_assert!(p.distance(q) < 1e-5, "{frame}");
            prop_assert!(held < 1e-3 || v.distance(w) < 1e-2, "{frame} {v} {w}");
        }
        // Caught where it is said, and leaving from where that is said.
        let end = |flights: f64| 3.0 + flights * (setup.flight + setup.held) * FPS;
        for (flights, hand) in [(0.0, 1), (1.0, 0)] {
            let (leaves, caught) = (state(&*motion, end(flights)).0, state(&*motion, end(flights) + setup.flight * FPS).0);
            prop_assert!(leaves.distance(setup.places[1 - hand]) < 1e-6 && caught.distance(setup.catches[hand]) < 1e-6, "{leaves} {caught}");
        }
        // Of the same number at the same frame of its own.
        let mut sample = Sample::default();
        let last = things - 1;
        motion.sample_at(&[(0, 10.0), (last, 10.0 + frames * last as f64 / things as f64)], Columns::POSE, &mut sample);
        prop_assert!(sample.positions[0].distance(sample.positions[1]) < 1e-9);
        prop_assert!(angle_between(sample.orientations[0], sample.orientations[1]) < 1e-6);
    }

    /// Against many more looks at all of them.
    #[test]
    fn the_nearest_that_things_to_and_fro_come_is_as_near_as_they_come(
        b in place(), flight in 0.3..1.2f64, held in 0.05..0.5f64, things in 2usize..6, aside in 0.0..0.5f64, later in prop::option::of(2.0..9.0f64),
    ) {
        let air = Air { gravity: G, wind: DVec3::ZERO, linear: 0.0, quadratic: 0.0 };
        let a = DVec3::new(0.0, 1.0, 0.0);
        let catches = [a - DVec3::X * aside, b + DVec3::X * aside];
        let velocities = [air.thrown(catches[1] - a, flight).unwrap(), air.thrown(catches[0] - b, flight).unwrap()];
        let setup = TossSetup {
            places: [a, b], catches, velocities, flight, held, turns: 0.0, axis: DVec3::Z, air, things, later, start_frame: 3.0, fps: FPS,
        };
        let toss = Toss::new(setup);
        let (near, pair, frame) = toss.closest().unwrap();
        let mut sample = Sample::default();
        let mut apart = |frame: f64, [a, b]: [usize; 2]| {
            toss.sample(frame, Columns::POSITION, &mut sample);
            sample.positions[a].distance(sample.positions[b])
        };
        prop_assert!((apart(frame, pair) - near).abs() < 1e-9, "{near} of {pair:?} at {frame}");
        let looks = (setup.round() * FPS * 50.0) as usize;
        for look in 0..=looks {
            let frame = 3.0 + f64::from(look as u32) / 50.0;
            for one in 0..things {
                for other in one + 1..things {
                    prop_assert!(apart(frame, [one, other]) > near - 1e-3, "{near}, but nearer at {frame}");
                }
            }
        }
    }

    #[test]
    fn a_thing_keeps_what_is_random_about_it_and_stays_within_its_spread(seed in 0u64..99, object in 0u64..999, v in velocity(5.0), cone in 0.0..3.0f64, by in 0.0..1.0f64) {
        let one = scattered(seed, object, false);
        prop_assert_eq!(one, scattered(seed, object, false));
        prop_assume!(v.length() > 1.5);
        let own = one.velocity(v, cone, by);
        prop_assert!(own.angle_between(v) <= cone + 1e-7);
        prop_assert!((own.length() - v.length()).abs() <= by + 1e-9);
        prop_assert!(one.place.length() <= 1.0);
    }
}

#[test]
fn it_stays_where_it_was_thrown_to_and_tells_the_contact() {
    let air = Air::still(G);
    let way = aimed(&air, DVec3::new(3.0, 0.5, 1.0), Wanted::Height(2.0)).pop().unwrap();
    let setup = LaunchSetup { stays: Some(way.seconds), ..free(DVec3::ZERO, way.velocity, air) };
    let launch = Launch::solve(setup, 100.0);
    let contacts = launch.contacts(Frames { from: 0.0, to: 100.0 });
    assert_eq!(contacts.len(), 1);
    assert!((contacts[0].frame / FPS - way.seconds).abs() < 1e-12 && contacts[0].other == "target");
    assert!(state(&launch, 90.0).0.distance(DVec3::new(3.0, 0.5, 1.0)) < 1e-9);
    assert_eq!(state(&launch, 90.0).1, DVec3::ZERO);
}

#[test]
fn a_thing_that_turns_turns_evenly_about_its_axis() {
    let setup = LaunchSetup { spin: DVec3::Z * TAU * 0.75, ..free(DVec3::ZERO, DVec3::Y * 5.0, Air::still(G)) };
    let launch = Launch::solve(setup, 48.0);
    let mut sample = Sample::default();
    launch.sample(FPS, Columns::POSE, &mut sample);
    assert!(angle_between(sample.orientations[0], DQuat::from_rotation_z(-0.5 * std::f64::consts::PI)) < 1e-9);
}

#[test]
fn what_is_thrown_into_an_open_bowl_stays_in_it() {
    let bowl = Profile::new((0..=12).map(|i| {
        let angle = f64::from(i) * std::f64::consts::FRAC_PI_2 / 12.0;
        glam::DVec2::new(libm::sin(angle), 1.0 - libm::cos(angle))
    }));
    for radius in [0.0, 0.1] {
        let setup = LaunchSetup {
            obstacles: against(Shape::Lathe(bowl.clone().unwrap()), DVec3::ZERO),
            radius,
            bounciness: 0.5,
            friction: 0.3,
            ..free(DVec3::new(-2.0, 1.0, 0.0), DVec3::new(2.5, 3.0, 0.1), Air::still(G))
        };
        let launch = Launch::solve(setup, 480.0);
        for i in 60..480 {
            let x = state(&launch, f64::from(i)).0;
            assert!(x.with_y(0.0).length() < 1.0 && x.y > radius - 1e-3 && x.y < 1.2, "{radius} {i}: {x}");
        }
    }
}

/// Air as thick as numbers go lets nothing be thrown anywhere, and says so soon.
#[test]
fn drag_beyond_all_measure_is_refused_and_not_followed_for_ever() {
    for (quadratic, wind) in [(1e4, DVec3::X * 1e9), (1e9, DVec3::ONE), (1e300, DVec3::ZERO), (1e4, DVec3::ZERO)] {
        let air = Air { gravity: G, wind, linear: 0.0, quadratic };
        for seconds in [0.1, 10.0, 1e4] {
            let thrown = air.thrown(DVec3::new(4.0, 1.0, 0.0), seconds);
            assert!(thrown.is_none_or(|velocity| velocity.is_finite()), "{quadratic} {seconds}");
        }
    }
}
