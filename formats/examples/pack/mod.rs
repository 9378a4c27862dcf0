//! Puts meshes, joints and clips of the fair's models together as one binary glTF file.

// Each model uses some of it.
#![allow(dead_code)]

use serde_json::{Value, json};
use std::io::Write;

pub type Point = [f64; 3];
pub type Triangle = [Point; 3];
/// Two joints of a skin, and how much a corner hangs on each.
pub type Held = ([u8; 2], [f32; 2]);

/// A strip of quads between rings of equally many points.
pub fn skin(rings: &[Vec<Point>], out: &mut Vec<Triangle>) {
    for pair in rings.windows(2) {
        let count = pair[0].len();
        for i in 0..count {
            let j = (i + 1) % count;
            let [a, b, c, d] = [pair[0][i], pair[0][j], pair[1][j], pair[1][i]];
            out.push([a, b, c]);
            out.push([a, c, d]);
        }
    }
}

fn normal(t: &Triangle) -> [f32; 3] {
    let side = |i: usize| [0, 1, 2].map(|k| t[i][k] - t[0][k]);
    let (a, b) = (side(1), side(2));
    let n = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
    let length = n.iter().map(|x| x * x).sum::<f64>().sqrt().max(1e-12);
    n.map(|x| (x / length) as f32)
}

/// A file that grows.
#[derive(Default)]
pub struct Pack {
    data: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
    materials: Vec<Value>,
}

impl Pack {
    /// A list of numbers, `width` each.
    pub fn numbers(&mut self, kind: &str, width: usize, numbers: &[f32]) -> usize {
        self.views.push(json!({ "buffer": 0, "byteOffset": self.data.len(), "byteLength": numbers.len() * 4 }));
        self.accessors.push(json!({ "bufferView": self.views.len() - 1, "componentType": 5126, "count": numbers.len() / width, "type": kind }));
        self.data.extend(numbers.iter().flat_map(|x| x.to_le_bytes()));
        self.accessors.len() - 1
    }

    /// Places or normals of corners.
    fn corners(&mut self, list: &[[f32; 3]], bounds: bool) -> usize {
        self.views.push(
            json!({ "buffer": 0, "byteOffset": self.data.len(), "byteLength": list.len() * 12, "target": 34962 }),
        );
        let mut accessor =
            json!({ "bufferView": self.views.len() - 1, "componentType": 5126, "count": list.len(), "type": "VEC3" });
        let bound = |pick: fn(f32, f32) -> f32| list.iter().copied().reduce(|a, b| [0, 1, 2].map(|k| pick(a[k], b[k])));
        if bounds {
            accessor["min"] = json!(bound(f32::min));
            accessor["max"] = json!(bound(f32::max));
        }
        self.accessors.push(accessor);
        self.data.extend(list.iter().flatten().flat_map(|x| x.to_le_bytes()));
        self.accessors.len() - 1
    }

    /// A part of a mesh in one colour, to be put among its primitives.
    pub fn part(&mut self, name: &str, colour: [f64; 3], triangles: &[Triangle]) -> Value {
        let places: Vec<[f32; 3]> = triangles.iter().flatten().map(|p| p.map(|x| x as f32)).collect();
        let normals: Vec<[f32; 3]> = triangles.iter().flat_map(|t| [normal(t); 3]).collect();
        let (places, normals) = (self.corners(&places, true), self.corners(&normals, false));
        self.materials.push(json!({ "name": name, "doubleSided": true, "pbrMetallicRoughness": { "baseColorFactor": [colour[0], colour[1], colour[2], 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.8 } }));
        json!({ "attributes": { "POSITION": places, "NORMAL": normals }, "material": self.materials.len() - 1 })
    }

    /// Has each corner of a part hang on two joints of a skin, given with their weights.
    pub fn hang(&mut self, part: &mut Value, held: &[Held]) {
        let joints: Vec<u8> = held.iter().flat_map(|(joints, _)| [joints[0], joints[1], 0, 0]).collect();
        self.views
            .push(json!({ "buffer": 0, "byteOffset": self.data.len(), "byteLength": joints.len(), "target": 34962 }));
        self.accessors.push(
            json!({ "bufferView": self.views.len() - 1, "componentType": 5121, "count": held.len(), "type": "VEC4" }),
        );
        self.data.extend(joints);
        part["attributes"]["JOINTS_0"] = json!(self.accessors.len() - 1);
        let weights: Vec<f32> = held.iter().flat_map(|(_, weights)| [weights[0], weights[1], 0.0, 0.0]).collect();
        part["attributes"]["WEIGHTS_0"] = json!(self.numbers("VEC4", 4, &weights));
        self.views[self.accessors.len() - 1]["target"] = json!(34962);
    }

    /// A clip of turns: nodes, each with its quaternions at the times.
    pub fn clip(&mut self, name: &str, times: &[f32], turns: &[(usize, Vec<[f32; 4]>)]) -> Value {
        let input = self.numbers("SCALAR", 1, times);
        self.accessors[input]["min"] = json!([times[0]]);
        self.accessors[input]["max"] = json!([times[times.len() - 1]]);
        let (mut samplers, mut channels) = (Vec::new(), Vec::new());
        for (node, turns) in turns {
            let output = self.numbers("VEC4", 4, turns.as_flattened());
            samplers.push(json!({ "input": input, "output": output, "interpolation": "LINEAR" }));
            channels.push(json!({ "sampler": samplers.len() - 1, "target": { "node": node, "path": "rotation" } }));
        }
        json!({ "name": name, "samplers": samplers, "channels": channels })
    }

    /// The file, with what of it is not told here.
    pub fn write(mut self, generator: &str, mut rest: Value) -> std::io::Result<()> {
        self.data.resize(self.data.len().next_multiple_of(4), 0);
        rest["asset"] = json!({ "version": "2.0", "generator": format!("zickzack-formats example {generator}") });
        rest["materials"] = json!(self.materials);
        rest["buffers"] = json!([{ "byteLength": self.data.len() }]);
        rest["bufferViews"] = json!(self.views);
        rest["accessors"] = json!(self.accessors);
        let mut text = rest.to_string().into_bytes();
        text.resize(text.len().next_multiple_of(4), b' ');
        let mut file = b"glTF".to_vec();
        for number in [2u32, (12 + 8 + text.len() + 8 + self.data.len()) as u32, text.len() as u32] {
            file.extend(number.to_le_bytes());
        }
        file.extend(b"JSON");
        file.extend(text);
        file.extend((self.data.len() as u32).to_le_bytes());
        file.extend(b"BIN\0");
        file.extend(self.data);
        std::io::stdout().write_all(&file)
    }
}
