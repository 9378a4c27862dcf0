//! The document: refusals, and edits with their inverses.

use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::Arc;
use zickzack_core::fraction::Fraction;
use zickzack_core::nodes;
use zickzack_core::scene::{Keep, Op, Scene, Space, apply, differences, edit_between, replay, with_rate};

fn lantern() -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Round", "space": "deep", "fps": "24", "frames": 120,
        "nodes": {
            "path": { "type": "drawn-path", "name": "Way", "params": { "closed": true, "points": [
                { "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [4, 0, 0], "kind": "corner" }, { "id": "c", "at": [4, 0, 3] } ] } },
            "ride": { "type": "ride", "name": "Riders", "params": { "riders": 7, "laps": "9/7" } },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" },
            "t2": { "from": "ride", "to": "out", "port": "motion" }
        }
    })
}

fn scene() -> Scene {
    Scene::from_value(lantern(), &nodes::schemas()).unwrap()
}

#[test]
fn taking_back_the_first_point_of_a_list_leaves_nothing_behind() {
    let schemas = nodes::schemas();
    let mut document = lantern();
    document["nodes"]["svg"] = json!({"type": "svg-path", "name": "Drawing"});
    let scene = Scene::from_value(document, &schemas).unwrap();
    let moved = Op::Put {
        at: at(&["nodes", "svg", "params", "moved", "0.1"]),
        value: json!({"id": "0.1", "at": [1.0, 2.0, 3.0]}),
        before: None,
    };
    let (edited, inverse) = apply(&scene, &[moved], &schemas).unwrap();
    assert_ne!(edited, scene);
    assert_eq!(apply(&edited, &inverse, &schemas).unwrap().0, scene);
}

fn refusal(change: impl Fn(&mut Value)) -> String {
    let mut document = lantern();
    change(&mut document);
    Scene::from_value(document, &nodes::schemas()).expect_err("must be refused").to_string()
}

#[test]
fn a_scene_survives_writing_and_reading() {
    let scene = scene();
    let text = serde_json::to_string(&scene).unwrap();
    assert_eq!(Scene::from_json(&text, &nodes::schemas()).unwrap(), scene);
}

type Change = Box<dyn Fn(&mut Value)>;

#[test]
fn each_mistake_is_refused_at_its_place() {
    let ride =
        |name: &'static str, value: Value| move |d: &mut Value| d["nodes"]["ride"]["params"][name] = value.clone();
    let cases: Vec<(Change, &[&str])> = vec![
        (Box::new(|d| d["version"] = json!(2)), &["later version", "update"]),
        (Box::new(|d| d["version"] = json!("1")), &["version"]),
        (Box::new(|d| d["name"] = json!("Fair\u{0}")), &["name", "plain characters"]),
        (Box::new(|d| d["nodes"]["ride"]["name"] = json!("two\nlines")), &["nodes/ride", "plain characters"]),
        (Box::new(|d| d["assets"] = json!({"../x.svg": {"hash": "0", "media": "m"}})), &["assets", "without folders"]),
        (Box::new(|d| d["format"] = json!("other")), &["format"]),
        (Box::new(|d| d["frames"] = json!(0)), &["frames", "1 to 100000"]),
        (Box::new(|d| d["frames"] = json!(-4)), &["frames"]),
        (Box::new(|d| d["fps"] = json!("0/1")), &["fps"]),
        (Box::new(|d| d["fps"] = json!("24000/0")), &["24000/0"]),
        (Box::new(|d| d["picture"] = json!({"width": -1, "height": 2})), &["picture/width"]),
        (Box::new(|d| d["extra"] = json!(1)), &["extra"]),
        (Box::new(ride("riders", json!(1_000_000_000))), &["nodes/ride/params/riders", "1 to 1000000"]),
        (Box::new(ride("riders", json!(-1))), &["nodes/ride/params/riders"]),
        (Box::new(ride("riders", json!(2.5))), &["whole number"]),
        (Box::new(ride("start", json!(null))), &["nodes/ride/params/start", "finite"]),
        (Box::new(ride("start", json!("NaN"))), &["nodes/ride/params/start", "finite"]),
        (Box::new(ride("laps", json!(1.3))), &["fraction as text"]),
        (Box::new(ride("laps", json!("1/0"))), &["1/0"]),
        (Box::new(ride("end", json!("explodes"))), &["goes round, stops"]),
        (Box::new(|d| d["nodes"]["ride"]["group"] = json!("g")), &["nodes/ride/group", "no group"]),
        (Box::new(|d| d["groups"] = json!({"g": {"name": ""}})), &["groups/g", "name"]),
        (
            Box::new(|d| d["camera"] = json!({"position": [1, 1, 1], "target": [1, 1, 1], "lens": 35})),
            &["camera", "two different"],
        ),
        (
            Box::new(|d| d["camera"] = json!({"position": [1, 1, 1], "target": [0, 0, 0], "lens": 0})),
            &["camera/lens", "1 to 10000"],
        ),
        (Box::new(|d| d["backdrop"] = json!({"file": "plate.png", "strength": 1})), &["backdrop/file", "bring it in"]),
        (Box::new(|d| d["picture"] = json!({"width": 16, "height": 9, "pixels": 0})), &["picture/pixels"]),
        (Box::new(ride("shifts", json!([{"id": "0", "value": 5000}]))), &["own places", "from -1000 to 1000"]),
        (Box::new(ride("shifts", json!([{"id": "01", "value": 0}]))), &["plain number"]),
        (Box::new(ride("shifts", json!([{"id": "1", "value": 0}, {"id": "1", "value": 1}]))), &["there once"]),
        (Box::new(|d| d["nodes"]["path"]["params"]["points"][1]["at"] = json!([0, 1e300, 0])), &["point 2", "within"]),
        (Box::new(|d| d["nodes"]["path"]["params"]["points"][1]["id"] = json!("a")), &["id \"a\""]),
        (Box::new(|d| d["threads"]["t2"]["from"] = json!("path")), &["threads/t2", "gives path", "takes a motion"]),
        (Box::new(|d| d["threads"]["t2"]["from"] = json!("out")), &["threads/t2", "gives nothing"]),
        (Box::new(|d| d["threads"]["t1"]["port"] = json!("nowhere")), &["threads/t1", "no port"]),
        (Box::new(|d| d["threads"]["t1"]["port"] = json!("riders")), &["threads/t1", "riders of", "cannot change"]),
        (Box::new(|d| d["threads"]["t1"]["port"] = json!("start")), &["threads/t1", "takes a signal"]),
        (
            Box::new(ride("riders", json!({"keys": [{"id": "a", "frame": 0, "value": 1}]}))),
            &["cannot change over time"],
        ),
        (Box::new(ride("laps", json!({"keys": []}))), &["laps per loop", "at least one key"]),
        (Box::new(ride("laps", json!({"keys": [{"id": "a", "frame": 0, "value": 99999}]}))), &["99999", "from -10000"]),
        (
            Box::new(ride("laps", json!({"keys": [{"id": "a", "frame": 0, "value": 0, "after": [-2, 1]}]}))),
            &["runs the other way"],
        ),
        (
            Box::new(ride(
                "laps",
                json!({"keys": [{"id": "a", "frame": 0, "value": 0}, {"id": "a", "frame": 1, "value": 0}]}),
            )),
            &["two keys", "\"a\""],
        ),
        (Box::new(|d| d["threads"]["t1"]["from"] = json!("gone")), &["threads/t1", "not a node"]),
        (Box::new(|d| d["threads"]["t3"] = json!({"from": "path", "to": "ride", "port": "path"})), &["thread already"]),
    ];
    for (change, words) in cases {
        let message = refusal(change);
        for word in words {
            assert!(message.contains(word), "\"{message}\" does not say \"{word}\"");
        }
    }
    let circle = refusal(|d| {
        d["nodes"]["f"] = json!({"type": "face-travel", "name": "One"});
        d["nodes"]["g"] = json!({"type": "face-travel", "name": "Two"});
        d["threads"]["x"] = json!({"from": "f", "to": "g", "port": "motion"});
        d["threads"]["y"] = json!({"from": "g", "to": "f", "port": "motion"});
    });
    assert!(circle.contains("circle") && circle.contains("One") && circle.contains("Two"), "{circle}");
    // A long chain is no circle, in whatever order it is written, and is checked at once.
    let chain = |d: &mut Value| {
        for i in 0..900 {
            d["nodes"][format!("n{i:03}")] = json!({"type": "face-travel", "name": "F"});
            if i > 0 {
                d["threads"][format!("c{i}")] =
                    json!({"from": format!("n{i:03}"), "to": format!("n{:03}", i - 1), "port": "motion"});
            }
        }
    };
    let mut document = lantern();
    chain(&mut document);
    assert!(Scene::from_value(document, &nodes::schemas()).is_ok());
    let closed = refusal(|d| {
        chain(d);
        d["threads"]["back"] = json!({"from": "n000", "to": "n899", "port": "motion"});
    });
    assert!(closed.contains("circle") && closed.contains("and more"), "{closed}");
    for text in ["", "{", "[]", "null", "{\"format\":\"zickzack-scene\"}"] {
        assert!(Scene::from_json(text, &nodes::schemas()).is_err());
    }
}

fn at(parts: &[&str]) -> Vec<String> {
    parts.iter().map(|part| (*part).to_owned()).collect()
}

fn op() -> impl Strategy<Value = Op> {
    let point = prop::sample::select(vec!["a", "b", "c", "d"]);
    let before = prop::option::of(prop::sample::select(vec!["a", "b", "c", "e"]).prop_map(str::to_owned));
    let points = |id: &str| at(&["nodes", "path", "params", "points", id]);
    prop_oneof![
        (point.clone(), before.clone(), -9.0..9.0f64).prop_map(move |(id, before, x)| Op::Put {
            at: points(id),
            value: json!({"id": id, "at": [x, 1.0, 2.0]}),
            before
        }),
        point.clone().prop_map(move |id| Op::Remove { at: points(id) }),
        (point, before).prop_map(move |(id, before)| Op::Move { at: points(id), before }),
        (1i64..50).prop_map(|n| Op::Put {
            at: at(&["nodes", "ride", "params", "riders"]),
            value: json!(n),
            before: None
        }),
        Just(Op::Remove { at: at(&["nodes", "ride", "params", "laps"]) }),
        Just(Op::Put { at: at(&["nodes", "out", "params", "size"]), value: json!(2.0), before: None }),
        Just(Op::Remove { at: at(&["nodes", "ride"]) }),
        Just(Op::Remove { at: at(&["threads", "t2"]) }),
        Just(Op::Put { at: at(&["nodes", "new"]), value: json!({"type": "face-travel", "name": "N"}), before: None }),
        Just(Op::Put {
            at: at(&["threads", "t9"]),
            value: json!({"from": "ride", "to": "new", "port": "motion"}),
            before: None
        }),
        (1u32..500).prop_map(|n| Op::Put { at: at(&["frames"]), value: json!(n), before: None }),
        Just(Op::Put { at: at(&["format"]), value: json!("x"), before: None }),
        Just(Op::Put { at: at(&["nodes"]), value: json!({}), before: None }),
        Just(Op::Remove { at: at(&["name"]) }),
    ]
}

/// Edits that leave out what a scene says in any case, or say it.
fn telling() -> impl Strategy<Value = Op> {
    let removed =
        |list: Vec<&'static [&'static str]>| prop::sample::select(list).prop_map(|to| Op::Remove { at: at(to) });
    let put = |to: &[&str], value: Value| Just(Op::Put { at: at(to), value, before: None });
    prop_oneof![
        4 => op(),
        1 => removed(vec![&["nodes", "new", "at"], &["nodes", "new", "params"], &["nodes", "new", "hidden"]]),
        1 => removed(vec![&["first_frame"], &["picture"], &["picture", "height"], &["picture", "pixels"]]),
        1 => any::<bool>().prop_map(|flag| Op::Put { at: at(&["nodes", "new", "hidden"]), value: json!(flag), before: None }),
        1 => put(&["nodes", "new", "at"], json!([1, 2])),
        1 => put(&["picture"], json!({"width": 4.0, "height": 3})),
        1 => put(&["nodes", "path", "params", "points"], json!([])),
    ]
}

proptest! {
    #[test]
    fn undoing_any_accepted_edit_restores_the_scene(edits in prop::collection::vec(prop::collection::vec(op(), 1..4), 1..8)) {
        let schemas = nodes::schemas();
        let (mut now, mut undo) = (scene(), Vec::new());
        for edit in &edits {
            if let Ok((next, inverse)) = apply(&now, edit, &schemas) {
                undo.push((now, inverse));
                now = next;
            }
        }
        for (before, inverse) in undo.into_iter().rev() {
            let (back, _) = apply(&now, &inverse, &schemas).expect("an inverse fits");
            // A parameter map that came into being may stay behind empty: the same scene.
            prop_assert_eq!(serde_json::to_value(&back).unwrap(), serde_json::to_value(&before).unwrap());
            now = back;
        }
    }

    /// What is written down now and then, and done again from there, is the scene; and nodes that no edit addresses are
    /// the same ones.
    #[test]
    fn edits_done_again_on_the_document_lead_to_the_scene(edits in prop::collection::vec(prop::collection::vec(telling(), 1..4), 1..20)) {
        let schemas = nodes::schemas();
        let mut now = scene();
        let mut document = serde_json::to_value(&now).unwrap();
        for edit in &edits {
            if let Ok((next, _)) = apply(&now, edit, &schemas) {
                replay(&mut document, edit).expect("it fits");
                for (id, node) in &next.nodes {
                    let addressed = edit.iter().any(|op| op.address().get(1) == Some(id));
                    prop_assert!(addressed || Arc::ptr_eq(node, &now.nodes[id]));
                }
                now = next;
            }
        }
        let read = Scene::from_value(document, &schemas).unwrap();
        prop_assert_eq!(serde_json::to_value(&read).unwrap(), serde_json::to_value(&now).unwrap());
    }

    #[test]
    fn no_text_makes_reading_a_scene_panic(text in "\\PC{0,200}") {
        let _ = Scene::from_json(&text, &nodes::schemas());
    }
}

/// The page applies edits by itself before the server has; both are held to these cases.
#[test]
fn edits_do_what_the_page_expects_of_them() {
    let scene = Scene::from_value(
        json!({
            "format": "zickzack-scene", "version": 1, "name": "Round", "space": "deep", "fps": "24", "frames": 120,
            "picture": { "width": 16.0, "height": 9.0 },
            "nodes": {
                "path": { "type": "drawn-path", "name": "Way", "params": { "points": [
                    { "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [1, 0, 0] }, { "id": "c", "at": [1, 0, 1] } ] } },
                "ride": { "type": "ride", "name": "Riders" }
            },
            "threads": { "t1": { "from": "path", "to": "ride", "port": "path" } }
        }),
        &nodes::schemas(),
    )
    .unwrap();
    let cases: Vec<Value> = serde_json::from_str(include_str!("../../fixtures/edits.json")).unwrap();
    assert!(cases.len() >= 10);
    for case in cases {
        let ops: Vec<Op> = serde_json::from_value(case["ops"].clone()).unwrap();
        let (edited, _) = apply(&scene, &ops, &nodes::schemas()).unwrap_or_else(|e| panic!("{}: {e}", case["about"]));
        let document = serde_json::to_value(&edited).unwrap();
        for (address, expected) in case["then"].as_object().unwrap() {
            let path: Vec<String> = address.split('/').map(str::to_owned).collect();
            let found = zickzack_core::scene::value_at(&document, &path).unwrap();
            assert!(alike(found, expected), "{}: {address} is {found}", case["about"]);
        }
    }
}

/// Equal, with 1 and 1.0 the same number.
fn alike(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::Number(a), Value::Number(b)) => a.as_f64() == b.as_f64(),
        (Value::Array(a), Value::Array(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| alike(a, b)),
        (Value::Object(a), Value::Object(b)) => {
            a.len() == b.len() && a.iter().all(|(key, value)| b.get(key).is_some_and(|other| alike(value, other)))
        }
        _ => a == b,
    }
}

#[test]
fn every_default_of_every_node_passes_its_own_check() {
    for schema in nodes::schemas() {
        for param in &schema.params {
            let default = param.values.default();
            zickzack_core::scene::check_value(param, &default)
                .unwrap_or_else(|why| panic!("{}/{}: {why}", schema.name, param.name));
            assert!(param.help.ends_with('.') && param.label.split(' ').count() <= 3, "{}/{}", schema.name, param.name);
        }
    }
    assert_eq!(Scene::empty("x", Space::Flat).frames, 120);
}

#[test]
fn what_another_version_of_the_program_wrote_is_kept_as_it_is() {
    let mut document = lantern();
    document["nodes"]["ride"]["type"] = json!("teleport");
    document["nodes"]["ride"]["params"] = json!({ "where": [1, { "to": "there" }] });
    document["nodes"]["path"]["params"]["glow"] = json!(3);
    let schemas = nodes::schemas();
    let scene = Scene::from_value(document.clone(), &schemas).unwrap();
    let kept = serde_json::to_value(&scene).unwrap();
    assert_eq!(kept["nodes"]["ride"]["params"], document["nodes"]["ride"]["params"]);
    assert_eq!(kept["nodes"]["path"]["params"]["glow"], 3);
    let glow = at(&["nodes", "path", "params", "glow"]);
    let (without, back) = apply(&scene, &[Op::Remove { at: glow }], &schemas).unwrap();
    assert_eq!(apply(&without, &back, &schemas).unwrap_err().to_string(), "Way has no parameter \"glow\".");
    let removed = Op::Remove { at: at(&["nodes", "ride"]) };
    let (gone, back) = apply(&scene, &[removed], &schemas).unwrap();
    assert_eq!(apply(&gone, &back, &schemas).unwrap().0, scene, "its removal can be taken back");
}

#[test]
fn what_is_locked_stays_and_says_so() {
    let mut document = lantern();
    document["nodes"]["ride"]["locked"] = json!(true);
    let schemas = nodes::schemas();
    let scene = Scene::from_value(document, &schemas).unwrap();
    let put = |parts: &[&str], value: Value| Op::Put { at: at(parts), value, before: None };
    for op in [
        put(&["nodes", "ride", "params", "laps"], json!("1")),
        put(&["nodes", "ride"], json!({ "type": "ride", "name": "Other" })),
        Op::Remove { at: at(&["nodes", "ride"]) },
        Op::Remove { at: at(&["nodes", "ride", "params", "laps"]) },
    ] {
        assert_eq!(apply(&scene, &[op], &schemas).unwrap_err().to_string(), "\"Riders\" is locked: unlock it first.");
    }
    let moved = put(&["nodes", "ride", "at"], json!([10, 20]));
    assert!(apply(&scene, &[moved], &schemas).is_ok(), "its slip may be moved");
    let (free, _) = apply(&scene, &[put(&["nodes", "ride", "locked"], json!(false))], &schemas).unwrap();
    assert!(apply(&free, &[put(&["nodes", "ride", "params", "laps"], json!("1"))], &schemas).is_ok());
}

/// A scene after some edits that fit it.
fn edited() -> impl Strategy<Value = Scene> {
    let more = prop_oneof![
        Just(Op::Put { at: at(&["frames"]), value: json!(97), before: None }),
        Just(Op::Put { at: at(&["nodes", "new"]), value: json!({"type": "launch", "name": "Throw"}), before: None }),
        Just(Op::Put { at: at(&["groups", "g"]), value: json!({"name": "Rides"}), before: None }),
        Just(Op::Put { at: at(&["nodes", "ride", "group"]), value: json!("g"), before: None }),
        Just(Op::Put { at: at(&["nodes", "path", "hidden"]), value: json!(true), before: None }),
        Just(Op::Put { at: at(&["nodes", "ride"]), value: json!({"type": "launch", "name": "Other"}), before: None }),
        Just(Op::Remove { at: at(&["threads", "t1"]) }),
        Just(Op::Remove { at: at(&["nodes", "path"]) }),
        Just(Op::Remove { at: at(&["groups", "g"]) }),
        Just(Op::Put {
            at: at(&["camera"]),
            value: json!({"position": [1.0, 2.0, 3.0], "target": [0.0, 0.0, 0.0], "lens": 35.0}),
            before: None
        }),
        Just(Op::Put {
            at: at(&["threads", "t9"]),
            value: json!({"from": "path", "to": "ride", "port": "path"}),
            before: None
        }),
    ];
    prop::collection::vec(prop_oneof![op(), more], 0..14).prop_map(|ops| {
        let schemas = nodes::schemas();
        ops.iter().fold(scene(), |scene, op| {
            apply(&scene, std::slice::from_ref(op), &schemas).map_or(scene, |(scene, _)| scene)
        })
    })
}

proptest! {
    #[test]
    fn the_edit_between_two_states_makes_one_the_other(a in edited(), b in edited()) {
        let schemas = nodes::schemas();
        let edit = edit_between(&a, &b, &schemas);
        let told = differences(&a, &b, &schemas);
        prop_assert_eq!(edit.is_empty(), a == b);
        prop_assert_eq!(told.is_empty(), a == b);
        if a != b {
            let (made, back) = apply(&a, &edit, &schemas).map_err(|error| TestCaseError::fail(format!("{error}: {edit:?}")))?;
            prop_assert_eq!(&made, &b);
            prop_assert_eq!(&apply(&made, &back, &schemas).unwrap().0, &a);
        }
        for difference in told {
            let value = |scene: &Scene| zickzack_core::scene::value_at(&serde_json::to_value(scene).unwrap(), &difference.at).cloned();
            prop_assert_eq!(&difference.before, &value(&a));
            prop_assert_eq!(&difference.after, &value(&b));
        }
    }

    #[test]
    fn another_rate_keeps_the_frames_or_the_seconds(above in 1i64..240_000, below in 1i64..1002, frames in 1u32..5000, begin in 0.0..300.0f64) {
        prop_assume!((1..=1000).contains(&(above / below)));
        let schemas = nodes::schemas();
        let mut document = lantern();
        document["frames"] = json!(frames);
        document["first_frame"] = json!(1001);
        document["nodes"]["throw"] = json!({ "type": "launch", "name": "Throw", "params": { "begin": begin } });
        let scene = Scene::from_value(document, &schemas).unwrap();
        let fps = Fraction::new(above, below).unwrap();
        prop_assume!((1.0..=1000.0).contains(&fps.value()));
        let after = |keep| apply(&scene, &with_rate(&scene, fps, keep, &schemas), &schemas).unwrap().0;
        let same_frames = after(Keep::Frames);
        prop_assert_eq!((same_frames.frames, same_frames.fps), (frames, fps));
        prop_assert_eq!(&same_frames.nodes, &scene.nodes);
        let long = f64::from(frames) / 24.0 * fps.value();
        prop_assume!(long <= 100_000.0);
        let same_seconds = after(Keep::Seconds);
        prop_assert_eq!(same_seconds.first_frame, 1001, "what it is called");
        let off = f64::from(same_seconds.frames) / fps.value() - f64::from(frames) / 24.0;
        prop_assert!(off.abs() <= 0.5 / fps.value() + 1e-9 || same_seconds.frames == 1, "{off} s");
        let begins = same_seconds.nodes["throw"].params.get("begin").and_then(Value::as_f64).unwrap_or(0.0) / fps.value();
        prop_assert!((begins - begin / 24.0).abs() < 1e-9);
    }
}
