//! What several test files need: random paths, and references that share nothing with the program.
#![allow(dead_code)]

pub mod scenes;

use glam::DVec3;
use proptest::prelude::*;
use zickzack_core::curve::{Curve, Path, PathPoint, PointKind, Segment, Strand, through};

pub fn place() -> impl Strategy<Value = DVec3> {
    (-5.0..5.0f64, -5.0..5.0f64, -5.0..5.0f64).prop_map(|(x, y, z)| DVec3::new(x, y, z))
}

pub fn points(count: std::ops::Range<usize>) -> impl Strategy<Value = Vec<PathPoint>> {
    let point = (place(), prop::bool::weighted(0.8)).prop_map(|(position, smooth)| PathPoint {
        position,
        kind: if smooth { PointKind::Smooth } else { PointKind::Corner },
        handles: None,
    });
    prop::collection::vec(point, count)
}

pub fn strand(points: &[PathPoint], closed: bool) -> Strand {
    through(points, closed).expect("random points have a length")
}

pub fn smooth(places: &[DVec3], closed: bool) -> Strand {
    let points: Vec<PathPoint> =
        places.iter().map(|&position| PathPoint { position, kind: PointKind::Smooth, handles: None }).collect();
    strand(&points, closed)
}

pub fn circle(radius: f64) -> Strand {
    Strand::new(vec![Segment::circle(DVec3::ZERO, radius, DVec3::X, DVec3::NEG_Z)], true).expect("a circle")
}

pub fn still(strand: Strand) -> Path {
    Path::still(Curve::from(strand))
}

/// Length of a segment by Simpson's rule on a grid graded towards both ends, with Richardson's step.
pub fn simpson_length(segment: &Segment, from: f64, to: f64) -> f64 {
    let speed = |t: f64| segment.derivative(t).length();
    let rule = |n: usize| -> f64 {
        let h = (to - from) / n as f64;
        let inner: f64 = (1..n).map(|i| speed(from + h * i as f64) * if i % 2 == 1 { 4.0 } else { 2.0 }).sum();
        (speed(from) + speed(to) + inner) * h / 3.0
    };
    let (coarse, fine) = (rule(8192), rule(16384));
    fine + (fine - coarse) / 15.0
}
