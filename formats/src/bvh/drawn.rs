//! A BVH file as a binary glTF model: a limb of turned wood for each bone, on a skin, with one clip.

use super::{BvhError, Channel, Joint, Skeleton};
use glam::{DQuat, DVec3};
use gltf::binary::{Glb, Header};
use serde_json::{Value, json};
use std::borrow::Cow;
use std::f64::consts::TAU;

/// Rings round a bone, from where it begins to where it ends: where, and how far from its middle, as parts of its length.
const RINGS: [(f64, f64); 4] = [(0.0, 0.03), (0.05, 0.055), (0.95, 0.04), (1.0, 0.02)];
const SIDES: usize = 6;
/// What its one clip is called.
const CLIP: &str = "motion";
const BONE: [f64; 4] = [0.86, 0.8, 0.66, 1.0];

/// The bones of a skeleton as a model whose nodes are its joints, in order, then one with the mesh.
///
/// # Errors
/// Where all joints lie in one place.
pub fn drawn(skeleton: &Skeleton) -> Result<Vec<u8>, BvhError> {
    let joints = &skeleton.joints;
    let stands = standing(joints);
    let mut file = Buffer::default();
    let mesh = file.bones(joints, &stands).ok_or(BvhError::NoBones)?;
    let inverses: Vec<f32> = stands
        .iter()
        .flat_map(|at| [1., 0., 0., 0., 0., 1., 0., 0., 0., 0., 1., 0., -at.x as f32, -at.y as f32, -at.z as f32, 1.])
        .collect();
    let bound = file.floats("MAT4", 16, &inverses, None);
    let children = |of: usize| -> Vec<usize> { (0..joints.len()).filter(|&i| joints[i].parent == Some(of)).collect() };
    let node = |(index, joint): (usize, &Joint)| {
        let mut node = json!({ "translation": joint.offset.as_vec3().to_array() });
        if !joint.name.is_empty() {
            node["name"] = json!(joint.name);
        }
        let below = children(index);
        if !below.is_empty() {
            node["children"] = json!(below);
        }
        node
    };
    let mut nodes: Vec<Value> = joints.iter().enumerate().map(node).collect();
    nodes.push(json!({ "name": "bones", "mesh": 0, "skin": 0 }));
    let mut top: Vec<usize> = (0..joints.len()).filter(|&i| joints[i].parent.is_none()).collect();
    top.push(joints.len());
    let clip = file.clip(skeleton);
    let all: Vec<usize> = (0..joints.len()).collect();
    let document = json!({
        "asset": { "version": "2.0" },
        "scene": 0,
        "scenes": [{ "nodes": top }],
        "nodes": nodes,
        "meshes": [{ "primitives": [mesh] }],
        "materials": [{ "name": "bone", "pbrMetallicRoughness": { "baseColorFactor": BONE, "metallicFactor": 0.0, "roughnessFactor": 0.8 } }],
        "skins": [{ "joints": all, "inverseBindMatrices": bound }],
        "animations": [clip],
        "accessors": file.accessors,
        "bufferViews": file.views,
        "buffers": [{ "byteLength": file.data.len() }],
    });
    let json = document.to_string().into_bytes();
    let header = Header { magic: *b"glTF", version: 2, length: 0 };
    let glb = Glb { header, json: Cow::Owned(json), bin: Some(Cow::Owned(file.data)) };
    // Only what is longer than 4 GB cannot be written.
    glb.to_vec().map_err(|_| BvhError::TooManyJoints(joints.len()))
}

/// Where joints are at rest.
fn standing(joints: &[Joint]) -> Vec<DVec3> {
    let mut stands: Vec<DVec3> = Vec::with_capacity(joints.len());
    for joint in joints {
        stands.push(joint.parent.map_or(DVec3::ZERO, |parent| stands[parent]) + joint.offset);
    }
    stands
}

/// The triangles of a bone from one place to another.
fn bone(from: DVec3, to: DVec3) -> Vec<[DVec3; 3]> {
    let (way, length) = ((to - from).normalize(), from.distance(to));
    let (up, aside) = way.any_orthonormal_pair();
    let ring = |(along, out): (f64, f64)| {
        (0..SIDES).map(move |side| {
            let (sine, cosine) = libm::sincos(TAU * side as f64 / SIDES as f64);
            from + (way * along + (up * cosine + aside * sine) * out) * length
        })
    };
    let rings: Vec<Vec<DVec3>> = RINGS.map(|of| ring(of).collect()).to_vec();
    let mut triangles = Vec::new();
    for pair in rings.windows(2) {
        for side in 0..SIDES {
            let next = (side + 1) % SIDES;
            let [a, b, c, d] = [pair[0][side], pair[0][next], pair[1][next], pair[1][side]];
            triangles.extend([[a, b, c], [a, c, d]]);
        }
    }
    let (first, last) = (&rings[0], &rings[RINGS.len() - 1]);
    for side in 1..SIDES - 1 {
        triangles.extend([[first[0], first[side + 1], first[side]], [last[0], last[side], last[side + 1]]]);
    }
    triangles
}

/// Numbers of a file, and what they are.
#[derive(Default)]
struct Buffer {
    data: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
}

impl Buffer {
    fn view(&mut self, bytes: impl Iterator<Item = u8>) -> usize {
        let start = self.data.len();
        self.data.extend(bytes);
        self.views.push(json!({ "buffer": 0, "byteOffset": start, "byteLength": self.data.len() - start }));
        self.data.resize(self.data.len().next_multiple_of(4), 0);
        self.views.len() - 1
    }

    fn floats(&mut self, kind: &str, width: usize, list: &[f32], bounds: Option<[Value; 2]>) -> usize {
        let view = self.view(list.iter().flat_map(|x| x.to_le_bytes()));
        let mut accessor =
            json!({ "bufferView": view, "componentType": 5126, "count": list.len() / width, "type": kind });
        if let Some([low, high]) = bounds {
            (accessor["min"], accessor["max"]) = (low, high);
        }
        self.accessors.push(accessor);
        self.accessors.len() - 1
    }

    /// All bones as one part whose corners hang on the joints from which their bones go; none where there are none.
    fn bones(&mut self, joints: &[Joint], stands: &[DVec3]) -> Option<Value> {
        let (mut places, mut normals, mut held) = (Vec::new(), Vec::new(), Vec::new());
        let (mut low, mut high) = (DVec3::INFINITY, DVec3::NEG_INFINITY);
        for (index, joint) in joints.iter().enumerate() {
            let Some(parent) = joint.parent else { continue };
            if stands[parent].as_vec3() == stands[index].as_vec3() {
                continue;
            }
            for [a, b, c] in bone(stands[parent], stands[index]) {
                let normal = (b - a).cross(c - a).normalize_or(DVec3::Y);
                for corner in [a, b, c] {
                    (low, high) = (low.min(corner), high.max(corner));
                    places.extend(corner.as_vec3().to_array());
                    normals.extend(normal.as_vec3().to_array());
                    held.push(parent as u16);
                }
            }
        }
        if places.is_empty() {
            return None;
        }
        let bounds = [json!(low.as_vec3().to_array()), json!(high.as_vec3().to_array())];
        let place = self.floats("VEC3", 3, &places, Some(bounds));
        let normal = self.floats("VEC3", 3, &normals, None);
        let view = self.view(held.iter().flat_map(|joint| [*joint, 0, 0, 0]).flat_map(u16::to_le_bytes));
        self.accessors.push(json!({ "bufferView": view, "componentType": 5123, "count": held.len(), "type": "VEC4" }));
        let joint = self.accessors.len() - 1;
        let whole: Vec<f32> = held.iter().flat_map(|_| [1.0, 0.0, 0.0, 0.0]).collect();
        let weight = self.floats("VEC4", 4, &whole, None);
        Some(json!({
            "attributes": { "POSITION": place, "NORMAL": normal, "JOINTS_0": joint, "WEIGHTS_0": weight },
            "material": 0,
        }))
    }

    /// The clip: what its channels say of each joint.
    fn clip(&mut self, skeleton: &Skeleton) -> Value {
        let frames = skeleton.frames();
        let times: Vec<f32> = (0..frames).map(|frame| (frame as f64 * skeleton.seconds) as f32).collect();
        let bounds = [json!([0.0]), json!([times[frames - 1]])];
        let times = self.floats("SCALAR", 1, &times, Some(bounds));
        let joints = &skeleton.joints;
        let mut offs = vec![Vec::with_capacity(3 * frames); joints.len()];
        let mut turns: Vec<Vec<f32>> = vec![Vec::with_capacity(4 * frames); joints.len()];
        let mut before = vec![DQuat::IDENTITY; joints.len()];
        for frame in 0..frames {
            for (joint, (off, turn)) in skeleton.at(frame).enumerate() {
                // Of the two that are the same turn the one nearer to the one before.
                let turn = if turn.dot(before[joint]) < 0.0 { -turn } else { turn };
                before[joint] = turn;
                offs[joint].extend(off.as_vec3().to_array());
                turns[joint].extend(turn.as_quat().to_array());
            }
        }
        let mut moved: Vec<(usize, &str, usize)> = Vec::new();
        for (index, joint) in joints.iter().enumerate() {
            let is_any = |what: fn(&Channel) -> bool| joint.channels.iter().any(what);
            if is_any(|channel| matches!(channel, Channel::Position(_))) {
                moved.push((index, "translation", self.floats("VEC3", 3, &offs[index], None)));
            }
            if is_any(|channel| matches!(channel, Channel::Rotation(_))) {
                moved.push((index, "rotation", self.floats("VEC4", 4, &turns[index], None)));
            }
        }
        if moved.is_empty() {
            // What has no channels stands still.
            moved.push((0, "translation", self.floats("VEC3", 3, &offs[0], None)));
        }
        let sampler = |(_, _, output): &(usize, &str, usize)| json!({ "input": times, "output": output, "interpolation": "LINEAR" });
        let channel = |(i, (joint, path, _)): (usize, &(usize, &str, usize))| json!({ "sampler": i, "target": { "node": joint, "path": path } });
        let samplers: Vec<Value> = moved.iter().map(sampler).collect();
        let channels: Vec<Value> = moved.iter().enumerate().map(channel).collect();
        json!({ "name": CLIP, "channels": channels, "samplers": samplers })
    }
}
