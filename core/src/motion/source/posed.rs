//! One thing whose place, orientation and size are numbers over time.

use crate::motion::{
    Break, Cancel, Columns, Extent, Frames, Motion, MotionError, Outside, Sample, corners, with_breaks,
};
use crate::pose::{from_degrees, turn_between};
use crate::signal::{Driven, Thing};
use glam::DVec3;
use std::sync::Arc;

/// One thing, posed by numbers.
#[derive(Clone)]
pub struct Posed {
    /// Metres.
    place: [Driven; 3],
    /// Degrees about x, then y, then z.
    turn: [Driven; 3],
    scale: Driven,
}

const THING: Thing = Thing { index: 0, count: 1 };
/// Half the frames over which turns are measured.
const STEP: f64 = 1e-3;

impl Posed {
    /// Metres, degrees and a factor.
    pub fn new(place: [Driven; 3], turn: [Driven; 3], scale: Driven) -> Self {
        Self { place, turn, scale }
    }

    fn three(parts: &[Driven; 3], frame: f64) -> DVec3 {
        DVec3::from(parts.each_ref().map(|part| part.at(frame, THING)))
    }

    fn turns(&self) -> bool {
        self.turn.iter().any(|part| part.fixed() != Some(0.0))
    }
}

impl Motion for Posed {
    fn len(&self) -> usize {
        1
    }

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: 0.0, outside: Outside::RunsOn }
    }

    fn prepare(&self, _range: Frames, _cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        Ok(None)
    }

    fn varies(&self) -> Columns {
        let turn = if self.turns() { Columns::ORIENTATION } else { Columns::NONE };
        let scale = if self.scale.fixed() == Some(1.0) { Columns::NONE } else { Columns::SCALE };
        Columns::POSITION | turn | scale
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        let turn = |frame: f64| from_degrees(Self::three(&self.turn, frame));
        for (row, &(_, frame)) in at.iter().enumerate() {
            if let Some(position) = out.positions.get_mut(row) {
                *position = Self::three(&self.place, frame);
            }
            if let (Some(orientation), true) = (out.orientations.get_mut(row), self.turns()) {
                *orientation = turn(frame);
            }
            if let Some(scale) = out.scales.get_mut(row) {
                *scale = DVec3::splat(self.scale.at(frame, THING));
            }
            let velocity = DVec3::from(self.place.each_ref().map(|part| part.slope(frame, THING)));
            if let Some(value) = out.velocities.get_mut(row) {
                *value = velocity;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = velocity.normalize_or_zero();
            }
            if let (Some(spin), true) = (out.spins.get_mut(row), self.turns()) {
                *spin = turn_between(turn(frame - STEP), turn(frame + STEP)) / (2.0 * STEP);
            }
        }
    }

    fn breaks(&self, _object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let parts = self.place.iter().chain(&self.turn).chain([&self.scale]);
        Ok(with_breaks(Vec::new(), corners(parts.flat_map(|part| part.bends(range.from, range.to)))))
    }
}
