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

/// How often the tolerance is made four times as large before points are taken evenly.
const COARSER: u32 = 4;
/// Points of bends for each that is left at most, beyond which a tolerance is not tried.
const TRIED: usize = 10;
/// Fewest points of a strand that is taken evenly.
const FEWEST: usize = 5;

/// Lines of many strands, off by about `tolerance` metres where that takes at most `most` points in all; else by the
/// least fourfold of it that does, and beyond 64 times as much evenly along each strand, its ends included: at least five
/// points each, whatever `most` is.
pub fn lines(strands: &[&Strand], tolerance: f64, most: usize) -> Vec<Vec<DVec3>> {
    let count = |strand: &Strand, tolerance: f64| {
        1 + strand.segments().iter().map(|segment| pieces(segment, tolerance)).sum::<usize>()
    };
    let all = |tolerance: f64| strands.iter().map(|strand| count(strand, tolerance)).sum::<usize>();
    // Half of it for each of the two.
    let mut half = tolerance / 2.0;
    for _ in 0..COARSER {
        if all(half) <= TRIED * most {
            let lines: Vec<_> = strands.iter().map(|strand| thinned(&tessellate(strand, half), half)).collect();
            if lines.iter().map(Vec::len).sum::<usize>() <= most {
                return lines;
            }
        }
        half *= 4.0;
    }
    let part = most as f64 / all(half) as f64;
    let evenly = |strand: &&Strand| {
        let count = ((count(strand, half) as f64 * part) as usize).max(FEWEST);
        let place = |i: usize| strand.at_normalised(i as f64 / (count - 1) as f64).point;
        (0..count).map(place).collect()
    };
    strands.iter().map(evenly).collect()
}

/// Those of the points that a line needs to stay within `tolerance` metres of all of them, ends included: many short
/// segments give more points than their bends ask for. From each point kept the chord reaches as far as it may.
pub fn thinned(points: &[DVec3], tolerance: f64) -> Vec<DVec3> {
    let Some(&first) = points.first() else { return Vec::new() };
    let mut kept = vec![first];
    let mut anchor = 0;
    while anchor + 1 < points.len() {
        let misses = |end: usize| {
            let chord = points[end] - points[anchor];
            points[anchor + 1..end].iter().any(|&point| off_chord(point - points[anchor], chord) > tolerance)
        };
        let farthest = (anchor + LONGEST).min(points.len() - 1);
        let end = (anchor + 2..=farthest).take_while(|&end| !misses(end)).last().unwrap_or(anchor + 1);
        kept.push(points[end]);
        anchor = end;
    }
    kept
}

/// Most points that one chord takes the place of; bounds the work.
const LONGEST: usize = 64;

/// Distance from the end of `to` to the piece from zero to `chord`.
fn off_chord(to: DVec3, chord: DVec3) -> f64 {
    let along = to.dot(chord) / chord.length_squared().max(f64::MIN_POSITIVE);
    to.distance(chord * along.clamp(0.0, 1.0))
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
