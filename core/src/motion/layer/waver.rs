//! Noise on top of a motion.

use super::swell::with_bends;
use crate::curve::Path;
use crate::motion::{Break, Cancel, Columns, Extent, Frames, Motion, MotionError, Sample, as_inner};
use crate::pose::{Axis, scaled_axis, turn_between};
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
#[derive(Clone)]
pub struct Waver {
    inner: Arc<dyn Motion>,
    how: Arc<Wavering>,
}

/// Half the frames over which turns are measured.
const STEP: f64 = 1e-3;
const CHANNELS: u64 = 71;
/// A thing is never smaller than this part of what it was.
const SMALLEST: f64 = 1e-3;

impl Waver {
    /// With this noise.
    pub fn new(inner: Arc<dyn Motion>, how: Wavering) -> Self {
        Self { inner, how: Arc::new(how) }
    }

    fn thing(&self, object: usize) -> Thing {
        Thing { index: object, count: self.len() }
    }

    fn noise(&self, object: usize, channel: u64) -> NoiseSignal {
        let how = &self.how;
        let seed = random::bits(how.seed, object as u64, CHANNELS + channel);
        NoiseSignal::new((0.0, 1.0), (how.period, 0.0), how.octaves, seed, how.frames)
    }

    /// Three amounts of noise with their rates of change.
    fn three(&self, amounts: &[Driven; 3], first: u64, object: usize, frame: f64) -> (DVec3, DVec3) {
        let thing = self.thing(object);
        let (mut value, mut rate) = (DVec3::ZERO, DVec3::ZERO);
        for axis in 0..3 {
            let amount = amounts[axis].at(frame, thing);
            let change = amounts[axis].slope(frame, thing);
            if amount == 0.0 && change == 0.0 {
                continue;
            }
            let noise = self.noise(object, first + axis as u64);
            let here = noise.at(frame);
            value[axis] = amount * here;
            rate[axis] = amount * noise.slope(frame) + change * here;
        }
        (value, rate)
    }

    fn turn(&self, object: usize, frame: f64) -> DQuat {
        let (degrees, _) = self.three(&self.how.orientation, 3, object, frame);
        scaled_axis(degrees * (std::f64::consts::PI / 180.0))
    }

    fn turned(&self, turn: DQuat, object: usize, frame: f64) -> DQuat {
        let noise = self.turn(object, frame);
        if self.how.own { (turn * noise).normalize() } else { (noise * turn).normalize() }
    }

    fn any(amounts: &[Driven]) -> bool {
        amounts.iter().any(|amount| amount.fixed() != Some(0.0))
    }

    /// What the inner motion has to give for these columns.
    fn needs(&self, columns: Columns) -> Columns {
        let places = columns.contain(Columns::POSITION) || columns.contain(Columns::VELOCITY);
        let turn = if self.how.own && places { Columns::ORIENTATION } else { Columns::NONE };
        let spin = if self.how.own && columns.contain(Columns::VELOCITY) { Columns::SPIN } else { Columns::NONE };
        columns | turn | spin
    }

    fn turns_at(&self, at: &[(usize, f64)], offset: f64) -> Vec<DQuat> {
        let mut sample = Sample::default();
        let moved: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + offset)).collect();
        self.inner.sample_at(&moved, Columns::ORIENTATION, &mut sample);
        sample
            .orientations
            .iter()
            .zip(&moved)
            .map(|(turn, &(object, frame))| self.turned(*turn, object, frame))
            .collect()
    }
}

impl Motion for Waver {
    as_inner!(len, extent, carried_contacts, path, facing, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range.widened(1.0), cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, self.needs(columns), out);
        let turns = Self::any(&self.how.orientation);
        for (row, &(object, frame)) in at.iter().enumerate() {
            let turn = out.orientations.get(row).copied().unwrap_or(DQuat::IDENTITY);
            if columns.contain(Columns::POSITION) || columns.contain(Columns::VELOCITY) {
                let (moved, rate) = self.three(&self.how.position, 0, object, frame);
                let axes = if self.how.own { turn } else { DQuat::IDENTITY };
                if let Some(position) = out.positions.get_mut(row) {
                    *position += axes * moved;
                }
                if let Some(velocity) = out.velocities.get_mut(row) {
                    *velocity += axes * rate;
                    if self.how.own {
                        *velocity += out.spins[row].cross(axes * moved);
                    }
                }
            }
            if let (Some(orientation), true) = (out.orientations.get_mut(row), turns) {
                *orientation = self.turned(turn, object, frame);
            }
            if let Some(scale) = out.scales.get_mut(row) {
                let amount = self.how.scale.at(frame, self.thing(object));
                if amount != 0.0 {
                    *scale *= (1.0 + amount * self.noise(object, 6).at(frame)).max(SMALLEST);
                }
            }
        }
        if columns.contain(Columns::SPIN) && turns {
            let (before, after) = (self.turns_at(at, -STEP), self.turns_at(at, STEP));
            let spin = |(a, b): (&DQuat, &DQuat)| turn_between(*a, *b) / (2.0 * STEP);
            out.spins = before.iter().zip(&after).map(spin).collect();
        }
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        let of = |amounts: &[Driven], column| if Self::any(amounts) { column } else { Columns::NONE };
        self.inner.varies()
            | of(&self.how.position, Columns::POSITION)
            | of(&self.how.orientation, Columns::ORIENTATION)
            | of(std::slice::from_ref(&self.how.scale), Columns::SCALE)
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let how = &self.how;
        let amounts = how.position.iter().chain(&how.orientation).chain([&how.scale]);
        let bends = amounts.flat_map(|amount| amount.bends(range.from, range.to)).collect();
        Ok(with_bends(self.inner.breaks(object, range)?, bends))
    }
}
