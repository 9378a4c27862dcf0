//! What is told of a crowd as a whole is what its things do, one by one.

use crate::cases::cases;
use crate::common::scenes::{compiled, document};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::json;
use zickzack_core::crowd::{TOLD, told};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, prepared};

const FPS: f64 = 24.0;

/// The same by comparing all with all.
fn plainly(motion: &dyn Motion, frame: f64) -> [f64; 7] {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSITION | Columns::VELOCITY | Columns::ALIVE, &mut sample);
    let there: Vec<usize> = (0..motion.len()).filter(|&i| sample.alive[i]).collect();
    let count = there.len() as f64;
    let ways = there.iter().map(|&i| sample.velocities[i].normalize_or_zero());
    let order = ways.sum::<DVec3>().length() / count;
    let far = |&i: &usize| {
        let others = there.iter().filter(|&&j| j != i);
        others.map(|&j| sample.positions[i].distance(sample.positions[j])).fold(f64::INFINITY, f64::min)
    };
    let mut apart: Vec<f64> = there.iter().map(far).collect();
    apart.sort_by(f64::total_cmp);
    let mut speeds: Vec<f64> = there.iter().map(|&i| sample.velocities[i].length() * FPS).collect();
    speeds.sort_by(f64::total_cmp);
    let below = |part: f64| speeds[((there.len() - 1) as f64 * part).round() as usize];
    [count, order, apart[apart.len() / 2], apart[0], below(0.1), below(0.5), below(0.9)]
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn figures_of_a_crowd_are_those_of_its_things(seed in 0u32..500, births in 20u32..80, life in 0.3..3.0f64, frames in prop::collection::vec(0.0..96.0f64, 1..6)) {
        let nodes = [
            ("path", "figure", json!({ "figure": "figure eight" })),
            ("swarm", "swarm", json!({ "count": births, "life": life, "radius": 0.4, "seed": seed, "speed-spread": 0.5 })),
            ("out", "output", json!({})),
        ];
        let made = compiled(document(96, &nodes, &[("path", "swarm", "path"), ("swarm", "out", "motion")]));
        let motion = prepared(&made.ends[0].motion, Frames { from: 0.0, to: 96.0 }, &Cancel::default()).unwrap();
        let mut frames = frames;
        frames.sort_by(f64::total_cmp);
        let moments: Vec<(f64, f64)> = frames.iter().map(|&frame| (frame, frame)).collect();
        let channels = told(&*motion, &moments, FPS, &Cancel::default()).unwrap();
        prop_assert_eq!(channels.iter().map(|channel| channel.name).collect::<Vec<_>>(), TOLD.map(|told| told.0).to_vec());
        for (i, &frame) in frames.iter().enumerate() {
            if motion.lives().is_some_and(|lives| lives.alive(frame) < 2) {
                continue;
            }
            let wanted = plainly(&*motion, frame);
            for (channel, wanted) in channels.iter().zip(wanted) {
                prop_assert!((channel.values[i] - wanted).abs() < 1e-6, "{} at {frame}: {}, {wanted}", channel.name, channel.values[i]);
            }
        }
    }
}

/// Of very many things only some moments are looked at; between them numbers go straight.
#[test]
fn of_very_many_things_moments_between_are_straight() {
    let nodes =
        [("path", "figure", json!({})), ("ride", "ride", json!({ "riders": 20_000 })), ("out", "output", json!({}))];
    let made = compiled(document(96, &nodes, &[("path", "ride", "path"), ("ride", "out", "motion")]));
    let motion = &made.ends[0].motion;
    let moments: Vec<(f64, f64)> = (0..=96).map(f64::from).map(|frame| (frame, frame)).collect();
    let channels = told(&**motion, &moments, FPS, &Cancel::default()).unwrap();
    // All ride round at one speed, and all the time.
    assert!(channels[0].values.iter().all(|there| *there == 20_000.0));
    assert!(channels[1].values.iter().all(|order| *order < 1e-3), "each rides its own way");
    let speed = channels[5].values[0];
    assert!(
        speed > 0.0
            && channels[4..].iter().flat_map(|channel| &channel.values).all(|other| (other / speed - 1.0).abs() < 1e-6)
    );
    assert!(channels.iter().flat_map(|channel| &channel.pace).all(|pace| pace.abs() < 1e-3));
    let stop = Cancel::default();
    stop.cancel();
    assert!(told(&**motion, &moments, FPS, &stop).is_err());
}
