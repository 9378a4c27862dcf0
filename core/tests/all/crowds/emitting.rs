//! What begins anew where another motion is, against throws that are made for each birth.

use glam::DVec3;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::crowd::{Emitted, Origin};
use zickzack_core::curve::{Curve, Path, Segment, Strand};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{Birth, Cancel, Columns, FaceTravel, FaceUp, Frames, Lives, Motion, Reborn, Ride, Sample};
use zickzack_core::physics::{Air, Launch, LaunchSetup};
use zickzack_core::pose::Axis;
use zickzack_core::seam::measure;

const F: f64 = 48.0;
const FPS: f64 = 24.0;

/// Two leads that ride a ring once in a loop, nose ahead.
fn leads() -> Arc<dyn Motion> {
    let ring = Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Z)], true).expect("a ring");
    let ride: Arc<dyn Motion> =
        Arc::new(Ride::new(Path::still(Curve::from(ring)), 2, Fraction::whole(1).expect("one"), F));
    Arc::new(FaceTravel::new(ride, Axis::PlusX, Axis::PlusY, FaceUp::Towards(DVec3::Y)))
}

fn sparks(air: Air) -> Arc<dyn Motion> {
    let setup = |i: usize| {
        let velocity = DVec3::new(libm::sin(i as f64), 2.0, libm::cos(i as f64));
        LaunchSetup { fps: FPS, ..LaunchSetup::free(DVec3::ZERO, velocity, air) }
    };
    Arc::new(Launch::solve_all((0..5).map(setup).collect(), 200.0))
}

fn lives(count: usize, lasts: f64) -> Lives {
    let birth = |i: usize| Birth { frame: F * i as f64 / count as f64, lasts, group: 0 };
    Lives::new((0..count).map(birth).collect(), F, true)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases.div_ceil(4), ..ProptestConfig::default() })]

    #[test]
    fn a_spark_is_thrown_with_its_own_velocity_and_a_share_of_its_leads(
        share in -1.0..2.0_f64, drag in prop_oneof![Just(0.0), 0.1..3.0_f64], frame in -20.0..100.0_f64,
    ) {
        let air = Air { linear: drag, ..Air::still(DVec3::NEG_Y * 9.81) };
        let origin = Origin { lead: leads(), at: None, share, slows: drag / FPS, turned: false };
        let reborn = Reborn::new(Arc::new(Emitted::new(sparks(air), origin)), &lives(30, 40.0), (0.0, 0.0));
        let mut sample = Sample::default();
        reborn.sample(frame, Columns::POSE | Columns::VELOCITY, &mut sample);
        let mut lead = Sample::default();
        for thing in (0..reborn.len()).filter(|&thing| sample.alive[thing]) {
            let (life, _) = reborn.lives().expect("it has lives").at(thing, frame);
            leads().sample_at(&[(life.birth % 2, life.from)], Columns::POSITION | Columns::VELOCITY, &mut lead);
            // The same throw, made for this birth alone: drag is linear, so that shares add up.
            let i = life.birth % 5;
            let own = DVec3::new(libm::sin(i as f64), 2.0, libm::cos(i as f64));
            let setup = LaunchSetup {
                fps: FPS,
                start_frame: life.from,
                ..LaunchSetup::free(lead.positions[0], own + lead.velocities[0] * FPS * share, air)
            };
            let alone = Launch::solve(setup, 300.0);
            let mut wanted = Sample::default();
            alone.sample(frame, Columns::POSE | Columns::VELOCITY, &mut wanted);
            prop_assert!(wanted.positions[0].distance(sample.positions[thing]) < 1e-9);
            prop_assert!(wanted.velocities[0].distance(sample.velocities[thing]) < 1e-9);
        }
    }

    #[test]
    fn turned_with_its_lead_a_spark_flies_as_seen_from_there(frame in 0.0..48.0_f64) {
        let air = Air::still(DVec3::ZERO);
        let emit = |turned| {
            let origin = Origin { lead: leads(), at: None, share: 0.0, slows: 0.0, turned };
            let emitted = Arc::new(Emitted::new(sparks(air), origin));
            let mut sample = Sample::default();
            Reborn::new(emitted, &lives(30, 40.0), (0.0, 0.0)).sample(frame, Columns::POSE | Columns::VELOCITY, &mut sample);
            sample
        };
        let (plain, turned) = (emit(false), emit(true));
        let all = lives(30, 40.0);
        let mut lead = Sample::default();
        for thing in 0..all.things() {
            let (life, _) = all.at(thing, frame);
            leads().sample_at(&[(life.birth % 2, life.from)], Columns::POSE, &mut lead);
            let off = plain.positions[thing] - lead.positions[0];
            prop_assert!((lead.orientations[0] * off).distance(turned.positions[thing] - lead.positions[0]) < 1e-9);
            prop_assert!((lead.orientations[0] * plain.velocities[thing]).distance(turned.velocities[thing]) < 1e-9);
        }
    }
}

#[test]
fn sparks_behind_a_lead_close_and_touch_where_they_are() {
    let ground = LaunchSetup::free(DVec3::Y, DVec3::new(0.4, 2.0, 0.1), Air::still(DVec3::NEG_Y * 9.81));
    let ground = LaunchSetup {
        fps: FPS,
        sides: vec![zickzack_core::physics::Side::Bottom],
        bounds: zickzack_core::physics::Bounds { min: DVec3::new(-9.0, 0.0, -9.0), max: DVec3::splat(9.0) },
        bounciness: 0.7,
        ..ground
    };
    let thrown: Arc<dyn Motion> = Arc::new(Launch::solve(ground, 200.0));
    let origin = Origin { lead: leads(), at: None, share: 0.5, slows: 0.0, turned: true };
    let reborn: Arc<dyn Motion> =
        Arc::new(Reborn::new(Arc::new(Emitted::new(thrown, origin)), &lives(20, 40.0), (2.0, 4.0)));
    let seam = measure(&reborn, F, FPS, &Cancel::default()).expect("measured");
    assert!(seam.closes(1e-9), "{seam:?}");
    let contacts = reborn.contacts(Frames { from: 0.0, to: F });
    assert!(contacts.len() >= 20, "{}", contacts.len());
    let mut sample = Sample::default();
    for contact in contacts {
        reborn.sample_at(&[(contact.object, contact.frame)], Columns::POSE, &mut sample);
        assert!(sample.positions[0].distance(contact.middle) < 1e-9);
        assert!(sample.alive[0]);
    }
}
