//! Air that moves unevenly, and comes again in the loop.

use crate::motion::{
    Below, Break, Columns, Frames, Layer, Layered, Motion, MotionError, Rows, Sample, Who, corners, who_needs,
};
use crate::noise::LoopingNoise;
use crate::signal::Driven;
use glam::DVec3;
use std::sync::Arc;

/// How things are blown off their way: those near each other alike.
///
/// A thing that were at p is at p + s·g(a)·F(p, f): s metres in the root of the mean square, g rises from 0 at its birth
/// to 1, and F is a flow without sources or sinks that is the same again after each loop. So in closed form, nothing is
/// summed up along the way, and things do not gather.
#[derive(Debug, Clone)]
pub struct Blowing {
    /// Metres.
    pub strength: Driven,
    /// The flow; its size is that of a gust, metres.
    pub noise: LoopingNoise,
    /// Frames of the loop.
    pub frames: f64,
    /// Frames from its birth until a thing of what begins anew is blown its whole way, at least 0.
    pub grows: f64,
    /// Whether all stays in the plane of the picture.
    pub flat: bool,
}

/// Another motion whose things are blown about.
pub type Blown = Layered<Blowing>;

impl Blown {
    /// In this way.
    pub fn new(inner: Arc<dyn Motion>, how: Blowing) -> Self {
        Self::over(inner, how)
    }
}

impl Blowing {
    /// How much it has hold of what is so many frames old, 0 to 1, and how that changes a frame.
    fn hold(&self, age: f64) -> (f64, f64) {
        if age >= self.grows {
            return (1.0, 0.0);
        }
        let part = (age / self.grows).max(0.0);
        (part * part * (3.0 - 2.0 * part), 6.0 * part * (1.0 - part) / self.grows)
    }

    /// How far what is at a place is blown off it; and how that changes a frame where it moves at a velocity, if it is
    /// asked for.
    fn off(
        &self,
        (place, frame): (DVec3, f64),
        velocity: Option<DVec3>,
        (strength, rate): (f64, f64),
        age: Option<f64>,
    ) -> (DVec3, DVec3) {
        let (hold, takes) = age.map_or((1.0, 0.0), |age| self.hold(age));
        let part = frame / self.frames;
        let Some(velocity) = velocity else {
            let flow = if self.flat { self.noise.flow_in_plane(place, part) } else { self.noise.flow(place, part) };
            return (flow * (strength * hold), DVec3::ZERO);
        };
        let (flow, change) = self.noise.flow_along(place, part, (velocity, 1.0 / self.frames), self.flat);
        (flow * (strength * hold), flow * (rate * hold + strength * takes) + change * (strength * hold))
    }
}

impl Layer for Blowing {
    fn changes(&self) -> Columns {
        if self.strength.fixed() == Some(0.0) { Columns::NONE } else { Columns::POSITION }
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        if !columns.touch(Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL) {
            return columns;
        }
        let moves = columns.touch(Columns::VELOCITY | Columns::TRAVEL);
        let wanted = columns | Columns::POSITION | who_needs(inner);
        if moves { wanted | Columns::VELOCITY } else { wanted }
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        if !columns.touch(Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL) {
            return;
        }
        let who = Who::of(inner);
        for row in 0..rows.count() {
            let (thing, frame) = who.at(rows, row, out);
            let age = out.ages.get(row).map(|age| age.frames);
            let place = out.positions[row];
            let (strength, rate) = (self.strength.at(frame, thing), self.strength.slope(frame, thing));
            if strength == 0.0 && rate == 0.0 {
                continue;
            }
            let before = out.velocities.get(row).copied();
            let (off, moves) = self.off((place, frame), before, (strength, rate), age);
            out.positions[row] += off;
            let Some(velocity) = out.velocities.get_mut(row) else { continue };
            *velocity += moves;
            // Where it stands, its way is what it was.
            if let (Some(travel), Some(way)) = (out.travels.get_mut(row), velocity.try_normalize()) {
                *travel = way;
            }
        }
    }

    fn breaks(&self, _: Below<'_>, _: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(corners(self.strength.bends(range.from, range.to)).collect())
    }
}
