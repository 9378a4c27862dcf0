//! Things that move with another from a contact on.

use super::since::{Since, Stretch};
use crate::curve::Path;
use crate::motion::{
    Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Sample, as_inner, carried,
    prepared, with_breaks,
};
use crate::pose::Axis;
use glam::DQuat;
use std::sync::Arc;

/// Another motion whose things move with those of a target from contacts on, as they are to it then.
#[derive(Clone)]
pub struct Attached {
    inner: Arc<dyn Motion>,
    target: Arc<dyn Motion>,
    since: Arc<Since>,
    /// Which thing of the target each stretch is about, by object.
    to: Arc<Vec<Vec<usize>>>,
}

impl Attached {
    /// Since contacts of the motion's things, to the thing of the target that is nearest then; `inner` and `target` are
    /// ready for the frames of those.
    pub fn new(inner: Arc<dyn Motion>, target: Arc<dyn Motion>, since: Since) -> Self {
        let mut sample = Sample::default();
        let mut nearest = |stretch: &Stretch| {
            target.sample(stretch.contact.frame, Columns::POSITION, &mut sample);
            let far = |i: &usize| sample.positions[*i].distance_squared(stretch.contact.place);
            (0..target.len()).min_by(|a, b| far(a).total_cmp(&far(b))).unwrap_or(0)
        };
        let to = (0..inner.len()).map(|object| since.stretches(object).iter().map(&mut nearest).collect()).collect();
        Self { inner, target, since: Arc::new(since), to: Arc::new(to) }
    }

    /// The target's thing and the frame at which it was touched, for a thing at a frame.
    fn tie(&self, object: usize, frame: f64) -> Option<(usize, f64)> {
        let (which, later) = self.since.find(object, frame)?;
        Some((self.to[object][which], self.since.stretches(object)[which].contact.frame + later))
    }

    /// How many things are attached at some time.
    pub fn things(&self) -> usize {
        self.since.things()
    }
}

impl Motion for Attached {
    as_inner!(len, extent, path, facing, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let earliest = |object: usize| self.tie(object, range.from).map(|(_, frame)| frame);
        let from = (0..self.len()).filter_map(earliest).fold(range.from, f64::min);
        let inner = prepared(&self.inner, range, cancel)?;
        let target = prepared(&self.target, Frames { from, ..range }, cancel)?;
        Ok(Some(Arc::new(Self { inner, target, ..self.clone() })))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        carried(self, self.inner.contacts(range))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let moved = columns.contain(Columns::VELOCITY);
        let place = if moved { Columns::POSITION } else { Columns::NONE };
        self.inner.sample_at(at, columns | place, out);
        let tie = |(row, &(object, frame)): (usize, &(usize, f64))| Some((row, self.tie(object, frame)?));
        let tied: Vec<(usize, (usize, f64))> = at.iter().enumerate().filter_map(tie).collect();
        if tied.is_empty() {
            out.keep(columns);
            return;
        }
        let (mut then, mut now) = (Sample::default(), Sample::default());
        let asked = Columns::POSE | Columns::VELOCITY | Columns::SPIN;
        let begun: Vec<(usize, f64)> = tied.iter().map(|(_, tie)| *tie).collect();
        let here: Vec<(usize, f64)> = tied.iter().map(|(row, (to, _))| (*to, at[*row].1)).collect();
        self.target.sample_at(&begun, Columns::POSE, &mut then);
        self.target.sample_at(&here, asked, &mut now);
        for (i, &(row, _)) in tied.iter().enumerate() {
            let turn: DQuat = now.orientations[i] * then.orientations[i].conjugate();
            let grown = now.scales[i] / then.scales[i];
            let larger = if grown.is_finite() { grown.x } else { 1.0 };
            let mut arm = None;
            if let Some(position) = out.positions.get_mut(row) {
                let off = turn * ((*position - then.positions[i]) * larger);
                *position = now.positions[i] + off;
                arm = Some(off);
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity =
                    now.velocities[i] + now.spins[i].cross(arm.unwrap_or_default()) + turn * (*velocity * larger);
            }
            if let Some(orientation) = out.orientations.get_mut(row) {
                *orientation = turn * *orientation;
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = now.spins[i] + turn * *spin;
            }
            if let Some(scale) = out.scales.get_mut(row) {
                *scale *= larger;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = turn * *travel;
            }
        }
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | self.target.varies() | Columns::POSITION
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = self.inner.breaks(object, range)?;
        // While it is attached it does what the target does.
        let mut from = range.from;
        let events: Vec<f64> = self.since.begin(object, range).into_iter().map(|(frame, _)| frame).collect();
        breaks.extend(events.iter().map(|&frame| Break { frame, kind: BreakKind::Contact }));
        for to in events.iter().copied().chain([range.to]) {
            if let Some((target, _)) = self.tie(object, 0.5 * (from + to)) {
                breaks.extend(self.target.breaks(target, Frames { from, to })?);
            }
            from = to;
        }
        Ok(with_breaks(breaks, []))
    }
}
