//! Orientations step by step, as they are steered.

use super::{Bank, REVERSAL, Table};
use crate::motion::{Columns, Frames, Motion, MotionError, Sample};
use crate::pose::{about, angle_between, bend, nearer, signed_angle, turn_between};
use crate::signal::Thing;
use glam::{DQuat, DVec3};
use std::f64::consts::PI;

pub(super) fn eased(x: f64) -> f64 {
    x * x * (3.0 - 2.0 * x)
}

/// Weights of a raised cosine over `width` frames, from −n to n steps; they add up to 1.
pub(super) fn kernel(width: f64, per_frame: f64) -> Vec<f64> {
    let reach = (0.5 * width * per_frame).max(1e-9);
    let side = (reach.ceil() as usize).saturating_sub(1);
    let weight = |i: usize| 1.0 + libm::cos(PI * (i as f64 - side as f64) / reach);
    let weights: Vec<f64> = (0..=2 * side).map(weight).collect();
    let sum: f64 = weights.iter().sum();
    weights.iter().map(|weight| weight / sum).collect()
}

/// The turns of a thing at each step, and the frames at which it jumps.
pub(super) type Course = (Vec<DQuat>, Vec<f64>);

/// What is known of a thing at each step.
pub(super) struct Steps {
    pub(super) turns: Vec<DQuat>,
    pub(super) travels: Vec<DVec3>,
    /// Metres per frame.
    pub(super) speeds: Vec<f64>,
    /// Frames of corners, contacts and reversals, in order.
    pub(super) corners: Vec<f64>,
    /// Frames of jumps, in order.
    pub(super) jumps: Vec<f64>,
    /// How many jumps lie before each step: what is averaged stays on one side of them.
    pub(super) sides: Vec<usize>,
}

/// What a thing does at each step, and where it turns at once.
pub(super) fn looked_at(inner: &dyn Motion, object: usize, table: &Table) -> Result<Steps, MotionError> {
    let at: Vec<(usize, f64)> = (0..table.steps).map(|step| (object, table.frame(step))).collect();
    let mut sample = Sample::default();
    inner.sample_at(&at, Columns::ORIENTATION | Columns::TRAVEL | Columns::VELOCITY, &mut sample);
    let range = Frames { from: table.from, to: table.frame(table.steps - 1) };
    let breaks = inner.breaks(object, range)?;
    let jumps: Vec<f64> = breaks.iter().filter(|b| b.kind.is_jump()).map(|b| b.frame).collect();
    let mut corners: Vec<f64> = breaks.iter().filter(|b| !b.kind.is_jump()).map(|b| b.frame).collect();
    let mut last = f64::NEG_INFINITY;
    let frame = table.per_frame as usize;
    for step in 1..table.steps {
        let from = step.saturating_sub(frame);
        let (before, after) = (table.frame(from), table.frame(step));
        let turned = bend(sample.travels[from], sample.travels[step]);
        if turned <= REVERSAL || before < last || breaks.iter().any(|b| b.frame >= before && b.frame <= after) {
            continue;
        }
        // Where it turns most within the frame.
        let most = |i: &usize, j: &usize| {
            let at = |i: usize| bend(sample.travels[i - 1], sample.travels[i]);
            at(*i).total_cmp(&at(*j))
        };
        let at = (from + 1..=step).max_by(most).unwrap_or(step);
        last = 0.5 * (table.frame(at - 1) + table.frame(at));
        corners.push(last);
    }
    corners.sort_by(f64::total_cmp);
    let side = |step: usize| jumps.partition_point(|jump| *jump <= table.frame(step));
    Ok(Steps {
        sides: (0..table.steps).map(side).collect(),
        speeds: sample.velocities.iter().map(|velocity| velocity.length()).collect(),
        turns: sample.orientations,
        travels: sample.travels,
        corners,
        jumps,
    })
}

/// Leans by what the bend asks for: its turn about the top from step to step, but for corners, averaged.
pub(super) fn lean(bank: &Bank, thing: Thing, inner: &dyn Motion, table: &Table, steps: &mut Steps) {
    let top = inner.facing().map_or(DVec3::Y, |(_, top)| top.vector());
    let broken = |step: usize| {
        let (from, to) = (table.frame(step), table.frame(step + 1));
        steps.corners.iter().chain(&steps.jumps).any(|&at| at >= from && at <= to)
    };
    let bends_by = |step: usize| {
        let (a, b) = (steps.travels[step], steps.travels[step + 1]);
        if a == DVec3::ZERO || b == DVec3::ZERO || broken(step) {
            return 0.0;
        }
        let up = steps.turns[step] * top;
        signed_angle(a - up * a.dot(up), b - up * b.dot(up), up) * table.per_frame
    };
    let last = table.steps - 1;
    let bends: Vec<f64> = (0..last).map(bends_by).collect();
    // Between two steps on both sides, so that it belongs to the step itself.
    let middle = |step: usize| 0.5 * (bends[step.saturating_sub(1)] + bends[step.min(last - 1)]);
    let pulls: Vec<f64> = (0..table.steps).map(|step| middle(step) * steps.speeds[step]).collect();
    let weights = kernel(bank.over, table.per_frame);
    let side = weights.len() / 2;
    for step in 0..table.steps {
        let near = |i: usize| (step + i).saturating_sub(side).min(last);
        let ours = |i: usize| if steps.sides[near(i)] == steps.sides[step] { near(i) } else { step };
        let pull: f64 = weights.iter().enumerate().map(|(i, weight)| weight * pulls[ours(i)]).sum();
        let frame = table.frame(step);
        let limit = bank.limit.at(frame, thing).to_radians();
        let angle = libm::atan(bank.amount.at(frame, thing) * pull / bank.gravity).clamp(-limit, limit);
        let travel = steps.travels[step];
        if travel != DVec3::ZERO {
            // Counter-clockwise seen from above is a turn to the left, and leans to the left.
            steps.turns[step] = about(travel, -angle) * steps.turns[step];
        }
    }
}

/// Weighted means of turns and their neighbours; beyond an end or a jump the last one counts again.
pub(super) fn averaged(steps: &Steps, weights: &[f64]) -> Vec<DQuat> {
    let (turns, sides) = (&steps.turns, &steps.sides);
    let (side, last) = (weights.len() / 2, turns.len() - 1);
    let mean = |step: usize| {
        let mut sum = DQuat::from_xyzw(0.0, 0.0, 0.0, 0.0);
        for (i, weight) in weights.iter().enumerate() {
            let other = (step + i).saturating_sub(side).min(last);
            let ours = if sides[other] == sides[step] { other } else { step };
            sum += nearer(turns[ours], turns[step]) * *weight;
        }
        // Where turns cancel each other out, the middle one stays.
        if sum.length() > 1e-6 { sum.normalize() } else { turns[step] }
    };
    (0..turns.len()).map(mean).collect()
}

/// Follows by at most so much from step to step, from the step `first` on; after a jump it begins anew.
pub(super) fn limit(steps: &mut Steps, most: f64, first: usize) {
    for step in first + 1..steps.turns.len() {
        let (from, to) = (steps.turns[step - 1], steps.turns[step]);
        let angle = angle_between(from, to);
        if angle > most && steps.sides[step] == steps.sides[step - 1] {
            steps.turns[step] = about(turn_between(from, to) / angle, most) * from;
        }
    }
}
