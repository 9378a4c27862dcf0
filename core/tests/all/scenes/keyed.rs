//! The curve between keys, which the page works out for itself while they are edited.

use crate::common::scenes::compiled;
use serde_json::{Value, json};
use zickzack_core::graph::Product;

/// The page holds its own to the same file.
#[test]
fn the_curve_between_keys_is_that_of_the_page() {
    let lists: Value = serde_json::from_str(include_str!("../../fixtures/keyed.json")).unwrap();
    let lists = lists.as_array().unwrap();
    assert!(lists.len() >= 60);
    for (number, list) in lists.iter().enumerate() {
        let compiled = compiled(json!({
            "format": "zickzack-scene", "version": 1, "name": "Keyed", "fps": "24", "frames": 480, "space": "deep",
            "nodes": { "keys": { "type": "keys", "name": "Keys", "params": { "beyond": "holds", "keys": list["keys"] } } },
            "threads": {},
        }));
        let outcome = compiled.nodes["keys"].outcome.as_ref().as_ref().unwrap();
        let Product::Signal(signal) = &outcome.product else { panic!("a signal") };
        for look in list["looks"].as_array().unwrap() {
            let (frame, wanted) = (look[0].as_f64().unwrap(), look[1].as_f64().unwrap());
            let found = signal.at(frame);
            assert!((found - wanted).abs() <= 1e-9, "list {number} at {frame}: {found}, {wanted}");
        }
    }
}
