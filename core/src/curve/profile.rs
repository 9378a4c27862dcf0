//! What a lathe turns, from a path.

use super::follow::{ByDifferences, Fineness, follow};
use super::{Segment, Strand};
use crate::surface::{Piece, Profile};
use glam::{DVec3, Vec3Swizzles};

/// How far the profile of a path that is not drawn in the front plane may be off, as a part of its length.
const FINE: f64 = 1e-10;

/// The line that a strand makes in the half plane of (distance from the y axis, height): piece by piece as it is where
/// it lies in the front plane. `None` where it has no length there, or lies on the axis.
pub fn profile(strand: &Strand) -> Option<Profile> {
    let mut pieces = Vec::new();
    for segment in strand.segments() {
        match in_front(segment) {
            Some(piece) => pieces.push(piece),
            None => {
                let around = |t: f64| {
                    let p = segment.at(t);
                    DVec3::new(p.xz().length(), p.y, 0.0)
                };
                let way = ByDifferences { place: around, step: 1e-4, ends: (0.0, 1.0) };
                let fineness = Fineness { tolerance: FINE * strand.length(), pieces: 16, halvings: 10 };
                pieces.extend(follow(&way, 0.0, 1.0, &fineness).iter().filter_map(in_front));
            }
        }
    }
    Profile::of(pieces)
}

/// A piece in the plane of x and y, as it is.
fn in_front(segment: &Segment) -> Option<Piece> {
    let flat = |p: DVec3| (p.z == 0.0).then_some(p.xy());
    Some(match *segment {
        Segment::Line { from, to } => Piece::Line { from: flat(from)?, to: flat(to)? },
        Segment::Arc { centre, x, y, radius, start, sweep } => {
            let (centre, x, y) = (flat(centre)?, flat(x)?, flat(y)?);
            // Its axes are turned by an angle, and perhaps mirrored.
            let side = if x.perp_dot(y) < 0.0 { -1.0 } else { 1.0 };
            let angle = libm::atan2(x.y, x.x);
            Piece::Arc { centre, radius, start: angle + side * start, sweep: side * sweep }
        }
        Segment::Cubic { points: [a, b, c, d] } => Piece::Cubic([flat(a)?, flat(b)?, flat(c)?, flat(d)?]),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn arcs_in_the_front_plane_keep_their_places() {
        for (x, y) in [(DVec3::X, DVec3::Y), (DVec3::NEG_Y, DVec3::X), (DVec3::Y, DVec3::X), (DVec3::X, DVec3::NEG_Y)] {
            let arc = Segment::Arc { centre: DVec3::new(2.0, 1.0, 0.0), x, y, radius: 0.7, start: 0.4, sweep: -1.9 };
            let piece = in_front(&arc).unwrap();
            for i in 0..=10 {
                let t = f64::from(i) / 10.0;
                assert!(piece.at(t).distance(arc.at(t).xy()) < 1e-12);
            }
        }
    }
}
