//! A thing takes over what another does.

use super::swell::with_bends;
use crate::curve::Path;
use crate::motion::{Break, Cancel, Columns, Extent, Frames, Motion, MotionError, Sample, as_inner, prepared};
use crate::pose::{Axis, nearer, turn_between};
use crate::signal::{Driven, Thing};
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// What is taken over, and how.
#[derive(Debug, Clone)]
pub struct Mimicry {
    /// Position.
    pub position: bool,
    /// Orientation.
    pub orientation: bool,
    /// Scale.
    pub scale: bool,
    /// Metres off the other's place, in the world's axes or in the other's.
    pub offset: [Driven; 3],
    /// Offsets are in the other's axes.
    pub turned: bool,
    /// Frames behind the other; negative goes ahead of it.
    pub delay: f64,
    /// 0 for nothing, 1 for all of it.
    pub amount: Driven,
}

/// Thing i of a motion takes over what thing i of another does, over again where there are fewer of those.
#[derive(Clone)]
pub struct Mimic {
    inner: Arc<dyn Motion>,
    other: Arc<dyn Motion>,
    how: Arc<Mimicry>,
}

/// Half the frames over which turns are measured.
const STEP: f64 = 1e-3;

impl Mimic {
    /// Of another motion that has at least one thing.
    pub fn new(inner: Arc<dyn Motion>, other: Arc<dyn Motion>, how: Mimicry) -> Self {
        Self { inner, other, how: Arc::new(how) }
    }

    fn thing(&self, object: usize) -> Thing {
        Thing { index: object, count: self.len() }
    }

    /// What the other does at the frames that count.
    fn theirs(&self, at: &[(usize, f64)], columns: Columns) -> Sample {
        let count = self.other.len().max(1);
        let moved: Vec<(usize, f64)> =
            at.iter().map(|&(object, frame)| (object % count, frame - self.how.delay)).collect();
        let turned = if self.how.turned { Columns::ORIENTATION | Columns::SPIN } else { Columns::NONE };
        let mut sample = Sample::default();
        self.other.sample_at(
            &moved,
            columns.and(Columns::POSE | Columns::VELOCITY | Columns::SPIN) | turned,
            &mut sample,
        );
        sample
    }

    /// Orientations as they come out, so many frames later.
    fn turns_at(&self, at: &[(usize, f64)], offset: f64) -> Vec<DQuat> {
        let moved: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + offset)).collect();
        let mut sample = Sample::default();
        self.inner.sample_at(&moved, Columns::ORIENTATION, &mut sample);
        let theirs = self.theirs(&moved, Columns::ORIENTATION);
        let mixed = |(row, &(object, frame)): (usize, &(usize, f64))| {
            let amount = self.how.amount.at(frame, self.thing(object));
            between(sample.orientations[row], theirs.orientations[row], amount)
        };
        moved.iter().enumerate().map(mixed).collect()
    }
}

/// A part of the way from one orientation to another, the shorter way; to the bit at its ends.
fn between(a: DQuat, b: DQuat, part: f64) -> DQuat {
    if part == 0.0 {
        a
    } else if part == 1.0 {
        b
    } else {
        a.slerp(nearer(b, a), part).normalize()
    }
}

impl Motion for Mimic {
    as_inner!(len, extent, carried_contacts, path, facing, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let range = range.widened(1.0);
        let inner = prepared(&self.inner, range, cancel)?;
        let theirs = Frames { from: range.from - self.how.delay, to: range.to - self.how.delay };
        let other = prepared(&self.other, theirs, cancel)?;
        Ok(Some(Arc::new(Self { inner, other, ..self.clone() })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let how = &self.how;
        let places = how.position && columns.contain(Columns::VELOCITY);
        self.inner.sample_at(at, columns | if places { Columns::POSITION } else { Columns::NONE }, out);
        let theirs = self.theirs(at, columns | if places { Columns::POSITION } else { Columns::NONE });
        for (row, &(object, frame)) in at.iter().enumerate() {
            let thing = self.thing(object);
            let amount = how.amount.at(frame, thing);
            if how.position && (columns.contain(Columns::POSITION) || places) {
                let offset = DVec3::from([0, 1, 2].map(|axis| how.offset[axis].at(frame, thing)));
                let turn = if how.turned { theirs.orientations[row] } else { DQuat::IDENTITY };
                let there = theirs.positions[row] + turn * offset;
                let apart = there - out.positions[row];
                if let Some(velocity) = out.velocities.get_mut(row) {
                    let change = DVec3::from([0, 1, 2].map(|axis| how.offset[axis].slope(frame, thing)));
                    let spin = if how.turned { theirs.spins[row].cross(turn * offset) } else { DVec3::ZERO };
                    let theirs = theirs.velocities[row] + turn * change + spin;
                    *velocity = velocity.lerp(theirs, amount) + apart * how.amount.slope(frame, thing);
                }
                out.positions[row] = if amount == 1.0 { there } else { out.positions[row] + apart * amount };
            }
            if let (Some(turn), true) = (out.orientations.get_mut(row), how.orientation) {
                *turn = between(*turn, theirs.orientations[row], amount);
            }
            if let (Some(scale), true) = (out.scales.get_mut(row), how.scale) {
                *scale = if amount == 1.0 { theirs.scales[row] } else { scale.lerp(theirs.scales[row], amount) };
            }
        }
        if columns.contain(Columns::SPIN) && how.orientation {
            let (before, after) = (self.turns_at(at, -STEP), self.turns_at(at, STEP));
            out.spins = before.iter().zip(&after).map(|(a, b)| turn_between(*a, *b) / (2.0 * STEP)).collect();
        }
        if !columns.contain(Columns::POSITION) {
            out.positions.clear();
        }
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | self.other.varies().and(Columns::POSE)
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = self.inner.breaks(object, range)?;
        let delay = self.how.delay;
        let theirs = Frames { from: range.from - delay, to: range.to - delay };
        let found = self.other.breaks(object % self.other.len().max(1), theirs)?;
        breaks.extend(found.into_iter().map(|b| Break { frame: b.frame + delay, ..b }));
        Ok(with_bends(breaks, self.how.amount.bends(range.from, range.to)))
    }
}
