//! A line between points of things.

use crate::curve::{Curve, CurveError, Fineness, Jet, Path, Segment, Strand, follow};
use crate::motion::{Columns, Motion, Sample};
use crate::remembered::Remembered;
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
    let made = move |frame| {
        let (a, b) = (from.at(frame), to.at(frame));
        let strand = hanging(a, b, length).or_else(|_| {
            // Where both ends are in one place it is as short as can be.
            Strand::new(vec![Segment::Line { from: a, to: a + DVec3::X * 1e-6 }], false)
        });
        Arc::new(Curve::from(strand.unwrap_or_else(|_| unreachable!("a line of a micrometre has a length"))))
    };
    let known = Remembered::default();
    Path::Moving(Arc::new(move |frame| known.at(frame, || made(frame))))
}

/// A line of so many metres between two places under a pull along −y, a catenary; straight where it is no longer
/// than the way. Where one end is above the other it runs down and up again. Off by 1e-9 of its length at most.
///
/// # Errors
/// As [`Strand::new`] of the line.
pub fn hanging(a: DVec3, b: DVec3, length: f64) -> Result<Strand, CurveError> {
    let way = b - a;
    if length <= way.length() * (1.0 + 1e-9) {
        return Strand::new(vec![Segment::Line { from: a, to: b }], false);
    }
    let level = DVec3::new(way.x, 0.0, way.z);
    let wide = level.length();
    if wide <= UPRIGHT * length {
        let lowest = DVec3::new(0.0, 0.5 * (a.y + b.y - length), 0.0) + (0.5 * (a + b)).with_y(0.0);
        return Strand::new(vec![Segment::Line { from: a, to: lowest }, Segment::Line { from: lowest, to: b }], false);
    }
    let side = level / wide;
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
        Jet {
            point: a + side * u + DVec3::Y * (height - base),
            derivative: side * (c / height) + DVec3::Y * (along / height),
        }
    };
    // The nearer its lowest point, the finer: there it bends by what c is, and c may be any part of its length.
    let mut stops = vec![0.0, length];
    let mut reach = c;
    while reach < length {
        stops.extend([-from - reach, -from + reach].into_iter().filter(|arc| *arc > 0.0 && *arc < length));
        reach *= 4.0;
    }
    stops.sort_by(f64::total_cmp);
    let fineness = Fineness { tolerance: 1e-9 * length, pieces: 3, halvings: 12 };
    Strand::new(stops.windows(2).flat_map(|part| follow(&jet, part[0], part[1], &fineness)).collect(), false)
}

/// A line whose ends are no farther from each other across than this part of its length hangs as if one were above
/// the other.
const UPRIGHT: f64 = 1e-10;
