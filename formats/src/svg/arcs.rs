//! Pieces of a drawing as segments of a path.

use glam::DVec3;
use kurbo::{Affine, Arc, CubicBez, Point, Shape, Vec2};
use std::f64::consts::FRAC_PI_2;
use zickzack_core::curve::Segment;

/// Error of Béziers that stand for elliptical arcs, relative to the larger radius.
pub(super) const ARC_ERROR: f64 = 1e-7;

/// A piece before its transform.
pub(super) enum Piece {
    Line(Point, Point),
    Cubic(CubicBez),
    Elliptic(Arc),
}

pub(super) fn deep(point: Point) -> DVec3 {
    DVec3::new(point.x, point.y, 0.0)
}

pub(super) fn transformed(piece: &Piece, matrix: Affine) -> Vec<Segment> {
    match piece {
        Piece::Line(from, to) => vec![Segment::Line { from: deep(matrix * *from), to: deep(matrix * *to) }],
        Piece::Cubic(cubic) => vec![bezier(matrix * *cubic)],
        Piece::Elliptic(arc) => {
            let round = (arc.radii.x - arc.radii.y).abs() <= 1e-12 * arc.radii.x.max(arc.radii.y);
            match round.then(|| turning(matrix)).flatten() {
                Some((scale, sense)) => circular(arc, matrix, scale, sense),
                None => elliptic(arc, matrix),
            }
        }
    }
}

pub(super) fn bezier(cubic: CubicBez) -> Segment {
    Segment::Cubic { points: [deep(cubic.p0), deep(cubic.p1), deep(cubic.p2), deep(cubic.p3)] }
}

/// Scale and sense of turn (−1 mirrors) of a matrix that keeps circles round.
pub(super) fn turning(matrix: Affine) -> Option<(f64, f64)> {
    let [a, b, c, d, _, _] = matrix.as_coeffs();
    let scale = libm::hypot(a, b);
    let near = |x: f64, y: f64| (x - y).abs() <= 1e-9 * scale;
    if near(a, d) && near(b, -c) {
        Some((scale, 1.0))
    } else if near(a, -d) && near(b, c) {
        Some((scale, -1.0))
    } else {
        None
    }
}

/// Arcs of at most a quarter turn, so that there are points to take hold of.
pub(super) fn circular(arc: &Arc, matrix: Affine, scale: f64, sense: f64) -> Vec<Segment> {
    let centre = matrix * arc.center;
    let angle = arc.start_angle + arc.x_rotation;
    let first = arc.center + Vec2::new(libm::cos(angle), libm::sin(angle)) * arc.radii.x;
    let towards = matrix * first - centre;
    let start = libm::atan2(towards.y, towards.x);
    let count = (arc.sweep_angle.abs() / FRAC_PI_2 - 1e-9).ceil().max(1.0);
    let sweep = sense * arc.sweep_angle / count;
    let radius = arc.radii.x * scale;
    (0..count as usize)
        .map(|i| Segment::Arc {
            centre: deep(centre),
            x: DVec3::X,
            y: DVec3::Y,
            radius,
            start: start + sweep * i as f64,
            sweep,
        })
        .collect()
}

pub(super) fn elliptic(arc: &Arc, matrix: Affine) -> Vec<Segment> {
    let error = ARC_ERROR * arc.radii.x.abs().max(arc.radii.y.abs());
    let mut at = None;
    let mut segments = Vec::new();
    for element in arc.path_elements(error) {
        match (element, at) {
            (kurbo::PathEl::MoveTo(point), _) => at = Some(point),
            (kurbo::PathEl::CurveTo(b, c, d), Some(a)) => {
                segments.push(bezier(matrix * CubicBez::new(a, b, c, d)));
                at = Some(d);
            }
            _ => {}
        }
    }
    segments
}
