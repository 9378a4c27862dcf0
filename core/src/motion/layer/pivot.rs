//! Which point of a thing is carried.

use super::{Layer, Layered, Rows, Touched};
use crate::motion::{Columns, Motion, Sample};
use crate::signal::velocity_of;
use glam::DVec3;
use std::sync::Arc;

/// A point of each thing, in its own axes and metres at scale 1.
pub struct Pivot(DVec3);

/// Carries a point of each thing where the other motion carries its origin.
pub type Pivoted = Layered<Pivot>;

impl Pivoted {
    /// A pivot of 0 leaves everything as it is.
    pub fn new(inner: Arc<dyn Motion>, pivot: DVec3) -> Self {
        Self::over(inner, Pivot(pivot))
    }
}

impl Layer for Pivot {
    fn changes(&self) -> Columns {
        if self.0 == DVec3::ZERO { Columns::NONE } else { Columns::POSITION }
    }

    fn needs(&self, _: &dyn Motion, columns: Columns) -> Columns {
        let turn = Columns::ORIENTATION | Columns::SCALE;
        match (columns.contain(Columns::POSITION), columns.contain(Columns::VELOCITY)) {
            (_, true) => columns | turn | Columns::SPIN,
            (true, false) => columns | turn,
            _ => columns,
        }
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        if columns.contain(Columns::VELOCITY) && inner.varies().contain(Columns::SCALE) {
            for (row, growth) in growths(inner, self.0, rows) {
                out.velocities[row] = out.velocities[row] - out.orientations[row] * growth;
            }
        }
        let arm = |row: usize, out: &Sample| out.orientations[row] * (self.0 * out.scales[row]);
        for row in 0..out.positions.len() {
            out.positions[row] = out.positions[row] - arm(row, out);
        }
        for row in 0..out.velocities.len() {
            out.velocities[row] = out.velocities[row] - out.spins[row].cross(arm(row, out));
        }
    }

    fn margin(&self) -> f64 {
        1.0
    }

    /// The carried point touches what it touched.
    fn touched(&self) -> Touched {
        Touched::Stays
    }
}

/// Frames beside one at which a thing that grows there has another size.
const BESIDE: f64 = 1e-4;

/// How fast a point of each thing moves in its own axes because it grows, metres per frame: the rows of those that do.
pub(super) fn growths(motion: &dyn Motion, point: DVec3, rows: Rows<'_>) -> Vec<(usize, DVec3)> {
    let scales = |by: f64| {
        let mut sample = Sample::default();
        motion.sample_at(&rows.later(by), Columns::SCALE, &mut sample);
        sample.scales
    };
    let sides = [scales(-BESIDE), scales(0.0), scales(BESIDE)];
    let grows = |row: &usize| sides[0][*row] != sides[1][*row] || sides[1][*row] != sides[2][*row];
    let one = |row: usize| {
        let (object, frame) = rows.get(row);
        let mut sample = Sample::default();
        let place = |frame: f64| {
            motion.sample_at(&[(object, frame)], Columns::SCALE, &mut sample);
            point * sample.scales[0]
        };
        (row, velocity_of(place, frame))
    };
    (0..rows.count()).filter(grows).map(one).collect()
}
