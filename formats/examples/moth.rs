//! Makes `demo/moth.glb`: a moth whose wings are parts of their own, its head along +x and its top along +y. It beats its
//! wings in `beat` and hardly moves them in `glide`.
//!
//! `cargo run -p zickzack-formats --example moth > demo/moth.glb`

mod pack;

use pack::{Pack, Point, Triangle, skin};
use serde_json::json;
use std::f64::consts::TAU;

fn body() -> Vec<Triangle> {
    let ring = |x: f64, radius: f64| -> Vec<Point> {
        (0..8)
            .map(|i| {
                let (sine, cosine) = libm::sincos(TAU * f64::from(i) / 8.0);
                [x, radius * sine, radius * cosine]
            })
            .collect()
    };
    let along = [
        (-0.5, 0.005),
        (-0.42, 0.05),
        (-0.2, 0.075),
        (0.05, 0.07),
        (0.2, 0.09),
        (0.3, 0.06),
        (0.4, 0.055),
        (0.46, 0.01),
    ];
    let mut out = Vec::new();
    skin(&along.map(|(x, radius)| ring(x, radius)), &mut out);
    out
}

/// Feelers, thin as blades.
fn feelers() -> Vec<Triangle> {
    [-1.0, 1.0].map(|side| [[0.42, 0.03, 0.02 * side], [0.44, 0.03, 0.05 * side], [0.62, 0.14, 0.16 * side]]).to_vec()
}

/// A wing's outline from its hinge outwards along z, flat, as a fan.
fn wing(outline: &[(f64, f64)], side: f64) -> Vec<Triangle> {
    let at = |(x, z): (f64, f64)| [x, 0.0, z * side];
    outline.windows(2).map(|pair| [[0.0, 0.0, 0.0], at(pair[0]), at(pair[1])]).collect()
}

const FORE: [(f64, f64); 7] =
    [(0.12, 0.02), (0.24, 0.3), (0.28, 0.6), (0.2, 0.78), (0.0, 0.66), (-0.1, 0.4), (-0.1, 0.05)];
const HIND: [(f64, f64); 6] = [(0.06, 0.04), (0.04, 0.34), (-0.1, 0.5), (-0.3, 0.46), (-0.34, 0.24), (-0.16, 0.03)];

/// A turn about x, by which a wing on the side of +z is lifted.
fn lifted(angle: f64) -> [f32; 4] {
    let (sine, cosine) = libm::sincos(-0.5 * angle);
    [sine as f32, 0.0, 0.0, cosine as f32]
}

/// Keys of a clip: the angle of the fore wings and of the hind wings by part of the cycle.
fn strokes(
    pack: &mut Pack,
    name: &str,
    seconds: f64,
    keys: u32,
    angle: impl Fn(f64) -> (f64, f64),
) -> serde_json::Value {
    let parts: Vec<f64> = (0..=keys).map(|i| f64::from(i) / f64::from(keys)).collect();
    let times: Vec<f32> = parts.iter().map(|part| (part * seconds) as f32).collect();
    let turns: Vec<(usize, Vec<[f32; 4]>)> = [(1, 1.0, true), (2, -1.0, true), (3, 1.0, false), (4, -1.0, false)]
        .map(|(node, side, fore)| {
            let turn = |part: &f64| {
                let (front, back) = angle(if *part == 1.0 { 0.0 } else { *part });
                lifted(side * if fore { front } else { back })
            };
            (node, parts.iter().map(turn).collect())
        })
        .to_vec();
    pack.clip(name, &times, &turns)
}

fn main() -> std::io::Result<()> {
    let mut pack = Pack::default();
    let brown = [0.46, 0.33, 0.22];
    let body = [pack.part("fur", brown, &body()), pack.part("feelers", [0.3, 0.2, 0.13], &feelers())];
    let mut meshes = vec![json!({ "name": "Body", "primitives": body })];
    for (name, outline, colour) in
        [("Fore wing", &FORE[..], [0.86, 0.72, 0.5]), ("Hind wing", &HIND[..], [0.93, 0.58, 0.34])]
    {
        for side in [1.0, -1.0] {
            meshes.push(json!({ "name": name, "primitives": [pack.part(name, colour, &wing(outline, side))] }));
        }
    }
    let hinge = |mesh: usize, x: f64, side: f64| {
        let name = meshes[mesh]["name"].clone();
        json!({ "name": name, "mesh": mesh, "translation": [x, 0.05, 0.04 * side] })
    };
    let nodes = json!([
        { "name": "Moth", "mesh": 0, "children": [1, 2, 3, 4] },
        hinge(1, 0.16, 1.0), hinge(2, 0.16, -1.0), hinge(3, 0.0, 1.0), hinge(4, 0.0, -1.0),
    ]);
    let beat = strokes(&mut pack, "beat", 0.25, 24, |part| {
        let (fore, hind) = (libm::sin(TAU * part), libm::sin(TAU * (part - 0.08)));
        (0.25 + 1.0 * fore, 0.15 + 0.8 * hind)
    });
    let glide = strokes(&mut pack, "glide", 0.9, 12, |part| {
        let sway = libm::sin(TAU * part);
        (0.3 + 0.1 * sway, 0.15 + 0.06 * sway)
    });
    pack.write("moth", json!({ "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": nodes, "meshes": meshes, "animations": [beat, glide] }))
}
