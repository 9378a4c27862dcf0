//! What is blown about, and what is laid on a surface.

use crate::common::scenes::{compiled, document};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::Arc;
use zickzack_core::graph::{Outcome, Product};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, prepared};
use zickzack_core::seam::measure;

const F: f64 = 48.0;

/// A stream along a figure, 60 births a loop, with a node over it, and perhaps a surface.
fn over(kind: &str, params: Value, surface: Option<(&str, Value)>) -> Arc<dyn Motion> {
    let mut nodes = vec![
        ("figure", "figure", json!({})),
        ("swarm", "swarm", json!({ "births": "evenly", "count": 60, "speed": 6, "speed-spread": 0.3, "radius": 0.4 })),
        ("over", kind, params),
        ("out", "output", json!({})),
    ];
    let mut threads = vec![("figure", "swarm", "path"), ("swarm", "over", "motion"), ("over", "out", "motion")];
    if let Some((kind, params)) = surface {
        nodes.push(("surface", kind, params));
        threads.push(("surface", "over", "surface"));
    }
    let compiled = compiled(document(F as u32, &nodes, &threads));
    prepared(&compiled.ends[0].motion, Frames { from: -F, to: 3.0 * F }, &Cancel::default()).expect("prepared")
}

/// The velocity of a thing is how its place changes, wherever it is there a little before and after.
fn moves_as_it_says(motion: &dyn Motion, frame: f64) {
    let h = 1e-4;
    for object in 0..motion.len() {
        let at = [-h, 0.0, h].map(|by| (object, frame + by));
        let mut sample = Sample::default();
        motion.sample_at(
            &at,
            Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL | Columns::ALIVE | Columns::LIFE,
            &mut sample,
        );
        let whole =
            sample.alive.iter().all(|alive| *alive) && sample.ages.iter().all(|age| age.birth == sample.ages[0].birth);
        if !whole || !motion.breaks(object, Frames { from: frame - h, to: frame + h }).expect("breaks").is_empty() {
            continue;
        }
        let change = (sample.positions[2] - sample.positions[0]) / (2.0 * h);
        let told = sample.velocities[1];
        assert!(told.distance(change) < 1e-4 * (1.0 + told.length()), "{object} at {frame}: {told}, but {change}");
        assert!(sample.travels[1].distance(told.normalize()) < 1e-3, "{object} at {frame} goes another way");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases.div_ceil(8), ..ProptestConfig::default() })]

    /// What begins anew keeps what it has of its own from life to life: a loop closes whatever lies over it.
    #[test]
    fn a_stream_that_is_blown_about_wavers_or_lies_on_a_surface_closes(
        which in 0usize..5, amount in 0.05..2.0_f64, seed in 0u64..1000,
    ) {
        let motion = match which {
            0 => over("turbulence", json!({ "strength": amount, "size": 0.7, "seed": seed, "octaves": 2 }), None),
            1 => over("waver", json!({ "position": [amount, amount, amount], "seed": seed }), None),
            2 => over("swell", json!({ "scale": { "formula": "0.5 + index / count" } }), None),
            3 => over("shudder", json!({ "amount": { "formula": "0.1 * index / count" }, "shape": "swings", "every": 6 }), None),
            _ => over("lay-on", json!({ "clearance": amount, "turned": true }), Some(("ball", json!({ "radius": 3 })))),
        };
        let seam = measure(&motion, F, 24.0, &Cancel::default()).expect("measured");
        prop_assert!(seam.closes(1e-9), "{which}: {:?} {:?}", seam.position, seam.velocity);
    }

    #[test]
    fn what_is_blown_about_moves_as_its_velocity_says(
        strength in 0.05..2.0_f64, gust in 0.5..4.0_f64, pace in 0.0..6.0_f64, frame in 0.0..F,
    ) {
        let params = json!({ "strength": strength, "size": gust, "pace": pace, "grows": 9 });
        moves_as_it_says(&*over("turbulence", params, None), frame);
    }

    /// At its birth it is where it were, full grown it may be as far off as is said, and neighbours are blown alike.
    #[test]
    fn things_are_blown_from_their_way_and_not_off_their_birth(strength in 0.1..2.0_f64, seed in 0u64..1000, frame in 0.0..F) {
        let blown = over("turbulence", json!({ "strength": strength, "size": 1.5, "seed": seed, "grows": 10 }), None);
        let calm = over("turbulence", json!({ "strength": 0 }), None);
        let (mut a, mut b) = (Sample::default(), Sample::default());
        let columns = Columns::POSITION | Columns::ALIVE | Columns::LIFE;
        blown.sample(frame, columns, &mut a);
        calm.sample(frame, columns, &mut b);
        let off: Vec<DVec3> = a.positions.iter().zip(&b.positions).map(|(a, b)| *a - *b).collect();
        for (object, age) in a.ages.iter().enumerate() {
            // A curl is at most a few times its root of the mean square.
            let part = (age.frames / 10.0).min(1.0);
            let most = 6.0 * strength * (3.0 * part * part).min(1.0);
            prop_assert!(off[object].length() <= most + 1e-9, "{:?} by {}", off[object], most);
        }
        let grown: Vec<usize> = (0..off.len()).filter(|&i| a.alive[i] && a.ages[i].frames >= 10.0).collect();
        for &i in &grown {
            for &j in &grown {
                let apart = b.positions[i].distance(b.positions[j]) / 1.5;
                prop_assert!(off[i].distance(off[j]) <= 12.0 * strength * apart + 1e-9, "{i} and {j}, {apart} gusts apart");
            }
        }
    }

    #[test]
    fn what_lies_on_a_surface_is_where_it_says_and_moves_along_it(
        shape in 0usize..4, clearance in -0.2..1.0_f64, moving: bool, frame in 0.0..F,
    ) {
        let x = if moving { json!({ "formula": "sin(tau * loop)" }) } else { json!(0.3) };
        let at = json!([x, -1.5, 0.2]);
        let surface = match shape {
            0 => ("plane", json!({ "at": at })),
            1 => ("ball", json!({ "at": at, "radius": 1.2 })),
            2 => ("torus", json!({ "at": at, "radius": 2, "tube": 0.5 })),
            _ => ("box", json!({ "at": at })),
        };
        let laid = over("lay-on", json!({ "clearance": clearance, "turned": true }), Some(surface.clone()));
        let alone = compiled(document(F as u32, &[("surface", surface.0, surface.1)], &[]));
        let Ok(Outcome { product: Product::Surface(ground), .. }) = &*alone.nodes["surface"].outcome else { unreachable!() };
        let ground = ground.at(frame);
        let mut sample = Sample::default();
        laid.sample(frame, Columns::POSE, &mut sample);
        for (place, turn) in sample.positions.iter().zip(&sample.orientations) {
            let (distance, normal) = ground.distance(*place);
            // Inside an edge another place is nearer.
            if clearance >= 0.0 {
                prop_assert!((distance - clearance).abs() < 1e-9, "{distance} off, {clearance} wanted");
                if clearance > 1e-3 {
                    prop_assert!((*turn * DVec3::Y).distance(normal) < 1e-6, "+y is away from it");
                }
            }
        }
        if shape < 3 {
            moves_as_it_says(&*laid, frame);
        }
    }
}

#[test]
fn what_is_laid_on_needs_a_surface() {
    let nodes = [("figure", "figure", json!({})), ("ride", "ride", json!({})), ("lay", "lay-on", json!({}))];
    let compiled = compiled(document(24, &nodes, &[("figure", "ride", "path"), ("ride", "lay", "motion")]));
    let why = compiled.nodes["lay"].outcome.as_ref().as_ref().err().cloned();
    assert!(why.as_ref().is_some_and(|why| why.contains("surface")), "{why:?}");
}
