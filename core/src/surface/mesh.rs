//! Triangles of a surface, for drawing.

use super::{Shape, Surface};
use glam::{DVec2, DVec3};
use std::f64::consts::{FRAC_PI_2, PI, TAU};

/// Places with directions, and triangles between them.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Mesh {
    /// Metres.
    pub positions: Vec<DVec3>,
    /// Unit vectors, one per place.
    pub normals: Vec<DVec3>,
    /// Three numbers of places per triangle.
    pub indices: Vec<u32>,
}

const ROUND: usize = 64;
const TUBE: usize = 32;

/// Triangles that show a surface.
pub fn mesh(surface: &Surface) -> Mesh {
    let mut mesh = match &*surface.shape {
        Shape::Plane { width, depth } => plane(*width, *depth),
        Shape::Box { half } => cuboid(*half),
        Shape::Ball { radius } => {
            let at = |part: f64| {
                let (sine, cosine) = libm::sincos(PI * part - FRAC_PI_2);
                DVec2::new(cosine, sine)
            };
            lathe(&(0..=TUBE).map(|i| at(i as f64 / TUBE as f64)).map(|out| (out * *radius, out)).collect::<Vec<_>>())
        }
        Shape::Torus { radius, tube } => {
            let at = |part: f64| {
                let (sine, cosine) = libm::sincos(TAU * part);
                DVec2::new(cosine, sine)
            };
            let ring = |out: DVec2| (DVec2::new(*radius, 0.0) + out * *tube, out);
            lathe(&(0..=TUBE).map(|i| ring(at(i as f64 / TUBE as f64))).collect::<Vec<_>>())
        }
        Shape::Lathe(profile) => {
            let sides = profile.points().windows(2).flat_map(|pair| {
                let side = (pair[1] - pair[0]).normalize_or(DVec2::Y);
                let out = DVec2::new(side.y, -side.x);
                [(pair[0], out), (pair[1], out)]
            });
            lathe(&sides.collect::<Vec<_>>())
        }
    };
    mesh.positions.iter_mut().for_each(|place| *place = surface.orientation * *place + surface.position);
    mesh.normals.iter_mut().for_each(|normal| *normal = surface.orientation * *normal);
    mesh
}

/// Lines that show a surface: its edges, or circles and profiles.
pub fn wires(surface: &Surface) -> Vec<Vec<DVec3>> {
    const CIRCLE: usize = 48;
    let placed = |p: DVec3| surface.orientation * p + surface.position;
    let circle = |radius: f64, y: f64| -> Vec<DVec3> {
        let at = |i: usize| libm::sincos(TAU * i as f64 / CIRCLE as f64);
        (0..=CIRCLE).map(at).map(|(sine, cosine)| placed(DVec3::new(radius * cosine, y, -radius * sine))).collect()
    };
    let turned = |profile: &[DVec2], part: f64| -> Vec<DVec3> {
        let (sine, cosine) = libm::sincos(TAU * part);
        profile.iter().map(|v| placed(DVec3::new(v.x * cosine, v.y, -v.x * sine))).collect()
    };
    let round = |profile: &[DVec2], rings: &[DVec2]| -> Vec<Vec<DVec3>> {
        let profiles = (0..8).map(|i| turned(profile, f64::from(i) / 8.0));
        rings.iter().map(|ring| circle(ring.x, ring.y)).chain(profiles).collect()
    };
    let arc = |middle: f64, radius: f64, from: f64, to: f64| -> Vec<DVec2> {
        let at = |i: usize| libm::sincos(from + (to - from) * i as f64 / CIRCLE as f64);
        (0..=CIRCLE).map(at).map(|(sine, cosine)| DVec2::new(middle + radius * cosine, radius * sine)).collect()
    };
    match &*surface.shape {
        Shape::Plane { width, depth } => {
            let (x, z) = (0.5 * width, 0.5 * depth);
            let line = |a: (f64, f64), b: (f64, f64)| [a, b].map(|(x, z)| placed(DVec3::new(x, 0.0, z))).to_vec();
            let across = (0..=4).map(|i| f64::from(i) / 2.0 - 1.0);
            across.flat_map(|part| [line((x * part, -z), (x * part, z)), line((-x, z * part), (x, z * part))]).collect()
        }
        Shape::Ball { radius } => {
            let profile = arc(0.0, *radius, -FRAC_PI_2, FRAC_PI_2);
            let rings: Vec<DVec2> = profile.iter().step_by(CIRCLE / 6).copied().collect();
            round(&profile, &rings)
        }
        Shape::Box { half } => {
            let mut lines = Vec::new();
            for axis in 0..3 {
                let (u, v) = (DVec3::AXES[(axis + 1) % 3], DVec3::AXES[(axis + 2) % 3]);
                for (a, b) in [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)] {
                    let end = |side: f64| placed((DVec3::AXES[axis] * side + u * a + v * b) * *half);
                    lines.push(vec![end(-1.0), end(1.0)]);
                }
            }
            lines
        }
        Shape::Torus { radius, tube } => {
            let profile = arc(*radius, *tube, 0.0, TAU);
            let rings: Vec<DVec2> = profile.iter().step_by(CIRCLE / 4).copied().collect();
            round(&profile, &rings)
        }
        Shape::Lathe(profile) => {
            let points = profile.points();
            let rings: Vec<DVec2> = (0..=4).map(|i| profile.at(f64::from(i) / 4.0)).collect();
            round(points, &rings)
        }
    }
}

/// A profile of places and directions turned round y.
fn lathe(profile: &[(DVec2, DVec2)]) -> Mesh {
    let mut mesh = Mesh::default();
    for step in 0..=ROUND {
        let (sine, cosine) = libm::sincos(TAU * step as f64 / ROUND as f64);
        let turned = |v: DVec2| DVec3::new(v.x * cosine, v.y, -v.x * sine);
        mesh.positions.extend(profile.iter().map(|(place, _)| turned(*place)));
        mesh.normals.extend(profile.iter().map(|(_, normal)| turned(*normal)));
    }
    let row = profile.len() as u32;
    for step in 0..ROUND as u32 {
        for i in 0..row - 1 {
            let a = step * row + i;
            mesh.indices.extend([a, a + row, a + 1, a + 1, a + row, a + row + 1]);
        }
    }
    mesh
}

fn plane(width: f64, depth: f64) -> Mesh {
    let (x, z) = (0.5 * width, 0.5 * depth);
    let corners = [(-x, -z), (-x, z), (x, z), (x, -z)];
    Mesh {
        positions: corners.iter().map(|&(x, z)| DVec3::new(x, 0.0, z)).collect(),
        normals: vec![DVec3::Y; 4],
        indices: vec![0, 1, 2, 0, 2, 3],
    }
}

fn cuboid(half: DVec3) -> Mesh {
    let mut mesh = Mesh::default();
    for axis in 0..3 {
        for side in [-1.0, 1.0] {
            let normal = DVec3::AXES[axis] * side;
            let (u, v) = (DVec3::AXES[(axis + 1) % 3], DVec3::AXES[(axis + 2) % 3]);
            let first = mesh.positions.len() as u32;
            for (a, b) in [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)] {
                mesh.positions.push((normal + u * a + v * b) * half);
                mesh.normals.push(normal);
            }
            let order = if side > 0.0 { [0, 1, 2, 0, 2, 3] } else { [0, 2, 1, 0, 3, 2] };
            mesh.indices.extend(order.map(|i| first + i));
        }
    }
    mesh
}
