//! Joints and clips of models: they are what the file says, and what is damaged is refused.

use crate::cases::cases;
use glam::DMat4;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::path::Path;
use zickzack_core::rig::{Cycle, PoseTable, Repertoire};
use zickzack_formats::animated::{self, Hanging};

const MOTH: &[u8] = include_bytes!("../../../demo/moth.glb");
const KITE: &[u8] = include_bytes!("../../../demo/kite.glb");
const SWAN: &[u8] = include_bytes!("../../../demo/swan-boat.glb");

#[test]
fn models_of_the_demo_have_the_joints_and_clips_that_they_were_made_with() {
    let ((rig, clips), bones) = animated::with_bones(MOTH).unwrap();
    let named: Vec<(&str, f64)> = clips.iter().map(|clip| (clip.name.as_str(), clip.seconds())).collect();
    assert_eq!(named.iter().map(|clip| clip.0).collect::<Vec<_>>(), ["beat", "glide"]);
    assert!((named[0].1 - 0.25).abs() < 1e-6 && (named[1].1 - 0.9).abs() < 1e-6, "{named:?}");
    assert_eq!(bones, (0..5).map(Hanging::Node).collect::<Vec<_>>(), "a body and four wings, none on a skin");
    assert_eq!(rig.bones().len(), 5);
    let [low, high] = rig.around();
    assert!(high.z - low.z > 1.4 && (high.z + low.z).abs() < 1e-6, "wings reach as far to either side: {low} {high}");

    let ((rig, _), bones) = animated::with_bones(KITE).unwrap();
    assert_eq!(bones.iter().filter(|bone| matches!(bone, Hanging::Skin { skin: 0, .. })).count(), 7);
    assert_eq!(bones.last(), Some(&Hanging::Node(0)), "the sail hangs on its own node");
    // At rest every joint's bone leaves corners where they are written.
    let mut joints = Vec::new();
    rig.placed(&rig.rest(), &mut joints);
    for bone in rig.carried(&joints) {
        assert!(bone.abs_diff_eq(DMat4::IDENTITY, 1e-6), "{bone}");
    }
    assert!(animated::read(SWAN).unwrap().1.is_empty(), "the boat has no clips");
}

/// Every clip of the demo's models runs into itself.
#[test]
fn clips_of_the_demo_close() {
    for bytes in [MOTH, KITE] {
        let model = std::sync::Arc::new(animated::read(bytes).unwrap());
        for clip in 0..model.1.len() {
            let played = Repertoire::new(model.clone(), vec![Cycle { clip, blend: 0.0 }]).unwrap();
            assert!(played.gap(0) < 1e-3, "{}: {}", model.1[clip].name, played.gap(0));
            let table = PoseTable::of(&played);
            assert!(table.error < 1e-5, "{}: {} with {} rows", model.1[clip].name, table.error, table.rows.len());
        }
    }
}

/// What is played of a model: where its nodes are, and what carries corners, at some times.
fn played(bytes: &[u8]) -> Value {
    let model = std::sync::Arc::new(animated::read(bytes).unwrap());
    let rows = |matrix: &DMat4| matrix.to_cols_array().to_vec();
    let mut moments = Vec::new();
    for clip in 0..model.1.len() {
        let repertoire = Repertoire::new(model.clone(), vec![Cycle { clip, blend: 0.0 }]).unwrap();
        for part in [0.0, 0.13, 0.37, 0.5, 0.71, 0.994] {
            let mut joints = Vec::new();
            repertoire.joints(0.0, part, &mut joints);
            let bones: Vec<DMat4> = repertoire.rig().carried(&joints).collect();
            moments.push(json!({
                "clip": model.1[clip].name, "seconds": part * repertoire.period(0),
                "nodes": joints.iter().map(rows).collect::<Vec<_>>(), "bones": bones.iter().map(rows).collect::<Vec<_>>(),
            }));
        }
    }
    json!(moments)
}

/// The page holds what another player makes of the same files to these numbers. `ZICKZACK_WRITE=1` writes them anew.
#[test]
fn joints_are_where_the_page_compares_them() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures/played.json");
    let found = json!({ "moth": played(MOTH), "kite": played(KITE) });
    if std::env::var_os("ZICKZACK_WRITE").is_some() {
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, serde_json::to_string(&found).unwrap()).unwrap();
    }
    let kept: Value = serde_json::from_slice(&std::fs::read(&path).unwrap()).unwrap();
    fn numbers(value: &Value, out: &mut Vec<f64>) {
        match value {
            Value::Array(list) => list.iter().for_each(|value| numbers(value, out)),
            Value::Object(map) => map.values().for_each(|value| numbers(value, out)),
            Value::Number(number) => out.push(number.as_f64().unwrap()),
            _ => {}
        }
    }
    let (mut a, mut b) = (Vec::new(), Vec::new());
    numbers(&kept, &mut a);
    numbers(&found, &mut b);
    assert_eq!(a.len(), b.len());
    assert!(a.iter().zip(&b).all(|(a, b)| (a - b).abs() < 1e-12), "the numbers that the page is held to are others");
}

proptest! {
    #![proptest_config(cases(256))]

    /// Whatever becomes of a file on its way: it is read, or refused; what is read can be played.
    #[test]
    fn a_damaged_model_is_read_or_refused(kite: bool, at in prop::collection::vec((0.0..1.0f64, any::<u8>()), 1..6), cut in prop::option::weighted(0.2, 0.0..1.0f64)) {
        let mut bytes = if kite { KITE } else { MOTH }.to_vec();
        for (part, byte) in at {
            let index = (part * bytes.len() as f64) as usize;
            bytes[index] = byte;
        }
        if let Some(part) = cut {
            bytes.truncate((part * bytes.len() as f64) as usize);
        }
        match animated::read(&bytes) {
            Err(why) => prop_assert!(!why.to_string().is_empty()),
            Ok(model) => {
                let clips = model.1.len();
                let model = std::sync::Arc::new(model);
                for clip in 0..clips {
                    let Ok(played) = Repertoire::new(model.clone(), vec![Cycle { clip, blend: 0.1 }]) else { continue };
                    let mut joints = Vec::new();
                    for part in [0.0, 0.4, 0.999] {
                        played.joints(0.0, part, &mut joints);
                        prop_assert!(joints.iter().all(|joint| joint.is_finite()), "{:?}", joints);
                    }
                }
            }
        }
    }
}
