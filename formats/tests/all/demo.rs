//! The scenes of the demo as keys in files.

use crate::glb::written;
use crate::player::Track;
use glam::{DQuat, DVec3};
use std::fs;
use std::path::Path;
use std::sync::Arc;
use zickzack_core::graph::{Assets, Memo, Workshop, compile};
use zickzack_core::keys::bake_reduced;
use zickzack_core::motion::{Break, Cancel, Columns, Extent, Frames, Motion, MotionError, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::pose::angle_between;
use zickzack_core::scene::Scene;
use zickzack_formats::files::Files;

const TOLERANCE: f64 = 1e-3;
const ANGLE: f64 = 0.05;
/// Looks at a frame, none of them where keys are compared when they are made.
const LOOKS: f64 = 7.0;
/// Most looks at one thing, and things that are looked at.
const MOST: usize = 2000;
const THINGS: usize = 12;
/// Frames from a leap within which either side is right, in a file of single precision.
const BESIDE: f64 = 2e-3;

/// Some things of a motion: keys of all of a thousand take long, and each is keyed by itself.
struct Chosen {
    inner: Arc<dyn Motion>,
    objects: Vec<usize>,
}

impl Motion for Chosen {
    fn len(&self) -> usize {
        self.objects.len()
    }

    fn extent(&self) -> Extent {
        self.inner.extent()
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let at: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (self.objects[object], frame)).collect();
        self.inner.sample_at(&at, columns, out);
    }

    fn varies(&self) -> Columns {
        self.inner.varies()
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        self.inner.breaks(self.objects[object], range)
    }
}

/// Read back from the file and evaluated by the rules of glTF, between frames too, everything is within what was asked
/// for; single precision adds less than a tenth.
#[test]
fn demo_scenes_in_a_glb_hold_between_frames() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo");
    let registry = Registry::default();
    let mut scenes: Vec<_> = fs::read_dir(&folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    scenes.retain(|path| path.extension().is_some_and(|ending| ending == "json"));
    scenes.sort();
    assert!(scenes.len() >= 15, "{scenes:?}");
    for path in scenes {
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let document = serde_json::from_slice(&fs::read(&path).unwrap()).unwrap();
        let scene = Scene::from_value(document, &registry.schemas).unwrap();
        let content = |name: &String| fs::read(folder.join(name)).map_err(|error| error.to_string());
        let assets: Arc<dyn Assets> =
            Arc::new(Files::new(scene.assets.keys().map(|name| (name.clone(), content(name))).collect()));
        let (memo, cancel) = (Memo::default(), Cancel::default());
        let compiled = compile(&scene, &Workshop { assets: &assets, ..registry.workshop(&memo, &cancel) });
        let range = Frames { from: 0.0, to: compiled.timing.frames };
        assert!(compiled.ends.iter().any(|end| end.output), "{name}");
        for end in compiled.ends.iter().filter(|end| end.output) {
            let whole = prepared(&end.motion, range.widened(1.0), &cancel).unwrap();
            let objects = (0..whole.len()).step_by((whole.len() / THINGS).max(1)).collect();
            let ready: Arc<dyn Motion> = Arc::new(Chosen { inner: whole, objects });
            let keys = bake_reduced(&ready, range, (TOLERANCE, ANGLE.to_radians()), &cancel).unwrap();
            let bytes = written(&keys, compiled.timing.fps);
            let file = gltf::Gltf::from_slice(&bytes).unwrap();
            let mut sample = Sample::default();
            let every = (range.to * LOOKS / MOST as f64).max(1.0).ceil();
            for object in 0..ready.len() {
                let rest = file.nodes().nth(object).unwrap().transform().decomposed();
                let [moves, turns, _] = crate::glb::all_tracks(&bytes, object);
                let leaps: Vec<f64> = ready.breaks(object, range).unwrap().iter().map(|b| b.frame).collect();
                for i in (0..(range.to * LOOKS) as usize).step_by(every as usize) {
                    let frame = (i as f64 + 0.437) / LOOKS;
                    if leaps.iter().any(|leap| (leap - frame).abs() < BESIDE) {
                        continue;
                    }
                    ready.sample_at(&[(object, frame)], Columns::POSE, &mut sample);
                    let time = frame / compiled.timing.fps;
                    let at = |track: &Option<Track>, rest: &[f32]| match track {
                        Some(track) => track.at(time),
                        None => rest.iter().map(|x| f64::from(*x)).collect(),
                    };
                    let far = DVec3::from_slice(&at(&moves, &rest.0)).distance(sample.positions[0]);
                    let turn = DQuat::from_slice(&at(&turns, &rest.1)).normalize();
                    let turned = angle_between(turn, sample.orientations[0]).to_degrees();
                    let place = || format!("{name}: {} {object} at {frame}: {far} m, {turned}°", end.name);
                    assert!(far <= 1.1 * TOLERANCE && turned <= 1.1 * ANGLE, "{}", place());
                }
            }
        }
    }
}
