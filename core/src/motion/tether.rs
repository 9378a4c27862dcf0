//! A line between points of things.

use super::{Columns, Motion, Sample};
use crate::curve::{Curve, CurveError, Fineness, Jet, Path, Segment, Strand, follow};
use glam::DVec3;
use std::sync::Arc;

/// Where an end of a line is held.
#[derive(Clone)]
pub enum TetherEnd {
    /// A fixed place.
    Place(DVec3),
    /// A point of a thing of a prepared motion, in the thing's own axes.
    Thing { motion: Arc<dyn Motion>, object: usize, point: DVec3 },
}

impl TetherEnd {
    /// Where it is at a frame.
    pub fn at(&self, frame: f64) -> DVec3 {
        match self {
            Self::Place(place) => *place,
            Self::Thing { motion, object, point } => {
                let mut sample = Sample::default();
                motion.sample_at(&[(*object, frame)], Columns::POSE, &mut sample);
                let pose = sample.pose(0);
                pose.position + pose.orientation * (*point * pose.scale)
            }
        }
    }
}

/// A line from one end to the other at every frame: straight, or hanging where `length` metres is longer than that.
pub fn tether(from: TetherEnd, to: TetherEnd, length: f64) -> Path {
    Path::Moving(Arc::new(move |frame| {
        let (a, b) = (from.at(frame), to.at(frame));
        let strand = hanging(a, b, length).or_else(|_| {
            // Where both ends are in one place it is as short as can be.
            Strand::new(vec![Segment::Line { from: a, to: a + DVec3::X * 1e-6 }], false)
        });
        Arc::new(Curve::from(strand.unwrap_or_else(|_| unreachable!("a line of a micrometre has a length"))))
    }))
}

/// A line of so many metres between two places under a pull along −y, a catenary; straight where it is no longer
/// than the way. Off by 1e-9 of its length at most.
pub fn hanging(a: DVec3, b: DVec3, length: f64) -> Result<Strand, CurveError> {
    let way = b - a;
    if length <= way.length() * (1.0 + 1e-9) {
        return Strand::new(vec![Segment::Line { from: a, to: b }], false);
    }
    let level = DVec3::new(way.x, 0.0, way.z);
    let across = level.length();
    // An upright line that hangs goes down and up again in one place; a little to the side it is a catenary.
    let least = 1e-4 * length;
    let (side, wide) = if across > least { (level / across, across) } else { (DVec3::X, least) };
    // With c the parameter: length² − rise² = (2c sinh(wide / 2c))². For x = wide / 2c: sinh x / x = ratio.
    let ratio = (length * length - way.y * way.y).sqrt() / wide;
    let mut x = if ratio < 3.0 {
        (6.0 * (ratio - 1.0)).sqrt()
    } else {
        libm::log(2.0 * ratio) + libm::log(libm::log(2.0 * ratio))
    };
    for _ in 0..60 {
        let (sinh, cosh) = (libm::sinh(x), libm::cosh(x));
        let step = (sinh - ratio * x) / (cosh - ratio);
        x -= step;
        if step.abs() <= 1e-15 * x.abs() {
            break;
        }
    }
    let c = 0.5 * wide / x;
    // Where its lowest point lies from the first end.
    let lowest = 0.5 * wide - c * libm::asinh(way.y / (2.0 * c * libm::sinh(x)));
    let base = c * libm::cosh(-lowest / c);
    // By the arc from the first end, so that upright parts are no steeper than others.
    let from = c * libm::sinh(-lowest / c);
    let jet = move |arc: f64| {
        let along = from + arc;
        let u = c * libm::asinh(along / c) + lowest;
        let height = (c * c + along * along).sqrt();
        // What an upright line was moved aside for is given back evenly.
        let back = level * (arc / length) - side * (wide * arc / length);
        Jet {
            point: a + side * u + back + DVec3::Y * (height - base),
            derivative: side * (c / height) + (level - side * wide) / length + DVec3::Y * (along / height),
        }
    };
    Strand::new(follow(&jet, 0.0, length, &Fineness { tolerance: 1e-9 * length, pieces: 24, halvings: 12 }), false)
}
