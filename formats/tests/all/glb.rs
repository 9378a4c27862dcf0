//! GLB: read back by the gltf crate and evaluated by the rules of glTF 2.0, written here anew.

use glam::{DQuat, DVec3};
use gltf::animation::util::ReadOutputs;
use gltf::animation::{Interpolation, Property};
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, PathPoint, PointKind, through};
use zickzack_core::fraction::Fraction;
use zickzack_core::keys::{Keys, bake_dense, bake_reduced};
use zickzack_core::motion::{Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, Ride, Sample};
use zickzack_core::pose::{Axis, angle_between};
use zickzack_formats::glb::{Part, write};

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

struct Track {
    times: Vec<f64>,
    values: Vec<Vec<f64>>,
    cubic: bool,
}

impl Track {
    /// glTF 2.0, appendix C.
    fn at(&self, time: f64) -> Vec<f64> {
        let after = self.times.partition_point(|&t| t <= time).clamp(1, self.times.len() - 1);
        let (t0, t1) = (self.times[after - 1], self.times[after]);
        let (x, d) = (((time - t0) / (t1 - t0)).clamp(0.0, 1.0), t1 - t0);
        let value = |key: usize, part: usize| if self.cubic { &self.values[3 * key + part] } else { &self.values[key] };
        let (a, b) = (value(after - 1, 1), value(after, 1));
        (0..a.len())
            .map(|i| {
                if !self.cubic {
                    return a[i] + (b[i] - a[i]) * x;
                }
                let (out, into) = (value(after - 1, 2)[i], value(after, 0)[i]);
                (2.0 * x * x * x - 3.0 * x * x + 1.0) * a[i]
                    + d * (x * x * x - 2.0 * x * x + x) * out
                    + (-2.0 * x * x * x + 3.0 * x * x) * b[i]
                    + d * (x * x * x - x * x) * into
            })
            .collect()
    }
}

fn tracks(bytes: &[u8], node: usize) -> (Option<Track>, Option<Track>) {
    let file = gltf::Gltf::from_slice(bytes).unwrap();
    let (mut moves, mut turns) = (None, None);
    for channel in
        file.animations().flat_map(|animation| animation.channels()).filter(|c| c.target().node().index() == node)
    {
        let reader = channel.reader(|_| file.blob.as_deref());
        let times = reader.read_inputs().unwrap().map(f64::from).collect();
        let cubic = channel.sampler().interpolation() == Interpolation::CubicSpline;
        let values = match reader.read_outputs().unwrap() {
            ReadOutputs::Translations(all) | ReadOutputs::Scales(all) => {
                all.map(|v| v.map(f64::from).to_vec()).collect()
            }
            ReadOutputs::Rotations(all) => all.into_f32().map(|v| v.map(f64::from).to_vec()).collect(),
            ReadOutputs::MorphTargetWeights(_) => unreachable!("nothing is morphed"),
        };
        let track = Some(Track { times, values, cubic });
        match channel.target().property() {
            Property::Translation => moves = track,
            Property::Rotation => turns = track,
            _ => {}
        }
    }
    (moves, turns)
}

fn compare(keys: &Keys, motion: &Arc<dyn Motion>, tolerance: f64, step: f64) {
    let bytes = write(&[Part { name: "Out", keys }], "Fair", 24.0).unwrap();
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
    let bytes = write(&[Part { name: "Still", keys: &keys }], "Fair", 24.0).unwrap();
    let file = gltf::Gltf::from_slice(&bytes).unwrap();
    assert_eq!((file.nodes().count(), file.animations().count()), (1, 0));
}
