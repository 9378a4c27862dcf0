//! Which point of a thing is carried.

use crate::curve::Path;
use crate::motion::contact::with_middles;
use crate::motion::{Break, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Sample, as_inner};
use crate::pose::Axis;
use crate::signal::velocity_of;
use glam::DVec3;
use std::ops::Range;
use std::sync::Arc;

/// Carries the point `pivot` of each thing, in its own axes and metres at scale 1, where the other motion carries
/// its origin.
#[derive(Clone)]
pub struct Pivoted {
    inner: Arc<dyn Motion>,
    pivot: DVec3,
}

impl Pivoted {
    /// A pivot of 0 leaves everything as it is.
    pub fn new(inner: Arc<dyn Motion>, pivot: DVec3) -> Self {
        Self { inner, pivot }
    }

    fn needs(columns: Columns) -> Columns {
        let turn = Columns::ORIENTATION | Columns::SCALE;
        match (columns.contain(Columns::POSITION), columns.contain(Columns::VELOCITY)) {
            (_, true) => columns | turn | Columns::SPIN,
            (true, false) => columns | turn,
            _ => columns,
        }
    }

    fn finish(&self, at: impl Iterator<Item = (usize, f64)>, columns: Columns, out: &mut Sample) {
        if columns.contain(Columns::VELOCITY) && self.inner.varies().contain(Columns::SCALE) {
            for (row, growth) in growths(&*self.inner, self.pivot, &at.collect::<Vec<_>>()) {
                out.velocities[row] = out.velocities[row] - out.orientations[row] * growth;
            }
        }
        let arm = |row: usize, out: &Sample| out.orientations[row] * (self.pivot * out.scales[row]);
        for row in 0..out.positions.len() {
            out.positions[row] = out.positions[row] - arm(row, out);
        }
        for row in 0..out.velocities.len() {
            out.velocities[row] = out.velocities[row] - out.spins[row].cross(arm(row, out));
        }
        out.keep(columns);
    }
}

/// Frames beside one at which a thing that grows there has another size.
const BESIDE: f64 = 1e-4;

/// How fast a point of each thing moves in its own axes because it grows, metres per frame: the rows of those that do.
pub(in crate::motion) fn growths(motion: &dyn Motion, point: DVec3, at: &[(usize, f64)]) -> Vec<(usize, DVec3)> {
    let scales = |by: f64| {
        let mut sample = Sample::default();
        let at: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + by)).collect();
        motion.sample_at(&at, Columns::SCALE, &mut sample);
        sample.scales
    };
    let sides = [scales(-BESIDE), scales(0.0), scales(BESIDE)];
    let grows = |row: &usize| sides[0][*row] != sides[1][*row] || sides[1][*row] != sides[2][*row];
    let one = |row: usize| {
        let (object, frame) = at[row];
        let mut sample = Sample::default();
        let place = |frame: f64| {
            motion.sample_at(&[(object, frame)], Columns::SCALE, &mut sample);
            point * sample.scales[0]
        };
        (row, velocity_of(place, frame))
    };
    (0..at.len()).filter(grows).map(one).collect()
}

impl Motion for Pivoted {
    as_inner!(len, extent, breaks, path, facing, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range.widened(1.0), cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        self.inner.sample_at(at, Self::needs(columns), out);
        self.finish(at.iter().copied(), columns, out);
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        self.inner.sample_range(frame, objects.clone(), Self::needs(columns), out);
        self.finish(objects.map(|object| (object, frame)), columns, out);
    }

    fn varies(&self) -> Columns {
        self.inner.varies()
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        // The carried point touches what it touched.
        with_middles(self, self.inner.contacts(range), |_, _| ())
    }
}
