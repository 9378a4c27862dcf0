//! Paths through points that somebody placed: corners, smooth points, handles.

use super::segment::Segment;
use super::strand::{CurveError, Strand};
use glam::DVec3;

/// How a path passes a point.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PointKind {
    /// Straight in and straight out.
    Corner,
    /// Without a change of direction.
    Smooth,
}

/// A point of a drawn path.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PathPoint {
    /// Metres.
    pub position: DVec3,
    /// How the path passes it, when it has no handles of its own.
    pub kind: PointKind,
    /// Handles as offsets from the position (incoming, outgoing), metres.
    pub handles: Option<(DVec3, DVec3)>,
}

impl PathPoint {
    /// In the plane z = 0.
    pub fn flattened(self) -> Self {
        let flat = |v: DVec3| v.with_z(0.0);
        Self { position: flat(self.position), handles: self.handles.map(|(a, b)| (flat(a), flat(b))), ..self }
    }
}

/// The path through the points in order: straight between corners, a cubic Bézier elsewhere.
///
/// A smooth point without handles gets some along the weighted mean of the directions to its
/// neighbours (the shorter side counts more), a third of the way to each.
///
/// # Errors
/// [`CurveError::Empty`], [`CurveError::OnePoint`], [`CurveError::NoLength`] or [`CurveError::NotFinite`], by what the
/// points are.
pub fn through(points: &[PathPoint], closed: bool) -> Result<Strand, CurveError> {
    match points {
        [] => return Err(CurveError::Empty),
        [_] => return Err(CurveError::OnePoint),
        _ => {}
    }
    let finite =
        |p: &PathPoint| p.position.is_finite() && p.handles.is_none_or(|(a, b)| a.is_finite() && b.is_finite());
    if let Some(index) = points.iter().position(|point| !finite(point)) {
        return Err(CurveError::NotFinite(index + 1));
    }
    let handles = handles_of(points, closed);
    let last = if closed { points.len() } else { points.len() - 1 };
    let segments = (0..last)
        .map(|i| {
            let j = (i + 1) % points.len();
            piece(points[i].position, handles[i].1, handles[j].0, points[j].position)
        })
        .collect();
    Strand::new(segments, closed)
}

/// Incoming and outgoing handle of every point, whether it has some of its own or not, metres.
pub fn handles_of(points: &[PathPoint], closed: bool) -> Vec<(DVec3, DVec3)> {
    (0..points.len()).map(|index| handles_at(points, index, closed)).collect()
}

fn piece(from: DVec3, leaving: DVec3, arriving: DVec3, to: DVec3) -> Segment {
    if leaving == DVec3::ZERO && arriving == DVec3::ZERO {
        Segment::Line { from, to }
    } else {
        Segment::Cubic { points: [from, from + leaving, to + arriving, to] }
    }
}

fn handles_at(points: &[PathPoint], index: usize, closed: bool) -> (DVec3, DVec3) {
    let point = &points[index];
    if let Some(handles) = point.handles {
        return handles;
    }
    if point.kind == PointKind::Corner {
        return (DVec3::ZERO, DVec3::ZERO);
    }
    let count = points.len();
    let neighbour = |step: usize| {
        let other = (index + step) % count;
        let wraps = (step == 1 && index + 1 == count) || (step == count - 1 && index == 0);
        (closed || !wraps).then(|| points[other].position - point.position)
    };
    let (before, after) = (neighbour(count - 1), neighbour(1));
    match (before, after) {
        (Some(before), Some(after)) if before.length() > 0.0 && after.length() > 0.0 => {
            let (a, b) = (before.length(), after.length());
            let direction = after * (a / b) - before * (b / a);
            direction
                .try_normalize()
                .map_or((DVec3::ZERO, DVec3::ZERO), |along| (along * (-a / 3.0), along * (b / 3.0)))
        }
        (Some(before), None) => (before / 3.0, DVec3::ZERO),
        (None, Some(after)) => (DVec3::ZERO, after / 3.0),
        _ => (DVec3::ZERO, DVec3::ZERO),
    }
}
