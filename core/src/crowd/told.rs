//! What a crowd does as a whole, over time.

use super::Grid;
use crate::motion::{Cancel, Columns, Motion, MotionError, Sample, TraceChannel};
use glam::{DVec3, Vec3};
use rayon::prelude::*;

/// Names and units of the channels of [`told`], in order: how many are there; the length of their mean heading; how far
/// each is from its nearest, in the middle of all and the closest two; speeds that a tenth, half and nine tenths stay below.
pub const TOLD: [(&str, &str); 7] = [
    ("all: there", ""),
    ("all: order", ""),
    ("all: apart", "m"),
    ("all: closest", "m"),
    ("all: slow tenth", "m/s"),
    ("all: middle speed", "m/s"),
    ("all: fast tenth", "m/s"),
];

/// Looks at things, of all moments together; of more moments only some are looked at, and numbers go straight between them.
const MOST_LOOKS: usize = 300_000;

/// Channels of all things of a prepared motion at some moments, each a frame at which it is shown, rising, and the frame of
/// the motion that it is. NaN where nothing is there, and how far things are apart where there is but one.
///
/// # Errors
/// Where it is cancelled.
pub fn told(
    motion: &dyn Motion,
    moments: &[(f64, f64)],
    fps: f64,
    cancel: &Cancel,
) -> Result<Vec<TraceChannel>, MotionError> {
    let every = (motion.len() * moments.len()).div_ceil(MOST_LOOKS).max(1);
    let last = moments.len().saturating_sub(1);
    let looked: Vec<usize> = (0..moments.len()).filter(|i| i % every == 0 || *i == last).collect();
    let at = |sample: &mut Sample, i: &usize| {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        Ok(cancel.watched(|| figures(motion, moments[*i].1, fps, sample)))
    };
    let found: Vec<[f64; TOLD.len()]> = looked.par_iter().map_init(Sample::default, at).collect::<Result<_, _>>()?;
    let channel = |(which, (name, unit)): (usize, (&'static str, &'static str))| {
        let values: Vec<f64> = (0..moments.len())
            .map(|i| {
                let after = looked.partition_point(|&other| other < i).min(looked.len() - 1);
                let before = if looked[after] == i { after } else { after.saturating_sub(1) };
                let (from, to) = (moments[looked[before]].0, moments[looked[after]].0);
                let part = if to > from { (moments[i].0 - from) / (to - from) } else { 0.0 };
                found[before][which] + (found[after][which] - found[before][which]) * part
            })
            .collect();
        let pace = (0..moments.len()).map(|i| pace(&values, moments, i) * fps).collect();
        TraceChannel { name, unit, values, pace }
    };
    Ok(if moments.is_empty() { Vec::new() } else { TOLD.into_iter().enumerate().map(channel).collect() })
}

/// How fast a number changes by frame, from the moment before to the one after.
fn pace(values: &[f64], moments: &[(f64, f64)], i: usize) -> f64 {
    let (before, after) = (i.saturating_sub(1), (i + 1).min(values.len() - 1));
    let frames = moments[after].0 - moments[before].0;
    if frames > 0.0 { (values[after] - values[before]) / frames } else { 0.0 }
}

fn figures(motion: &dyn Motion, frame: f64, fps: f64, sample: &mut Sample) -> [f64; TOLD.len()] {
    motion.sample(frame, Columns::POSITION | Columns::VELOCITY | Columns::ALIVE, sample);
    let there: Vec<usize> = (0..motion.len()).filter(|&object| sample.alive[object]).collect();
    if there.is_empty() {
        return [0.0, f64::NAN, f64::NAN, f64::NAN, f64::NAN, f64::NAN, f64::NAN];
    }
    let heading = |&object: &usize| sample.velocities[object].normalize_or_zero();
    let order = there.iter().map(heading).sum::<DVec3>().length() / there.len() as f64;
    let mut speeds: Vec<f64> = there.iter().map(|&object| sample.velocities[object].length() * fps).collect();
    speeds.sort_by(f64::total_cmp);
    let below = |part: f64| speeds[((speeds.len() - 1) as f64 * part).round() as usize];
    let [apart, closest] = nearest(&there, &sample.positions);
    [there.len() as f64, order, apart, closest, below(0.1), below(0.5), below(0.9)]
}

/// How far things are from their nearest: the median, and the least.
fn nearest(there: &[usize], positions: &[DVec3]) -> [f64; 2] {
    if there.len() < 2 {
        return [f64::NAN; 2];
    }
    // Counted from one of them, single precision says how far others are.
    let origin = positions[there[0]];
    let places: Vec<Vec3> = there.iter().map(|&object| (positions[object] - origin).as_vec3()).collect();
    let grid = Grid::of(&places, f32::INFINITY);
    let mut found = Vec::new();
    let mut far: Vec<f64> = (0..there.len())
        .map(|me| {
            grid.nearest(places[me], (f32::INFINITY, 1), |near| near.index as usize != me, &mut found);
            let other = found.first().map_or(me, |near| near.index as usize);
            positions[there[me]].distance(positions[there[other]])
        })
        .collect();
    far.sort_by(f64::total_cmp);
    [far[far.len() / 2], far[0]]
}
