//! Makes `demo/swan-boat.glb`: a pedal boat of the fair, its bow along +z and its top along +y.
//!
//! `cargo run -p zickzack-formats --example swan_boat > demo/swan-boat.glb`

mod pack;

use pack::{Pack, Point, Triangle, skin};
use serde_json::json;
use std::f64::consts::TAU;

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

fn main() -> std::io::Result<()> {
    let parts = [
        ("hull", [0.95, 0.93, 0.88], hull()),
        ("neck", [0.95, 0.93, 0.88], neck()),
        ("beak", [0.91, 0.42, 0.14], beak()),
        ("seat", [0.48, 0.23, 0.41], seat()),
    ];
    let mut pack = Pack::default();
    let primitives: Vec<_> =
        parts.iter().map(|(name, colour, triangles)| pack.part(name, *colour, triangles)).collect();
    let rest = json!({
        "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": [{ "name": "Swan boat", "mesh": 0 }],
        "meshes": [{ "name": "Swan boat", "primitives": primitives }],
    });
    pack.write("swan_boat", rest)
}
