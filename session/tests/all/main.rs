//! Scenes with their files, read and handed off.

mod bones;
mod everything;
mod forms;
mod limbs;
mod ordered;
#[path = "../../../formats/tests/all/player.rs"]
mod player;
mod stages;

use proptest::prelude::*;
use serde_json::{Value, json};
use std::io::Cursor;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::keys::Keying;
use zickzack_core::motion::{Cancel, Frames};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;
use zickzack_formats::files::hash;
use zickzack_session::{HandOff, ReadError, Session};

/// What a program says, as JSON, of a file with this content at some times.
fn told<T: serde::de::DeserializeOwned>(mut program: Command, (bytes, ending): (&[u8], &str), times: &[f64]) -> T {
    static NUMBER: AtomicUsize = AtomicUsize::new(0);
    let number = NUMBER.fetch_add(1, Ordering::Relaxed);
    let path = std::env::temp_dir().join(format!("zickzack-told-{}-{number}.{ending}", std::process::id()));
    std::fs::write(&path, bytes).unwrap();
    let output = program.arg(&path).args(times.iter().map(f64::to_string)).output();
    std::fs::remove_file(&path).unwrap();
    let output = output.expect("the program is there: ./test installs it");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).unwrap()
}

/// A script of the web's, which has three.
fn web_script(name: &str) -> Command {
    let mut node = Command::new("node");
    node.arg(Path::new(env!("CARGO_MANIFEST_DIR")).join("../web/scripts").join(name));
    node
}

/// A folder of one's own, gone with its owner.
struct Folder(PathBuf);

impl Folder {
    fn new(name: &str) -> Self {
        let folder = std::env::temp_dir().join(format!("zickzack-session-{name}-{}", std::process::id()));
        std::fs::create_dir_all(&folder).unwrap();
        Self(folder)
    }

    fn put(&self, name: &str, content: &[u8]) -> PathBuf {
        let path = self.0.join(name);
        std::fs::write(&path, content).unwrap();
        path
    }
}

impl Drop for Folder {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir_all(&self.0);
    }
}

/// Riders on a path that is a drawing of this content.
fn drawn(content: &[u8]) -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Drawn", "space": "deep", "fps": "24", "frames": 24,
        "assets": { "way.svg": { "hash": hash(content), "media": "image/svg+xml" } },
        "nodes": {
            "way": { "type": "svg-path", "name": "Way", "params": { "file": "way.svg" } },
            "ride": { "type": "ride", "name": "Ride", "params": { "riders": 2, "laps": "1" } },
            "out": { "type": "output", "name": "Out" },
            "none": { "type": "output", "name": "Nothing" },
        },
        "threads": {
            "a": { "from": "way", "to": "ride", "port": "path" }, "b": { "from": "ride", "to": "out", "port": "motion" },
        },
    })
}

fn table(session: &Session) -> Result<String, String> {
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let hand_off = HandOff::of(session, &compiled, |_| true);
    if let Some((_, why)) = hand_off.broken().iter().find(|(name, _)| *name == "Out") {
        return Err(why.clone());
    }
    let mut table = Vec::new();
    hand_off.write_csv(Frames { from: 0.0, to: 23.0 }, 0.5, &mut table, &cancel).map_err(|error| error.to_string())?;
    Ok(String::from_utf8(table).unwrap())
}

const CIRCLE: &[u8] = br#"<svg xmlns="http://www.w3.org/2000/svg"><circle cx="3" cy="4" r="2"/></svg>"#;

#[test]
fn a_scene_with_a_file_beside_it_is_the_same_as_one_file() {
    let folder = Folder::new("beside");
    folder.put("way.svg", CIRCLE);
    let path = folder.put("scene.json", drawn(CIRCLE).to_string().as_bytes());
    let beside = Session::read(&path, Arc::default()).unwrap();
    let whole = folder.put("whole.json", &serde_json::to_vec(&beside.as_one_file().unwrap()).unwrap());
    std::fs::remove_file(folder.0.join("way.svg")).unwrap();
    let inside = Session::read(&whole, Arc::default()).unwrap();
    let seen = table(&beside).unwrap();
    assert_eq!(seen.lines().count(), 1 + 2 * 47);
    assert_eq!(table(&inside).unwrap(), seen);
}

#[test]
fn a_file_that_is_not_there_or_another_is_told_where_it_is_asked_for() {
    let folder = Folder::new("missing");
    let path = folder.put("scene.json", drawn(CIRCLE).to_string().as_bytes());
    let missing = Session::read(&path, Arc::default()).unwrap();
    let why = table(&missing).unwrap_err();
    assert!(why.contains("\"Way\" does not work") && why.contains("beside the scene cannot be read"), "{why}");
    assert!(missing.as_one_file().unwrap_err().contains("way.svg"));
    folder.put("way.svg", b"<svg xmlns=\"http://www.w3.org/2000/svg\"/>");
    let why = table(&Session::read(&path, Arc::default()).unwrap()).unwrap_err();
    assert!(why.contains("not the one that the scene was saved with"), "{why}");
}

#[test]
fn what_is_no_scene_says_which_file_and_why() {
    let folder = Folder::new("wrong");
    let refused = |path: PathBuf| Session::read(&path, Arc::default()).err().unwrap();
    let gone = refused(folder.0.join("gone.json"));
    assert!(matches!(gone, ReadError::Unopened(..)) && gone.to_string().contains("gone.json cannot be opened"));
    let bytes = refused(folder.put("bytes.json", &[0xff, 0xfe, 0]));
    assert!(matches!(bytes, ReadError::NotText(..)), "{bytes}");
    let other = refused(folder.put("other.json", b"{}"));
    assert!(matches!(other, ReadError::NotAScene(..)) && other.to_string().contains("other.json: "), "{other}");
    let large = std::fs::File::create(folder.0.join("large.json")).unwrap();
    large.set_len((64 << 20) + 1).unwrap();
    assert!(matches!(refused(folder.0.join("large.json")), ReadError::TooLarge(_)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Whatever is wanted of a scene, each of its Outputs is either handed off or said to be broken, and only those that are
    /// wanted; keys stay within what was asked.
    #[test]
    fn every_output_that_is_wanted_is_handed_off_or_said_to_be_broken(
        outputs in prop::collection::vec((any::<bool>(), any::<bool>()), 1..6), metres in 1e-4..1e-1_f64,
    ) {
        let mut document = drawn(CIRCLE);
        document["assets"] = json!({});
        document["nodes"] = json!({
            "way": { "type": "figure", "name": "Way" }, "ride": { "type": "ride", "name": "Ride" },
        });
        document["threads"] = json!({ "a": { "from": "way", "to": "ride", "port": "path" } });
        for (i, (threaded, _)) in outputs.iter().enumerate() {
            document["nodes"][format!("out{i}")] = json!({ "type": "output", "name": format!("Out {i}") });
            if *threaded {
                document["threads"][format!("t{i}")] = json!({ "from": "ride", "to": format!("out{i}"), "port": "motion" });
            }
        }
        let registry = Arc::new(Registry::default());
        let scene = Scene::from_value(document, &registry.schemas).unwrap();
        let session = Session::new(registry, scene, Arc::default());
        let (memo, cancel) = (Memo::default(), Cancel::default());
        let compiled = session.compile(&memo, &AtOnce, &cancel);
        let wanted = |id: &str| id.strip_prefix("out").is_some_and(|i| outputs[i.parse::<usize>().unwrap()].1);
        let hand_off = HandOff::of(&session, &compiled, wanted);
        let names = |works: bool| -> Vec<String> {
            let chosen = outputs.iter().enumerate().filter(|(_, (threaded, wanted))| *wanted && *threaded == works);
            chosen.map(|(i, _)| format!("Out {i}")).collect()
        };
        let given: Vec<String> = hand_off.outputs().iter().map(|(name, _)| name.clone()).collect();
        let broken: Vec<String> = hand_off.broken().iter().map(|(name, _)| (*name).to_owned()).collect();
        prop_assert_eq!(given, names(true));
        prop_assert_eq!(broken, names(false));
        let lap = Frames { from: 0.0, to: 24.0 };
        let (keying, mut file) = (Keying::Within { metres, radians: metres }, Vec::new());
        let tallies = hand_off.write_glb((lap, keying), Cursor::new(Vec::new()), &mut file, &cancel).unwrap();
        prop_assert_eq!(tallies.len(), hand_off.outputs().len());
        for (tally, (_, motion)) in tallies.iter().zip(hand_off.outputs()) {
            prop_assert_eq!(tally.things, motion.len());
            prop_assert!(tally.off.0 <= metres && tally.turned_off.0 <= metres);
        }
        prop_assert!(file.starts_with(b"glTF"));
    }
}

/// The header of a binary glTF file.
fn header(file: &[u8]) -> Value {
    let length = u32::from_le_bytes(file[12..16].try_into().unwrap()) as usize;
    serde_json::from_slice(&file[20..20 + length]).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    /// Each thing has the form of its kind, in the colour that it has at the start; and the file says which frames it holds.
    #[test]
    fn things_look_in_a_file_as_their_kinds_say(
        riders in 1usize..12, from in 0u32..10, first in -50i64..1100, exactly: bool, phase: bool, fps in prop::sample::select(vec!["24", "30000/1001"]),
    ) {
        let mut document = drawn(CIRCLE);
        document["assets"] = json!({});
        document["fps"] = json!(fps);
        document["first_frame"] = json!(first);
        document["nodes"] = json!({
            "way": { "type": "figure", "name": "Way" },
            "ride": { "type": "ride", "name": "Ride", "params": { "riders": riders } },
            "kinds": { "type": "kinds", "name": "Kinds", "params": {
                "kinds": [{ "id": "a", "thing": "ball", "colour": "#ff0000" }, { "id": "b", "thing": "letter", "letter": "Qx" }, { "id": "c" }],
                "dealt": if exactly { "exactly" } else { "by chance" }, "colouring": if phase { "phase" } else { "kind" },
                "first": "#00ff00", "last": "#0000ff",
            } },
            "out": { "type": "output", "name": "Out", "params": { "thing": "cone", "size": 2.0 } },
        });
        document["threads"] = json!({
            "a": { "from": "way", "to": "ride", "port": "path" }, "b": { "from": "ride", "to": "kinds", "port": "motion" },
            "c": { "from": "kinds", "to": "out", "port": "motion" },
        });
        let registry = Arc::new(Registry::default());
        let scene = Scene::from_value(document, &registry.schemas).unwrap();
        let session = Session::new(registry, scene, Arc::default());
        let (memo, cancel) = (Memo::default(), Cancel::default());
        let compiled = session.compile(&memo, &AtOnce, &cancel);
        let hand_off = HandOff::of(&session, &compiled, |_| true);
        let range = Frames { from: f64::from(from), to: f64::from(from) + 5.0 };
        let mut file = Vec::new();
        hand_off.write_glb((range, Keying::Every(1.0)), Cursor::new(Vec::new()), &mut file, &cancel).unwrap();
        let header = header(&file);
        let extras = &header["scenes"][0]["extras"];
        prop_assert_eq!(extras, &json!({ "fps": fps, "first_frame": range.from + first as f64, "last_frame": range.to + first as f64 }));
        let motion = &hand_off.outputs()[0].1;
        let mut sample = zickzack_core::motion::Sample::default();
        motion.sample(range.from, zickzack_core::motion::Columns::TINT, &mut sample);
        let nodes = header["nodes"].as_array().unwrap();
        prop_assert_eq!(nodes.len(), riders + 1, "the things, and the path that they are on");
        for (object, node) in nodes.iter().take(riders).enumerate() {
            let mesh = &header["meshes"][node["mesh"].as_u64().unwrap() as usize];
            let kind = motion.kind(object);
            prop_assert_eq!(&mesh["name"], ["ball", "letter Q", "cone"][kind]);
            let part = &mesh["primitives"][0];
            let material = &header["materials"][part["material"].as_u64().unwrap() as usize];
            prop_assert_eq!(material["doubleSided"] == true, kind == 1);
            let paper = [0.913, 0.863, 0.768];
            let wanted = match kind {
                _ if phase => [0.0, 1.0 - sample.tints[object], sample.tints[object]],
                0 => [1.0, 0.0, 0.0],
                _ => paper,
            };
            // A factor of 1 everywhere is left out.
            let factor = material["pbrMetallicRoughness"]["baseColorFactor"].as_array().cloned();
            let factor: Vec<f64> = factor.map_or(vec![1.0; 4], |all| all.iter().map(|x| x.as_f64().unwrap()).collect());
            for (part, wanted) in factor.iter().zip(wanted) {
                // Colours between two go in steps.
                prop_assert!((part - wanted).abs() < 3e-3, "{object} of kind {kind}: {factor:?} for {wanted:?}");
            }
            let corners = &header["accessors"][part["attributes"]["POSITION"].as_u64().unwrap() as usize];
            let longest = (0..3).map(|i| corners["max"][i].as_f64().unwrap() - corners["min"][i].as_f64().unwrap()).fold(0.0, f64::max);
            prop_assert!(if kind == 1 { longest < 2.0 } else { (longest - 2.0).abs() < 0.02 }, "{longest}");
        }
    }
}

/// A form that cannot be made is told by the name of its Output, and nothing is written.
#[test]
fn a_letter_that_the_font_does_not_have_is_told() {
    let mut document = drawn(CIRCLE);
    document["assets"] = json!({});
    document["nodes"] = json!({
        "way": { "type": "figure", "name": "Way" }, "ride": { "type": "ride", "name": "Ride" },
        "out": { "type": "output", "name": "Sign", "params": { "thing": "letter", "letter": "\u{1F980}" } },
    });
    document["threads"] = json!({
        "a": { "from": "way", "to": "ride", "port": "path" }, "b": { "from": "ride", "to": "out", "port": "motion" },
    });
    let registry = Arc::new(Registry::default());
    let session =
        Session::new(registry.clone(), Scene::from_value(document, &registry.schemas).unwrap(), Arc::default());
    let (memo, cancel, mut file) = (Memo::default(), Cancel::default(), Vec::new());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let range = Frames { from: 0.0, to: 5.0 };
    let refused = HandOff::of(&session, &compiled, |_| true)
        .write_glb((range, Keying::Every(1.0)), Cursor::new(Vec::new()), &mut file, &cancel)
        .unwrap_err()
        .to_string();
    assert!(refused.contains("\"Sign\"") && refused.contains("write another sign"), "{refused}");
    assert!(file.is_empty());
}
