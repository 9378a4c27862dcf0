//! What else a binary glTF file holds: surfaces that are dented, lines along paths, the camera; and what is told of it.

use glam::{DVec3, Mat4, Vec3};
use gltf::animation::util::ReadOutputs;
use std::io::Cursor;
use std::path::Path;
use std::sync::Arc;
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::keys::Keying;
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_session::{HandOff, Report, Session};

/// Outputs by their names.
type Outputs = Vec<(String, Arc<dyn Motion>)>;

/// A file with all Outputs of a scene, the motions in it, and what is told.
fn written(session: &Session, range: Frames, keying: Keying) -> (Vec<u8>, Outputs, Report) {
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let hand_off = HandOff::of(session, &compiled, |_| true);
    let mut bytes = Vec::new();
    let tallies = hand_off.write_glb((range, keying), Cursor::new(Vec::new()), &mut bytes, &cancel).unwrap();
    let report = hand_off.report_glb((range, &tallies), Cursor::new(&bytes), &cancel).unwrap();
    (bytes, hand_off.outputs().to_vec(), report)
}

fn demo(name: &str) -> Session {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo").join(name);
    Session::read(&path, Arc::new(Registry::default())).unwrap()
}

/// Corners of the parts of a node's mesh after so many seconds, as targets of its own move them.
fn morphed(file: &gltf::Gltf, name: &str, seconds: f64) -> Vec<Vec<DVec3>> {
    let blob = file.blob.as_deref();
    let node = file.nodes().find(|node| node.name() == Some(name)).unwrap();
    let channels = file.animations().flat_map(|animation| animation.channels().collect::<Vec<_>>());
    let of_weights = channels.filter(|channel| channel.target().node().index() == node.index()).find_map(|channel| {
        let reader = channel.reader(|_| blob);
        let times: Vec<f64> = reader.read_inputs().unwrap().map(f64::from).collect();
        match reader.read_outputs().unwrap() {
            ReadOutputs::MorphTargetWeights(weights) => {
                Some((times, weights.into_f32().map(f64::from).collect::<Vec<_>>()))
            }
            _ => None,
        }
    });
    let weights = of_weights.map_or(Vec::new(), |(times, values)| {
        let targets = values.len() / times.len();
        let after = times.partition_point(|time| *time <= seconds).clamp(1, times.len() - 1);
        let x = ((seconds - times[after - 1]) / (times[after] - times[after - 1])).clamp(0.0, 1.0);
        (0..targets).map(|i| values[(after - 1) * targets + i] * (1.0 - x) + values[after * targets + i] * x).collect()
    });
    let parts = node.mesh().unwrap().primitives().map(|part| {
        let reader = part.reader(|_| blob);
        let mut places: Vec<DVec3> = reader.read_positions().unwrap().map(|at| Vec3::from(at).as_dvec3()).collect();
        for ((moved, ..), weight) in reader.read_morph_targets().zip(&weights) {
            places.iter_mut().zip(moved.unwrap()).for_each(|(at, by)| *at += Vec3::from(by).as_dvec3() * *weight);
        }
        places
    });
    parts.collect()
}

/// A surface has at each frame the corners that it has here, and half-way between two what lies between them.
#[test]
fn a_surface_is_dented_in_a_file_as_it_is() {
    let session = demo("swim-ring.json");
    let range = Frames { from: 30.0, to: 36.0 };
    let (bytes, outputs, report) = written(&session, range, Keying::Within { metres: 1e-3, radians: 1e-3 });
    let file = gltf::Gltf::from_slice(&bytes).unwrap();
    let (name, motion) =
        outputs.iter().find(|(_, motion)| motion.kinds().iter().any(|kind| kind.dented.is_some())).unwrap();
    let ready = prepared(motion, range.widened(1.0), &Cancel::default()).unwrap();
    let at = |frame: f64| {
        let mut sample = Sample::default();
        ready.sample_at(&[(0, frame)], Columns::DENTED, &mut sample);
        ready.kinds()[0].dented.as_ref().unwrap().mesh(sample.dents[0]).places
    };
    let found = |frame: f64| morphed(&file, &format!("{name} 1"), (frame - range.from) / 24.0).remove(0);
    let far = |a: &[DVec3], b: &[DVec3]| a.iter().zip(b).map(|(a, b)| a.distance(*b)).fold(0.0, f64::max);
    for frame in [30.0, 31.0, 34.0, 36.0] {
        let (found, wanted) = (found(frame), at(frame));
        assert!(found.len() == wanted.len() && far(&found, &wanted) < 2e-6, "{frame}: {}", far(&found, &wanted));
    }
    assert!(far(&at(30.0), &at(34.0)) > 1e-3, "it changes");
    let half: Vec<DVec3> = at(31.0).iter().zip(at(32.0)).map(|(a, b)| 0.5 * (*a + b)).collect();
    assert!(far(&found(31.5), &half) < 2e-6);
    assert!(report.outputs.iter().all(|output| output.left_out.is_empty()), "{report:?}");
}

/// Paths that things are on and tethers are lines that lie on them at each frame; a still one is there once.
#[test]
fn paths_and_tethers_are_lines_on_them() {
    let session = demo("two-shots.json");
    let range = Frames { from: 0.0, to: 24.0 };
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let (bytes, outputs, _) = written(&session, range, Keying::Every(2.0));
    let file = gltf::Gltf::from_slice(&bytes).unwrap();
    let mut paths = Vec::new();
    for (id, node) in session.scene.nodes.iter().filter(|(_, node)| node.kind == "tether") {
        if let Some(zickzack_core::graph::Product::Path(tether)) = compiled.nodes[id].product() {
            paths.push((node.name.clone(), tether.path.clone()));
        }
    }
    assert!(!paths.is_empty(), "a tether");
    paths.extend(outputs.iter().filter_map(|(name, motion)| Some((format!("{name} path"), motion.path()?.clone()))));
    for (name, path) in paths {
        for frame in [0.0, 6.0, 24.0] {
            let (curve, found) = (path.at(frame), morphed(&file, &name, frame / 24.0));
            assert_eq!(curve.strands().len(), found.len(), "{name}");
            for (strand, places) in curve.strands().iter().zip(found) {
                let dense: Vec<DVec3> =
                    (0..=4000).map(|i| strand.at(strand.length() * f64::from(i) / 4000.0).point).collect();
                for place in &places {
                    let far = dense.iter().map(|at| at.distance(*place)).fold(f64::MAX, f64::min);
                    assert!(far < 1e-3 * strand.length() + 1e-5, "{name} at {frame}: {place} is {far} off");
                }
                let ends = places[0].distance(strand.at(0.0).point);
                assert!(ends < 1e-5, "{name} begins where it does");
            }
        }
    }
}

/// The camera sees its target in the middle, upright, and as much of the picture's width as its lens says.
#[test]
fn the_camera_is_there() {
    let mut session = demo("swim-ring.json");
    let scene = Arc::make_mut(&mut session.scene);
    scene.camera =
        Some(zickzack_core::scene::Camera { position: [3.0, 2.0, -4.0], target: [0.5, 1.0, 0.0], lens: 50.0 });
    let (bytes, ..) = written(&session, Frames { from: 0.0, to: 2.0 }, Keying::Every(1.0));
    let file = gltf::Gltf::from_slice(&bytes).unwrap();
    let node = file.nodes().find(|node| node.camera().is_some()).unwrap();
    let camera = node.camera().unwrap();
    let gltf::camera::Projection::Perspective(lens) = camera.projection() else { panic!("a perspective") };
    let stands = Mat4::from_cols_array_2d(&node.transform().matrix()).as_dmat4();
    let seen = stands.inverse().transform_point3(DVec3::new(0.5, 1.0, 0.0));
    let way = DVec3::new(2.5, 1.0, -4.0).length();
    assert!(seen.distance(DVec3::new(0.0, 0.0, -way)) < 1e-5, "{seen}");
    assert!(stands.transform_vector3(DVec3::X).y.abs() < 1e-6 && stands.transform_vector3(DVec3::Y).y > 0.0);
    let (wide, high) = (session.scene.picture.width, session.scene.picture.height);
    let half = libm::tan(0.5 * f64::from(lens.yfov()));
    assert!(
        (half * wide / high - 18.0 / 50.0).abs() < 1e-6
            && (f64::from(lens.aspect_ratio().unwrap()) - wide / high).abs() < 1e-6
    );
}

/// What is told of a file is what is in it: an error that was put in is found, at its thing; what was not compared has none.
#[test]
fn a_report_tells_what_is_read_back() {
    let session = demo("lantern-round.json");
    let range = Frames { from: 0.0, to: 48.0 };
    let keying = Keying::Within { metres: 2e-3, radians: 2e-3 };
    let (mut bytes, outputs, report) = written(&session, range, keying);
    assert_eq!((report.form, &report.fps[..]), ("glb", "24"));
    assert_eq!(report.outputs.len(), outputs.len());
    for output in &report.outputs {
        let [place, turn, size] = &output.read_back[..] else { panic!("{output:?}") };
        let missed = |i: usize| output.keys[i].missed.as_ref().unwrap().error;
        // Single precision adds a little to what keys miss, and what is looked at four times a frame is not all.
        assert!(place.error <= missed(0) + 2e-5 && turn.error <= missed(1) + 2e-3, "{output:?}");
        assert!(size.error < 1e-6 && output.keys[2].missed.is_none());
        assert!(place.error > 0.0 || output.keys[0].channels == 0, "what moves is off by something");
    }
    // A place of the last thing of the first Output is moved in the file.
    let file = gltf::Gltf::from_slice(&bytes).unwrap();
    let name = format!("{} {}", outputs[0].0, outputs[0].1.len());
    let node = file.nodes().find(|node| node.name() == Some(&name)).unwrap().index();
    let moves = |channel: &gltf::animation::Channel<'_>| {
        channel.target().node().index() == node && channel.target().property() == gltf::animation::Property::Translation
    };
    let channels = file.animations().flat_map(|animation| animation.channels().collect::<Vec<_>>());
    let list = channels.filter(moves).map(|channel| channel.sampler().output()).next().unwrap();
    let at = 28 + header_length(&bytes) + list.view().unwrap().offset() + list.offset();
    let values = at..at + list.count() * 12;
    // Of each key of a cubic the value in the middle, not its slopes.
    for word in bytes[values].chunks_exact_mut(12).skip(1).step_by(3) {
        let x = f32::from_le_bytes(word[..4].try_into().unwrap()) + 0.25;
        word[..4].copy_from_slice(&x.to_le_bytes());
    }
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let hand_off = HandOff::of(&session, &compiled, |_| true);
    let tallies = vec![Default::default(); outputs.len()];
    let told = hand_off.report_glb((range, &tallies), Cursor::new(&bytes), &cancel).unwrap();
    let place = &told.outputs[0].read_back[0];
    assert!((place.error - 0.25).abs() < 5e-3 && place.thing == outputs[0].1.len(), "{place:?}");
    // A thing that is not there is told.
    let gone = String::from_utf8_lossy(&bytes[20..20 + header_length(&bytes)])
        .replace(&format!("\"{name}\""), &format!("\"{}\"", "x".repeat(name.len())));
    let length = header_length(&bytes);
    bytes[20..20 + length].copy_from_slice(gone.as_bytes());
    let why = hand_off.report_glb((range, &tallies), Cursor::new(&bytes), &cancel).unwrap_err().to_string();
    assert!(why.contains(&format!("thing {}", outputs[0].1.len())), "{why}");
}

/// What grows from nothing is off by parts of its largest size; Outputs of one name are compared each with itself.
#[test]
fn what_is_small_or_of_the_same_name_is_told_of_as_it_is() {
    let (_, _, report) =
        written(&demo("name-filled-with-lights.json"), Frames { from: 0.0, to: 24.0 }, Keying::Every(2.0));
    let sizes = report.outputs.iter().map(|output| output.read_back[2].error);
    assert!(sizes.clone().all(|error| error <= 1.0), "{:?}", sizes.collect::<Vec<_>>());
    let mut session = demo("lantern-round.json");
    let scene = Arc::make_mut(&mut session.scene);
    for node in scene.nodes.values_mut().filter(|node| node.kind == "output") {
        Arc::make_mut(node).name = "Out".to_owned();
    }
    let (_, outputs, report) = written(&session, Frames { from: 0.0, to: 12.0 }, Keying::Every(1.0));
    assert!(outputs.len() > 1 && report.outputs.iter().all(|output| output.name == "Out"));
    for output in &report.outputs {
        let missed = output.keys[0].missed.as_ref().unwrap().error;
        assert!(output.read_back[0].error <= missed + 2e-5, "{output:?}");
    }
}

fn header_length(file: &[u8]) -> usize {
    u32::from_le_bytes(file[12..16].try_into().unwrap()) as usize
}
