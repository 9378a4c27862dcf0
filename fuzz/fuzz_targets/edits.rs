//! Edits: what is taken can be taken back, to the letter.
#![no_main]

use std::sync::OnceLock;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Op, Scene, apply};

const SCENE: &str = include_str!("../../demo/parade.json");

libfuzzer_sys::fuzz_target!(|text: &str| {
    static WORLD: OnceLock<(Registry, Scene)> = OnceLock::new();
    let (registry, scene) = WORLD.get_or_init(|| {
        let registry = Registry::default();
        let value = serde_json::from_str(SCENE).expect("the demo is JSON");
        let scene = Scene::from_value(value, &registry.schemas).expect("the demo can be read");
        (registry, scene)
    });
    let Ok(ops) = serde_json::from_str::<Vec<Op>>(text) else { return };
    let Ok((edited, back)) = apply(scene, &ops, &registry.schemas) else { return };
    let (again, _) = apply(&edited, &back, &registry.schemas).expect("an edit can be taken back");
    assert_eq!(again, *scene);
});
