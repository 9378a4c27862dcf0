//! What cannot be: each is refused at its node, in a sentence that says what to do, and all else goes on.

use crate::common::scenes::compiled;
use serde_json::{Value, json};
use zickzack_core::graph::Product;
use zickzack_core::motion::{Columns, Sample};

/// A scene of a path, a ride on it, and one more node that takes from them at these ports.
fn scene(kind: &str, params: Value, threads: &[(&str, &str)]) -> Value {
    let mut all = json!({ "a": { "from": "path", "to": "ride", "port": "path" } });
    for (i, (from, port)) in threads.iter().enumerate() {
        all[format!("t{i}")] = json!({ "from": from, "to": "node", "port": port });
    }
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Refused", "fps": "24", "frames": 48, "space": "deep",
        "nodes": {
            "path": { "type": "figure", "name": "Path" },
            "ride": { "type": "ride", "name": "Ride", "params": { "riders": 3 } },
            "node": { "type": kind, "name": "Node", "params": params },
        },
        "threads": all,
    })
}

#[test]
fn births_and_lives_that_cannot_be_are_refused_in_a_sentence() {
    let path = [("path", "path")];
    let motion = [("ride", "motion")];
    let cases = [
        ("swarm", json!({ "rate": 0 }), &path[..], "Nothing is born"),
        ("swarm", json!({ "births": "evenly", "count": 0 }), &path, "Nothing is born"),
        ("swarm", json!({ "speed": 0 }), &path, "never come through"),
        ("swarm", json!({ "rate": 1e6 }), &path, "births in a loop are too many"),
        ("swarm", json!({ "births": "evenly", "count": 100_000, "speed": 0.001 }), &path, "million things"),
        ("emit", json!({ "life": 0 }), &motion, "Nothing is ever there"),
        ("emit", json!({ "births": "evenly", "count": 1_000_000, "life": 1e6 }), &motion, "million things"),
        ("emit", json!({ "births": "all at once", "at": 48 }), &motion, "not in the loop"),
        ("emit", json!({ "births": "at contacts" }), &motion, "\"from\": not connected"),
        ("look-by", json!({ "by": "age" }), &motion, "never begin anew"),
        ("look-by", json!({ "by": "distance" }), &motion, "\"lead\": not connected"),
        ("emit", json!({ "births": "at contacts" }), &[("ride", "motion"), ("ride", "from")], "touches nothing"),
    ];
    for (kind, params, threads, words) in cases {
        let compiled = compiled(scene(kind, params.clone(), threads));
        let outcome = compiled.nodes["node"].outcome.as_ref().as_ref();
        let Err(told) = outcome else { panic!("{kind} {params} is made") };
        assert!(told.to_string().contains(words), "{kind} {params}: {told}");
        assert!(compiled.nodes["ride"].outcome.is_ok(), "all else goes on");
    }
}

#[test]
fn what_begins_anew_does_not_begin_anew_twice() {
    let mut twice = scene("emit", json!({}), &[("ride", "motion")]);
    twice["nodes"]["again"] = json!({ "type": "emit", "name": "Again" });
    twice["threads"]["b"] = json!({ "from": "node", "to": "again", "port": "motion" });
    let compiled = compiled(twice);
    let Err(told) = compiled.nodes["again"].outcome.as_ref().as_ref() else { panic!("it is made") };
    assert!(told.to_string().contains("begins anew itself"), "{told}");
}

#[test]
fn lives_that_last_many_loops_are_there_all_at_once() {
    let compiled =
        compiled(scene("emit", json!({ "births": "evenly", "count": 3, "life": 480 }), &[("ride", "motion")]));
    let outcome = compiled.nodes["node"].outcome.as_ref().as_ref().expect("made");
    assert!(outcome.facts.contains(&"30 there at a time".to_owned()), "{:?}", outcome.facts);
}

#[test]
fn flocks_that_cannot_be_are_refused_in_a_sentence() {
    let cases = [
        (json!({ "begin": "along the path" }), "no path to begin along"),
        (json!({ "count": 200_000 }), "million poses"),
        (json!({ "pull": { "formula": "sqrt(-1)" } }), "Pull gives no number at frame 0"),
        (json!({ "count": 20_000, "finely": "given", "steps": 64 }), "million steps"),
    ];
    for (params, words) in cases {
        let compiled = compiled(scene("flock", params.clone(), &[]));
        let Err(told) = compiled.nodes["node"].outcome.as_ref().as_ref() else { panic!("{params} is made") };
        assert!(told.to_string().contains(words), "{params}: {told}");
        assert!(compiled.nodes["ride"].outcome.is_ok(), "all else goes on");
    }
}

/// What is odd is defined: nothing that is no number comes of it, and nothing is refused.
#[test]
fn odd_flocks_fly() {
    let lead = [("ride", "lead")];
    let path = [("path", "path")];
    let cases = [
        (json!({ "extent": [0, 0, 0], "count": 30 }), &[][..]),
        (json!({ "sight": 0.1, "heeds": 0, "view": 1 }), &[]),
        (json!({ "speed": 0.001, "least": 0, "turning": 1 }), &[]),
        (json!({ "speed": 10_000, "most": 100, "reaction": 0.01, "turning": 100_000 }), &[]),
        (json!({ "separation": 100, "cohesion": -100, "turbulence": 100, "closest": 3 }), &[]),
        (json!({ "turbulence": { "formula": "100 * loop" }, "pull": { "formula": "200 * loop - 100" } }), &lead),
        (json!({ "behind": 0, "reach": 1, "overtakes": false }), &lead),
        (json!({ "tube": 0, "swirl": 100, "begin": "along the path" }), &path),
        (json!({ "before": 0, "size": 1e-4 }), &[("ride", "motion"), ("ride", "lead"), ("ride", "others")]),
    ];
    for (params, threads) in cases {
        let compiled = compiled(scene("flock", params.clone(), threads));
        let outcome = compiled.nodes["node"].outcome.as_ref().as_ref();
        let product = outcome.unwrap_or_else(|error| panic!("{params}: {error}")).product.clone();
        let Product::Motion(motion) = product else { panic!("a motion") };
        let mut sample = Sample::default();
        for frame in [0.0, 13.5, 47.0] {
            motion.sample(frame, Columns::POSE | Columns::VELOCITY, &mut sample);
            assert!(sample.positions.iter().chain(&sample.velocities).all(|v| v.is_finite()), "{params} at {frame}");
        }
    }
}
