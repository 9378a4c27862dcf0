//! Makes `demo/kite.glb`: a kite whose tail hangs on a row of joints, its nose along +x and its top along +y. It flutters in
//! `flutter`, calmly, and in `flap`, hard.
//!
//! `cargo run -p zickzack-formats --example kite > demo/kite.glb`

mod pack;

use pack::{Held, Pack, Point, Triangle};
use serde_json::json;
use std::f64::consts::TAU;

/// Joints of the tail, the first at the kite's end.
const JOINTS: usize = 7;
/// From one to the next.
const STEP: f64 = 0.16;
/// Where the tail begins.
const TAIL: f64 = -0.35;

fn sail() -> Vec<Triangle> {
    let (nose, end, ridge): (Point, Point, Point) = ([0.5, 0.0, 0.0], [TAIL, 0.0, 0.0], [0.12, 0.1, 0.0]);
    [-1.0, 1.0]
        .into_iter()
        .flat_map(|side| {
            let tip = [0.12, 0.02, 0.42 * side];
            [[nose, tip, ridge], [ridge, tip, end]]
        })
        .collect()
}

/// A ribbon along −x with a bow at every second joint, and the two joints that each corner hangs on.
fn tail() -> (Vec<Triangle>, Vec<Held>) {
    let mut triangles: Vec<Triangle> = Vec::new();
    let parts = 4 * (JOINTS - 1);
    for i in 0..parts {
        let at = |i: usize| TAIL - STEP * (i as f64) / 4.0;
        let (near, far, wide) = (at(i), at(i + 1), 0.022);
        triangles.push([[near, 0.0, wide], [near, 0.0, -wide], [far, 0.0, wide]]);
        triangles.push([[near, 0.0, -wide], [far, 0.0, -wide], [far, 0.0, wide]]);
    }
    for bow in (2..JOINTS).step_by(2) {
        let middle = TAIL - STEP * bow as f64;
        for side in [-1.0, 1.0] {
            triangles.push([
                [middle, 0.0, 0.0],
                [middle + 0.05, 0.03, 0.13 * side],
                [middle - 0.05, -0.03, 0.13 * side],
            ]);
        }
    }
    let held = |corner: &Point| {
        let along = ((TAIL - corner[0]) / STEP).clamp(0.0, (JOINTS - 1) as f64);
        let joint = (along.floor() as usize).min(JOINTS - 2);
        let part = (along - joint as f64) as f32;
        // What does not hold a corner is no joint of it.
        match part {
            0.0 => ([joint as u8, 0], [1.0, 0.0]),
            1.0 => ([joint as u8 + 1, 0], [1.0, 0.0]),
            _ => ([joint as u8, joint as u8 + 1], [1.0 - part, part]),
        }
    };
    let corners = triangles.iter().flatten().map(held).collect();
    (triangles, corners)
}

/// A turn about x, then about z.
fn turn(about_y: f64, about_z: f64) -> [f32; 4] {
    let (sy, cy) = libm::sincos(0.5 * about_y);
    let (sz, cz) = libm::sincos(0.5 * about_z);
    // z · y
    [-sz * sy, cz * sy, sz * cy, cz * cy].map(|x| x as f32)
}

/// A wave that runs down the tail.
fn wave(pack: &mut Pack, name: &str, seconds: f64, keys: u32, swing: f64) -> serde_json::Value {
    let parts: Vec<f64> = (0..=keys).map(|i| f64::from(i) / f64::from(keys)).collect();
    let times: Vec<f32> = parts.iter().map(|part| (part * seconds) as f32).collect();
    let joint = |index: usize| {
        let at = |part: &f64| {
            let part = if *part == 1.0 { 0.0 } else { *part };
            let phase = TAU * (part - 0.16 * index as f64);
            turn(swing * libm::sin(phase), 0.45 * swing * libm::sin(phase + 1.3))
        };
        (2 + index, parts.iter().map(at).collect::<Vec<_>>())
    };
    let turns: Vec<_> = (0..JOINTS).map(joint).collect();
    pack.clip(name, &times, &turns)
}

fn main() -> std::io::Result<()> {
    let mut pack = Pack::default();
    let sail = pack.part("sail", [0.95, 0.93, 0.9], &sail());
    let (triangles, held) = tail();
    let mut ribbon = pack.part("tail", [0.9, 0.88, 0.84], &triangles);
    pack.hang(&mut ribbon, &held);
    let inverses: Vec<f32> = (0..JOINTS)
        .flat_map(|joint| {
            let x = (TAIL - STEP * joint as f64) as f32;
            [1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, -x, 0.0, 0.0, 1.0]
        })
        .collect();
    let inverses = pack.numbers("MAT4", 16, &inverses);
    let mut nodes =
        vec![json!({ "name": "Kite", "mesh": 0, "children": [2] }), json!({ "name": "Tail", "mesh": 1, "skin": 0 })];
    for joint in 0..JOINTS {
        let x = if joint == 0 { TAIL } else { -STEP };
        let mut node = json!({ "name": format!("Joint {}", joint + 1), "translation": [x, 0.0, 0.0] });
        if joint + 1 < JOINTS {
            node["children"] = json!([3 + joint]);
        }
        nodes.push(node);
    }
    let joints: Vec<usize> = (2..2 + JOINTS).collect();
    let clips = [wave(&mut pack, "flutter", 1.2, 24, 0.22), wave(&mut pack, "flap", 0.5, 24, 0.5)];
    pack.write(
        "kite",
        json!({
            "scene": 0, "scenes": [{ "nodes": [0, 1] }], "nodes": nodes,
            "meshes": [{ "name": "Sail", "primitives": [sail] }, { "name": "Tail", "primitives": [ribbon] }],
            "skins": [{ "joints": joints, "inverseBindMatrices": inverses, "skeleton": 2 }], "animations": clips,
        }),
    )
}
