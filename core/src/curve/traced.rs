//! A path as lines of points at some frames, as many at each.

use super::{Curve, Path, Strand};
use glam::DVec3;
use std::sync::Arc;

/// Lines along the strands of a path.
#[derive(Debug, Clone, PartialEq)]
pub struct Traced {
    /// For each strand whether it is closed.
    pub closed: Vec<bool>,
    /// For each frame, for each strand, points along it; of a closed one the first is not there again.
    pub places: Vec<Vec<Vec<DVec3>>>,
    /// How far a strand bulges at most between two points, metres.
    pub missed: f64,
}

/// Most pieces of a strand.
const MOST: usize = 1024;

/// Parts of a strand's length at which it has points: evenly, and at its corners where it keeps its shape.
fn spots(strand: &Strand, pieces: usize, still: bool) -> Vec<f64> {
    let last = if strand.closed() { pieces - 1 } else { pieces };
    let mut spots: Vec<f64> = (0..=last).map(|i| i as f64 / pieces as f64).collect();
    if still {
        let inside = strand.corners().iter().map(|s| s / strand.length()).filter(|part| *part < 1.0);
        spots.extend(inside);
        spots.sort_by(f64::total_cmp);
        spots.dedup_by(|later, earlier| *later - *earlier < 1e-9);
    }
    spots
}

fn points(strand: &Strand, spots: &[f64]) -> Vec<DVec3> {
    spots.iter().map(|part| strand.at(part * strand.length()).point).collect()
}

/// How far the strand is from straight lines between its points, looked at half-way.
fn bulge(strand: &Strand, spots: &[f64]) -> f64 {
    let closing = strand.closed().then_some(1.0 + spots[0]);
    let ends: Vec<f64> = spots.iter().copied().chain(closing).collect();
    let place = |part: f64| strand.at(part * strand.length()).point;
    let off = |pair: &[f64]| place(0.5 * (pair[0] + pair[1])).distance(0.5 * (place(pair[0]) + place(pair[1])));
    ends.windows(2).map(off).fold(0.0, f64::max)
}

impl Traced {
    /// Of a path at frames, at least one, so fine that no strand bulges by more than `tolerance` of its length between two points,
    /// where that many points may be. Nothing where it has other strands at other frames.
    pub fn of(path: &Path, frames: &[f64], tolerance: f64) -> Option<Self> {
        let still = path.unmoving().is_some();
        let frames = if still { &frames[..1] } else { frames };
        let curves: Vec<Arc<Curve>> = frames.iter().map(|frame| path.at(*frame)).collect();
        let closed: Vec<bool> = curves[0].strands().iter().map(Strand::closed).collect();
        let same = |curve: &Arc<Curve>| curve.strands().iter().map(Strand::closed).eq(closed.iter().copied());
        if !curves.iter().all(same) {
            return None;
        }
        let (mut missed, mut all) = (0.0_f64, Vec::with_capacity(closed.len()));
        for (index, closed) in closed.iter().enumerate() {
            let strands = || curves.iter().map(|curve| &curve.strands()[index]);
            let mut pieces = if *closed { 3 } else { 1 };
            loop {
                let spots = spots(&curves[0].strands()[index], pieces, still);
                let off = strands().map(|strand| (bulge(strand, &spots), strand.length()));
                let (far, part) =
                    off.fold((0.0_f64, 0.0_f64), |(far, part), (off, length)| (far.max(off), part.max(off / length)));
                if part > tolerance && pieces < MOST {
                    pieces *= 2;
                    continue;
                }
                missed = missed.max(far);
                all.push(strands().map(|strand| points(strand, &spots)).collect::<Vec<_>>());
                break;
            }
        }
        let at = |frame: usize| all.iter().map(|strand| strand[frame].clone()).collect();
        Some(Self { closed, places: (0..frames.len()).map(at).collect(), missed })
    }
}
