//! Wheels that turn with what travels over them.

use crate::curve::{Curve, Segment, Strand};
use crate::motion::{Break, Cancel, Columns, Extent, Frames, Motion, MotionError, Sample, Symmetry, as_inner};
use crate::pose::about;
use crate::roots::bottom;
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// Where a path is nearest to a place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Touch {
    /// The point of the path.
    pub point: DVec3,
    /// Its direction there.
    pub tangent: DVec3,
    /// Which strand.
    pub strand: usize,
}

/// Places on a strand that are looked at first.
const LOOKS: usize = 2048;

/// The point of a curve that is nearest to a place.
pub fn touch(curve: &Curve, place: DVec3) -> Touch {
    let near = |strand: &Strand| {
        let length = strand.length();
        let off = |s: f64| strand.at(s).point.distance_squared(place);
        let step = length / LOOKS as f64;
        let best = (0..=LOOKS).map(|i| step * i as f64).min_by(|a, b| off(*a).total_cmp(&off(*b))).unwrap_or(0.0);
        let (mut low, mut high) = (best - step, best + step);
        if !strand.closed() {
            (low, high) = (low.max(0.0), high.min(length));
        }
        // The distance has one bottom there.
        bottom((low, high), 80, |a, b| off(a) < off(b))
    };
    let found = curve.strands().iter().enumerate().map(|(index, strand)| {
        let here = strand.at(near(strand));
        Touch { point: here.point, tangent: here.tangent, strand: index }
    });
    let off = |touch: &Touch| touch.point.distance_squared(place);
    found.min_by(|a, b| off(a).total_cmp(&off(b))).unwrap_or(Touch { point: place, tangent: DVec3::X, strand: 0 })
}

/// Middle and radius of the circle whose arc of the curve is nearest to a place; nothing where there is no arc. A place in
/// the middle of one counts as being at that.
pub fn bend(curve: &Curve, place: DVec3) -> Option<(DVec3, f64)> {
    let arcs = curve.strands().iter().flat_map(|strand| strand.segments()).filter_map(|segment| match *segment {
        Segment::Arc { centre, radius, .. } => Some((centre, radius)),
        Segment::Line { .. } | Segment::Cubic { .. } => None,
    });
    arcs.min_by(|a, b| a.0.distance(place).total_cmp(&b.0.distance(place)))
}

/// A wheel that stands at a place and turns as far as the first thing of a motion travels.
#[derive(Clone)]
pub struct Wheel {
    inner: Arc<dyn Motion>,
    centre: DVec3,
    /// Unit vector about which it turns when things go ahead.
    axis: DVec3,
    radius: f64,
    /// Metres of a lap.
    length: f64,
    /// Its orientation before it turns.
    base: DQuat,
    symmetry: Symmetry,
}

impl Wheel {
    /// What travels is on a path that touches the wheel at `touch`; `length` is that of a lap. The axis `axle` of the
    /// wheel's own becomes the one about which it turns, and it looks the same after one of `order` equal parts.
    pub fn new(
        inner: Arc<dyn Motion>,
        (centre, radius): (DVec3, f64),
        touch: &Touch,
        length: f64,
        (axle, order): (DVec3, u32),
    ) -> Self {
        // The rim moves along with the path: ω × r = v, for ω across both.
        let axis = (touch.point - centre).cross(touch.tangent).normalize_or(DVec3::Z);
        let base = DQuat::from_rotation_arc(axle, axis);
        Self { inner, centre, axis, radius, length, base, symmetry: Symmetry { axis: axle, order } }
    }

    /// Radians that it has turned by a frame.
    fn angle(&self, laps: f64) -> f64 {
        laps * self.length / self.radius
    }
}

impl Motion for Wheel {
    as_inner!(extent);

    fn len(&self) -> usize {
        1
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range, cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        out.positions.iter_mut().for_each(|position| *position = self.centre);
        let turns = columns.touch(Columns::ORIENTATION | Columns::SPIN);
        if !turns {
            return;
        }
        let first: Vec<(usize, f64)> = at.iter().map(|&(_, frame)| (0, frame)).collect();
        let mut sample = Sample::default();
        self.inner.sample_at(&first, Columns::PLACE, &mut sample);
        for (row, place) in sample.places.iter().enumerate() {
            if let Some(turn) = out.orientations.get_mut(row) {
                *turn = (about(self.axis, self.angle(place.laps)) * self.base).normalize();
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = self.axis * self.angle(place.rate);
            }
        }
    }

    fn varies(&self) -> Columns {
        Columns::POSITION | Columns::ORIENTATION
    }

    fn breaks(&self, _object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        self.inner.breaks(0, range)
    }

    fn symmetry(&self, _object: usize) -> Option<Symmetry> {
        Some(self.symmetry)
    }
}
