//! The things that an Output or a kind may be shown as, about one metre large, their noses along +x and their tops along +y.

use super::{Mesh, ball, block, layered, ring, turned};
use glam::{DAffine3, DQuat, DVec2, DVec3};
use std::f64::consts::{FRAC_PI_2, PI};

/// The words of all of them.
pub const THINGS: [&str; 13] =
    ["arrow", "ball", "barrel", "boat", "box", "capsule", "club", "cone", "lantern", "peg", "plate", "puck", "ring"];

/// What a word stands for; nothing for a word that is none of [`THINGS`].
pub fn thing(word: &str) -> Option<Mesh> {
    Some(match word {
        "arrow" => arrow(),
        "ball" => ball(0.5, 4),
        "barrel" => barrel(),
        "boat" => boat(),
        "box" => block(DVec3::new(1.0, 0.6, 0.6)),
        "capsule" => ahead(&capsule(0.22, 0.28), 18),
        "club" => club(),
        "cone" => ahead(&[(0.0, -0.5), (0.32, -0.5), (0.0, 0.5)], 28),
        "lantern" => lantern(),
        "peg" => peg(),
        "plate" => plate(),
        "puck" => puck(),
        "ring" => {
            ring((0.42, 0.08), (44, 14)).with(block(DVec3::new(0.1, 0.18, 0.05)).moved(0.42, 0.0, 0.0).shaded(0.3))
        }
        _ => return None,
    })
}

/// Turned about y so that what was up is ahead.
fn ahead(outline: &[(f64, f64)], sides: usize) -> Mesh {
    turned(outline, sides).rotated(DQuat::from_rotation_z(-FRAC_PI_2))
}

/// A closed pipe that widens or narrows upwards.
fn drum(below: f64, above: f64, height: f64, sides: usize) -> Mesh {
    let half = 0.5 * height;
    turned(&[(0.0, -half), (below, -half), (above, half), (0.0, half)], sides)
}

/// The same, open at both ends.
fn hoop(below: f64, above: f64, height: f64, sides: usize) -> Mesh {
    turned(&[(below, -0.5 * height), (above, 0.5 * height)], sides)
}

fn capsule(radius: f64, half: f64) -> Vec<(f64, f64)> {
    const PARTS: usize = 6;
    let arc = |part: usize, up: f64| {
        let (sin, cos) = libm::sincos(FRAC_PI_2 * part as f64 / PARTS as f64);
        let across = if part == PARTS { 0.0 } else { radius * cos };
        (across, up * (half + radius * sin))
    };
    (0..=PARTS).rev().map(|part| arc(part, -1.0)).chain((0..=PARTS).map(|part| arc(part, 1.0))).collect()
}

fn arrow() -> Mesh {
    let head = ahead(&[(0.0, -0.31), (0.26, -0.31), (0.0, 0.31)], 4).moved(0.19, 0.0, 0.0);
    head.with(block(DVec3::new(0.5, 0.12, 0.12)).moved(-0.25, 0.0, 0.0))
}

/// A hull, narrower below, its bow ahead, with a seat, a short mast and a pennant.
fn boat() -> Mesh {
    const PARTS: usize = 8;
    // Of its left side, from the bow to the stern.
    let bow = (0..=PARTS).map(|part| {
        let t = part as f64 / PARTS as f64;
        let (a, b, c) = ((1.0 - t) * (1.0 - t), 2.0 * t * (1.0 - t), t * t);
        DVec2::new(0.5 * a + 0.28 * b - 0.1 * c, -0.2 * b - 0.2 * c)
    });
    let left: Vec<DVec2> = bow.chain([DVec2::new(-0.42, -0.15)]).collect();
    let right = left.iter().skip(1).rev().map(|at| DVec2::new(at.x, -at.y));
    let outline: Vec<DVec2> = right.chain(left.iter().copied()).collect();
    let hull = layered(&outline, &[(-0.13, 0.62), (-0.05, 0.84), (0.05, 0.94), (0.17, 1.0), (0.17, 0.9), (0.09, 0.86)]);
    let seat = block(DVec3::new(0.1, 0.05, 0.3)).moved(-0.2, 0.14, 0.0).shaded(0.45);
    let mast = drum(0.022, 0.016, 0.5, 6).moved(0.12, 0.34, 0.0);
    let flat = DAffine3::from_scale(DVec3::new(1.0, 1.0, 0.2));
    let pennant = turned(&[(0.0, -0.11), (0.07, -0.11), (0.0, 0.11)], 3).rotated(DQuat::from_rotation_z(FRAC_PI_2));
    hull.with(seat).with(mast).with(pennant.transformed(flat).moved(0.0, 0.54, 0.0).shaded(0.7))
}

/// It hangs from the place that is carried: a hook, a cap, a body of six sides that narrows downwards, a foot.
fn lantern() -> Mesh {
    let body = drum(0.24, 0.34, 0.6, 6).moved(0.0, -0.62, 0.0);
    let cap = drum(0.34, 0.1, 0.14, 6).moved(0.0, -0.25, 0.0);
    let foot = drum(0.16, 0.16, 0.06, 6).moved(0.0, -0.95, 0.0);
    body.with(cap).with(foot).with(drum(0.02, 0.02, 0.2, 4).moved(0.0, -0.09, 0.0))
}

/// A handle with a knob, then the belly towards the nose, with a band round it.
fn club() -> Mesh {
    let outline = [
        (0.0, -0.5),
        (0.05, -0.49),
        (0.06, -0.45),
        (0.03, -0.41),
        (0.035, -0.15),
        (0.06, 0.02),
        (0.13, 0.2),
        (0.14, 0.32),
        (0.1, 0.44),
        (0.0, 0.5),
    ];
    let band = hoop(0.138, 0.146, 0.05, 20).rotated(DQuat::from_rotation_z(-FRAC_PI_2)).moved(0.3, 0.0, 0.0);
    ahead(&outline, 20).with(band.shaded(0.35))
}

/// Six staves round the axle z, one of them below; hoops, and a mark on one head.
fn barrel() -> Mesh {
    let lying = DQuat::from_rotation_x(FRAC_PI_2) * DQuat::from_rotation_y(PI / 6.0);
    let round = |z: f64| hoop(0.506, 0.506, 0.07, 6).rotated(lying).moved(0.0, 0.0, z).shaded(0.3);
    let mark = block(DVec3::new(0.12, 0.3, 0.02)).moved(0.0, 0.24, 0.455).shaded(0.2);
    drum(0.5, 0.5, 0.9, 6).rotated(lying).with(round(-0.28)).with(round(0.28)).with(mark)
}

fn peg() -> Mesh {
    let post = drum(0.08, 0.06, 0.94, 18).moved(0.0, 0.03, 0.0);
    let knob = ball(0.09, 3).moved(0.0, 0.5, 0.0).shaded(0.75);
    post.with(knob).with(drum(0.38, 0.34, 0.06, 28).moved(0.0, -0.47, 0.0).shaded(0.5))
}

fn plate() -> Mesh {
    let well = drum(0.36, 0.36, 0.012, 40).moved(0.0, 0.046, 0.0).shaded(0.8);
    let mark = block(DVec3::new(0.12, 0.02, 0.05)).moved(0.42, 0.05, 0.0).shaded(0.2);
    drum(0.38, 0.5, 0.08, 40).with(well).with(mark)
}

fn puck() -> Mesh {
    let disc = drum(0.5, 0.5, 0.2, 36).rotated(DQuat::from_rotation_x(FRAC_PI_2));
    disc.with(block(DVec3::new(0.4, 0.12, 0.06)).moved(0.27, 0.0, 0.1).shaded(0.12))
}
