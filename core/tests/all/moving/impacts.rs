//! What comes of contacts: rattling, giving way, sticking, moving along with what was hit.

use crate::cases::cases;
use crate::common::scenes::{compiled, document};
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::fraction::Fraction;
use zickzack_core::graph::{Product, report};
use zickzack_core::motion::{
    Attached, Blow, Cancel, Columns, FaceTravel, FaceUp, Frames, Hits, Motion, Rattle, Ride, Ringing, Sample, Since,
    Stick, Sticking, Swell, Whose, prepared,
};
use zickzack_core::physics::{Air, Bounds, Launch, LaunchSetup, Side};
use zickzack_core::pose::{Axis, angle_between};
use zickzack_core::signal::Driven;
use zickzack_core::surface::{Shape, Surface};

pub(super) const FPS: f64 = 24.0;
pub(super) const FRAMES: f64 = 96.0;

/// Things thrown at a wall on the right, each so many frames later.
pub(super) fn throws(count: usize, first: f64, later: f64) -> Arc<dyn Motion> {
    let setup = |i: usize| LaunchSetup {
        bounds: Bounds { min: DVec3::splat(-50.0), max: DVec3::new(4.0, 50.0, 50.0) },
        sides: vec![Side::Right],
        bounciness: 0.4,
        start_frame: first + later * i as f64,
        fps: FPS,
        ..LaunchSetup::free(
            DVec3::new(0.0, 0.1 * i as f64, 0.0),
            DVec3::new(6.0, 2.0, 0.3),
            Air::still(DVec3::NEG_Y * 9.81),
        )
    };
    Arc::new(Launch::solve_all((0..count).map(setup).collect(), 2.0 * FRAMES))
}

pub(super) fn facing(motion: Arc<dyn Motion>) -> Arc<dyn Motion> {
    Arc::new(FaceTravel::new(motion, Axis::PlusX, Axis::PlusY, FaceUp::STEADY))
}

/// One thing that stands still.
pub(super) fn peg() -> Arc<dyn Motion> {
    Arc::new(Ride::new(crate::common::still(crate::common::circle(4.0)), 1, Fraction::ZERO, FRAMES))
}

pub(super) fn ready(motion: &Arc<dyn Motion>) -> Arc<dyn Motion> {
    prepared(motion, Frames { from: -2.0 * FRAMES, to: 3.0 * FRAMES }, &Cancel::default()).unwrap()
}

fn at(motion: &dyn Motion, object: usize, frame: f64) -> (DVec3, DQuat, DVec3, DVec3) {
    let mut sample = Sample::default();
    motion.sample_at(&[(object, frame)], Columns::POSE | Columns::VELOCITY | Columns::SPIN, &mut sample);
    (sample.positions[0], sample.orientations[0], sample.velocities[0], sample.spins[0])
}

pub(super) fn hits(of: &Arc<dyn Motion>, whose: Whose, every: Option<f64>, things: usize) -> Hits {
    Hits::new(of.clone(), (whose, every), things, Frames { from: -2.0 * FRAMES, to: 3.0 * FRAMES }, &Cancel::default())
        .unwrap()
}

pub(super) fn blow() -> Blow {
    Blow {
        push: 0.2,
        turn: 0.4,
        axis: None,
        pivot: DVec3::new(0.3, 0.1, 0.0),
        by_momentum: false,
        straight: false,
        itself: true,
    }
}

pub(super) fn stuck(motion: Arc<dyn Motion>, depth: f64) -> Stick {
    let within = Frames { from: 0.0, to: 2.0 * FRAMES };
    let how = Sticking {
        which: 0,
        target: None,
        tip: DVec3::ZERO,
        depth,
        gone: false,
        hidden: true,
        within,
        frames: FRAMES,
        fps: FPS,
    };
    Stick::new(motion, how, &Cancel::default()).unwrap()
}

/// A point of a thing in space, and whether it is seen.
pub(super) fn seen(motion: &dyn Motion, object: usize, frame: f64, own: DVec3) -> (DVec3, bool) {
    let mut sample = Sample::default();
    motion.sample_at(&[(object, frame)], Columns::POSE | Columns::CUT, &mut sample);
    let pose = sample.pose(0);
    (pose.position + pose.orientation * (pose.scale * own), sample.cuts[0].normal.dot(own) <= sample.cuts[0].beyond)
}

proptest! {
    #![proptest_config(cases(48))]

    #[test]
    fn of_what_sticks_that_is_hidden_which_is_behind_what_it_hit(
        depth in 0.0..0.5f64, frame in 0.0..90.0f64, object in 0usize..2, size in 0.2..3.0f64,
        (x, y, z) in (-0.02..0.02f64, -1.0..1.0f64, -1.0..1.0f64), rattles in any::<bool>(),
    ) {
        let throw = Arc::new(Swell::new(facing(throws(2, 2.0, 9.0)), Driven::Fixed(size), Driven::Fixed(1.0)));
        let stuck: Arc<dyn Motion> = Arc::new(stuck(throw, depth));
        let hits = hits(&stuck, Whose::Own, None, 2);
        let ringing = Ringing::new(3.0, 40.0);
        let motion = if rattles { Arc::new(Rattle::new(stuck.clone(), hits, blow(), ringing)) } else { stuck };
        let motion = ready(&motion);
        let hit = motion.contacts(Frames { from: 0.0, to: 90.0 }).into_iter().find(|c| c.object == object).unwrap();
        // The wall is at x = 4, and it comes from the left; points just before and just behind that.
        let (middle, turn, ..) = at(&*motion, object, frame);
        let own = turn.inverse() * (DVec3::new(4.0 + x, y, z) - middle) / size;
        let (place, seen_here) = seen(&*motion, object, frame, own);
        prop_assume!((place.x - 4.0).abs() > 1e-9);
        prop_assert_eq!(seen_here, frame < hit.frame || place.x < 4.0, "{}", place);

        // Attached to something that moves, the same points are hidden as on what stands.
        let target = facing(Arc::new(Ride::new(crate::common::still(crate::common::circle(3.0)), 5, Fraction::whole(1).unwrap(), FRAMES)));
        let since = Since::new(&*motion, 0, Frames { from: 0.0, to: FRAMES }, FRAMES).unwrap();
        let attached: Arc<dyn Motion> = Arc::new(Attached::new(motion, ready(&target), since));
        prop_assert_eq!(seen(&*ready(&attached), object, frame, own).1, seen_here);
    }

    #[test]
    fn ringing_is_nothing_before_and_after_and_its_slope_is_its_slope(swings in 0.5..20.0f64, frames in 1.0..100.0f64, x in 0.001..0.999f64) {
        let ringing = Ringing::new(swings, frames);
        prop_assert_eq!((ringing.at(-1e-9), ringing.at(0.0), ringing.at(frames), ringing.at(2.0 * frames)), (0.0, 0.0, 0.0, 0.0));
        prop_assert!(ringing.at(frames * (1.0 - 1e-9)).abs() < 1e-12);
        // Its first peak is 1, and nothing later is as high.
        let first = (0..=20_000).map(|i| ringing.at(frames * f64::from(i) / 20_000.0 * (0.5 / swings).min(1.0)));
        prop_assert!((first.fold(0.0, f64::max) - 1.0).abs() < 1e-7);
        // Down to a thousandth of what it would be at the peak's height, but for the window.
        let (value, slope) = ringing.with_slope(x * frames);
        prop_assert!(value.abs() <= 1.0 + 1e-9);
        if x > 0.5 / swings {
            prop_assert!(value.abs() <= libm::exp(-libm::log(1000.0) * (x - 0.5 / swings)) + 1e-12);
        }
        let h = 1e-6 * frames;
        let measured = (ringing.at(x * frames + h) - ringing.at(x * frames - h)) / (2.0 * h);
        prop_assert!((measured - slope).abs() < 1e-5 * (1.0 + slope.abs()) * (1.0 + swings), "{measured} {slope}");
    }

    #[test]
    fn ten_hits_do_what_ten_single_hits_do_together(count in 1usize..10, later in 1.0..9.0f64, frame in 0.0..96.0f64) {
        let (push, ringing) = (Blow { turn: 0.0, ..blow() }, Ringing::new(3.0, 20.0));
        let rattled = |of: Arc<dyn Motion>| Rattle::new(peg(), hits(&of, Whose::All, None, 1), push, ringing);
        let still = at(&*peg(), 0, frame).0;
        let all = at(&rattled(throws(count, 2.0, later)), 0, frame).0 - still;
        let alone = |i: usize| at(&rattled(throws(1, 2.0 + later * i as f64, 0.0)), 0, frame).0 - still;
        let sum: DVec3 = (0..count).map(alone).sum();
        prop_assert!(all.distance(sum) < 1e-12);
    }

    #[test]
    fn a_throw_moved_in_time_takes_its_reactions_along(by in -10.0..20.0f64, frame in 20.0..60.0f64) {
        let reacting = |first: f64| -> Arc<dyn Motion> {
            let throw = facing(throws(2, first, 5.0));
            let stuck: Arc<dyn Motion> = Arc::new(stuck(throw, 0.1));
            let rattle: Arc<dyn Motion> = Arc::new(Rattle::new(stuck.clone(), hits(&stuck, Whose::Own, None, 2), blow(), Ringing::new(5.0, 30.0)));
            ready(&rattle)
        };
        for object in 0..2 {
            let (a, b) = (at(&*reacting(3.0), object, frame), at(&*reacting(3.0 + by), object, frame + by));
            prop_assert!(a.0.distance(b.0) < 1e-6 && angle_between(a.1, b.1) < 1e-5, "{object}");
        }
    }

    #[test]
    fn velocities_and_spins_of_what_rattles_are_its_slopes(frame in 0.0..90.0f64) {
        let throw = throws(2, 4.0, 7.0);
        let inner = facing(Arc::new(Ride::new(crate::common::still(crate::common::circle(4.0)), 1, Fraction::whole(1).unwrap(), FRAMES)));
        let motion: Arc<dyn Motion> = Arc::new(Rattle::new(inner, hits(&throw, Whose::All, None, 1), blow(), Ringing::new(3.0, 30.0)));
        let motion = ready(&motion);
        let h = 1e-5;
        prop_assume!(motion.breaks(0, Frames { from: frame - 2.0 * h, to: frame + 2.0 * h }).unwrap().is_empty());
        let (a, here, b) = (at(&*motion, 0, frame - h), at(&*motion, 0, frame), at(&*motion, 0, frame + h));
        prop_assert!(((b.0 - a.0) / (2.0 * h)).distance(here.2) < 1e-4);
        // Turns of several hits that overlap are added as axes, which their slopes do not follow exactly.
        let measured = zickzack_core::pose::turn_between(a.1, b.1) / (2.0 * h);
        prop_assert!(measured.distance(here.3) < 0.02 * (0.1 + here.3.length()), "{measured} {}", here.3);
    }

    #[test]
    fn what_sticks_stays_as_it_came_and_goes_in_as_deep_as_it_should(depth in 0.0..0.5f64, object in 0usize..3) {
        let throw = facing(throws(3, 2.0, 6.0));
        let motion: Arc<dyn Motion> = Arc::new(stuck(throw.clone(), depth));
        let (motion, throw) = (ready(&motion), ready(&throw));
        let hit = motion.contacts(Frames { from: 0.0, to: 90.0 }).into_iter().find(|c| c.object == object).unwrap();
        let (before, after) = (at(&*motion, object, hit.frame - 1e-6), at(&*motion, object, hit.frame + 1e-6));
        prop_assert!(before.0.distance(after.0) < 1e-5 && angle_between(before.1, after.1) < 1e-5);
        prop_assert_eq!(before.0, at(&*throw, object, hit.frame - 1e-6).0);
        let end = at(&*motion, object, 90.0);
        let way = end.0 - hit.place;
        prop_assert!((way.length() - depth).abs() < 1e-9 && end.2 == DVec3::ZERO);
        prop_assert!(depth < 1e-3 || way.normalize().distance(before.2.normalize()) < 1e-4, "it goes in the way it came");
        // Nothing touches any more.
        prop_assert_eq!(motion.contacts(Frames { from: 0.0, to: 190.0 }).iter().filter(|c| c.object == object).count(), 1);
        prop_assert!((hit.impulse + before.2 * FPS).length() < 1e-3 && hit.speed_out == 0.0);
    }

    #[test]
    fn the_tip_of_a_rider_is_at_the_target_when_it_stops(radius in 0.3..1.5f64, tip in 0.0..0.6f64) {
        let rider = facing(Arc::new(Ride::new(crate::common::still(crate::common::circle(4.0)), 1, Fraction::whole(1).unwrap(), FRAMES)));
        let place = ready(&rider);
        let middle = at(&*place, 0, 50.0).0;
        let target = Surface::new(Arc::new(Shape::Ball { radius }), middle, DQuat::IDENTITY);
        let how = Sticking {
            which: 0, target: Some(target.clone()), tip: DVec3::X * tip, depth: 0.0, gone: false, hidden: false, within: Frames { from: 0.0, to: FRAMES }, frames: FRAMES, fps: FPS,
        };
        let motion: Arc<dyn Motion> = Arc::new(Stick::new(rider, how, &Cancel::default()).unwrap());
        let (x, turn, ..) = at(&*ready(&motion), 0, 60.0);
        prop_assert!(target.distance(x + turn * (DVec3::X * tip)).0.abs() < 1e-6);
    }

    #[test]
    fn what_is_attached_goes_its_own_way_before_and_keeps_its_place_on_the_target_after(frame in 0.0..90.0f64, object in 0usize..2) {
        let throw: Arc<dyn Motion> = Arc::new(stuck(facing(throws(2, 2.0, 9.0)), 0.0));
        let target = facing(Arc::new(Ride::new(crate::common::still(crate::common::circle(3.0)), 5, Fraction::whole(1).unwrap(), FRAMES)));
        let (throw, target) = (ready(&throw), ready(&target));
        let since = Since::new(&*throw, 0, Frames { from: 0.0, to: FRAMES }, FRAMES).unwrap();
        let tie = since.stretches(object)[0].contact.clone();
        let motion: Arc<dyn Motion> = Arc::new(Attached::new(throw.clone(), target.clone(), since));
        let motion = ready(&motion);
        // It is the nearest thing of the target that it moves with.
        let far = |i: &usize| at(&*target, *i, tie.frame).0.distance(tie.place);
        let to = (0..target.len()).min_by(|a, b| far(a).total_cmp(&far(b))).unwrap();
        let (own, here) = (at(&*throw, object, frame), at(&*motion, object, frame));
        if frame < tie.frame {
            prop_assert_eq!(own.0, here.0);
            return Ok(());
        }
        let held = |frame: f64| {
            let ((x, turn, ..), (p, q, ..)) = (at(&*motion, object, frame), at(&*target, to, frame));
            (q.conjugate() * (x - p), q.conjugate() * turn)
        };
        let (then, now) = (held(tie.frame), held(frame));
        prop_assert!(then.0.distance(now.0) < 1e-9 && angle_between(then.1, now.1) < 1e-7);
        prop_assert!(at(&*motion, object, tie.frame).0.distance(at(&*throw, object, tie.frame).0) < 1e-9, "nothing jumps");
        let h = 1e-5;
        let (a, b) = (at(&*motion, object, frame + h).0, at(&*motion, object, frame + 3.0 * h).0);
        prop_assert!(((b - a) / (2.0 * h)).distance(at(&*motion, object, frame + 2.0 * h).2) < 1e-4);
    }
}

#[test]
fn what_dies_down_after_the_seam_began_before_it() {
    // Hit ten frames before the loop's end: the tail of it is there at the loop's beginning, and nothing jumps.
    let wall = 4.0 / 6.0 * FPS;
    let throw = throws(1, FRAMES - 10.0 - wall, 0.0);
    let ringing = Ringing::new(2.0, 30.0);
    let motion: Arc<dyn Motion> =
        Arc::new(Rattle::new(peg(), hits(&throw, Whose::All, Some(FRAMES), 1), blow(), ringing));
    let motion = ready(&motion);
    for i in 0..40 {
        let frame = f64::from(i) - 20.0;
        assert!(at(&*motion, 0, frame).0.distance(at(&*motion, 0, frame + FRAMES).0) < 1e-12, "{frame}");
    }
    assert!(at(&*motion, 0, 2.0).0.distance(at(&*peg(), 0, 2.0).0) > 1e-3);
}

#[test]
fn what_is_thrown_anew_in_every_loop_does_all_of_it_again() {
    let again = |count: usize| -> Arc<dyn Motion> {
        let setup = |i: usize| LaunchSetup {
            bounds: Bounds { min: DVec3::splat(-50.0), max: DVec3::new(4.0, 50.0, 50.0) },
            sides: vec![Side::Right],
            start_frame: 5.0 + 30.0 * i as f64,
            fps: FPS,
            every: Some(FRAMES),
            waits: false,
            life: 80.0,
            ..LaunchSetup::free(
                DVec3::new(0.0, 0.1 * i as f64, 0.0),
                DVec3::new(6.0, 2.0, 0.3),
                Air::still(DVec3::NEG_Y * 9.81),
            )
        };
        Arc::new(Launch::solve_all((0..count).map(setup).collect(), 2.0 * FRAMES))
    };
    let stuck: Arc<dyn Motion> = Arc::new(stuck(facing(again(3)), 0.1));
    let ringing = Ringing::new(3.0, 30.0);
    let pegs: Arc<dyn Motion> =
        Arc::new(Rattle::new(peg(), hits(&stuck, Whose::All, Some(FRAMES), 1), blow(), ringing));
    let since = Since::new(&*ready(&stuck), 0, Frames { from: 0.0, to: 2.0 * FRAMES }, FRAMES).unwrap();
    let motion: Arc<dyn Motion> = Arc::new(Attached::new(ready(&stuck), ready(&pegs), since));
    let motion = ready(&motion);
    let mut sample = Sample::default();
    for object in 0..3 {
        for i in -40..120 {
            let frame = f64::from(i) * 0.8;
            let (a, b) = (at(&*motion, object, frame), at(&*motion, object, frame + FRAMES));
            assert!(a.0.distance(b.0) < 1e-9 && angle_between(a.1, b.1) < 1e-7, "{object} {frame}");
            // There for so long after it was let go, and not before.
            motion.sample_at(&[(object, frame)], Columns::ALIVE, &mut sample);
            let since = (frame - 5.0 - 30.0 * object as f64).rem_euclid(FRAMES);
            assert_eq!(sample.alive[0], since < 80.0, "{object} {frame}");
        }
        let contacts = motion.contacts(Frames { from: -FRAMES, to: 2.0 * FRAMES });
        assert_eq!(contacts.iter().filter(|contact| contact.object == object).count(), 3);
    }
}

/// What a node of a document gives.
fn given(document: Value, id: &str) -> Arc<dyn Motion> {
    let compiled = compiled(document);
    match compiled.nodes[id].product() {
        Some(Product::Motion(motion)) => motion.clone(),
        _ => panic!("{id}: {:?}", report(&compiled)[id].messages),
    }
}

proptest! {
    #![proptest_config(cases(32))]

    /// The tip by which it sticks and the point about which it rings down are told in the same unit, metres in its own
    /// axes: the tip stays where it hit.
    #[test]
    fn what_sticks_by_its_tip_rings_down_about_it(tip in prop::array::uniform3(-0.6..0.6f64), turn in 3.0..30.0f64, speed in 2.0..6.0f64, spin in -3.0..3.0f64) {
        let nodes = [
            ("floor", "plane", json!({})),
            ("throw", "launch", json!({ "start": [0, 3, 0], "velocity": [speed, -1, 0.3], "turning": "by speed", "spin": spin * 60.0 })),
            ("stick", "stick", json!({ "tip": tip })),
            ("rattle", "ring-down", json!({ "turn": turn, "push": 0, "pivot": tip, "looping": false })),
        ];
        let threads = [("throw", "stick", "motion"), ("floor", "stick", "target"), ("stick", "rattle", "motion")];
        let document = document(72, &nodes, &threads);
        let motion = given(document, "rattle");
        let mut hits = motion.contacts(Frames { from: 0.0, to: 72.0 });
        // By itself it bounces off the ground, and then its tip may be in the air.
        hits.retain(|hit| hit.other == "target");
        prop_assume!(!hits.is_empty());
        let mut sample = Sample::default();
        for after in [0.3, 2.0, 5.5, 11.0] {
            motion.sample_at(&[(0, hits[0].frame + after)], Columns::POSE, &mut sample);
            let there = sample.positions[0] + sample.orientations[0] * DVec3::from(tip);
            prop_assert!(there.distance(hits[0].place) < 1e-6, "{there} {after} after it hit at {}", hits[0].place);
        }
    }

    /// A way that was drawn to a target and ends there hits it, although it does not go through it.
    #[test]
    fn what_ends_at_a_target_hits_it(from in prop::array::uniform3(-4.0..4.0f64), along in 0.0..TAU, up in -0.9..0.9f64, radius in 0.5..2.0f64) {
        let middle = DVec3::new(0.0, 5.0, 0.0);
        let (sine, cosine) = libm::sincos(along);
        let away = DVec3::new(cosine * (1.0 - up * up).sqrt(), up, sine * (1.0 - up * up).sqrt());
        let end = middle + away * radius;
        let from = DVec3::from(from) * 0.3 + middle + away * (radius + 3.0);
        let points = [from, end].into_iter().enumerate().map(|(i, at)| json!({ "id": format!("p{i}"), "at": at.to_array(), "kind": "smooth" }));
        let nodes = [
            ("ball", "ball", json!({ "at": middle.to_array(), "radius": radius })),
            ("path", "drawn-path", json!({ "points": points.collect::<Vec<_>>() })),
            ("ride", "ride", json!({ "laps": "2", "end": "stops" })),
            ("stick", "stick", json!({})),
        ];
        let threads = [("path", "ride", "path"), ("ride", "stick", "motion"), ("ball", "stick", "target")];
        let motion = given(document(48, &nodes, &threads), "stick");
        let hits = motion.contacts(Frames { from: 0.0, to: 48.0 });
        prop_assert_eq!(hits.len(), 1);
        prop_assert!((hits[0].frame - 24.0).abs() < 1e-4 && hits[0].place.distance(end) < 1e-6, "{:?}", hits);
        prop_assert!(hits[0].normal.distance(away) < 1e-5);
    }

    /// What is hit at a slant gives way straight, along the normal where it was hit, unless it is to go as it was hit.
    #[test]
    fn what_is_hit_at_a_slant_gives_way_straight(across in -6.0..6.0f64, down in -6.0..-1.0f64, push in 0.05..0.5f64, straight: bool, by_momentum: bool) {
        let nodes = [
            ("floor", "plane", json!({})),
            ("throw", "launch", json!({ "start": [0, 2, 0], "velocity": [across, down, 0.5 * across], "friction": 0.5 })),
            ("path", "figure", json!({})),
            ("board", "ride", json!({ "laps": "0" })),
            ("give", "recoil", json!({
                "push": push, "way": if straight { "straight in" } else { "as it was hit" }, "by-momentum": by_momentum, "looping": false,
            })),
        ];
        let threads = [
            ("floor", "throw", "surface"), ("path", "board", "path"), ("board", "give", "motion"), ("throw", "give", "hits"),
        ];
        let scene = document(48, &nodes, &threads);
        let hits = given(scene.clone(), "throw").contacts(Frames { from: 0.0, to: 48.0 });
        prop_assume!(!hits.is_empty());
        let give = given(scene, "give");
        let mut sample = Sample::default();
        let next = hits.get(1).map_or(48.0, |hit| hit.frame);
        let frame = hits[0].frame + (0.4 * (next - hits[0].frame)).min(3.0);
        give.sample_at(&[(0, 0.0), (0, frame)], Columns::POSITION, &mut sample);
        let moved = sample.positions[1] - sample.positions[0];
        prop_assume!(moved.length() > 1e-9);
        let way = if straight { DVec3::NEG_Y } else { -hits[0].impulse.normalize() };
        prop_assert!(moved.cross(way).length() < 1e-9 * (1.0 + moved.length()), "{moved} along {way}");
    }
}
