//! What cannot be bent is said in a sentence, and the rest goes on.

use crate::common::scenes::{compiled, document, read};
use serde_json::{Value, json};

/// What is said of a strip, a model, or nothing that is bent along a path.
fn said(path: (&str, Value), told: Value, things: Option<(&str, Value)>) -> String {
    let mut nodes = vec![("path", path.0, path.1), ("bend", "bend-along", told), ("out", "output", json!({}))];
    let mut threads = vec![("path", "bend", "path"), ("bend", "out", "motion")];
    if let Some((kind, params)) = things {
        nodes.push(("things", kind, params));
        threads.push(("things", "bend", "things"));
    }
    let compiled = compiled(document(48, &nodes, &threads));
    match compiled.nodes["bend"].outcome.as_ref() {
        Ok(outcome) => outcome.warnings.join(" "),
        Err(why) => why.clone(),
    }
}

#[test]
fn what_cannot_be_bent_is_said() {
    let circle = || ("figure", json!({ "figure": "circle", "radius": 2.0 }));
    for (what, words) in [
        (said(circle(), json!({ "what": "own model" }), None), "No model is chosen yet"),
        (said(circle(), json!({ "up": "second path" }), None), "needs a second path"),
        (said(circle(), json!({}), Some(("pose", json!({})))), "do not travel on a path"),
        (said(circle(), json!({ "width": 9.0 }), None), "bends too tightly at"),
        (said(("figure", json!({ "figure": "star" })), json!({ "width": 0.2 }), None), "has a corner at"),
    ] {
        assert!(what.contains(words), "{what:?} says nothing of {words:?}");
    }
    assert_eq!(said(circle(), json!({}), None), "");
    assert_eq!(said(circle(), json!({ "length": 60.0 }), None), "", "several laps of it are no harm");
}

/// What cannot be written is said.
#[test]
fn what_cannot_be_written_is_said() {
    let told = |radius: f64, told: Value| {
        let nodes = [
            ("path", "figure", json!({ "figure": "circle", "radius": radius })),
            ("letters", "letters", told),
            ("out", "output", json!({})),
        ];
        let compiled = compiled(document(48, &nodes, &[("path", "letters", "path"), ("letters", "out", "motion")]));
        match compiled.nodes["letters"].outcome.as_ref() {
            Ok(outcome) => outcome.warnings.join(" "),
            Err(why) => why.clone(),
        }
    };
    for (what, words) in [
        (told(2.0, json!({ "text": "  " })), "nothing to be seen of the text"),
        (told(2.0, json!({ "text": "a\u{1f3a0}" })), "The font has no"),
        (told(0.2, json!({})), "longer than the path"),
    ] {
        assert!(what.to_lowercase().contains(&words.to_lowercase()), "{what:?} says nothing of {words:?}");
    }
    assert_eq!(told(5.0, json!({})), "");
}

/// Numbers at their ends give something that can be drawn.
#[test]
fn the_largest_and_the_smallest_numbers_are_bent() {
    for told in [
        json!({ "length": 1e-3, "width": 1e4 }),
        json!({ "length": 1e5, "width": 1e-4, "thickness": 0.0 }),
        json!({ "takes": "from here to there", "from": 0.5, "to": 0.5 }),
        json!({ "takes": "from here to there", "from": 1e4, "to": -1e4 }),
        json!({ "strength": 0.0, "size": [[0.0, 0.0]] }),
        json!({ "twist": [[0.0, -3600.0], [0.5, 3600.0], [1.0, 0.0]], "stripes": 400 }),
    ] {
        let nodes = [("path", "figure", json!({})), ("bend", "bend-along", told.clone()), ("out", "output", json!({}))];
        let scene = document(48, &nodes, &[("path", "bend", "path"), ("bend", "out", "motion")]);
        let compiled = compiled(scene.clone());
        let Some(end) = compiled.ends.first() else {
            panic!("{told}: {:?}", compiled.amiss(&read(scene), "bend"));
        };
        let (bend, motion) = (end.motion.kinds()[0].bent.clone().expect("bent"), &end.motion);
        let mut sample = zickzack_core::motion::Sample::default();
        motion.sample(7.0, zickzack_core::motion::Columns::POSE | zickzack_core::motion::Columns::BENT, &mut sample);
        let mut chain = Vec::new();
        bend.chain(&sample.bents[0], &mut chain);
        assert!(chain.iter().all(|joint| joint.translation.is_finite() && joint.rotation.is_normalized()), "{told}");
    }
}

/// What cannot be dented is said.
#[test]
fn what_cannot_be_dented_is_said() {
    let told = |ball: Value, at: [f64; 3], dent: Value| {
        let nodes = [
            ("path", "figure", json!({ "figure": "circle", "radius": 1.0, "plane": "ground", "at": at })),
            ("ride", "ride", json!({ "riders": 2, "laps": "1" })),
            ("ball", "ball", ball),
            ("dent", "dent", dent),
            ("out", "output", json!({})),
        ];
        let threads = [
            ("path", "ride", "path"),
            ("ride", "dent", "motion"),
            ("ball", "dent", "surface"),
            ("dent", "out", "motion"),
        ];
        let compiled = compiled(document(48, &nodes, &threads));
        match compiled.nodes["dent"].outcome.as_ref() {
            Ok(outcome) => outcome.warnings.join(" "),
            Err(why) => why.clone(),
        }
    };
    let (ball, here) = (|| json!({ "radius": 1.0 }), [0.0; 3]);
    for (what, words) in [
        (told(json!({ "radius": { "formula": "1 + 0.2 * loop" } }), here, json!({})), "changes its form over time"),
        (told(ball(), here, json!({ "reach": 0.0 })), "Nothing reaches the surface"),
        (told(ball(), here, json!({ "depth": 1.2 })), "turns inside out"),
        (told(ball(), [9.0, 0.0, 0.0], json!({})), "Nothing comes within 0.40 m"),
        (told(json!({ "radius": 500.0 }), here, json!({})), "look coarse"),
    ] {
        assert!(what.contains(words), "{what:?} says nothing of {words:?}");
    }
    assert_eq!(told(ball(), here, json!({})), "");
    assert_eq!(told(ball(), here, json!({ "depth": 1.2, "way": "raise" })), "", "it may be raised as far as one likes");
    assert_eq!(
        told(json!({ "radius": 1.0, "orientation": [0.0, { "formula": "90 * loop" }, 0.0] }), here, json!({})),
        ""
    );
}
