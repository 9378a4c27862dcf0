//! GLB: read back by the gltf crate and evaluated by the rules of glTF 2.0, written here anew.

use crate::player::{Track, Tracks, every_track};
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::io::{self, Cursor, Read, Seek, SeekFrom, Write};
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, PathPoint, PointKind, through};
use zickzack_core::fraction::Fraction;
use zickzack_core::graph::{Compiled, Memo, compile};
use zickzack_core::keys::{Keys, bake_dense, bake_reduced};
use zickzack_core::motion::{Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, Ride, Sample};
use zickzack_core::nodes::Registry;
use zickzack_core::pose::{Axis, angle_between};
use zickzack_core::scene::Scene;
use zickzack_formats::csv;
use zickzack_formats::glb::{Form, GlbError, Writer};

fn motion(closed: bool) -> Arc<dyn Motion> {
    let places = [(0.0, 0.0, 0.0), (4.0, 1.0, 0.0), (5.0, 0.5, 3.0), (1.0, 0.0, 4.0)];
    let points: Vec<PathPoint> = places
        .iter()
        .map(|&(x, y, z)| PathPoint { position: DVec3::new(x, y, z), kind: PointKind::Smooth, handles: None })
        .collect();
    let path = Path::still(Curve::from(through(&points, closed).unwrap()));
    let ride = Ride::new(path, 3, Fraction::new(3, 2).unwrap(), 48.0);
    Arc::new(FaceTravel::new(Arc::new(ride), Axis::PlusX, Axis::PlusY, FaceUp::Towards(DVec3::Y)))
}

const RANGE: Frames = Frames { from: 0.0, to: 48.0 };

/// A file of these things.
pub fn written(keys: &Keys, fps: f64) -> Vec<u8> {
    written_as(keys, fps, |_| None)
}

/// The same, with what the things look like.
pub fn written_as(keys: &Keys, fps: f64, form: impl Fn(&mut Writer<Cursor<Vec<u8>>>) -> Option<Form>) -> Vec<u8> {
    // What is aside need not be empty.
    let mut aside = Cursor::new(vec![7; 5]);
    aside.set_position(5);
    let mut file = Writer::new(fps, aside);
    let form = form(&mut file);
    for (object, thing) in keys.objects.iter().enumerate() {
        file.thing(&format!("Out {}", object + 1), thing, keys.range.from, form.as_ref()).unwrap();
    }
    let mut bytes = Vec::new();
    file.finish("Fair", &mut bytes).unwrap();
    bytes
}

/// What is put aside while a file is written, with room for so many bytes.
struct Narrow {
    inner: Cursor<Vec<u8>>,
    room: usize,
}

impl Write for Narrow {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let fits = bytes.len().min(self.room - self.inner.get_ref().len());
        if fits == 0 { Err(io::ErrorKind::StorageFull.into()) } else { self.inner.write(&bytes[..fits]) }
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Read for Narrow {
    fn read(&mut self, bytes: &mut [u8]) -> io::Result<usize> {
        self.inner.read(bytes)
    }
}

impl Seek for Narrow {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.inner.seek(to)
    }
}

/// Where what is put aside finds no room, or the file itself, there is no file, and it is said why.
#[test]
fn what_finds_no_room_is_an_error_wherever_it_ends() {
    let keys = bake_dense(&motion(true), RANGE, 0.02, &Cancel::default()).unwrap();
    let write = |room: usize, file: &mut [u8]| -> Result<(), GlbError> {
        let mut writer = Writer::new(24.0, Narrow { inner: Cursor::default(), room });
        for thing in &keys.objects {
            writer.thing("Out", thing, 0.0, None)?;
        }
        writer.finish("Fair", &mut &mut *file)
    };
    let whole = written(&keys, 24.0).len();
    assert!(whole > 100_000, "more than is held back: {whole}");
    write(whole, &mut vec![0; whole]).unwrap();
    for (room, file) in [(0, whole), (70_000, whole), (whole, 0), (whole, 11), (whole, 5000), (whole, whole - 200)] {
        let refused = write(room, &mut vec![0; file]);
        assert!(matches!(refused, Err(GlbError::Io(_))), "{room} {file}: {refused:?}");
    }
}

/// Of a node.
pub fn all_tracks(bytes: &[u8], node: usize) -> Tracks {
    every_track(bytes).remove(&node).unwrap_or_default()
}

fn tracks(bytes: &[u8], node: usize) -> (Option<Track>, Option<Track>) {
    let [moves, turns, _] = all_tracks(bytes, node);
    (moves, turns)
}

fn compare(keys: &Keys, motion: &Arc<dyn Motion>, tolerance: f64, step: f64) {
    let bytes = written(keys, 24.0);
    let mut sample = Sample::default();
    for object in 0..3 {
        let (moves, turns) = tracks(&bytes, object);
        let (moves, turns) = (moves.unwrap(), turns.unwrap());
        assert!(moves.times.windows(2).all(|pair| pair[0] < pair[1]), "times grow strictly");
        for i in 0..(48.0 / step) as usize {
            let frame = i as f64 * step;
            if motion
                .breaks(object, Frames { from: frame - 0.01, to: frame + 0.01 })
                .unwrap()
                .iter()
                .any(|b| (b.frame - frame).abs() < 0.01)
            {
                continue;
            }
            motion.sample_at(&[(object, frame)], Columns::POSE, &mut sample);
            let at = DVec3::from_slice(&moves.at(frame / 24.0));
            assert!(at.distance(sample.positions[0]) <= tolerance, "{object} at {frame}: {at} {}", sample.positions[0]);
            let q = DQuat::from_slice(&turns.at(frame / 24.0)).normalize();
            assert!(angle_between(q, sample.orientations[0]) <= tolerance, "{object} at {frame}");
        }
    }
}

#[test]
fn reduced_keys_read_back_lie_on_the_motion() {
    for closed in [true, false] {
        let motion = motion(closed);
        let keys = bake_reduced(&motion, RANGE, (1e-3, 1e-3), &Cancel::default()).unwrap();
        // Per coordinate the tolerance holds, and single precision adds a little.
        compare(&keys, &motion, 1.8e-3, 0.25);
    }
}

#[test]
fn dense_keys_read_back_are_linear_and_lie_on_the_motion() {
    let motion = motion(true);
    let keys = bake_dense(&motion, RANGE, 1.0, &Cancel::default()).unwrap();
    compare(&keys, &motion, 2e-6, 1.0);
}

#[test]
fn a_motion_that_stands_still_has_a_node_and_no_animation() {
    let path = Path::still(Curve::from(
        through(
            &[DVec3::ZERO, DVec3::X].map(|position| PathPoint { position, kind: PointKind::Corner, handles: None }),
            false,
        )
        .unwrap(),
    ));
    let still: Arc<dyn Motion> = Arc::new(Ride::new(path, 1, Fraction::ZERO, 48.0));
    let keys = bake_reduced(&still, RANGE, (1e-3, 1e-3), &Cancel::default()).unwrap();
    let bytes = written(&keys, 24.0);
    let file = gltf::Gltf::from_slice(&bytes).unwrap();
    assert_eq!((file.nodes().count(), file.animations().count()), (1, 0));
}

/// A scene of one Output, compiled.
pub fn shown(fps: &str, nodes: Value, threads: Value) -> (Compiled, Scene) {
    let registry = Registry::default();
    let document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Fair", "fps": fps, "frames": 48, "space": "deep",
        "nodes": nodes, "threads": threads,
    });
    let scene = Scene::from_value(document, &registry.schemas).unwrap();
    (compile(&scene, &registry.workshop(&Memo::default(), &Cancel::default())), scene)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// At every frame of the table the keys show the same: at kinks, where it leaps and where it comes and goes too.
    #[test]
    fn glb_and_csv_agree_at_every_frame(
        corners in prop::sample::select(vec![2u32, 3, 4, 6]), laps in 1u32..5, seen in prop_oneof![Just(1.0), 0.1..0.9f64],
        fps in prop::sample::select(vec!["24", "30000/1001", "24000/1001", "60"]), reduced: bool, closed: bool, turned: bool,
    ) {
        let points: Vec<Value> = (0..=corners)
            .map(|i| json!({ "id": format!("p{i}"), "at": [i, i % 2, if closed { i * (corners - i) } else { 0 }], "kind": "corner" }))
            .collect();
        let nodes = json!({
            "path": { "type": "drawn-path", "name": "Path", "params": { "points": points, "closed": closed } },
            "ride": { "type": "ride", "name": "Ride", "params": { "laps": laps.to_string(), "to": seen } },
            "face": { "type": "face-travel", "name": "Face" , "bypassed": !turned },
            "out": { "type": "output", "name": "Out" },
        });
        let threads = json!({
            "a": { "from": "path", "to": "ride", "port": "path" }, "b": { "from": "ride", "to": "face", "port": "motion" },
            "c": { "from": "face", "to": "out", "port": "motion" },
        });
        let (compiled, scene) = shown(fps, nodes, threads);
        let outputs = vec![("Out".to_owned(), compiled.ends[0].motion.clone())];
        let (motion, cancel) = (&outputs[0].1, Cancel::default());
        let keys = if reduced { bake_reduced(motion, RANGE, (1e-3, 1e-3), &cancel) } else { bake_dense(motion, RANGE, 1.0, &cancel) }.unwrap();
        let bytes = written(&keys, scene.fps.value());
        let [moves, turns, scales] = all_tracks(&bytes, 0);
        let mut table = Vec::new();
        let range = Frames { from: 0.0, to: 47.0 };
        csv::write(&csv::Table { outputs: &outputs, range, step: 1.0, first_frame: 0 }, &mut table, &cancel).unwrap();
        let rest = gltf::Gltf::from_slice(&bytes).unwrap().nodes().next().unwrap().transform().decomposed();
        let mut gone = 0;
        for line in String::from_utf8(table).unwrap().lines().skip(1) {
            let cells: Vec<f64> = line.split(',').map(|cell| cell.parse().unwrap_or(0.0)).collect();
            let (frame, there) = (cells[0], cells[3] == 1.0);
            let at = |track: &Option<Track>, rest: &[f32]| match track {
                Some(track) => track.at(frame / scene.fps.value()),
                None => rest.iter().map(|x| f64::from(*x)).collect(),
            };
            let scale = at(&scales, &rest.2);
            prop_assert_eq!(scale[0] > 0.5, there, "at {}: {:?}", frame, scale);
            gone += usize::from(!there);
            let place = DVec3::from_slice(&at(&moves, &rest.0));
            let told = DVec3::from_slice(&cells[4..7]);
            prop_assert!(place.distance(told) < 2e-3, "at {frame}: {place} against {told}");
            let turn = DQuat::from_slice(&at(&turns, &rest.1)).normalize();
            let told = DQuat::from_slice(&cells[7..11]);
            prop_assert!(angle_between(turn, told) < 2e-3, "at {frame}: {turn} against {told}");
        }
        prop_assert_eq!(gone > 0, seen < 1.0 && (0..48).any(|frame| (frame * laps % 48) as f64 / 48.0 > seen));
    }
}
