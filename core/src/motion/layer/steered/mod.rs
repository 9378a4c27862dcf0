//! What is done to an orientation once it is known: corners that take their time, bank in bends, smoothing, a
//! turn limit, and a turn of its own about the nose.

mod steps;

use super::face_travel::spins;
use crate::curve::Path;
use crate::motion::{Break, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Outside, Sample, as_inner};
use crate::pose::{Axis, about, nearer, turn_between};
use crate::signal::{Driven, Thing};
use glam::{DQuat, DVec3};
use rayon::prelude::*;
use std::f64::consts::FRAC_PI_2;
use std::ops::Range;
use std::sync::Arc;
use steps::{Course, Steps, averaged, eased, kernel, lean, limit, looked_at};

/// How things lean into bends.
#[derive(Debug, Clone, PartialEq)]
pub struct Bank {
    /// 1 leans as a thing does that neither slips in nor out: tan β = v²κ / g.
    pub amount: Driven,
    /// Largest lean, degrees.
    pub limit: Driven,
    /// Frames over which a change of the bend is eased.
    pub over: f64,
    /// Earth's gravity in metres per frame squared.
    pub gravity: f64,
}

/// What is done to the orientation of another motion's things. 0 everywhere does nothing.
#[derive(Debug, Clone, PartialEq)]
pub struct Steering {
    /// Metres per frame below which a thing keeps the way it faced.
    pub slow: f64,
    /// Frames that the turn at a corner, a contact or a reversal takes.
    pub corner: f64,
    /// Lean into bends.
    pub bank: Option<Bank>,
    /// Frames over which turns are averaged.
    pub smoothing: f64,
    /// Largest turn per frame, radians; 0 for none.
    pub limit: f64,
    /// The frames that the turn limit has to come into step before the frames that are asked for: some loops.
    pub lead: f64,
    /// Turn about the nose in degrees, clockwise as seen from behind.
    pub roll: Driven,
    /// What comes to it in every frame from frame 0 on, radians.
    pub spin: f64,
}

impl Steering {
    /// Nothing is done.
    pub const NONE: Self = Self {
        slow: 0.0,
        corner: 0.0,
        bank: None,
        smoothing: 0.0,
        limit: 0.0,
        lead: 0.0,
        roll: Driven::Fixed(0.0),
        spin: 0.0,
    };

    /// True when all that is done is the turn about the nose.
    fn only_rolls(&self) -> bool {
        self.slow == 0.0 && self.corner == 0.0 && self.bank.is_none() && self.smoothing == 0.0 && self.limit == 0.0
    }
}

/// Turns things of a motion that [`faces`](Motion::facing) its travel.
#[derive(Clone)]
pub struct Steered {
    inner: Arc<dyn Motion>,
    steering: Steering,
    nose: DVec3,
    /// Made when it is prepared, if more than the turn about the nose is done.
    table: Option<Arc<Table>>,
}

/// Turns of every thing at even steps of time.
struct Table {
    /// The frame of the first step: a whole one.
    from: f64,
    per_frame: f64,
    steps: usize,
    /// Thing after thing.
    turns: Vec<DQuat>,
    /// For each thing the frames at which it jumps.
    jumps: Vec<Vec<f64>>,
}

/// Most turns that a table of the usual length holds.
const MOST_TURNS: f64 = 6e6;
/// Tables of frames that lie farther off may be so many times as large.
const FARTHEST: f64 = 4.0;
/// Turns that differ by less than this from step to step, radians, are blended by a cubic.
const SMOOTH: f64 = 0.3;
/// A reversal is a turn of the travel by more than this within a frame.
const REVERSAL: f64 = FRAC_PI_2;

impl Table {
    fn frame(&self, step: usize) -> f64 {
        self.from + step as f64 / self.per_frame
    }

    /// The step at a frame, or the nearest.
    fn step(&self, frame: f64) -> usize {
        ((frame - self.from) * self.per_frame).round().clamp(0.0, (self.steps - 1) as f64) as usize
    }

    /// Cubic between the steps; straight where they are far apart.
    fn turn(&self, object: usize, frame: f64) -> DQuat {
        let turns = &self.turns[object * self.steps..(object + 1) * self.steps];
        let x = ((frame - self.from) * self.per_frame).clamp(0.0, (self.steps - 1) as f64);
        let step = (x.floor() as usize).min(self.steps - 2);
        let t = x - step as f64;
        let (b, c) = (turns[step], nearer(turns[step + 1], turns[step]));
        let (from, to) = (self.frame(step), self.frame(step + 1));
        if let Some(jump) = self.jumps[object].iter().find(|jump| **jump > from && **jump <= to) {
            return if frame < *jump { b } else { c };
        }
        let (a, d) = (nearer(turns[step.saturating_sub(1)], b), nearer(turns[(step + 2).min(self.steps - 1)], c));
        let close = |p: DQuat, q: DQuat| p.dot(q) > 1.0 - 0.125 * SMOOTH * SMOOTH;
        let blend = if close(a, b) && close(b, c) && close(c, d) {
            let (into, out) = ((c - a) * 0.5, (d - b) * 0.5);
            b + (into + ((c - b) * 3.0 - into * 2.0 - out + ((b - c) * 2.0 + into + out) * t) * t) * t
        } else {
            b + (c - b) * t
        };
        blend.normalize()
    }
}

impl Steered {
    /// A motion without a facing is turned about its things' x.
    pub fn new(inner: Arc<dyn Motion>, steering: Steering) -> Self {
        let nose = inner.facing().map_or(DVec3::X, |(nose, _)| nose.vector());
        Self { inner, steering, nose, table: None }
    }

    /// The frames beyond those asked for that averages reach into.
    fn margin(&self) -> f64 {
        let bank = self.steering.bank.as_ref().map_or(0.0, |bank| bank.over);
        (0.5 * (self.steering.smoothing + bank) + 2.0 * self.steering.corner).ceil() + 2.0
    }

    /// The frame from which the turn limit counts: it comes into step by itself until frame 0.
    fn limited_from(&self) -> f64 {
        if self.steering.limit > 0.0 { -self.steering.lead.ceil() } else { 0.0 }
    }

    fn made(&self, inner: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Table, MotionError> {
        let frames = (range.to - range.from).max(1.0);
        // By how many there are in a loop, not by the frames that are asked for.
        let loops = self.steering.lead.max(1.0) + 2.0 * self.margin();
        let usual = [4.0, 2.0, 1.0].into_iter().find(|n| loops * n * (inner.len() as f64) <= MOST_TURNS);
        let Some(per_frame) = usual.filter(|n| frames * n * (inner.len() as f64) <= FARTHEST * MOST_TURNS) else {
            return Err(MotionError::TooMuch(format!(
                "Turning {} things in bends over {frames:.0} frames takes too much memory: use fewer things or frames.",
                inner.len(),
            )));
        };
        let steps = (frames * per_frame).round() as usize + 1;
        let table = Table { from: range.from, per_frame, steps, turns: Vec::new(), jumps: Vec::new() };
        let made: Result<Vec<Course>, MotionError> = (0..inner.len())
            .into_par_iter()
            .map(|object| {
                if cancel.cancelled() {
                    return Err(MotionError::Cancelled);
                }
                cancel.watched(|| self.steer(inner, object, &table))
            })
            .collect();
        let (turns, jumps): (Vec<Vec<DQuat>>, _) = made?.into_iter().unzip();
        Ok(Table { turns: turns.concat(), jumps, ..table })
    }

    fn steer(&self, inner: &dyn Motion, object: usize, table: &Table) -> Result<Course, MotionError> {
        let mut steps = looked_at(inner, object, table)?;
        self.hold(table, &mut steps);
        self.round_corners(inner, object, table, &mut steps);
        if let Some(bank) = &self.steering.bank {
            lean(bank, Thing { index: object, count: inner.len() }, inner, table, &mut steps);
        }
        if self.steering.smoothing > 0.0 {
            steps.turns = averaged(&steps, &kernel(self.steering.smoothing, table.per_frame));
        }
        if self.steering.limit > 0.0 {
            let first = table.step(self.limited_from());
            limit(&mut steps, self.steering.limit / table.per_frame, first);
        }
        Ok((steps.turns, steps.jumps))
    }

    /// The frames of the loop, and how long before them, and before any frame, a thing may have been quick enough: one
    /// that goes round was so at most a round before.
    fn memory(&self) -> (Frames, f64) {
        let extent = self.inner.extent();
        let finite = |frame: f64| if frame.is_finite() { frame } else { 0.0 };
        let own = Frames { from: finite(extent.from), to: finite(extent.to) };
        (own, if extent.outside == Outside::Holds { 0.0 } else { own.to - own.from })
    }

    /// Keeps the way a thing faced when it was last quick enough; before that, how it will face in its loop; what never
    /// is stays as it faces at its first frame. It never hangs on frames that the table may lack.
    fn hold(&self, table: &Table, steps: &mut Steps) {
        let (own, round) = self.memory();
        let still = steps.turns[table.step(own.from)];
        let quick = |step: usize| steps.speeds[step] >= self.steering.slow;
        let first_after = |step: usize| (step..=table.step(own.to)).find(|&later| quick(later));
        let mut known: Option<usize> = None;
        let mut coming = first_after(0);
        for step in 0..steps.turns.len() {
            if quick(step) {
                known = Some(step);
            }
            if coming.is_some_and(|coming| coming < step) {
                coming = first_after(step);
            }
            let since = table.frame(step).min(own.from) - round;
            let kept = known.filter(|&known| table.frame(known) >= since).or(coming);
            steps.turns[step] = kept.map_or(still, |kept| steps.turns[kept]);
        }
    }

    /// Turns at a corner from half its frames before to half of them after, less where another one is near. No
    /// corner takes less than two steps.
    fn round_corners(&self, inner: &dyn Motion, object: usize, table: &Table, steps: &mut Steps) {
        let half = (0.5 * self.steering.corner).max(1.0 / table.per_frame);
        let corners = steps.corners.clone();
        for (i, &at) in corners.iter().enumerate() {
            let gap = |other: Option<&f64>| other.map_or(half, |other| 0.5 * (other - at).abs());
            let before = half.min(gap(i.checked_sub(1).and_then(|i| corners.get(i))));
            let after = half.min(gap(corners.get(i + 1)));
            let mut ends = Sample::default();
            inner.sample_at(&[(object, at - before), (object, at + after)], Columns::ORIENTATION, &mut ends);
            // Where it is too slow to have a heading of its own, it turns from or to the one that it holds.
            let held = |frame: f64, own: DQuat| {
                let step = table.step(frame);
                if steps.speeds[step] < self.steering.slow { steps.turns[step] } else { own }
            };
            let (from, to) = (held(at - before, ends.orientations[0]), held(at + after, ends.orientations[1]));
            let turn = turn_between(from, to);
            let angle = turn.length();
            let axis = if angle > 0.0 { turn / angle } else { DVec3::Y };
            let first = ((at - before - table.from) * table.per_frame).ceil().max(0.0) as usize;
            for step in first..steps.turns.len() {
                let x = (table.frame(step) - at + before) / (before + after);
                if x >= 1.0 {
                    break;
                }
                steps.turns[step] = about(axis, angle * eased(x.max(0.0))) * from;
            }
        }
    }

    fn rolled(&self, turn: DQuat, object: usize, frame: f64) -> DQuat {
        let thing = Thing { index: object, count: self.inner.len() };
        let angle = self.steering.roll.at(frame, thing).to_radians() + self.steering.spin * frame;
        turn * about(self.nose, angle)
    }

    /// Orientations of (object, frame) pairs, from the inner ones if there is no table.
    fn turns(&self, at: impl Fn(usize) -> (usize, f64), turns: &mut [DQuat]) {
        let rolls = self.steering.roll.fixed() != Some(0.0) || self.steering.spin != 0.0;
        for (row, turn) in turns.iter_mut().enumerate() {
            let (object, frame) = at(row);
            if let Some(table) = &self.table {
                *turn = table.turn(object, frame);
            }
            if rolls {
                *turn = self.rolled(*turn, object, frame);
            }
        }
    }

    /// What the inner motion has to give for these columns.
    fn inner_columns(&self, columns: Columns) -> Columns {
        let own = if self.table.is_some() { Columns::ORIENTATION | Columns::SPIN } else { Columns::SPIN };
        columns.without(own)
    }

    fn finish(&self, at: impl Fn(usize) -> (usize, f64) + Copy, rows: usize, columns: Columns, out: &mut Sample) {
        if columns.contain(Columns::ORIENTATION) {
            out.orientations.resize(rows, DQuat::IDENTITY);
            self.turns(at, &mut out.orientations);
        }
        if columns.contain(Columns::SPIN) {
            let pairs: Vec<(usize, f64)> = (0..rows).map(at).collect();
            let mut base = Sample::default();
            out.spins = spins(&pairs, |moved| {
                if self.table.is_none() {
                    self.inner.sample_at(moved, Columns::ORIENTATION, &mut base);
                }
                base.orientations.resize(moved.len(), DQuat::IDENTITY);
                self.turns(|row| moved[row], &mut base.orientations);
                std::mem::take(&mut base.orientations)
            });
        }
    }
}

impl Motion for Steered {
    as_inner!(len, extent, breaks, contacts, path, facing, looks, lives, shared);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        if self.steering.only_rolls() {
            let inner = self.inner.prepare(range.widened(1.0), cancel)?;
            return Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }));
        }
        let margin = self.margin();
        // What was held before, and what the turn limit has come into step with, must not hang on what is asked for.
        let mut range = range;
        if self.steering.slow > 0.0 {
            let (own, round) = self.memory();
            range.from = range.from.min(own.from) - round;
            range.to = range.to.max(own.to);
        }
        if self.steering.limit > 0.0 {
            range.from = range.from.min(self.limited_from());
        }
        let wide = Frames { from: range.from.floor() - margin, to: range.to.ceil() + margin };
        let inner = crate::motion::prepared(&self.inner, wide.widened(1.0), cancel)?;
        let table = self.made(&*inner, wide, cancel)?;
        Ok(Some(Arc::new(Self { inner, table: Some(Arc::new(table)), ..self.clone() })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, self.inner_columns(columns), out);
        self.finish(|row| at[row], at.len(), columns, out);
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        self.inner.sample_range(frame, objects.clone(), self.inner_columns(columns), out);
        self.finish(|row| (objects.start + row, frame), objects.len(), columns, out);
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | Columns::ORIENTATION
    }
}
