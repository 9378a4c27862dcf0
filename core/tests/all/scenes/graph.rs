//! Compilation: only what changed is computed, errors stay where they are, the same bits everywhere.

use serde_json::json;
use std::sync::Arc;
use zickzack_core::graph::{Compiled, EndReport, Memo, Workshop, compile, report, try_offers};
use zickzack_core::motion::{BlockColumnName, BlockLayout, Cancel, fill_poses};
use zickzack_core::nodes::{self, Registry};
use zickzack_core::scene::{Op, Scene, apply};

fn scene() -> Scene {
    let document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Two branches", "space": "deep", "fps": "24", "frames": 96,
        "nodes": {
            "path": { "type": "drawn-path", "name": "Way", "params": { "closed": true, "points": [
                { "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [4, 1, 0] }, { "id": "c", "at": [4, 0, 3] }, { "id": "d", "at": [0, 2, 4] } ] } },
            "ride": { "type": "ride", "name": "Riders", "params": { "riders": 7, "laps": "1.3" } },
            "face": { "type": "face-travel", "name": "Facing" },
            "out": { "type": "output", "name": "Out" },
            "throw": { "type": "launch", "name": "Throw" },
            "out2": { "type": "output", "name": "Thrown" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" },
            "t2": { "from": "ride", "to": "face", "port": "motion" },
            "t3": { "from": "face", "to": "out", "port": "motion" },
            "t4": { "from": "throw", "to": "out2", "port": "motion" }
        }
    });
    Scene::from_value(document, &nodes::schemas()).unwrap()
}

fn in_workshop<T>(memo: &Memo, work: impl FnOnce(&Workshop<'_>) -> T) -> T {
    work(&Registry::default().workshop(memo, &Cancel::default()))
}

fn compiled(scene: &Scene, memo: &Memo) -> Compiled {
    in_workshop(memo, |workshop| compile(scene, workshop))
}

fn edited(scene: &Scene, at: &[&str], value: serde_json::Value) -> Scene {
    let op = Op::Put { at: at.iter().map(|part| (*part).to_owned()).collect(), value, before: None };
    apply(scene, &[op], &nodes::schemas()).unwrap().0
}

fn evaluations(memo: &Memo, scene: &Scene) -> u64 {
    let before = memo.evaluations();
    compiled(scene, memo);
    memo.evaluations() - before
}

#[test]
fn a_change_recomputes_what_depends_on_it_and_nothing_else() {
    let (memo, scene) = (Memo::default(), scene());
    assert_eq!(evaluations(&memo, &scene), 6);
    assert_eq!(evaluations(&memo, &scene), 0);
    let riders = edited(&scene, &["nodes", "ride", "params", "riders"], json!(8));
    assert_eq!(evaluations(&memo, &riders), 3, "ride, facing and its output");
    assert_eq!(evaluations(&memo, &scene), 0, "going back is remembered");
    let moved = edited(&scene, &["nodes", "ride", "at"], json!([10.0, 20.0]));
    assert_eq!(evaluations(&memo, &moved), 0, "where a slip lies changes nothing");
    let longer = edited(&scene, &["frames"], json!(120));
    assert_eq!(evaluations(&memo, &longer), 5, "all but the path, which does not know time");
}

#[test]
fn what_is_wrong_says_so_and_the_rest_works() {
    let memo = Memo::default();
    let scene = edited(&scene(), &["nodes", "path", "params", "points"], json!([{ "id": "a", "at": [0, 0, 0] }]));
    let compiled = compiled(&scene, &memo);
    let nodes = report(&compiled);
    assert_eq!(nodes["path"].state, "error");
    assert!(nodes["path"].messages[0].contains("only one point"), "{:?}", nodes["path"]);
    assert!(nodes["ride"].messages[0].contains("waits for \"Way\""), "{:?}", nodes["ride"]);
    assert_eq!(nodes["throw"].state, "worked");
    assert_eq!(compiled.ends.len(), 1);
    let cut = apply(&scene, &[Op::Remove { at: vec!["threads".into(), "t1".into()] }], &nodes::schemas()).unwrap().0;
    let nodes = report(&self::compiled(&cut, &memo));
    assert_eq!(nodes["ride"].messages[0], "Ride needs a path: pull a thread to its path port.");
    let same = edited(
        &scene,
        &["nodes", "path", "params", "points"],
        json!([{ "id": "a", "at": [1, 1, 1] }, { "id": "b", "at": [1, 1, 1] }]),
    );
    assert!(report(&self::compiled(&same, &memo))["path"].messages[0].contains("no length"));
}

#[test]
fn too_many_poses_are_refused_by_the_node_that_makes_them() {
    let huge = edited(&scene(), &["nodes", "ride", "params", "riders"], json!(1_000_000));
    let nodes = report(&compiled(&huge, &Memo::default()));
    assert_eq!(nodes["ride"].state, "error");
    assert!(nodes["ride"].messages[0].contains("million poses"), "{:?}", nodes["ride"]);
    assert_eq!(nodes["out2"].state, "worked");
}

#[test]
fn the_offer_of_an_end_closes_it() {
    let scene = scene();
    let memo = Memo::default();
    let compiled_now = compiled(&scene, &memo);
    let end = compiled_now.ends.iter().find(|end| end.node == "out").unwrap();
    let told = EndReport::of(end, 96.0, 24.0, &Cancel::default()).unwrap();
    assert!(!told.seam.closes && told.seam.position > 0.01);
    let offer = &told.offers[0];
    assert_eq!((offer.node.as_str(), offer.value.as_str().unwrap()), ("ride", "9/7"));
    let closed = edited(&scene, &["nodes", &offer.node, "params", &offer.param], offer.value.clone());
    let compiled_then = compiled(&closed, &memo);
    let end = compiled_then.ends.iter().find(|end| end.node == "out").unwrap();
    let told = EndReport::of(end, 96.0, 24.0, &Cancel::default()).unwrap();
    assert!(told.seam.closes && told.offers.is_empty(), "{:?}", told.seam);
}

#[test]
fn a_cancelled_compilation_remembers_nothing_half_done() {
    let (memo, scene, cancel) = (Memo::default(), scene(), Cancel::default());
    cancel.cancel();
    let stopped = compile(&scene, &Registry::default().workshop(&memo, &cancel));
    assert!(stopped.ends.is_empty());
    assert_eq!(compiled(&scene, &memo).ends.len(), 2);
}

#[test]
fn poses_have_the_same_bits_at_one_two_and_eight_workers() {
    let scene = edited(&scene(), &["nodes", "ride", "params", "riders"], json!(501));
    let bits = |workers: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(workers).build().unwrap();
        pool.install(|| {
            let compiled = compiled(&scene, &Memo::default());
            let motion = Arc::clone(&compiled.ends[0].motion);
            let frames: Vec<f64> = (0..40).map(|i| f64::from(i) * 2.4).collect();
            let layout = BlockLayout::of(&*motion);
            let mut out = vec![0.0f32; frames.len() * motion.len() * layout.floats()];
            fill_poses(&*motion, &layout, &frames, &mut out, &Cancel::default()).unwrap();
            out.iter().map(|x| x.to_bits()).collect::<Vec<u32>>()
        })
    };
    let one = bits(1);
    assert_eq!(one, bits(2));
    assert_eq!(one, bits(8));
}

#[test]
fn a_bypassed_node_hands_on_what_it_takes_and_one_that_takes_nothing_is_missed() {
    let (memo, scene) = (Memo::default(), scene());
    let without = edited(&scene, &["nodes", "face", "bypassed"], json!(true));
    let told = compiled(&without, &memo);
    assert_eq!(told.nodes["face"].key(), told.nodes["ride"].key(), "the ride itself arrives");
    let reports = report(&told);
    assert_eq!((reports["face"].state, reports["out"].state), ("bypassed", "worked"));
    assert!(told.ends.iter().any(|end| end.node == "out"));
    let source = edited(&scene, &["nodes", "path", "bypassed"], json!(true));
    let reports = report(&compiled(&source, &memo));
    assert_eq!(reports["path"].state, "bypassed");
    assert!(reports["ride"].messages[0].contains("\"Way\" is bypassed: take it in again"), "{:?}", reports["ride"]);
    let output = edited(&scene, &["nodes", "out", "bypassed"], json!(true));
    let ends: Vec<(String, bool)> =
        compiled(&output, &memo).ends.into_iter().map(|end| (end.node, end.output)).collect();
    assert_eq!(
        ends,
        [("out2".to_owned(), true), ("face".to_owned(), false)],
        "the motion stays in sight, but is not handed off"
    );
}

#[test]
fn nodes_and_parameters_of_another_version_say_so_and_the_rest_works() {
    let mut document = serde_json::to_value(scene()).unwrap();
    document["nodes"]["throw"]["type"] = json!("catapult");
    document["nodes"]["ride"]["params"]["glow"] = json!(1);
    let scene = Scene::from_value(document, &nodes::schemas()).unwrap();
    let told = compiled(&scene, &Memo::default());
    let reports = report(&told);
    assert!(reports["throw"].messages[0].contains("no \"catapult\""), "{:?}", reports["throw"]);
    assert_eq!(reports["out2"].state, "error");
    assert_eq!(reports["ride"].state, "warning");
    assert!(reports["ride"].messages[0].contains("\"glow\""));
    assert_eq!(reports["out"].state, "worked");
}

#[test]
fn a_shifted_rider_begins_elsewhere_and_the_others_stay() {
    use zickzack_core::motion::{Columns, Sample};
    let scene = scene();
    let shifted = edited(&scene, &["nodes", "ride", "params", "shifts"], json!([{ "id": "3", "value": 0.05 }]));
    let places = |scene: &Scene, frame: f64| {
        let mut sample = Sample::default();
        compiled(scene, &Memo::default()).ends[0].motion.sample(frame, Columns::PLACE, &mut sample);
        sample.places
    };
    for frame in [0.0, 40.5] {
        for (object, (a, b)) in places(&scene, frame).iter().zip(places(&shifted, frame)).enumerate() {
            let moved = if object == 3 { 0.05 } else { 0.0 };
            assert!((b.laps - a.laps - moved).abs() < 1e-12, "rider {object}");
        }
    }
}

#[test]
fn an_offer_says_what_it_leaves_open_by_itself() {
    let memo = Memo::default();
    let lefts = |scene: &Scene| {
        let compiled = compiled(scene, &memo);
        let end = compiled.ends.iter().find(|end| end.node == "out").unwrap();
        let mut report = EndReport::of(end, 96.0, 24.0, &Cancel::default()).unwrap();
        assert!(report.offers.iter().all(|offer| offer.left.is_none()), "not tried yet");
        in_workshop(&memo, |workshop| try_offers(scene, &mut report, workshop)).unwrap();
        report.offers.into_iter().map(|offer| (offer.text, offer.left.unwrap())).collect::<Vec<_>>()
    };
    let plain = lefts(&scene());
    assert!(plain.iter().any(|(text, left)| text.contains("9/7") && left.is_empty()), "{plain:?}");
    // A sixth of a turn more in every loop is not undone by laps.
    let roll = json!({ "formula": "60.0 * frame / 96.0" });
    let rolling = lefts(&edited(&scene(), &["nodes", "face", "params", "roll"], roll));
    assert!(!rolling.is_empty());
    for (text, left) in rolling {
        let degrees: f64 = left.strip_suffix(" °").unwrap().parse().unwrap();
        assert!((degrees - 60.0).abs() < 1e-3, "{text} leaves {left}");
    }
}

#[test]
fn what_a_crowd_or_a_facing_lacks_is_said_with_what_to_do() {
    let memo = Memo::default();
    let told = |scene: &Scene, node: &str| report(&compiled(scene, &memo))[node].messages.join(" ");
    let up = edited(&scene(), &["nodes", "face", "params", "up"], json!("second path"));
    assert!(told(&up, "face").contains("pull a thread to its \"beside\" port"), "{}", told(&up, "face"));
    let up = edited(&scene(), &["nodes", "face", "params", "up"], json!("surface"));
    assert!(told(&up, "face").contains("pull a thread to its \"ground\" port"));

    let kinds = json!({ "type": "kinds", "name": "Kinds", "params": { "kinds": [
        { "id": "a", "weight": 0 }, { "id": "b", "weight": 0, "thing": "boat" } ] } });
    let crowd = edited(&scene(), &["nodes", "kinds"], kinds);
    let crowd = edited(&crowd, &["threads", "t5"], json!({ "from": "ride", "to": "kinds", "port": "motion" }));
    assert!(told(&crowd, "kinds").contains("give at least one a weight"));
    for (bad, words) in [
        (json!({ "id": "a", "thing": "castle" }), "thing must be empty or one of"),
        (json!({ "id": "a", "colour": "red" }), "colour must be like #c8421a"),
        (json!({ "id": "a", "weight": -1 }), "weight must be from 0"),
        (json!({ "id": "a", "scale": 0 }), "scale must be from 0.001"),
        (json!({ "id": "a", "size": 1 }), "unknown field `size`"),
        (json!({ "weight": 1 }), "missing field `id`"),
    ] {
        let at = ["nodes", "kinds", "params", "kinds"].map(str::to_owned).to_vec();
        let op = Op::Put { at, value: json!([bad]), before: None };
        let error = apply(&crowd, &[op], &nodes::schemas()).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }

    // A second path that is open beside a closed one lets up jump where the lap ends.
    let line = json!({ "type": "figure", "name": "Line", "params": { "figure": "line" } });
    let open = edited(&scene(), &["nodes", "line"], line);
    let open = edited(&open, &["threads", "t5"], json!({ "from": "line", "to": "face", "port": "beside" }));
    let open = edited(&open, &["nodes", "face", "params", "up"], json!("second path"));
    assert!(told(&open, "face").contains("close the second"), "{}", told(&open, "face"));
}

#[test]
fn a_spin_is_offered_the_turns_after_which_its_things_look_the_same() {
    let memo = Memo::default();
    let spun = edited(&scene(), &["nodes", "ride", "params", "laps"], json!("1"));
    let spun = edited(&spun, &["nodes", "face", "params", "spin"], json!("1.3"));
    let offers = |scene: &Scene| {
        let compiled = compiled(scene, &memo);
        let end = compiled.ends.iter().find(|end| end.node == "out").unwrap();
        let mut report = EndReport::of(end, 96.0, 24.0, &Cancel::default()).unwrap();
        in_workshop(&memo, |workshop| try_offers(scene, &mut report, workshop)).unwrap();
        assert!(report.offers.iter().all(|offer| offer.left.as_deref() == Some("")), "{:?}", report.offers);
        report.offers.into_iter().map(|offer| offer.value.as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(offers(&spun), ["1", "2"]);
    // Three blades look the same after a third of a turn about the nose.
    let kinds = json!({ "type": "kinds", "name": "Blades", "params": { "axis": "-x", "kinds": [{ "id": "a", "symmetry": 3 }] } });
    let blades = edited(&spun, &["nodes", "kinds"], kinds);
    let blades = edited(&blades, &["threads", "t3"], json!({ "from": "face", "to": "kinds", "port": "motion" }));
    let blades = edited(&blades, &["threads", "t6"], json!({ "from": "kinds", "to": "out", "port": "motion" }));
    assert_eq!(offers(&blades), ["4/3", "1"]);
}

#[test]
fn what_settles_is_refused_in_a_flat_scene_and_the_rest_goes_on() {
    let document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Flat", "space": "flat", "fps": "24", "frames": 48,
        "nodes": {
            "plates": { "type": "settle", "name": "Plates" },
            "out": { "type": "output", "name": "Lying" },
            "throw": { "type": "launch", "name": "Throw" },
            "out2": { "type": "output", "name": "Thrown" }
        },
        "threads": {
            "t1": { "from": "plates", "to": "out", "port": "motion" },
            "t2": { "from": "throw", "to": "out2", "port": "motion" }
        }
    });
    let mut scene = Scene::from_value(document.clone(), &nodes::schemas()).unwrap();
    let made = compiled(&scene, &Memo::default());
    assert!(report(&made)["plates"].messages.join(" ").contains("make the scene deep"));
    assert_eq!(made.ends.iter().map(|end| end.node.as_str()).collect::<Vec<_>>(), ["out2"]);
    scene.space = zickzack_core::scene::Space::Deep;
    assert_eq!(compiled(&scene, &Memo::default()).ends.len(), 2);
}

#[test]
fn bodies_that_shall_be_as_they_look_ask_for_kinds_and_for_what_each_is() {
    let document = |kinds: serde_json::Value| {
        json!({
            "format": "zickzack-scene", "version": 1, "name": "Looks", "space": "deep", "fps": "24", "frames": 12,
            "nodes": {
                "throw": { "type": "launch", "name": "Throw" },
                "kinds": { "type": "kinds", "name": "Kinds", "params": { "kinds": kinds } },
                "bodies": { "type": "bodies", "name": "Tumble", "params": { "form": "as they look" } },
                "out": { "type": "output", "name": "Out" }
            },
            "threads": {
                "t1": { "from": "throw", "to": "kinds", "port": "motion" },
                "t2": { "from": "kinds", "to": "bodies", "port": "motion" },
                "t3": { "from": "bodies", "to": "out", "port": "motion" }
            }
        })
    };
    let made = |document| compiled(&Scene::from_value(document, &nodes::schemas()).unwrap(), &Memo::default());
    let told = |made: &Compiled| report(made)["bodies"].messages.join(" ");
    let shown = made(document(json!([{ "id": "a", "thing": "boat", "colour": "#c8421a" }])));
    assert_eq!(shown.ends[0].motion.kinds()[0].colour, "#c8421a", "{}", told(&shown));
    let nameless = made(document(json!([{ "id": "a", "colour": "#c8421a" }])));
    assert!(told(&nameless).contains("Kind 1 has no thing of its own"), "{}", told(&nameless));
    let mut bare = document(json!([]));
    bare["threads"]["t2"]["from"] = json!("throw");
    let bare = made(bare);
    assert!(told(&bare).contains("let their motion come from Kinds"), "{}", told(&bare));
}

#[test]
fn points_of_things_lie_in_the_picture_of_a_flat_scene() {
    let document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Flat", "space": "flat", "fps": "24", "frames": 24,
        "nodes": {
            "throw": { "type": "launch", "name": "Throw", "params": { "velocity": [20, 1, 0], "sides": ["right"], "off": "picture edge" } },
            "stick": { "type": "stick", "name": "Stick", "params": { "tip": [0.1, 0, 3], "hidden": true } },
            "rattle": { "type": "ring-down", "name": "Rattle", "params": { "pivot": [0.1, 0, 5], "push": 0.2 } },
            "out": { "type": "output", "name": "Out", "params": { "pivot": [0.5, 0, -7], "size": 0.5 } }
        },
        "threads": {
            "t1": { "from": "throw", "to": "stick", "port": "motion" },
            "t2": { "from": "stick", "to": "rattle", "port": "motion" },
            "t3": { "from": "rattle", "to": "out", "port": "motion" }
        }
    });
    let scene = Scene::from_value(document, &nodes::schemas()).unwrap();
    let compiled = compiled(&scene, &Memo::default());
    let motion = &compiled.ends[0].motion;
    let frames: Vec<f64> = (0..24).map(f64::from).collect();
    let layout = BlockLayout::of(&**motion);
    let (floats, cut) = (layout.floats(), layout.offset(BlockColumnName::Cut).unwrap());
    let mut out = vec![0.0; frames.len() * floats];
    fill_poses(&**motion, &layout, &frames, &mut out, &Cancel::default()).unwrap();
    for pose in out.chunks(floats) {
        assert_eq!(pose[2], 0.0, "{pose:?}");
        assert_eq!(pose[cut + 2], 0.0, "what it is cut off along stands upright on the picture: {pose:?}");
    }
    assert!(out.chunks(floats).any(|pose| pose[cut] != 0.0), "something sticks");
}
