//! Few cubic keys within a tolerance.

use super::channel::{Channel, Interpolation, Key};
use super::fit::{Point, Slopes, fit, fits};

/// How far a value misses the true one.
pub trait Error<const N: usize>: Fn(&[f64; N], &[f64; N]) -> f64 {}

impl<const N: usize, E: Fn(&[f64; N], &[f64; N]) -> f64> Error<N> for E {}

/// What reduction needs to know of a channel.
pub struct Source<'a, const N: usize, E> {
    /// In order of frames, at least two.
    pub points: &'a [Point<N>],
    /// Indices of points that get a key whatever happens, in order; first and last included.
    pub fixed: &'a [usize],
    /// Indices at which the motion is not smooth, in order: tried as keys before others.
    pub knots: &'a [usize],
    /// Largest error of a value, in the unit that `error` gives.
    pub tolerance: f64,
    /// How far a value misses the true one.
    pub error: E,
}

/// A channel within the tolerance at every point: keys at the fixed points, then where the error of
/// the cubic between them is largest, then without those that turn out to be superfluous.
pub fn reduce<const N: usize, E: Error<N>>(source: &Source<'_, N, E>) -> Channel<N> {
    if let Some(channel) = still(source) {
        return channel;
    }
    let mut keys: Vec<usize> = source.fixed.to_vec();
    keys.extend(source.knots);
    keys.sort_unstable();
    keys.dedup();
    let mut split: Vec<usize> = vec![keys[0]];
    for pair in keys.windows(2) {
        divide(source, pair[0], pair[1], &mut split);
    }
    let stretches = join(source, &split);
    channel(source, &stretches)
}

/// One key, when the value never leaves the tolerance of the first.
fn still<const N: usize, E: Error<N>>(source: &Source<'_, N, E>) -> Option<Channel<N>> {
    let value = source.points[0].right.0;
    let near = |other: &[f64; N]| (source.error)(&value, other) <= source.tolerance;
    source.points.iter().all(|point| near(&point.left.0) && near(&point.right.0)).then(|| Channel {
        interpolation: Interpolation::Cubic,
        keys: vec![Key { frame: source.points[0].frame, value, slope_in: [0.0; N], slope_out: [0.0; N] }],
    })
}

/// Adds to `split` the end of the stretch, and before it whatever points it has to be cut at.
fn divide<const N: usize, E: Error<N>>(source: &Source<'_, N, E>, from: usize, to: usize, split: &mut Vec<usize>) {
    match fit(&source.points[from..=to], source.tolerance, &source.error) {
        Err(worst) if to - from > 1 => {
            divide(source, from, from + worst, split);
            divide(source, from + worst, to, split);
        }
        _ => split.push(to),
    }
}

/// Extends each stretch over following keys as long as one cubic will do.
fn join<const N: usize, E: Error<N>>(source: &Source<'_, N, E>, split: &[usize]) -> Vec<(usize, usize, Slopes<N>)> {
    let mut stretches = Vec::new();
    let mut at = 0;
    while at + 1 < split.len() {
        let from = split[at];
        let mut next = at + 1;
        let truth = (source.points[from].right.1, source.points[split[next]].left.1);
        let mut slopes = fits(&source.points[from..=split[next]], source.tolerance, &source.error).unwrap_or(truth);
        while next + 1 < split.len() && source.fixed.binary_search(&split[next]).is_err() {
            let Some(wider) = fits(&source.points[from..=split[next + 1]], source.tolerance, &source.error) else {
                break;
            };
            slopes = wider;
            next += 1;
        }
        stretches.push((from, split[next], slopes));
        at = next;
    }
    stretches
}

fn channel<const N: usize, E: Error<N>>(
    source: &Source<'_, N, E>,
    stretches: &[(usize, usize, Slopes<N>)],
) -> Channel<N> {
    let key = |index: usize, value, slope_in, slope_out| Key {
        frame: source.points[index].frame,
        value,
        slope_in,
        slope_out,
    };
    let mut keys: Vec<Key<N>> = Vec::with_capacity(stretches.len() + 1);
    for &(from, to, (out, into)) in stretches {
        let start = source.points[from].right.0;
        match keys.last_mut() {
            Some(last) if (source.error)(&last.value, &start) <= 1e-9 => last.slope_out = out,
            _ => keys.push(key(from, start, out, out)),
        }
        keys.push(key(to, source.points[to].left.0, into, into));
    }
    Channel { interpolation: Interpolation::Cubic, keys }
}
