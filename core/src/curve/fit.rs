//! Few cubics near a path (after Schneider, "An Algorithm for Automatically Fitting Digitized Curves", 1990,
//! in space).

use super::Curve;
use super::segment::Segment;
use super::strand::{CurveError, Strand};
use crate::pose::bend;
use glam::DVec3;

/// A place that is to be met.
#[derive(Debug, Clone, Copy)]
struct Seen {
    point: DVec3,
    /// Its parameter on the cubic, 0 to 1.
    t: f64,
}

/// Places looked at per strand at least; each stretch between corners gets its share.
const LOOKED_AT: f64 = 512.0;
const ROUNDS: usize = 6;
const DEEPEST: usize = 16;

/// As few cubics as come within `tolerance` metres of every strand. Turns of more than `keep` radians at its
/// joints stay corners.
///
/// # Errors
/// As [`Strand::new`] of what is fitted.
pub fn fitted(curve: &Curve, tolerance: f64, keep: f64) -> Result<Curve, CurveError> {
    let strands = curve.strands().iter().map(|strand| {
        let length = strand.length();
        let mut ends: Vec<f64> = strand.corners().iter().copied().filter(|s| sharp(strand, *s, keep)).collect();
        let starts_sharp = ends.first() == Some(&0.0);
        ends.extend([0.0, length]);
        ends.sort_by(f64::total_cmp);
        ends.dedup();
        // A closed strand without a corner at its start keeps one direction there.
        let seam = (strand.closed() && !starts_sharp).then(|| run_of(strand, 0.0, length * 1e-3));
        let mut segments = Vec::new();
        for pair in ends.windows(2) {
            let (from, to) = (pair[0], pair[1]);
            let count = (LOOKED_AT * (to - from) / length).ceil().max(16.0) as usize;
            let place = |i: usize| {
                let s = from + (to - from) * i as f64 / count as f64;
                if i == count && strand.closed() && to == length {
                    strand.at(0.0).point
                } else {
                    strand.at_normalised(s).point
                }
            };
            let points: Vec<DVec3> = (0..=count).map(place).collect();
            let step = (to - from) * 1e-2;
            let first = seam.filter(|_| from == 0.0).unwrap_or_else(|| direction(&points, true, step));
            let last = seam.filter(|_| to == length).unwrap_or_else(|| direction(&points, false, step));
            fit(&points, first, last, tolerance, DEEPEST, &mut segments);
        }
        Strand::new(segments, strand.closed())
    });
    Curve::new(strands.collect::<Result<_, _>>()?)
}

fn sharp(strand: &Strand, s: f64, keep: f64) -> bool {
    let near = 1e-6 * strand.length();
    let before = strand.at(if s < near && strand.closed() { strand.length() - near } else { s - near });
    bend(before.tangent, strand.at(s + near).tangent) > keep
}

/// The direction from a little before a place to a little after it, across the start of a closed strand.
fn run_of(strand: &Strand, s: f64, reach: f64) -> DVec3 {
    let (before, after) = (strand.at(s - reach + strand.length()), strand.at(s + reach));
    (after.point - before.point).normalize_or(strand.at(s).tangent)
}

/// The direction in which a stretch begins or ends, over at least `step` metres.
fn direction(points: &[DVec3], begins: bool, step: f64) -> DVec3 {
    let (here, order): (DVec3, Vec<DVec3>) = if begins {
        (points[0], points.to_vec())
    } else {
        (points[points.len() - 1], points.iter().rev().copied().collect())
    };
    let away = order.iter().find(|p| p.distance(here) >= step).copied().unwrap_or(order[order.len() - 1]);
    let along = (away - here).normalize_or(DVec3::X);
    if begins { along } else { -along }
}

fn fit(points: &[DVec3], first: DVec3, last: DVec3, tolerance: f64, depth: usize, out: &mut Vec<Segment>) {
    let mut seen = by_chord(points);
    let mut worst = (f64::INFINITY, points.len() / 2);
    let mut cubic = [DVec3::ZERO; 4];
    for _ in 0..ROUNDS {
        cubic = least_squares(&seen, first, last);
        let segment = Segment::Cubic { points: cubic };
        worst = seen
            .iter()
            .enumerate()
            .map(|(i, seen)| (segment.at(seen.t).distance(seen.point), i))
            .fold((0.0, points.len() / 2), |worst, here| if here.0 > worst.0 { here } else { worst });
        if worst.0 <= tolerance {
            break;
        }
        seen.iter_mut().for_each(|seen| seen.t = nearer(&segment, *seen));
    }
    if worst.0 <= tolerance || depth == 0 || points.len() < 4 {
        out.push(Segment::Cubic { points: cubic });
        return;
    }
    let split = worst.1.clamp(1, points.len() - 2);
    let through = (points[split + 1] - points[split - 1]).normalize_or(first);
    fit(&points[..=split], first, through, tolerance, depth - 1, out);
    fit(&points[split..], through, last, tolerance, depth - 1, out);
}

fn by_chord(points: &[DVec3]) -> Vec<Seen> {
    let mut along = vec![0.0];
    for pair in points.windows(2) {
        along.push(along[along.len() - 1] + pair[0].distance(pair[1]));
    }
    let whole = along[along.len() - 1].max(f64::MIN_POSITIVE);
    points.iter().zip(along).map(|(point, at)| Seen { point: *point, t: at / whole }).collect()
}

/// The lengths of both handles for which the sum of squared misses is least; a third of the way where these
/// are not positive.
fn least_squares(seen: &[Seen], first: DVec3, last: DVec3) -> [DVec3; 4] {
    let (a, d) = (seen[0].point, seen[seen.len() - 1].point);
    let (mut aa, mut ab, mut bb, mut ra, mut rb) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for Seen { point, t } in seen {
        let u = 1.0 - t;
        let (b1, b2) = (3.0 * u * u * t, 3.0 * u * t * t);
        let (towards, back) = (first * b1, -last * b2);
        let left = *point - (a * (u * u * u + b1) + d * (b2 + t * t * t));
        aa += towards.length_squared();
        ab += towards.dot(back);
        bb += back.length_squared();
        ra += left.dot(towards);
        rb += left.dot(back);
    }
    let det = aa * bb - ab * ab;
    let chord = a.distance(d);
    let (mut out, mut into) = ((ra * bb - rb * ab) / det, (rb * aa - ra * ab) / det);
    if !(det.abs() > 1e-12 && out > 1e-6 * chord && into > 1e-6 * chord) {
        (out, into) = (chord / 3.0, chord / 3.0);
    }
    [a, a + first * out, d - last * into, d]
}

/// One step of Newton's towards the nearest place on the cubic.
fn nearer(segment: &Segment, seen: Seen) -> f64 {
    let Segment::Cubic { points: [a, b, c, d] } = segment else { return seen.t };
    let t = seen.t;
    let away = segment.at(t) - seen.point;
    let speed = segment.derivative(t);
    let bending = (*c - *b * 2.0 + *a) * (6.0 * (1.0 - t)) + (*d - *c * 2.0 + *b) * (6.0 * t);
    let slope = speed.length_squared() + away.dot(bending);
    if slope.abs() < 1e-300 { t } else { (t - away.dot(speed) / slope).clamp(0.0, 1.0) }
}
