//! Channels of one thing over time, for drawing.

use super::{Columns, Motion, Sample};
use crate::pose::{angle_between, nearer, signed_angle, turn_between};
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
/// Half the step over which a twist is measured, frames.
const TWIST_STEP: f64 = 0.01;

/// Position, speed and heading of things of a prepared motion, each at a frame of its own: one
/// (object, frame) pair for every value; of things that face their travel also bank, twist and turn. Heading is the angle of travel, degrees: in a flat scene from
/// +x towards +y, in a deep one from +x towards −z, both counter-clockwise for the viewer.
pub fn trace(motion: &dyn Motion, at: &[(usize, f64)], fps: f64, flat: bool) -> Vec<Channel> {
    let columns = Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL;
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
    channels
}

/// Bank: degrees by which the top leans to the right of upright. Twist: degrees per frame about the nose. Turn:
/// degrees from half a frame before to half a frame after.
fn turning(motion: &dyn Motion, at: &[(usize, f64)], fps: f64, flat: bool) -> Vec<Channel> {
    let Some((nose, top)) = motion.facing() else { return Vec::new() };
    let (nose, top) = (nose.vector(), top.vector());
    let turned = |offset: f64| {
        let moved: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + offset)).collect();
        let mut sample = Sample::default();
        motion.sample_at(&moved, Columns::ORIENTATION, &mut sample);
        sample.orientations
    };
    let bank = |turn: &DQuat| {
        let ahead = *turn * nose;
        let upright = DVec3::Y - ahead * ahead.y;
        if upright.length() < 1e-6 { 0.0 } else { signed_angle(upright, *turn * top, ahead).to_degrees() }
    };
    let twist = |(from, to): (&DQuat, &DQuat), over: f64| {
        let ahead = (*from + nearer(*to, *from)).normalize() * nose;
        turn_between(*from, *to).dot(ahead).to_degrees() / over
    };
    let whole = |(from, to): (&DQuat, &DQuat)| angle_between(*from, *to).to_degrees();
    let (here, before, after) = (turned(0.0), turned(-STEP), turned(STEP));
    let per_second = fps / (2.0 * STEP);
    // The three stretches of a rate: around the frame, and a little before and after it.
    let over = |offset: f64, half: f64, rate: &dyn Fn((&DQuat, &DQuat)) -> f64| -> Vec<f64> {
        turned(offset - half).iter().zip(&turned(offset + half)).map(rate).collect()
    };
    let rated = |name, half: f64, rate: &dyn Fn((&DQuat, &DQuat)) -> f64| {
        let (earlier, later) = (over(-STEP, half, rate), over(STEP, half, rate));
        Channel {
            name,
            unit: "°/frame",
            values: over(0.0, half, rate),
            pace: earlier.iter().zip(&later).map(|(a, b)| (b - a) * per_second).collect(),
        }
    };
    let round = |apart: f64| apart - (apart / 360.0).round() * 360.0;
    let lean = Channel {
        name: "bank",
        unit: "°",
        values: here.iter().map(bank).collect(),
        pace: before.iter().zip(&after).map(|(a, b)| round(bank(b) - bank(a)) * per_second).collect(),
    };
    let twisted = rated("twist", TWIST_STEP, &|pair| twist(pair, 2.0 * TWIST_STEP));
    let turn = rated("turn", 0.5, &whole);
    if flat { vec![turn] } else { vec![lean, twisted, turn] }
}

/// Degrees in [0, 360).
fn heading(travel: DVec3, flat: bool) -> f64 {
    let across = if flat { travel.y } else { -travel.z };
    let angle = libm::atan2(across, travel.x).to_degrees();
    if angle < 0.0 { angle + 360.0 } else { angle }
}
