//! Rigid bodies, and motion that was worked out and kept.

use crate::cases::cases;
use glam::{DQuat, DVec3, Quat, Vec3};
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::motion::{
    Cancel, Columns, Frames, Kept, Kind, Kinds, Motion, Recording, Row, Sample, Simulated, Together, WithLooks, record,
};
use zickzack_core::nodes::Shown;
use zickzack_core::physics::{Air, Bodies, BodiesChange, BodiesSetup, BodyForm, Hull, Launch, LaunchSetup};
use zickzack_core::pose::{Axis, angle_between};
use zickzack_core::schema::{Choice, Values};
use zickzack_core::signal::{Beyond, Clock, Driven, Handles, Key, keyed};
use zickzack_core::surface::{Shape, Surface};

pub(super) const FPS: f64 = 24.0;

pub(super) fn setup(form: BodyForm) -> BodiesSetup {
    BodiesSetup {
        moved_forms: vec![form.clone()],
        forms: vec![form],
        density: 1000.0,
        bounciness: 0.3,
        friction: 0.5,
        damping: (0.0, 0.0),
        gravity: DVec3::NEG_Y * 9.81,
        pulled: None,
        steps: None,
        from: 0.0,
        fps: FPS,
        level: None,
    }
}

type Things<'a> = &'a Arc<dyn Motion>;

/// Worked out from the first frame to the last, and how many steps a frame took.
fn simulate(
    setup: &BodiesSetup,
    frames: usize,
    bodies: Things<'_>,
    moved: Option<Things<'_>>,
    grounds: &[Surface],
) -> (Recording, usize) {
    let mut bodies = Bodies::new(setup.clone(), bodies.clone(), moved.cloned(), grounds);
    let take = record(&mut bodies, (setup.from, frames + 1), &[], &Cancel::default(), &mut |_| ());
    assert!(take.is_complete());
    (take.recording().unwrap(), bodies.steps())
}

/// Things that fly straight on from their places, without anything pulling them.
fn flying(all: &[(DVec3, DVec3)]) -> Arc<dyn Motion> {
    let throw = |&(start, velocity): &(DVec3, DVec3)| LaunchSetup {
        fps: FPS,
        ..LaunchSetup::free(start, velocity, Air::still(DVec3::ZERO))
    };
    Arc::new(Launch::solve_all(all.iter().map(throw).collect(), 400.0))
}

pub(super) fn floor() -> Surface {
    Surface::new(Arc::new(Shape::Plane { width: 1.0, depth: 1.0 }), DVec3::ZERO, DQuat::IDENTITY)
}

fn at(motion: &dyn Motion, object: usize, frame: f64) -> (DVec3, DQuat, DVec3) {
    let mut sample = Sample::default();
    motion.sample_at(&[(object, frame)], Columns::POSE | Columns::VELOCITY, &mut sample);
    (sample.positions[0], sample.orientations[0], sample.velocities[0])
}

pub(super) fn heap(count: usize) -> Arc<dyn Motion> {
    let place = |i: usize| {
        let (a, b) = (i as f64 * 2.4, (i % 3) as f64);
        (DVec3::new(0.3 * libm::cos(a), 0.6 + 0.55 * i as f64, 0.3 * libm::sin(a)), DVec3::new(0.2 * b, -b, 0.1))
    };
    flying(&(0..count).map(place).collect::<Vec<_>>())
}

/// A form so many times as large.
fn form_of(form: usize, k: f64) -> BodyForm {
    match form {
        0 => BodyForm::Ball(0.25 * k),
        1 => BodyForm::Box(DVec3::new(0.25, 0.125, 0.3) * k),
        2 => BodyForm::Capsule(0.125 * k, 0.2 * k),
        _ => BodyForm::Disc(0.1 * k, 0.25 * k),
    }
}

proptest! {
    #![proptest_config(cases(16))]

    #[test]
    fn a_body_that_touches_nothing_flies_its_parabola(x in -5.0..5.0f64, y in -5.0..9.0f64, z in -5.0..5.0f64, frame in 0.0..48.0f64) {
        let velocity = DVec3::new(x, y, z);
        let (recording, steps) = simulate(&setup(BodyForm::Ball(0.2)), 60, &flying(&[(DVec3::ZERO, velocity)]), None, &[]);
        let t = frame / FPS;
        let wanted = velocity * t - DVec3::Y * (0.5 * 9.81 * t * t);
        // Each step is off by half its length times what it gains: ½·g·h·t in all.
        let step = 1.0 / (FPS * steps as f64);
        prop_assert!(at(&recording, 0, frame).0.distance(wanted) <= 0.5 * 9.81 * step * t * 1.05 + 1e-3);
    }

    #[test]
    fn what_was_kept_is_met_on_its_frames_and_smooth_between(rows in prop::collection::vec((-5.0..5.0f32, -5.0..5.0f32, -1.0..1.0f32, 0.0..6.0f32), 3..9), x in 0.0..1.0f64) {
        let parts: Vec<(Vec3, Quat, Vec3)> = rows.iter().map(|&(a, b, v, turn)| (Vec3::new(a, b, 0.0), Quat::from_rotation_y(turn), Vec3::new(v, -v, 0.5))).collect();
        let kept: Vec<Row> = parts.iter().map(|&(place, turn, velocity)| Row::new(place, turn, velocity)).collect();
        let frame = |row: &Row| Arc::new(Kept { rows: Box::new([*row]), contacts: Vec::new(), sound: true });
        let recording = Recording::new(10.0, kept.iter().map(frame).collect(), Arc::new([1.0]), 0.5);
        for (i, &(wanted, turned, goes)) in parts.iter().enumerate() {
            let (place, turn, velocity) = at(&recording, 0, 10.0 + i as f64);
            prop_assert_eq!(place, wanted.as_dvec3());
            prop_assert!(angle_between(turn, turned.as_dquat()) < 1e-6);
            prop_assert!(velocity.distance(goes.as_dvec3()) < 1e-6);
        }
        let frame = 10.0 + x * (kept.len() - 1) as f64;
        let h = 1e-5;
        if (frame - h).floor() == (frame + h).floor() {
            let (a, here, b) = (at(&recording, 0, frame - h), at(&recording, 0, frame), at(&recording, 0, frame + h));
            prop_assert!(((b.0 - a.0) / (2.0 * h)).distance(here.2) < 1e-4);
        }
        // Before and after it stands.
        prop_assert_eq!(at(&recording, 0, 3.0).0, parts[0].0.as_dvec3());
        prop_assert_eq!(at(&recording, 0, 99.0).2, DVec3::ZERO);
        prop_assert_eq!(recording.bytes(), 40 * kept.len());
    }

    #[test]
    fn bodies_of_a_size_twice_as_large_go_twice_as_far_bit_for_bit(power in -6i32..7, form in 0usize..4) {
        // Lengths and gravity × 2ⁿ at the same times, and rapier's length unit with them.
        let k = libm::ldexp(1.0, power);
        let of = |k: f64| {
            let all: Vec<_> = (0..4).map(|i| (DVec3::new(0.25 * f64::from(i % 2), 0.75 + 0.75 * f64::from(i), 0.125) * k, DVec3::X * (0.5 * k))).collect();
            let setup = BodiesSetup { gravity: DVec3::NEG_Y * (8.0 * k), steps: Some(4), ..setup(form_of(form, k)) };
            simulate(&setup, 48, &flying(&all), None, &[floor()]).0
        };
        let (small, large) = (of(1.0), of(k));
        for object in 0..4 {
            for frame in 0..48 {
                prop_assert_eq!(at(&small, object, f64::from(frame)).0 * k, at(&large, object, f64::from(frame)).0);
            }
        }
    }
}

#[test]
fn a_heap_comes_to_rest_on_the_floor_and_nothing_sinks_into_it() {
    let size = DVec3::splat(0.25);
    let (recording, _) = simulate(&setup(BodyForm::Box(size)), 240, &heap(8), None, &[floor()]);
    assert!(recording.apart().is_none());
    for object in 0..8 {
        let (place, turn, velocity) = at(&recording, object, 239.0);
        assert!(velocity.length() * FPS < 0.1, "{object}: {velocity}");
        let corners = (0..8).map(|i| {
            let side = |bit: i32| if i & bit == 0 { -1.0 } else { 1.0 };
            place + turn * (size * DVec3::new(side(1), side(2), side(4)))
        });
        let lowest = corners.map(|corner| corner.y).fold(f64::INFINITY, f64::min);
        assert!(lowest > -0.02, "{object}: {lowest}");
    }
    let contacts = recording.contacts(Frames { from: 0.0, to: 240.0 });
    assert!(contacts.iter().any(|c| c.other == "ground") && contacts.iter().any(|c| c.other.starts_with("thing")));
    assert!(contacts.windows(2).all(|pair| pair[0].frame <= pair[1].frame));
}

#[test]
fn the_same_bodies_have_the_same_bits_on_every_run_and_with_any_number_of_workers() {
    let run = || simulate(&setup(BodyForm::Box(DVec3::splat(0.25))), 120, &heap(9), None, &[floor()]).0;
    let first = run();
    let pooled = |workers: usize| rayon::ThreadPoolBuilder::new().num_threads(workers).build().unwrap().install(run);
    for other in [run(), pooled(1), pooled(2), pooled(8)] {
        for object in 0..9 {
            for frame in 0..120 {
                assert_eq!(at(&first, object, f64::from(frame)), at(&other, object, f64::from(frame)));
            }
        }
    }
}

#[test]
fn pulled_along_a_body_follows_its_motion_whatever_its_mass_and_gives_way_where_it_is_pushed() {
    let lane = flying(&[(DVec3::ZERO, DVec3::X)]);
    for density in [10.0, 1000.0] {
        let pulled = BodiesSetup { pulled: Some(0.2), gravity: DVec3::ZERO, density, ..setup(BodyForm::Ball(0.25)) };
        let alone = simulate(&pulled, 120, &lane, None, &[]).0;
        assert!(at(&alone, 0, 100.0).0.distance(DVec3::X * (100.0 / FPS)) < 1e-3);
        // Something stands beside the lane: it goes round it and comes back.
        let post = flying(&[(DVec3::new(2.0, 0.1, 0.0), DVec3::ZERO)]);
        let pushed = simulate(&pulled, 120, &lane, Some(&post), &[]).0;
        let off = |frame: f64| at(&pushed, 0, frame).0.distance(DVec3::X * (frame / FPS));
        let most = (0..120).map(|frame| off(f64::from(frame))).fold(0.0, f64::max);
        assert!(most > 0.1 && off(119.0) < 0.05, "{density}: {most} {}", off(119.0));
        let nearest = (0..480)
            .map(|i| at(&pushed, 0, 0.25 * f64::from(i)).0.distance(DVec3::new(2.0, 0.1, 0.0)))
            .fold(f64::MAX, f64::min);
        assert!(nearest > 0.47, "{nearest}");
    }
}

#[test]
fn bodies_that_begin_within_each_other_do_no_harm() {
    let same = flying(&[(DVec3::Y, DVec3::ZERO); 6]);
    let (recording, _) = simulate(&setup(BodyForm::Ball(0.3)), 96, &same, None, &[floor()]);
    let both: Arc<dyn Motion> = Arc::new(Together::new(vec![Arc::new(recording)]));
    for object in 0..6 {
        for frame in 0..96 {
            assert!(at(&*both, object, f64::from(frame)).0.is_finite());
        }
    }
}

#[test]
fn a_hull_of_a_boxs_corners_lies_as_the_box_does() {
    let half = DVec3::new(0.3, 0.2, 0.25);
    let corner = |i: i32| {
        let side = |bit: i32| if i & bit == 0 { -1.0 } else { 1.0 };
        half * DVec3::new(side(1), side(2), side(4))
    };
    // Places within it change nothing.
    let mut places: Vec<DVec3> = (0..8).map(corner).collect();
    places.extend((0..8).map(|i| corner(i) * 0.4));
    let hull = BodyForm::Hull(Hull::of(&places).unwrap());
    let (recording, _) = simulate(&setup(hull), 160, &heap(3), None, &[floor()]);
    for object in 0..3 {
        let (place, turn, velocity) = at(&recording, object, 159.0);
        assert!(velocity.length() * FPS < 0.1, "{object}: {velocity}");
        let lowest = (0..8).map(|i| (place + turn * corner(i)).y).fold(f64::INFINITY, f64::min);
        assert!(lowest > -0.02 && lowest < 1.0, "{object}: {lowest}");
    }
    // What is flat, or a line, or nothing has no inside.
    for places in [vec![], vec![DVec3::X; 9], (0..4).map(|i| corner(i).with_z(0.0)).collect()] {
        assert!(Hull::of(&places).is_none(), "{places:?}");
    }
}

#[test]
fn on_the_level_bodies_keep_their_height_and_stay_upright() {
    for axis in 0..3 {
        let level = BodiesSetup {
            level: Some(axis),
            gravity: DVec3::ZERO,
            bounciness: 0.8,
            ..setup(BodyForm::Capsule(0.25, 0.2))
        };
        let (u, v, up) = (DVec3::AXES[(axis + 1) % 3], DVec3::AXES[(axis + 2) % 3], DVec3::AXES[axis]);
        let at_start = |i: usize| {
            let out = [u, -u, v, -v][i];
            (out + up * (0.05 * i as f64), up * 0.4 - out * 1.5)
        };
        let all: Vec<_> = (0..4).map(at_start).collect();
        let (recording, _) = simulate(&level, 96, &flying(&all), None, &[]);
        assert!(!recording.contacts(Frames { from: 0.0, to: 96.0 }).is_empty(), "they bump");
        for (object, (place, _)) in all.iter().enumerate() {
            for frame in 0..96 {
                let (now, turn, _) = at(&recording, object, f64::from(frame));
                assert!((now[axis] - place[axis]).abs() < 1e-5, "{axis} {object} {frame}: {now}");
                let upright = turn * DVec3::AXES[axis];
                assert!(upright.distance(DVec3::AXES[axis]) < 1e-5, "{upright}");
            }
        }
    }
}

#[test]
fn what_flies_apart_is_held_as_it_was_before_and_said() {
    let far = flying(&[(DVec3::X * 999_900.0, DVec3::X * 100.0), (DVec3::ZERO, DVec3::X)]);
    let given = BodiesSetup { steps: Some(4), ..setup(BodyForm::Ball(0.3)) };
    let (recording, _) = simulate(&given, 48, &far, None, &[]);
    let apart = recording.apart().unwrap();
    assert!((20.0..28.0).contains(&apart), "{apart}");
    for object in 0..2 {
        assert_eq!(at(&recording, object, apart - 1.0).0, at(&recording, object, apart).0);
        assert_eq!(at(&recording, object, 48.0).2, DVec3::ZERO);
    }
}

/// How high its middle comes to lie after a fall of about a metre, by its form alone; where that has one answer only.
const LIE: [(&str, f64); 11] = [
    ("ball", 0.5),
    ("box", 0.3),
    ("capsule", 0.22),
    ("plate", 0.04),
    ("ring", 0.08),
    // Radius 0.32 at one metre from its tip.
    ("cone", 0.5 * 0.32 / 1.049_952),
    ("boat", 0.13),
    ("peg", 0.5),
    ("lantern", 0.92),
    // From its rim it falls on a side.
    ("puck", 0.1),
    ("barrel", 0.433_013),
];

#[test]
fn every_thing_that_can_be_shown_has_a_form_of_its_own_and_sinks_into_no_floor() {
    let schemas = zickzack_core::nodes::Registry::default().schemas;
    let things = schemas.iter().find(|schema| schema.name == "output").unwrap().param("thing").unwrap();
    let Values::Choice { options, .. } = things.values else { panic!("a choice") };
    assert_eq!(options, Shown::WORDS);
    let (own, things) = Shown::ALL.split_last().unwrap();
    assert_eq!(own.form(1.0), None);
    for thing in things {
        let word = thing.word();
        let form = thing.form(1.0).unwrap_or_else(|| panic!("{word} has a form"));
        let dropped = flying(&[(DVec3::Y * 1.2, DVec3::ZERO)]);
        let (recording, _) =
            simulate(&BodiesSetup { damping: (0.2, 2.0), ..setup(form) }, 240, &dropped, None, &[floor()]);
        let (place, _, velocity) = at(&recording, 0, 239.0);
        assert!(velocity.length() < 1e-2, "{word} lies: {velocity}");
        match LIE.iter().find(|(lies, _)| *lies == word) {
            Some((_, high)) => assert!((place.y - high).abs() < 5e-3, "{word} lies at {place}, {high} high"),
            None => assert!(place.y > 0.04 && place.y < 0.6, "{word} lies at {place}"),
        }
    }
}

#[test]
fn a_crowd_of_kinds_falls_as_it_looks_and_keeps_its_looks() {
    let throw = flying(&(0..12).map(|i| (DVec3::new(3.0 * f64::from(i), 1.0, 0.0), DVec3::ZERO)).collect::<Vec<_>>());
    let kind = |thing: &str, colour: &str| Kind { thing: thing.to_owned(), colour: colour.to_owned(), ..Kind::PLAIN };
    let kinds = vec![kind("ball", "#ff0000"), kind("plate", "#00ff00")];
    let crowd: Arc<dyn Motion> =
        Arc::new(Kinds::new(throw, kinds, (0.0, 7, false), Axis::PlusY, None).expect("nothing has lives"));
    let forms = [Shown::Ball, Shown::Plate].map(|thing| thing.form(1.0).unwrap()).to_vec();
    let (recording, _) = simulate(&BodiesSetup { forms, ..setup(BodyForm::Ball(1.0)) }, 120, &crowd, None, &[floor()]);
    let shown = WithLooks::of(Arc::new(recording), &crowd);
    assert_eq!(shown.kinds(), crowd.kinds());
    let mut seen = [0; 2];
    for object in 0..12 {
        assert_eq!((shown.kind(object), shown.look(object)), (crowd.kind(object), crowd.look(object)));
        let high = [0.5, 0.04][crowd.kind(object)];
        let (place, ..) = at(&*shown, object, 119.0);
        assert!((place.y - high).abs() < 2e-3, "{object} lies at {} of {high}", place.y);
        seen[crowd.kind(object)] += 1;
    }
    assert!(seen[0] > 0 && seen[1] > 0, "{seen:?}");
}

fn held(first: f64, then: f64, from: f64) -> Driven {
    let key = |frame, value| Key { handles: Handles::Held, ..Key::new(frame, value) };
    let clock = Clock { fps: FPS, frames: 96.0 };
    Driven::signal(keyed(&[key(-1.0, first), key(from, then)], Beyond::Holds), clock, -1e7, 1e7)
}

fn while_changing(
    setup: &BodiesSetup,
    change: &BodiesChange,
    frames: usize,
    bodies: Things<'_>,
    grounds: &[Surface],
) -> Recording {
    let mut bodies = Bodies::new(setup.clone(), bodies.clone(), None, grounds).changing(Some(change.clone()));
    record(&mut bodies, (0.0, frames + 1), &[], &Cancel::default(), &mut |_| ()).recording().unwrap()
}

/// Metres per second.
fn going(recording: &Recording, frame: f64) -> DVec3 {
    let mut sample = Sample::default();
    recording.sample(frame, Columns::VELOCITY, &mut sample);
    sample.velocities[0] * FPS
}

proptest! {
    #![proptest_config(cases(12))]

    /// In free fall the velocity is the sum of what pulled, from the very frame on at which that jumps.
    #[test]
    fn bodies_fall_by_the_gravity_of_each_moment(first in -12.0..12.0f64, then in -12.0..12.0f64, at in 4usize..30) {
        let setup = BodiesSetup { gravity: DVec3::NEG_Y * first.abs().max(then.abs()), ..setup(BodyForm::Ball(0.5)) };
        let change = BodiesChange {
            down: DVec3::NEG_Y, gravity: held(first, then, at as f64), bounciness: Driven::Fixed(0.3), friction: Driven::Fixed(0.5),
        };
        let things = flying(&[(DVec3::ZERO, DVec3::X)]);
        let steps = Bodies::new(setup.clone(), things.clone(), None, &[]).steps();
        let recording = while_changing(&setup, &change, 48, &things, &[]);
        for frame in 0..=48usize {
            let pulled = first * frame.min(at) as f64 + then * frame.saturating_sub(at) as f64;
            let velocity = going(&recording, frame as f64);
            // At most half of the last digit is lost at each of the four small steps that a step is taken in.
            let lost = 12.0 * frame as f64 / FPS * f64::from(f32::EPSILON) * (2.0 * (frame * steps) as f64 + 2.0);
            prop_assert!((velocity.y + pulled / FPS).abs() <= lost, "{} {} at {frame}", velocity.y, -pulled / FPS);
        }
    }

    /// On ice a box goes on as fast as it was; from the frame on at which friction comes it slows by μ·g.
    #[test]
    fn bodies_slide_by_the_friction_of_each_moment(speed in 3.0..6.0f64, grip in 0.1..0.4f64, at in 8usize..20) {
        let setup = setup(BodyForm::Box(DVec3::splat(0.5)));
        let change = BodiesChange {
            down: DVec3::NEG_Y, gravity: Driven::Fixed(9.81), bounciness: Driven::Fixed(0.0), friction: held(0.0, grip, at as f64),
        };
        let recording = while_changing(&setup, &change, 40, &flying(&[(DVec3::Y * 0.5, DVec3::X * speed)]), &[floor()]);
        prop_assert!((going(&recording, at as f64).x - speed).abs() < 0.01 * speed);
        let later = 12.0;
        let wanted = (speed - grip * 9.81 * later / FPS).max(0.0);
        let found = going(&recording, at as f64 + later).x;
        prop_assert!((found - wanted).abs() < 0.03 * speed, "{found} {wanted}");
    }

    /// What changes later changes nothing that was worked out before, so that it is not worked out again.
    #[test]
    fn what_bodies_take_in_is_the_same_until_a_number_changes(at in 4usize..30) {
        let change = |then: f64| BodiesChange {
            down: DVec3::NEG_Y, gravity: held(9.0, then, at as f64), bounciness: Driven::Fixed(0.3), friction: Driven::Fixed(0.5),
        };
        let work = |then: f64| Bodies::new(setup(BodyForm::Ball(0.5)), flying(&[(DVec3::ZERO, DVec3::X)]), None, &[]).changing(Some(change(then)));
        let (mut one, mut other) = (work(3.0), work(4.0));
        prop_assert_eq!(one.kind(), other.kind());
        for frame in 0..40usize {
            prop_assert_eq!(one.takes_in(frame) == other.takes_in(frame), frame <= at, "{}", frame);
        }
    }
}
