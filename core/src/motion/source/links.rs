//! The links of a chain on a closed path.

use crate::curve::{AxesTable, Curve, Path, UpRule};
use crate::motion::{Break, Cancel, Columns, Extent, Frames, Motion, MotionError, Place, Sample, as_inner};
use crate::pose::{Axis, Facing, turn_between};
use glam::{DQuat, DVec3};
use std::ops::Range;
use std::sync::Arc;

/// Links on the first strand of a path, carried along by the first thing of a motion.
///
/// A link reaches from a point of the path to the one that is a pitch further on, and lies straight between them.
#[derive(Clone)]
pub struct Links {
    inner: Arc<dyn Motion>,
    curve: Arc<Curve>,
    path: Path,
    axes: Arc<AxesTable>,
    count: usize,
    /// Metres along the path from one link to the next.
    pitch: f64,
    /// Links are as long as they reach, not as long as the pitch.
    stretch: bool,
    facing: Facing,
    nose: DVec3,
    axis: (Axis, Axis),
}

/// Radians between nodes of the axes.
const AXES_STEP: f64 = 0.02;
/// Half the part of a pitch over which turns are measured.
const STEP: f64 = 1e-3;
/// Places at which links are laid to see how they fit.
const LOOKS: usize = 2000;

impl Links {
    /// `count` links, `pitch` metres apart, on the path that the motion rides, as it is at frame 0.
    pub fn new(
        inner: Arc<dyn Motion>,
        path: &Path,
        (count, pitch, stretch): (usize, f64, bool),
        (nose, top): (Axis, Axis),
        up: UpRule,
    ) -> Self {
        let curve = path.at(0.0);
        let strand = &curve.strands()[0];
        let axes = AxesTable::new(strand.nodes(AXES_STEP), up, strand.closed());
        Self {
            inner,
            path: Path::Still(curve.clone()),
            axes: Arc::new(axes),
            count,
            pitch,
            stretch,
            facing: Facing::new(nose, top),
            nose: nose.vector().abs(),
            axis: (nose, top),
            curve,
        }
    }

    /// By how much the straight way between its ends is at least shorter than the pitch, metres.
    pub fn slack(&self) -> f64 {
        let length = self.curve.strands()[0].length();
        let chord = |i: usize| {
            let (from, to) = self.ends(length * i as f64 / LOOKS as f64);
            from.distance(to)
        };
        (0..LOOKS).map(|i| self.pitch - chord(i)).fold(0.0, f64::max)
    }

    fn ends(&self, s: f64) -> (DVec3, DVec3) {
        let strand = &self.curve.strands()[0];
        (strand.at(s - 0.5 * self.pitch).point, strand.at(s + 0.5 * self.pitch).point)
    }

    /// Where the middle of a link is along the path, metres, whole laps included.
    fn along(&self, object: usize, laps: f64) -> f64 {
        laps * self.curve.strands()[0].length() + self.pitch * object as f64
    }

    fn pose(&self, s: f64) -> (DVec3, DQuat, f64) {
        let strand = &self.curve.strands()[0];
        let (from, to) = self.ends(s);
        let here = strand.at(s);
        let ahead = (to - from).normalize_or(here.tangent);
        let up = self.axes.up(strand.normalise(s), here.point, here.tangent);
        let up = (up - ahead * up.dot(ahead)).normalize_or(up);
        (0.5 * (from + to), self.facing.turn(ahead, up), from.distance(to) / self.pitch)
    }

    /// Laps and speed, metres per frame along the path, of what carries them.
    fn carried(&self, frames: impl Iterator<Item = f64>) -> Vec<(f64, f64)> {
        let first: Vec<(usize, f64)> = frames.map(|frame| (0, frame)).collect();
        let mut sample = Sample::default();
        self.inner.sample_at(&first, Columns::PLACE, &mut sample);
        let length = self.curve.strands()[0].length();
        sample.places.iter().map(|place| (place.laps, place.rate * length)).collect()
    }

    fn fill(&self, at: impl Fn(usize) -> (usize, f64), carried: &[(f64, f64)], columns: Columns, out: &mut Sample) {
        out.reset(carried.len(), columns);
        let strand = &self.curve.strands()[0];
        for (row, &(laps, speed)) in carried.iter().enumerate() {
            let (object, _) = at(row);
            let s = self.along(object, laps);
            let (place, turn, stretched) = self.pose(s);
            if let Some(position) = out.positions.get_mut(row) {
                *position = place;
            }
            if let Some(orientation) = out.orientations.get_mut(row) {
                *orientation = turn;
            }
            if let (Some(scale), true) = (out.scales.get_mut(row), self.stretch) {
                *scale = DVec3::ONE + self.nose * (stretched - 1.0);
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                let (from, to) = (strand.at(s - 0.5 * self.pitch), strand.at(s + 0.5 * self.pitch));
                *velocity = (from.tangent + to.tangent) * (0.5 * speed);
            }
            if let Some(spin) = out.spins.get_mut(row) {
                let small = STEP * self.pitch;
                *spin = turn_between(self.pose(s - small).1, self.pose(s + small).1) / (2.0 * small) * speed;
            }
            let direction = if speed < 0.0 { -1.0 } else { 1.0 };
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = strand.at(s).tangent * direction;
            }
            if let Some(place) = out.places.get_mut(row) {
                *place = Place {
                    strand: 0,
                    s: strand.normalise(s),
                    laps: s / strand.length(),
                    direction,
                    rate: speed / strand.length(),
                    beyond: None,
                };
            }
        }
    }
}

impl Motion for Links {
    as_inner!(extent);

    fn len(&self) -> usize {
        self.count
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range, cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let carried = self.carried(at.iter().map(|&(_, frame)| frame));
        self.fill(|row| at[row], &carried, columns, out);
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        // All are carried by the same.
        let carried = vec![self.carried(std::iter::once(frame))[0]; objects.len()];
        self.fill(|row| (objects.start + row, frame), &carried, columns, out);
    }

    fn varies(&self) -> Columns {
        let scale = if self.stretch { Columns::SCALE } else { Columns::NONE };
        Columns::POSITION | Columns::ORIENTATION | scale
    }

    fn breaks(&self, _object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        self.inner.breaks(0, range)
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.path)
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        Some(self.axis)
    }
}
