//! Animations of binary glTF files, read by the gltf crate and evaluated by the rules of glTF 2.0.

use gltf::animation::util::ReadOutputs;
use gltf::animation::{Interpolation, Property};
use std::collections::HashMap;

pub struct Track {
    pub times: Vec<f64>,
    values: Vec<Vec<f64>>,
    cubic: bool,
}

impl Track {
    /// glTF 2.0, appendix C.
    pub fn at(&self, time: f64) -> Vec<f64> {
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

/// Of places, turns and scales.
pub type Tracks = [Option<Track>; 3];

/// By node.
pub fn every_track(bytes: &[u8]) -> HashMap<usize, Tracks> {
    let file = gltf::Gltf::from_slice(bytes).unwrap();
    let mut found: HashMap<usize, Tracks> = HashMap::new();
    for channel in file.animations().flat_map(|animation| animation.channels()) {
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
        let which = match channel.target().property() {
            Property::Translation => 0,
            Property::Rotation => 1,
            Property::Scale => 2,
            Property::MorphTargetWeights => continue,
        };
        let tracks = found.entry(channel.target().node().index()).or_default();
        tracks[which] = Some(Track { times, values, cubic });
    }
    found
}
