//! Lines of a surface, for drawing.

use super::{Shape, Surface};
use glam::{DVec2, DVec3};
use std::f64::consts::{FRAC_PI_2, TAU};

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
            let rings: Vec<DVec2> = (0..=4).map(|i| profile.at(f64::from(i) / 4.0).point).collect();
            round(&profile.drawn(), &rings)
        }
    }
}
