//! The node that has things walk: what it gives along a path, over the loop, and of what cannot be walked by.

use crate::cases::cases;
use glam::{DMat4, DQuat, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;
use zickzack_core::graph::{Assets, Compiled, End, EndReport, Memo, Workshop, compile};
use zickzack_core::motion::{BlockColumnName, BlockLayout, Cancel, Columns, Frames, Sample, fill_poses, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;
use zickzack_formats::animated;
use zickzack_formats::files::{Files, hash};

const WALKER: &[u8] = include_bytes!("../../../demo/stilt-walker.bvh");
const FRAMES: f64 = 96.0;
/// The ends of both stilts.
const TIPS: [usize; 2] = [13, 17];

fn walkers(ride: Value, walk: Value) -> Value {
    let mut document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Walkers", "space": "deep", "fps": "24", "frames": FRAMES as u32,
        "assets": { "walker.bvh": { "hash": hash(WALKER), "media": "text/plain" } },
        "nodes": {
            "way": { "type": "figure", "name": "Way", "params": { "radius": 3, "plane": "ground" } },
            "ride": { "type": "ride", "name": "Ride", "params": ride },
            "walk": { "type": "walk", "name": "Walk", "params": { "file": "walker.bvh", "tall": 2 } },
        },
        "threads": {
            "a": { "from": "way", "to": "ride", "port": "path" }, "b": { "from": "ride", "to": "walk", "port": "motion" },
        },
    });
    let params = document["nodes"]["walk"]["params"].as_object_mut().unwrap();
    params.extend(walk.as_object().unwrap().clone());
    document
}

fn compiled(document: Value) -> Compiled {
    compiled_by(WALKER, document)
}

/// With another recording in its place.
fn compiled_by(recording: &[u8], document: Value) -> Compiled {
    let (registry, memo, cancel) = (Registry::default(), Memo::default(), Cancel::default());
    let scene = Scene::from_value(document, &registry.schemas).unwrap();
    let contents = BTreeMap::from([("walker.bvh".to_owned(), Ok(recording.to_vec()))]);
    let assets: Arc<dyn Assets> = Arc::new(Files::new(contents));
    compile(&scene, &Workshop { assets: &assets, ..registry.workshop(&memo, &cancel) })
}

fn end(compiled: &Compiled) -> &End {
    let found = compiled.ends.iter().find(|end| end.node == "walk");
    let why = || compiled.nodes.values().filter_map(|node| node.outcome.as_ref().as_ref().err()).collect::<Vec<_>>();
    found.unwrap_or_else(|| panic!("{:?}", why()))
}

fn report(document: Value) -> EndReport {
    EndReport::of(end(&compiled(document)), FRAMES, 24.0, &Cancel::default()).unwrap()
}

/// What is said of the node.
fn said(document: Value) -> String {
    said_by(WALKER, document)
}

fn said_by(recording: &[u8], document: Value) -> String {
    let compiled = compiled_by(recording, document);
    compiled.nodes.iter().for_each(|(id, node)| {
        assert!(id == "walk" || node.outcome.is_ok(), "{:?}", node.outcome.as_ref().as_ref().err())
    });
    match &*compiled.nodes["walk"].outcome {
        Ok(outcome) => outcome.warnings.join(" "),
        Err(why) => why.clone(),
    }
}

/// Where the joints of a thing are in space at frames, from the numbers that a page is sent.
fn placed(document: Value, object: usize, frames: &[f64]) -> Vec<Vec<DVec3>> {
    let compiled = compiled(document);
    let ready = prepared(&end(&compiled).motion, Frames { from: 0.0, to: 2.0 * FRAMES }, &Cancel::default()).unwrap();
    let layout = BlockLayout::of(&*ready);
    let mut numbers = vec![0.0; layout.row() * frames.len()];
    fill_poses(&*ready, &layout, frames, &mut numbers, &Cancel::default()).unwrap();
    let (rig, _) = animated::read(WALKER).unwrap();
    let form = layout.forms()[ready.kind(object)];
    assert_eq!(form, 12 * rig.bones().len());
    let at = |row: &[f32]| {
        let own = &row[object * layout.floats()..];
        let [position, turn] = [BlockColumnName::Position, BlockColumnName::Orientation]
            .map(|name| own[layout.offset(name).unwrap()..].iter().map(|x| f64::from(*x)).collect::<Vec<f64>>());
        let stands = DMat4::from_rotation_translation(
            DQuat::from_xyzw(turn[0], turn[1], turn[2], turn[3]).normalize(),
            DVec3::from_slice(&position),
        );
        let bones = row[ready.len() * layout.floats() + object * form..][..form].as_chunks::<12>().0;
        let joint = |(bone, rows): (usize, &[f32; 12])| {
            let mut columns = [0.0; 16];
            rows.iter().enumerate().for_each(|(i, x)| columns[i % 4 * 4 + i / 4] = f64::from(*x));
            columns[15] = 1.0;
            let rest = rig.bones()[bone].inverse.inverse().w_axis.truncate();
            (stands * DMat4::from_cols_array(&columns)).transform_point3(rest)
        };
        bones.iter().enumerate().map(joint).collect()
    };
    numbers.chunks_exact(layout.row()).map(at).collect()
}

proptest! {
    #![proptest_config(cases(16))]

    /// Whatever part of the path is gone in the loop, and however many go: where there are whole cycles it closes, and where
    /// there are not, and steps do not happen to fit, it does not say so.
    #[test]
    fn walkers_close_in_whole_cycles_only(
        riders in 1..5_u32,
        laps in 1..4_u32,
        radius in 2.0..6.0f64,
        holds: bool,
        back: bool,
    ) {
        let sign = if back { "-" } else { "" };
        let ride = json!({ "riders": riders, "laps": format!("{sign}{laps}/{riders}") });
        let mut document = walkers(ride, json!({ "holds": holds }));
        document["nodes"]["way"]["params"]["radius"] = json!(radius);
        let closed = report(document.clone()).seam;
        prop_assert!(closed.closes, "{closed:?}");
        prop_assert!(closed.form.is_some_and(|form| form < 1e-9), "{closed:?}");
        document["nodes"]["walk"]["params"]["whole"] = json!(false);
        let stride = 1.39;
        let cycles = std::f64::consts::TAU * radius * f64::from(laps) / f64::from(riders) / stride;
        let open = report(document).seam;
        prop_assume!((cycles - cycles.round()).abs() > 0.1);
        prop_assert!(!open.closes && open.form.is_some_and(|form| form > 0.01), "{open:?}");
    }

    /// In space, from what a page is sent: a stilt that stands on the ground stays there, wherever on the path.
    #[test]
    fn what_is_shown_of_a_held_foot_stays_on_the_ground(radius in 3.0..6.0f64, laps in 1..3_u32) {
        let mut document = walkers(json!({ "riders": 2, "laps": laps.to_string() }), json!({}));
        document["nodes"]["way"]["params"]["radius"] = json!(radius);
        let frames: Vec<f64> = (0..=4 * FRAMES as usize).map(|i| i as f64 / 4.0).collect();
        let shown = placed(document, 1, &frames);
        for tip in TIPS {
            let (mut stands, mut first) = (0, None::<DVec3>);
            for joints in &shown {
                let place = joints[tip];
                prop_assert!(place.y > -0.002, "below the ground: {place}");
                if place.y > 0.0005 {
                    first = None;
                    continue;
                }
                stands += 1;
                let from = *first.get_or_insert(place);
                // The edges of the time for which it stands are a matter of what is called low.
                prop_assert!(from.distance(place) < 0.003, "{from} and {place}");
            }
            prop_assert!(stands > frames.len() / 3, "it stands for {stands} of {}", frames.len());
        }
    }
}

/// What says how far one has come says how the joints lie: at rest nothing moves, and at the same place one looks the same.
#[test]
fn steps_stop_where_the_walker_does() {
    let progress = json!({ "formula": "min(frame, 40) / 96" });
    let document = walkers(json!({ "riders": 1, "pace": "progress", "progress": progress }), json!({}));
    let shown = placed(document, 0, &[10.0, 20.0, 40.0, 60.0, 90.0]);
    let apart = |a: usize, b: usize| shown[a].iter().zip(&shown[b]).map(|(a, b)| a.distance(*b)).fold(0.0, f64::max);
    assert!(apart(0, 1) > 0.1 && apart(1, 2) > 0.1, "{} {}", apart(0, 1), apart(1, 2));
    assert!(apart(2, 3) < 1e-6 && apart(3, 4) < 1e-6, "{} {}", apart(2, 3), apart(3, 4));
}

/// Past the end of an open path one walks straight on, step after step, with feet that stay.
#[test]
fn one_walks_on_past_the_end() {
    let mut document =
        walkers(json!({ "riders": 1, "laps": "2", "end": "runs on straight" }), json!({ "whole": false }));
    document["nodes"]["way"] = json!({ "type": "drawn-path", "name": "Way", "params": {
        "points": [{ "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [4, 0, 0] }],
    } });
    let frames: Vec<f64> = (48..96).map(f64::from).collect();
    let shown = placed(document, 0, &frames);
    let ahead: Vec<f64> = shown.iter().map(|joints| joints[0].x).collect();
    assert!(ahead[0] > 3.9 && ahead.is_sorted() && ahead[47] > 7.5, "{ahead:?}");
    for tip in TIPS {
        let moves: Vec<f64> = shown.windows(2).map(|pair| pair[1][tip].x - pair[0][tip].x).collect();
        let stands = moves.iter().filter(|moved| moved.abs() < 1e-3).count();
        assert!(stands > 20 && moves.iter().any(|moved| *moved > 0.1), "{moves:?}");
    }
}

/// A thing that begins half a cycle later is where it would be half a cycle on.
#[test]
fn a_start_of_its_own_is_a_part_of_the_cycle() {
    let steps = |walk: Value| {
        let compiled = compiled(walkers(json!({ "riders": 3, "laps": "1" }), walk));
        let mut sample = Sample::default();
        end(&compiled).motion.sample(7.0, Columns::STEP, &mut sample);
        sample.steps.iter().map(|step| step.phase).collect::<Vec<f64>>()
    };
    let (plain, later, spread) = (steps(json!({})), steps(json!({ "start": 0.5 })), steps(json!({ "spread": 1.0 })));
    for object in 0..3 {
        assert!((later[object] - plain[object] - 0.5).abs() < 1e-12);
        let own = spread[object] - plain[object];
        assert!((0.0..1.0).contains(&own) && own != 0.0, "{own}");
    }
    assert!(spread[0] - plain[0] != spread[1] - plain[1]);
}

#[test]
fn what_cannot_be_walked_by_is_said() {
    let ride = || json!({ "riders": 1 });
    for (walk, why) in [
        (json!({ "file": "" }), "Nothing is walked by yet"),
        (json!({ "file": "gone.bvh" }), "is not there"),
        (json!({ "clip": "dance" }), "There is no clip \"dance\""),
        (json!({ "cycle": "given", "from": 1.0, "to": 1.0 }), "choose a later end within it"),
        (json!({ "cycle": "given", "from": 0.0, "to": 9.0 }), "choose a later end within it"),
        (json!({ "cycle": "given", "from": 0.0, "to": 0.8, "overlap": 0.0 }), "it is off its start"),
        (json!({ "top": "+x" }), ""),
    ] {
        let told = said(walkers(ride(), walk.clone()));
        assert!(told.contains(why), "{walk}: {told}");
    }
    let mut thrown = walkers(ride(), json!({}));
    thrown["nodes"]["ride"] = json!({ "type": "launch", "name": "Launch" });
    thrown["threads"].as_object_mut().unwrap().remove("a");
    let told = said(thrown);
    assert!(told.contains("do not travel on a path"), "{told}");
    // What does not come back is repeated as a whole, and its part told, to be chosen from.
    let text = String::from_utf8(WALKER.to_vec()).unwrap();
    let frames: Vec<&str> = text.lines().collect();
    let head = frames.iter().position(|line| line.starts_with("Frames:")).unwrap();
    let short = format!("{}\nFrames: 20\n{}\n", frames[..head].join("\n"), frames[head + 1..head + 22].join("\n"));
    let ridden = walkers(ride(), json!({}));
    let told = said_by(short.as_bytes(), ridden.clone());
    assert!(told.contains("all of the recording is repeated"), "{told}");
    let compiled = compiled_by(short.as_bytes(), ridden);
    let Ok(outcome) = &*compiled.nodes["walk"].outcome else { panic!("it works all the same") };
    let recorded = outcome.recorded.as_ref().unwrap();
    assert_eq!((recorded.from, recorded.to, recorded.apart.len()), (0.0, recorded.seconds, 20));
    // Steps that are changed by much are told.
    let mut short = walkers(ride(), json!({}));
    short["nodes"]["way"]["params"]["radius"] = json!(0.3);
    assert!(said(short).contains("its steps are changed by"));
}

/// The starter brings the same recording along as the demo.
#[test]
fn the_starter_walks_by_the_demo_s_recording() {
    let starter: Value =
        serde_json::from_str(include_str!("../../../server/starters/13-walk-along-a-path.json")).unwrap();
    let demo: Value = serde_json::from_str(include_str!("../../../demo/stilt-walker.json")).unwrap();
    let [brought, kept] = [&starter["scene"], &demo].map(|scene| &scene["assets"]["stilt-walker.bvh"]);
    assert_eq!(brought["text"].as_str().map(str::as_bytes), Some(WALKER));
    assert_eq!((&brought["hash"], &kept["hash"]), (&json!(hash(WALKER)), &json!(hash(WALKER))));
}
