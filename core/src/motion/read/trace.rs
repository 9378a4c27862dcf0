//! Channels of one thing over time, for drawing.

use crate::motion::{Columns, Motion, Sample};
use crate::pose::{angle_between, signed_angle};
use glam::{DQuat, DVec3};

/// One channel.
#[derive(Debug, Clone, PartialEq)]
pub struct Channel {
    /// Name on screen.
    pub name: &'static str,
    /// Unit on screen.
    pub unit: &'static str,
    /// One value per pair asked for.
    pub values: Vec<f64>,
    /// Rate of change of each value, in units per second.
    pub pace: Vec<f64>,
}

/// Half the step over which rates without a closed form are measured, frames.
const STEP: f64 = 1e-3;
/// What turns this many times as far in a frame as it turns fast turns at once somewhere within it.
const AT_ONCE: f64 = 1.5;

/// Position, speed and heading of things of a prepared motion, each at a frame of its own: one (object, frame) pair for
/// every value; of things that face their travel also bank, twist and turn. Where a thing is not there all is NaN. Heading is the angle of travel, degrees: in
/// a flat scene from +x towards +y, in a deep one from +x towards −z, both counter-clockwise for the viewer.
pub fn trace(motion: &dyn Motion, at: &[(usize, f64)], fps: f64, flat: bool) -> Vec<Channel> {
    let columns = Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL | Columns::ALIVE;
    let sampled = |offset: f64| {
        let moved: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + offset)).collect();
        let mut sample = Sample::default();
        motion.sample_at(&moved, columns, &mut sample);
        sample
    };
    let (here, before, after) = (sampled(0.0), sampled(-STEP), sampled(STEP));
    let per_second = fps / (2.0 * STEP);
    let mut channels: Vec<Channel> = ["position x", "position y", "position z"]
        .into_iter()
        .enumerate()
        .take(if flat { 2 } else { 3 })
        .map(|(axis, name)| Channel {
            name,
            unit: "m",
            values: here.positions.iter().map(|p| p[axis]).collect(),
            pace: here.velocities.iter().map(|v| v[axis] * fps).collect(),
        })
        .collect();
    let speed = |sample: &Sample| sample.velocities.iter().map(|v| v.length() * fps).collect::<Vec<f64>>();
    let (slower, faster) = (speed(&before), speed(&after));
    channels.push(Channel {
        name: "speed",
        unit: "m/s",
        values: speed(&here),
        pace: slower.iter().zip(&faster).map(|(a, b)| (b - a) * per_second).collect(),
    });
    let turn = |(a, b): (&DVec3, &DVec3)| {
        let apart = heading(*b, flat) - heading(*a, flat);
        (apart - (apart / 360.0).round() * 360.0) * per_second
    };
    channels.push(Channel {
        name: "heading",
        unit: "°",
        values: here.travels.iter().map(|travel| heading(*travel, flat)).collect(),
        pace: before.travels.iter().zip(&after.travels).map(turn).collect(),
    });
    channels.extend(turning(motion, at, fps, flat));
    for channel in &mut channels {
        for (row, _) in here.alive.iter().enumerate().filter(|(_, alive)| !**alive) {
            (channel.values[row], channel.pace[row]) = (f64::NAN, f64::NAN);
        }
    }
    channels
}

/// Bank: degrees by which the top leans to the right of upright. Twist: degrees per frame about the nose. Turn: degrees
/// per frame about any axis; where it turns at once within half a frame to either side, all that it turns in that frame.
fn turning(motion: &dyn Motion, at: &[(usize, f64)], fps: f64, flat: bool) -> Vec<Channel> {
    let Some((nose, top)) = motion.facing() else { return Vec::new() };
    let (nose, top) = (nose.vector(), top.vector());
    let turned = |offset: f64| {
        let moved: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + offset)).collect();
        let mut sample = Sample::default();
        motion.sample_at(&moved, Columns::ORIENTATION | Columns::SPIN, &mut sample);
        sample
    };
    let bank = |turn: &DQuat| {
        let ahead = *turn * nose;
        let upright = DVec3::Y - ahead * ahead.y;
        if upright.length() < 1e-6 { 0.0 } else { signed_angle(upright, *turn * top, ahead).to_degrees() }
    };
    let looks @ [_, early, here, late, _] = &[-0.5, -STEP, 0.0, STEP, 0.5].map(turned);
    let per_second = fps / (2.0 * STEP);
    let twist = |sample: &Sample| -> Vec<f64> {
        let pairs = sample.spins.iter().zip(&sample.orientations);
        pairs.map(|(spin, turn)| spin.dot(*turn * nose).to_degrees()).collect()
    };
    let turn = |sample: &Sample| -> Vec<f64> { sample.spins.iter().map(|spin| spin.length().to_degrees()).collect() };
    let rated = |name, rate: &dyn Fn(&Sample) -> Vec<f64>| Channel {
        name,
        unit: "°/frame",
        values: rate(here),
        pace: rate(early).iter().zip(rate(late)).map(|(a, b)| (b - a) * per_second).collect(),
    };
    let mut turn = rated("turn", &turn);
    for (row, value) in turn.values.iter_mut().enumerate() {
        let whole = angle_between(looks[0].orientations[row], looks[4].orientations[row]).to_degrees();
        let fastest = looks.iter().map(|look| look.spins[row].length().to_degrees()).fold(0.0, f64::max);
        if whole > AT_ONCE * fastest + 1e-3 {
            *value = whole;
        }
    }
    if flat {
        return vec![turn];
    }
    let round = |apart: f64| apart - (apart / 360.0).round() * 360.0;
    let lean = Channel {
        name: "bank",
        unit: "°",
        values: here.orientations.iter().map(bank).collect(),
        pace: early
            .orientations
            .iter()
            .zip(&late.orientations)
            .map(|(a, b)| round(bank(b) - bank(a)) * per_second)
            .collect(),
    };
    vec![lean, rated("twist", &twist), turn]
}

/// Degrees in [0, 360).
fn heading(travel: DVec3, flat: bool) -> f64 {
    let across = if flat { travel.y } else { -travel.z };
    let angle = libm::atan2(across, travel.x).to_degrees();
    if angle < 0.0 { angle + 360.0 } else { angle }
}
