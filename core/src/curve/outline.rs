//! Outlines from files: placed in a scene, and their joints moved by hand.

use super::Curve;
use super::points::{PathPoint, PointKind};
use super::segment::Segment;
use super::strand::{CurveError, Strand};
use glam::{DQuat, DVec3};
use std::collections::BTreeMap;
use std::f64::consts::FRAC_PI_2;

/// A shape of a file: x to the right, y up, z = 0, in the file's own unit.
#[derive(Debug, Clone, PartialEq)]
pub struct Outline {
    /// Its id in the file; empty when it has none.
    pub id: String,
    /// Pieces that follow each other.
    pub segments: Vec<Segment>,
    /// True when its end runs into its start.
    pub closed: bool,
}

/// The plane in which an outline is laid.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Plane {
    /// x and z; the outline's up points away from the viewer (−z).
    Ground,
    /// x and y.
    Front,
    /// z and y, seen from +x.
    Side,
}

impl Plane {
    /// The turn from the front plane.
    pub fn turn(self) -> DQuat {
        match self {
            Self::Ground => DQuat::from_rotation_x(-FRAC_PI_2),
            Self::Front => DQuat::IDENTITY,
            Self::Side => DQuat::from_rotation_y(FRAC_PI_2),
        }
    }
}

/// How outlines are placed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Placing {
    /// Metres per unit of the file, positive.
    pub scale: f64,
    /// The plane they are laid in.
    pub plane: Plane,
    /// Turned within the plane, counterclockwise, radians.
    pub turn: f64,
    /// True: the middle of all outlines comes to `at`; false: the file's origin.
    pub centred: bool,
    /// Metres.
    pub at: DVec3,
}

/// A path point with the id by which it can be moved.
#[derive(Debug, Clone, PartialEq)]
pub struct Joint {
    /// Strand and number within it, such as `0.3`.
    pub id: String,
    /// Where it is, with handles as offsets.
    pub point: PathPoint,
}

/// Outlines as one curve, joints with an id in `moved` put elsewhere, and all joints as they are then.
///
/// # Errors
/// As [`Strand::new`] of what is placed.
pub fn place(
    outlines: &[Outline],
    placing: &Placing,
    moved: &BTreeMap<String, DVec3>,
) -> Result<(Curve, Vec<Joint>), CurveError> {
    let turn = placing.plane.turn() * DQuat::from_rotation_z(placing.turn);
    let middle = if placing.centred { middle(outlines) } else { DVec3::ZERO };
    let offset = placing.at - turn * (middle * placing.scale);
    let (mut strands, mut joints) = (Vec::new(), Vec::new());
    for (index, outline) in outlines.iter().enumerate() {
        let placed = outline.segments.iter().map(|segment| segment.transformed(placing.scale, turn, offset)).collect();
        let strand = Strand::new(placed, outline.closed)?;
        let strand = with_moved(&strand, index, moved)?;
        joints.extend(joints_of(&strand, index));
        strands.push(strand);
    }
    Ok((Curve::new(strands)?, joints))
}

fn middle(outlines: &[Outline]) -> DVec3 {
    let places = || {
        outlines.iter().flat_map(|outline| &outline.segments).flat_map(|s| (0..=16).map(|i| s.at(f64::from(i) / 16.0)))
    };
    let low = places().reduce(DVec3::min).unwrap_or_default();
    let high = places().reduce(DVec3::max).unwrap_or_default();
    0.5 * (low + high)
}

fn joint_count(strand: &Strand) -> usize {
    strand.segments().len() + usize::from(!strand.closed())
}

fn joints_of(strand: &Strand, index: usize) -> Vec<Joint> {
    let segments = strand.segments();
    let handle = |segment: &Segment, end: f64| match segment {
        Segment::Cubic { points } if end == 0.0 => points[1] - points[0],
        Segment::Cubic { points } => points[2] - points[3],
        _ => DVec3::ZERO,
    };
    (0..joint_count(strand))
        .map(|i| {
            let before = if i > 0 { segments.get(i - 1) } else { segments.last().filter(|_| strand.closed()) };
            let after = segments.get(i);
            let position = after.map_or_else(|| segments[i - 1].at(1.0), |segment| segment.at(0.0));
            let smooth = match (before, after) {
                (Some(a), Some(b)) => a.tangent(1.0).dot(b.tangent(0.0)) > 1.0 - 1e-6,
                _ => true,
            };
            let handles =
                (before.map_or(DVec3::ZERO, |s| handle(s, 1.0)), after.map_or(DVec3::ZERO, |s| handle(s, 0.0)));
            let kind = if smooth { PointKind::Smooth } else { PointKind::Corner };
            Joint { id: format!("{index}.{i}"), point: PathPoint { position, kind, handles: Some(handles) } }
        })
        .collect()
}

/// Joints elsewhere: lines follow, Béziers take their handle along, arcs that touch one become Béziers.
fn with_moved(strand: &Strand, index: usize, moved: &BTreeMap<String, DVec3>) -> Result<Strand, CurveError> {
    let count = joint_count(strand);
    let goal = |joint: usize| moved.get(&format!("{index}.{}", joint % count)).copied();
    if (0..count).all(|joint| goal(joint).is_none()) {
        return Ok(strand.clone());
    }
    let segments = strand.segments().iter().enumerate().map(|(i, segment)| {
        let (from, to) = (goal(i).unwrap_or(segment.at(0.0)), goal(i + 1).unwrap_or(segment.at(1.0)));
        if from == segment.at(0.0) && to == segment.at(1.0) {
            return *segment;
        }
        match *segment {
            Segment::Line { .. } => Segment::Line { from, to },
            Segment::Cubic { points: [a, b, c, d] } => {
                Segment::Cubic { points: [from, b + (from - a), c + (to - d), to] }
            }
            Segment::Arc { .. } => {
                let [a, b, c, d] = segment.as_cubic();
                Segment::Cubic { points: [from, b + (from - a), c + (to - d), to] }
            }
        }
    });
    Strand::new(segments.collect(), strand.closed())
}
