//! Launch as a node of a scene: things that start on fields, and offers that close what is thrown.

use crate::cases::cases;
use crate::common::scenes::{read, workshop};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::{Value, json};
use zickzack_core::graph::{Compiled, EndReport, compile, try_offers};
use zickzack_core::motion::{Cancel, Columns, Frames, Sample, prepared};
use zickzack_core::scene::Scene;

fn scene(frames: u32, launch: &Value, field: Option<&Value>) -> Scene {
    let mut document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Throws", "space": "deep", "fps": "24", "frames": frames,
        "nodes": {
            "throw": { "type": "launch", "name": "Throw", "params": launch },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": { "t1": { "from": "throw", "to": "out", "port": "motion" } }
    });
    if let Some(field) = field {
        document["nodes"]["field"] = field.clone();
        document["threads"]["t2"] = json!({ "from": "field", "to": "throw", "port": "field" });
    }
    read(document)
}

/// Places and velocities of all things at a frame, metres and seconds.
fn state(compiled: &Compiled, frame: f64) -> Vec<(DVec3, DVec3)> {
    let motion = &compiled.ends[0].motion;
    let ready = prepared(motion, Frames { from: 0.0, to: 60.0 }, &Cancel::default()).unwrap();
    let mut sample = Sample::default();
    ready.sample(frame, Columns::POSITION | Columns::VELOCITY, &mut sample);
    sample.positions.iter().copied().zip(sample.velocities.iter().map(|v| *v * 24.0)).collect()
}

proptest! {
    #![proptest_config(cases(24))]

    /// They start on the ball, off by as much as their start says, and fly off it where up stands on it.
    #[test]
    fn things_start_all_over_a_field(radius in 0.2..3.0f64, things in 1u32..40, seed in 0u32..1000, speed in 0.5..8.0f64, stands: bool) {
        let at = DVec3::new(1.0, 2.0, -0.5);
        let ball = json!({ "type": "ball", "name": "Ball", "params": { "radius": radius, "at": at.to_array() } });
        let launch = json!({
            "start": [0, 0, 0], "velocity": [0, speed, 0], "things": things, "turns-taken": "by frames", "later": 0, "seed": seed,
            "stands": if stands { "off the field" } else { "the world's" }, "sides": []
        });
        let scene = scene(48, &launch, Some(&ball));
        let begun = workshop(|workshop| state(&compile(&scene, workshop), 0.0));
        prop_assert_eq!(begun.len(), things as usize);
        for (place, velocity) in &begun {
            let normal = (*place - at) / radius;
            prop_assert!((normal.length() - 1.0).abs() < 1e-9);
            let wanted = if stands { normal * speed } else { DVec3::Y * speed };
            prop_assert!(velocity.distance(wanted) < 1e-9 * (1.0 + speed), "{velocity} for {wanted}");
        }
        let apart = begun.iter().skip(1).all(|(place, _)| place.distance(begun[0].0) > 1e-9);
        prop_assert!(apart, "each has a place of its own");
    }

    /// What is thrown to and fro closes by any of its offers.
    #[test]
    fn every_offer_of_a_toss_closes_the_loop(x in 0.3..2.0f64, by_time: bool, time in 8.0..50.0f64, height in 0.2..3.0f64, held in 0.0..10.0f64, things in 1u32..5, frames in 60u32..200) {
        let aim = if by_time { "landing and time" } else { "landing and height" };
        let launch = json!({
            "start": [-x, 1, 0], "land": [x, 1, 0], "aim": aim, "time": time, "height": height, "then": "comes back", "held": held,
            "things": things, "turns-taken": "evenly in turns"
        });
        closes_by_its_offers(&scene(frames, &launch, None))?;
    }

    /// What is thrown straight up onto a floor is offered to bounce as high for ever, and then closes by any other offer.
    #[test]
    fn every_offer_of_an_upright_bounce_closes_the_loop(height in 0.5..4.0f64, up in 0.0..4.0f64, bounciness in prop::sample::select(vec![0.8, 1.0]), frames in 60u32..200) {
        let launch = json!({ "start": [0, height, 0], "velocity": [0, up, 0], "bounciness": bounciness, "sides": ["bottom"] });
        let mut scene = scene(frames, &launch, None);
        let offers = workshop(|workshop| {
            let compiled = compile(&scene, workshop);
            EndReport::of(&compiled.ends[0], compiled.timing.frames, 24.0, workshop.cancel).unwrap().offers
        });
        let for_ever = offers.into_iter().find(|offer| offer.param == "bounciness");
        prop_assert_eq!(for_ever.is_some(), bounciness < 1.0);
        if let Some(offer) = for_ever {
            scene.node_mut("throw").unwrap().params.insert(offer.param, offer.value);
        }
        closes_by_its_offers(&scene)?;
    }
}

/// Offers that are said to leave nothing open close the loop when they are taken alone, and there is one at least.
fn closes_by_its_offers(scene: &Scene) -> Result<(), TestCaseError> {
    workshop(|workshop| {
        let compiled = compile(scene, workshop);
        let (frames, fps) = (compiled.timing.frames, compiled.timing.fps);
        let mut report = EndReport::of(&compiled.ends[0], frames, fps, workshop.cancel).unwrap();
        if report.seam.closes {
            return Ok(());
        }
        prop_assert!(!report.offers.is_empty(), "something would close it");
        try_offers(scene, &mut report, workshop).unwrap();
        let closing: Vec<_> = report.offers.iter().filter(|offer| offer.left.as_deref() == Some("")).collect();
        prop_assert!(!closing.is_empty(), "{:?}", report.offers);
        for offer in closing {
            let mut taken = scene.clone();
            if offer.node.is_empty() {
                taken.frames = u32::try_from(offer.value.as_u64().unwrap()).unwrap();
            } else {
                taken.node_mut(&offer.node).unwrap().params.insert(offer.param.clone(), offer.value.clone());
            }
            let after = compile(&taken, workshop);
            let seam = EndReport::of(&after.ends[0], after.timing.frames, fps, workshop.cancel).unwrap().seam;
            prop_assert!(seam.closes && seam.position < 1e-6, "{}: {}", offer.text, seam.position);
        }
        Ok(())
    })
}
