//! The document: refusals, and edits with their inverses.

use proptest::prelude::*;
use serde_json::{Value, json};
use zickzack_core::nodes;
use zickzack_core::scene::{Op, Scene, Space, apply};

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
        (Box::new(ride("speed", json!(1))), &["no parameter", "speed"]),
        (Box::new(|d| d["nodes"]["ride"]["type"] = json!("teleport")), &["nodes/ride", "unknown type", "teleport"]),
        (Box::new(|d| d["nodes"]["path"]["params"]["points"][1]["at"] = json!([0, 1e300, 0])), &["point 2", "within"]),
        (Box::new(|d| d["nodes"]["path"]["params"]["points"][1]["id"] = json!("a")), &["id \"a\""]),
        (Box::new(|d| d["threads"]["t2"]["from"] = json!("path")), &["threads/t2", "gives path", "takes a motion"]),
        (Box::new(|d| d["threads"]["t2"]["from"] = json!("out")), &["threads/t2", "gives nothing"]),
        (Box::new(|d| d["threads"]["t1"]["port"] = json!("up")), &["threads/t1", "no port"]),
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
    let cases: Vec<Value> = serde_json::from_str(include_str!("edits.json")).unwrap();
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
