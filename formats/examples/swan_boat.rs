//! Makes `demo/swan-boat.glb`: a pedal boat of the fair, its bow along +z and its top along +y.
//!
//! `cargo run -p zickzack-formats --example swan_boat > demo/swan-boat.glb`

use std::f64::consts::TAU;
use std::io::Write;

type Point = [f64; 3];
type Triangle = [Point; 3];

/// A strip of quads between rings of equally many points.
fn skin(rings: &[Vec<Point>], out: &mut Vec<Triangle>) {
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

/// A ring around `centre`, across a direction that leans by `lean` from +z towards +y.
fn ring(centre: Point, (wide, high): (f64, f64), lean: f64, sides: usize) -> Vec<Point> {
    (0..sides)
        .map(|i| {
            let angle = TAU * i as f64 / sides as f64;
            let (x, up) = (wide * libm::cos(angle), high * libm::sin(angle));
            [centre[0] + x, centre[1] + up * libm::cos(lean), centre[2] - up * libm::sin(lean)]
        })
        .collect()
}

fn hull() -> Vec<Triangle> {
    let along = [
        (-0.62, 0.05, 0.30),
        (-0.5, 0.2, 0.2),
        (-0.2, 0.27, 0.16),
        (0.2, 0.26, 0.16),
        (0.48, 0.14, 0.2),
        (0.62, 0.02, 0.26),
    ];
    let rings: Vec<_> =
        along.iter().map(|&(z, wide, up)| ring([0.0, up, z], (wide, 0.2 - up / 3.0), 0.0, 12)).collect();
    let mut out = Vec::new();
    skin(&rings, &mut out);
    out
}

fn neck() -> Vec<Triangle> {
    let way = [
        (0.22, 0.44, 0.10, 0.9),
        (0.42, 0.56, 0.085, 1.2),
        (0.62, 0.58, 0.07, 1.57),
        (0.80, 0.52, 0.065, 1.9),
        (0.92, 0.56, 0.075, 1.0),
        (0.93, 0.68, 0.06, 0.0),
        (0.90, 0.75, 0.02, 0.0),
    ];
    let rings: Vec<_> = way.iter().map(|&(y, z, r, lean)| ring([0.0, y, z], (r, r), lean, 10)).collect();
    let mut out = Vec::new();
    skin(&rings, &mut out);
    out
}

fn beak() -> Vec<Triangle> {
    let rings = [ring([0.0, 0.905, 0.73], (0.04, 0.03), 0.0, 8), ring([0.0, 0.87, 0.88], (0.008, 0.006), 0.0, 8)];
    let mut out = Vec::new();
    skin(&rings, &mut out);
    out
}

fn seat() -> Vec<Triangle> {
    let corners = |y: f64, z: f64, half: f64| {
        vec![[-half, y, z - 0.12], [half, y, z - 0.12], [half, y, z + 0.12], [-half, y, z + 0.12]]
    };
    let mut out = Vec::new();
    skin(&[corners(0.30, -0.12, 0.2), corners(0.42, -0.12, 0.19)], &mut out);
    let top = corners(0.42, -0.12, 0.19);
    out.push([top[0], top[2], top[1]]);
    out.push([top[0], top[3], top[2]]);
    out
}

fn normal(t: &Triangle) -> [f32; 3] {
    let side = |i: usize| [0, 1, 2].map(|k| t[i][k] - t[0][k]);
    let (a, b) = (side(1), side(2));
    let n = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
    let length = n.iter().map(|x| x * x).sum::<f64>().sqrt().max(1e-12);
    n.map(|x| (x / length) as f32)
}

fn main() -> std::io::Result<()> {
    let parts = [
        ("hull", [0.95, 0.93, 0.88], hull()),
        ("neck", [0.95, 0.93, 0.88], neck()),
        ("beak", [0.91, 0.42, 0.14], beak()),
        ("seat", [0.48, 0.23, 0.41], seat()),
    ];
    let mut data: Vec<u8> = Vec::new();
    let (mut views, mut accessors, mut primitives, mut materials) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for (index, (name, colour, triangles)) in parts.iter().enumerate() {
        let places: Vec<[f32; 3]> = triangles.iter().flatten().map(|p| p.map(|x| x as f32)).collect();
        let normals: Vec<[f32; 3]> = triangles.iter().flat_map(|t| [normal(t); 3]).collect();
        let bound =
            |pick: fn(f32, f32) -> f32| places.iter().copied().reduce(|a, b| [0, 1, 2].map(|k| pick(a[k], b[k])));
        for (list, bounds) in [(&places, true), (&normals, false)] {
            views.push(serde_json::json!({ "buffer": 0, "byteOffset": data.len(), "byteLength": list.len() * 12, "target": 34962 }));
            let mut accessor = serde_json::json!({ "bufferView": views.len() - 1, "componentType": 5126, "count": list.len(), "type": "VEC3" });
            if bounds {
                accessor["min"] = serde_json::json!(bound(f32::min));
                accessor["max"] = serde_json::json!(bound(f32::max));
            }
            accessors.push(accessor);
            data.extend(list.iter().flatten().flat_map(|x| x.to_le_bytes()));
        }
        materials.push(serde_json::json!({ "name": name, "doubleSided": true, "pbrMetallicRoughness": { "baseColorFactor": [colour[0], colour[1], colour[2], 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.8 } }));
        primitives.push(
            serde_json::json!({ "attributes": { "POSITION": 2 * index, "NORMAL": 2 * index + 1 }, "material": index }),
        );
    }
    let text = serde_json::json!({
        "asset": { "version": "2.0", "generator": "zickzack-formats example swan_boat" },
        "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": [{ "name": "Swan boat", "mesh": 0 }],
        "meshes": [{ "name": "Swan boat", "primitives": primitives }], "materials": materials,
        "buffers": [{ "byteLength": data.len() }], "bufferViews": views, "accessors": accessors,
    });
    let mut text = text.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    data.resize(data.len().next_multiple_of(4), 0);
    let mut file = Vec::new();
    file.extend(b"glTF");
    for number in [2u32, (12 + 8 + text.len() + 8 + data.len()) as u32, text.len() as u32] {
        file.extend(number.to_le_bytes());
    }
    file.extend(b"JSON");
    file.extend(text);
    file.extend((data.len() as u32).to_le_bytes());
    file.extend(b"BIN\0");
    file.extend(data);
    std::io::stdout().write_all(&file)
}
