//! Documents read and compiled as the program does it, with nothing remembered and no files.

use glam::DVec3;
use serde_json::{Value, json};
use std::sync::Arc;
use zickzack_core::curve::Outline;
use zickzack_core::graph::{Assets, Compiled, EndReport, Memo, Workshop, compile, try_offers};
use zickzack_core::motion::Cancel;
use zickzack_core::nodes::Registry;
use zickzack_core::rig::{Clip, Rig};
use zickzack_core::scene::Scene;

/// A document, read.
pub fn read(document: Value) -> Scene {
    Scene::from_value(document, &Registry::default().schemas).expect("a scene")
}

/// What `work` makes of a scene in a workshop of its own. The document must be a scene.
pub fn in_workshop<T>(document: Value, work: impl FnOnce(&Scene, &Workshop<'_>) -> T) -> T {
    let scene = read(document);
    workshop(|workshop| work(&scene, workshop))
}

/// What `work` makes in a workshop that remembers nothing from before.
pub fn workshop<T>(work: impl FnOnce(&Workshop<'_>) -> T) -> T {
    workshop_with(1.0, work)
}

fn workshop_with<T>(patience: f64, work: impl FnOnce(&Workshop<'_>) -> T) -> T {
    let registry = Registry::default();
    let cancel = Cancel::patient(patience);
    work(&registry.workshop(&Memo::default(), &cancel))
}

/// A document, compiled.
pub fn compiled(document: Value) -> Compiled {
    in_workshop(document, compile)
}

/// What the files of a scene hold.
#[derive(Clone, Default)]
pub struct Files {
    /// Corners of any model.
    pub corners: Vec<DVec3>,
    /// Joints and clips of any model.
    pub animated: Option<Arc<(Rig, Vec<Clip>)>>,
    /// How wide any picture is for its height.
    pub picture: Option<f64>,
}

impl Files {
    /// A document with these files, compiled.
    pub fn compiled(self, document: Value) -> Compiled {
        let scene = read(document);
        let files: Arc<dyn Assets> = Arc::new(self);
        workshop(|workshop| compile(&scene, &Workshop { assets: &files, ..*workshop }))
    }
}

impl Assets for Files {
    fn outlines(&self, _: &str) -> Result<Arc<Vec<Outline>>, String> {
        Err("none".to_owned())
    }
    fn corners(&self, _: &str) -> Result<Arc<Vec<DVec3>>, String> {
        Ok(Arc::new(self.corners.clone()))
    }
    fn places(&self, _: &str) -> Result<Arc<Vec<DVec3>>, String> {
        Err("none".to_owned())
    }
    fn picture(&self, _: &str) -> Result<f64, String> {
        self.picture.ok_or_else(|| "none".to_owned())
    }
    fn animated(&self, _: &str) -> Result<Arc<(Rig, Vec<Clip>)>, String> {
        self.animated.clone().ok_or_else(|| "none".to_owned())
    }
}

/// A document, compiled with so many times the usual patience.
pub fn hastily(document: Value, patience: f64) -> Compiled {
    let scene = read(document);
    workshop_with(patience, |workshop| compile(&scene, workshop))
}

/// The report on the first end of a document, its offers tried.
pub fn told(document: Value) -> EndReport {
    in_workshop(document, |scene, workshop| {
        let compiled = compile(scene, workshop);
        let timing = compiled.timing;
        let mut report = EndReport::of(&compiled.ends[0], timing.frames, timing.fps, workshop.cancel).unwrap();
        try_offers(scene, &mut report, workshop).unwrap();
        report
    })
}

/// A document of these nodes, `(id, type, params)` each; threads are `(from, to, port)`.
pub fn document(frames: u32, nodes: &[(&str, &str, Value)], threads: &[(&str, &str, &str)]) -> Value {
    let mut made = json!({});
    for (id, kind, params) in nodes {
        made[*id] = json!({ "type": kind, "name": id, "params": params });
    }
    let mut pulled = json!({});
    for (number, (from, to, port)) in threads.iter().enumerate() {
        pulled[format!("t{number}")] = json!({ "from": from, "to": to, "port": port });
    }
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Tried", "fps": "24", "frames": frames, "space": "deep",
        "nodes": made, "threads": pulled,
    })
}
