//! Straight pieces for drawing.

use super::segment::Segment;
use super::strand::Strand;
use glam::DVec3;

/// Points along the strand, its ends included, off by about `tolerance` metres at most; never more
/// than 512 per segment.
pub fn tessellate(strand: &Strand, tolerance: f64) -> Vec<DVec3> {
    let mut points = vec![strand.segments()[0].at(0.0)];
    for segment in strand.segments() {
        let count = pieces(segment, tolerance);
        points.extend((1..=count).map(|i| segment.at(i as f64 / count as f64)));
    }
    points
}

/// A chord over the angle a of a circle of radius r misses it by r·a²/8.
fn pieces(segment: &Segment, tolerance: f64) -> usize {
    let turning = segment.turning();
    if turning < 1e-9 {
        return 1;
    }
    let radius = segment.size() / turning;
    let angle = (8.0 * tolerance / radius).sqrt().clamp(0.02, 0.5);
    ((2.0 * turning / angle).ceil() as usize).clamp(2, 512)
}
