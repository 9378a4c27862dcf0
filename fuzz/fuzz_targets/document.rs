//! Scenes: what can be read is worked out within a budget, and is what it is when it is written and read again.
#![no_main]

use std::sync::OnceLock;
use zickzack_core::graph::{Memo, compile};
use zickzack_core::motion::Cancel;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;

/// Part of the looks that a scene has otherwise: a scene that takes them all is refused at a node.
const PATIENCE: f64 = 1e-3;

libfuzzer_sys::fuzz_target!(|text: &str| {
    static REGISTRY: OnceLock<Registry> = OnceLock::new();
    let registry = REGISTRY.get_or_init(Registry::default);
    let Ok(value) = serde_json::from_str(text) else { return };
    let Ok(scene) = Scene::from_value(value, &registry.schemas) else { return };
    let written = serde_json::to_value(&scene).expect("a scene can be written");
    let again = Scene::from_value(written.clone(), &registry.schemas).expect("what was written can be read");
    assert_eq!(serde_json::to_value(&again).expect("a scene can be written"), written);
    compile(&scene, &registry.workshop(&Memo::default(), &Cancel::patient(PATIENCE)));
});
