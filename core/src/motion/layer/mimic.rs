//! A thing takes over what another does.

use super::{Below, Layer, Layered, Rows};
use crate::motion::{Break, Cancel, Columns, Frames, Motion, MotionError, Sample, corners};
use crate::pose::{nearer, turn_between};
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

/// What another motion does, and how much of it is taken over.
#[derive(Clone)]
pub struct Mimicked {
    other: Arc<dyn Motion>,
    how: Arc<Mimicry>,
}

/// Thing i of a motion takes over what thing i of another does, over again where there are fewer of those.
pub type Mimic = Layered<Mimicked>;

/// Half the frames over which turns are measured.
const STEP: f64 = 1e-3;

impl Mimic {
    /// Of another motion that has at least one thing.
    pub fn new(inner: Arc<dyn Motion>, other: Arc<dyn Motion>, how: Mimicry) -> Self {
        Self::over(inner, Mimicked { other, how: Arc::new(how) })
    }
}

impl Mimicked {
    /// True where these columns have how fast places are led.
    fn leads(&self, columns: Columns) -> bool {
        self.how.position && columns.contain(Columns::VELOCITY)
    }

    /// What the other does at the frames that count.
    fn theirs(&self, rows: Rows<'_>, columns: Columns) -> Sample {
        let count = self.other.len().max(1);
        let moved: Vec<(usize, f64)> =
            rows.iter().map(|(object, frame)| (object % count, frame - self.how.delay)).collect();
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
    fn turns_at(&self, inner: &dyn Motion, rows: Rows<'_>, offset: f64) -> Vec<DQuat> {
        let (count, moved) = (inner.len(), rows.later(offset));
        let mut sample = Sample::default();
        inner.sample_at(&moved, Columns::ORIENTATION, &mut sample);
        let theirs = self.theirs(Rows::Each(&moved), Columns::ORIENTATION);
        let mixed = |(row, &(index, frame)): (usize, &(usize, f64))| {
            let amount = self.how.amount.at(frame, Thing { index, count });
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

impl Layer for Mimicked {
    fn changes(&self) -> Columns {
        self.other.varies().and(Columns::POSE)
    }

    fn needs(&self, _: &dyn Motion, columns: Columns) -> Columns {
        columns | if self.leads(columns) { Columns::POSITION } else { Columns::NONE }
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let (how, count, places) = (&self.how, inner.len(), self.leads(columns));
        let theirs = self.theirs(rows, self.needs(inner, columns));
        for (row, (index, frame)) in rows.iter().enumerate() {
            let thing = Thing { index, count };
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
            let (before, after) = (self.turns_at(inner, rows, -STEP), self.turns_at(inner, rows, STEP));
            out.spins = before.iter().zip(&after).map(|(a, b)| turn_between(*a, *b) / (2.0 * STEP)).collect();
        }
    }

    fn margin(&self) -> f64 {
        1.0
    }

    fn prepare(&self, _: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Option<Self>, MotionError> {
        let range = range.widened(1.0);
        let theirs = Frames { from: range.from - self.how.delay, to: range.to - self.how.delay };
        Ok(self.other.prepare(theirs, cancel)?.map(|other| Self { other, how: self.how.clone() }))
    }

    fn breaks(&self, _: Below<'_>, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let delay = self.how.delay;
        let theirs = Frames { from: range.from - delay, to: range.to - delay };
        let found = self.other.breaks(object % self.other.len().max(1), theirs)?.into_iter();
        let bends = corners(self.how.amount.bends(range.from, range.to));
        Ok(found.map(|b| Break { frame: b.frame + delay, ..b }).chain(bends).collect())
    }
}
