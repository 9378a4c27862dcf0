//! What leaps in sight is told as what baked rows show.

use crate::cases::cases;
use crate::common::scenes::told;
use crate::common::{points, still, strand};
use glam::DVec3;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::fraction::Fraction;
use zickzack_core::graph::EndReport;
use zickzack_core::motion::{Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, Ride, RideEnd, Sample, prepared};
use zickzack_core::pose::Axis;
use zickzack_core::seam::measure;

const FRAMES: f64 = 40.0;

/// The farthest that any thing comes from row to row, where it is seen in both, beyond what its speed brings it; rows
/// this close to each other over so many loops.
fn farthest(motion: &Arc<dyn Motion>, loops: f64, step: f64) -> f64 {
    let range = Frames { from: 0.0, to: loops * FRAMES };
    let ready = prepared(motion, range.widened(1.0), &Cancel::default()).unwrap();
    let (mut before, mut after) = (Sample::default(), Sample::default());
    let columns = Columns::POSITION | Columns::ALIVE | Columns::VELOCITY;
    let mut worst: f64 = 0.0;
    for i in 0..(loops * FRAMES / step) as usize {
        // Between the places of round numbers, so that nothing leaps at a row itself.
        let frame = (i as f64 + 0.317) * step;
        ready.sample(frame, columns, &mut before);
        ready.sample(frame + step, columns, &mut after);
        for object in 0..ready.len() {
            if before.alive[object] && after.alive[object] {
                let speed = before.velocities[object].length().max(after.velocities[object].length());
                let far = before.positions[object].distance(after.positions[object]);
                worst = worst.max(far - 3.0 * speed * step);
            }
        }
    }
    worst
}

proptest! {
    #![proptest_config(cases(48))]

    #[test]
    fn the_farthest_leap_that_is_told_is_that_of_baked_rows(
        list in points(3..6), closed: bool, riders in 1usize..4, a in -9i64..9, start in 0.0..1.0f64, which in 0usize..4,
        hidden in prop::sample::select(vec![1.0, 0.97]), moves: bool,
    ) {
        let end = [RideEnd::Wrap, RideEnd::Wrap, RideEnd::TurnBack, RideEnd::Hold][which];
        let (from, to) = (zickzack_core::signal::Driven::Fixed(0.0), zickzack_core::signal::Driven::Fixed(hidden));
        let ride = Ride::new(still(strand(&list, closed)), riders, Fraction::new(a, 4).unwrap(), FRAMES).starting_at(start).at_end(end).visible(from, to);
        let ride: Arc<dyn Motion> = Arc::new(ride);
        let motion: Arc<dyn Motion> = if moves { Arc::new(FaceTravel::new(ride, Axis::PlusX, Axis::PlusY, FaceUp::Towards(DVec3::Y))) } else { ride };
        let seam = measure(&motion, FRAMES, 24.0, &Cancel::default()).unwrap();
        let told = seam.leaps.leaps.first().map_or(0.0, |leap| leap.metres);
        let seen = farthest(&motion, 1.0, 0.01);
        prop_assert!((told - seen).abs() < 0.05 * told + 0.02, "told {told}, seen {seen}");
        // Where it is said to close, nothing leaps in three loops either.
        if seam.closes(1e-6) {
            let later = farthest(&motion, 3.0, 0.01);
            prop_assert!(later < 0.02, "{later}");
        }
    }
}

fn report(params: serde_json::Value, closed: bool) -> EndReport {
    let document = serde_json::json!({
        "format": "zickzack-scene", "version": 1, "name": "Leap", "space": "deep", "fps": "24", "frames": 40,
        "nodes": {
            "way": { "type": "drawn-path", "name": "Way", "params": { "closed": closed, "points": [
                { "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [4, 1, 0] }, { "id": "c", "at": [7.7, 0, 3] } ] } },
            "ride": { "type": "ride", "name": "Riders", "params": params },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": { "t1": { "from": "way", "to": "ride", "port": "path" }, "t2": { "from": "ride", "to": "out", "port": "motion" } }
    });
    told(document)
}

#[test]
fn going_round_on_an_open_path_leaps_and_each_offer_says_what_it_leaves() {
    let told = report(serde_json::json!({ "riders": 1, "laps": "1" }), false);
    assert!(!told.seam.closes && told.seam.leap_count == 1, "{:?}", told.seam);
    let leap = told.seam.leaps[0];
    let far = DVec3::new(7.7, 0.0, 3.0).length();
    assert!((leap.metres - far).abs() < 1e-4 && (leap.frame - FRAMES).abs() < 1e-6, "{leap:?}");
    // The gap of the unwrapped motion is none.
    assert!(told.seam.position < 1e-9 && told.seam.velocity < 1e-6);
    let closes: Vec<&str> = told
        .offers
        .iter()
        .filter(|offer| offer.left.as_deref() == Some(""))
        .map(|offer| offer.param.as_str())
        .collect();
    assert!(closes.contains(&"to") && closes.contains(&"closed"), "{:?}", told.offers);
    assert!(told.offers.iter().any(|offer| offer.value == "turns back"));
    let closed = report(serde_json::json!({ "riders": 1, "laps": "1" }), true);
    assert!(closed.seam.closes && closed.seam.leaps.is_empty());
    let hidden = report(serde_json::json!({ "riders": 5, "laps": "1/5", "to": 0.98 }), false);
    assert!(hidden.seam.leaps.is_empty());
}
