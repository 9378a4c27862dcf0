//! Noise on top of a motion.

use super::{Below, Layer, Layered, Rows, Who, who_needs};
use crate::motion::{Break, Columns, Frames, Motion, MotionError, Sample, corners};
use crate::pose::{scaled_axis, turn_between};
use crate::random;
use crate::signal::{Driven, NoiseSignal, Signal, Thing};
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// How much things waver, and how quickly.
#[derive(Debug, Clone)]
pub struct Wavering {
    /// Metres to either side, about.
    pub position: [Driven; 3],
    /// Degrees about each axis, about.
    pub orientation: [Driven; 3],
    /// Part of the size, about.
    pub scale: Driven,
    /// In a thing's own axes, not in the world's.
    pub own: bool,
    /// Frames from one hump to the next, about; above 0.
    pub period: f64,
    /// Layers, each finer than the one before it.
    pub octaves: u32,
    /// Another seed, other noise.
    pub seed: u64,
    /// Frames of the loop that it closes in; none where it goes on.
    pub frames: Option<f64>,
}

/// Another motion whose things each waver by noise of their own.
pub type Waver = Layered<Wavering>;

/// Half the frames over which turns are measured.
const STEP: f64 = 1e-3;
const CHANNELS: u64 = 71;
/// A thing is never smaller than this part of what it was.
const SMALLEST: f64 = 1e-3;

impl Waver {
    /// With this noise.
    pub fn new(inner: Arc<dyn Motion>, how: Wavering) -> Self {
        Self::over(inner, how)
    }
}

impl Wavering {
    fn noise(&self, object: usize, channel: u64) -> NoiseSignal {
        let seed = random::bits(self.seed, object as u64, CHANNELS + channel);
        NoiseSignal::new((0.0, 1.0), (self.period, 0.0), self.octaves, seed, self.frames)
    }

    /// Three amounts of noise with their rates of change.
    fn three(&self, amounts: &[Driven; 3], first: u64, thing: Thing, frame: f64) -> (DVec3, DVec3) {
        let (mut value, mut rate) = (DVec3::ZERO, DVec3::ZERO);
        for axis in 0..3 {
            let amount = amounts[axis].at(frame, thing);
            let change = amounts[axis].slope(frame, thing);
            if amount == 0.0 && change == 0.0 {
                continue;
            }
            let noise = self.noise(thing.index, first + axis as u64);
            let here = noise.at(frame);
            value[axis] = amount * here;
            rate[axis] = amount * noise.slope(frame) + change * here;
        }
        (value, rate)
    }

    fn turn(&self, thing: Thing, frame: f64) -> DQuat {
        let (degrees, _) = self.three(&self.orientation, 3, thing, frame);
        scaled_axis(degrees * (std::f64::consts::PI / 180.0))
    }

    fn turned(&self, turn: DQuat, thing: Thing, frame: f64) -> DQuat {
        let noise = self.turn(thing, frame);
        if self.own { (turn * noise).normalize() } else { (noise * turn).normalize() }
    }

    fn any(amounts: &[Driven]) -> bool {
        amounts.iter().any(|amount| amount.fixed() != Some(0.0))
    }

    fn turns_at(&self, inner: &dyn Motion, rows: Rows<'_>, offset: f64) -> Vec<DQuat> {
        let (who, moved) = (Who::of(inner), rows.later(offset));
        let mut sample = Sample::default();
        inner.sample_at(&moved, Columns::ORIENTATION | who_needs(inner), &mut sample);
        let turned = |(row, turn): (usize, &DQuat)| {
            let (thing, frame) = who.at(Rows::Each(&moved), row, &sample);
            self.turned(*turn, thing, frame)
        };
        sample.orientations.iter().enumerate().map(turned).collect()
    }
}

impl Layer for Wavering {
    fn changes(&self) -> Columns {
        let of = |amounts: &[Driven], column| if Self::any(amounts) { column } else { Columns::NONE };
        of(&self.position, Columns::POSITION)
            | of(&self.orientation, Columns::ORIENTATION)
            | of(std::slice::from_ref(&self.scale), Columns::SCALE)
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        let places = columns.contain(Columns::POSITION) || columns.contain(Columns::VELOCITY);
        let turn = if self.own && places { Columns::ORIENTATION } else { Columns::NONE };
        let spin = if self.own && columns.contain(Columns::VELOCITY) { Columns::SPIN } else { Columns::NONE };
        columns | turn | spin | who_needs(inner)
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let who = Who::of(inner);
        let turns = Self::any(&self.orientation);
        for row in 0..rows.count() {
            let (thing, frame) = who.at(rows, row, out);
            let turn = out.orientations.get(row).copied().unwrap_or(DQuat::IDENTITY);
            if columns.contain(Columns::POSITION) || columns.contain(Columns::VELOCITY) {
                let (moved, rate) = self.three(&self.position, 0, thing, frame);
                let axes = if self.own { turn } else { DQuat::IDENTITY };
                if let Some(position) = out.positions.get_mut(row) {
                    *position += axes * moved;
                }
                if let Some(velocity) = out.velocities.get_mut(row) {
                    *velocity += axes * rate;
                    if self.own {
                        *velocity += out.spins[row].cross(axes * moved);
                    }
                }
            }
            if let (Some(orientation), true) = (out.orientations.get_mut(row), turns) {
                *orientation = self.turned(turn, thing, frame);
            }
            if let Some(scale) = out.scales.get_mut(row) {
                let amount = self.scale.at(frame, thing);
                if amount != 0.0 {
                    *scale *= (1.0 + amount * self.noise(thing.index, 6).at(frame)).max(SMALLEST);
                }
            }
        }
        if columns.contain(Columns::SPIN) && turns {
            let (before, after) = (self.turns_at(inner, rows, -STEP), self.turns_at(inner, rows, STEP));
            let spin = |(a, b): (&DQuat, &DQuat)| turn_between(*a, *b) / (2.0 * STEP);
            out.spins = before.iter().zip(&after).map(spin).collect();
        }
    }

    fn margin(&self) -> f64 {
        1.0
    }

    fn breaks(&self, _: Below<'_>, _: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let amounts = self.position.iter().chain(&self.orientation).chain([&self.scale]);
        Ok(corners(amounts.flat_map(|amount| amount.bends(range.from, range.to))).collect())
    }
}
