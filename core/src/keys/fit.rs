//! One cubic over a stretch of values.

use super::channel::hermite;
use super::reduce::Error;
use crate::work::spend;

/// A value with its slope, as a track holds it.
#[derive(Debug, Clone, Copy)]
pub struct Point<const N: usize> {
    /// Real-valued frame.
    pub frame: f64,
    /// Value and slope per frame just before.
    pub left: ([f64; N], [f64; N]),
    /// Value and slope per frame from here on.
    pub right: ([f64; N], [f64; N]),
}

/// Slopes at both ends of a stretch.
pub type Slopes<const N: usize> = ([f64; N], [f64; N]);

/// The cubic over `points`, first to last, whose largest error is at most `tolerance`: with the true
/// slopes if they will do, otherwise with those of least squares.
///
/// # Errors
/// The number of the point that the true slopes miss most.
pub fn fit<const N: usize>(points: &[Point<N>], tolerance: f64, error: &impl Error<N>) -> Result<Slopes<N>, usize> {
    fits(points, tolerance, error).ok_or_else(|| {
        let truth = (points[0].right.1, points[points.len() - 1].left.1);
        let worst = |known: (f64, usize), (index, off)| if off > known.0 { (off, index) } else { known };
        errors(points, &truth, error).fold((0.0, points.len() / 2), worst).1
    })
}

/// The same, which does not look for the worst point. Each point counts as a look.
pub fn fits<const N: usize>(points: &[Point<N>], tolerance: f64, error: &impl Error<N>) -> Option<Slopes<N>> {
    let will_do = |slopes: &Slopes<N>| errors(points, slopes, error).all(|(_, off)| off <= tolerance);
    let truth = (points[0].right.1, points[points.len() - 1].left.1);
    // Where the work is to end, whatever is found is not used.
    if !spend(points.len() as u64) || will_do(&truth) {
        return Some(truth);
    }
    let best = least_squares(points);
    will_do(&best).then_some(best)
}

/// The errors at the inner points, with the index of each.
fn errors<const N: usize>(
    points: &[Point<N>],
    slopes: &Slopes<N>,
    error: &impl Error<N>,
) -> impl Iterator<Item = (usize, f64)> {
    let (a, b) = (&points[0], &points[points.len() - 1]);
    let length = b.frame - a.frame;
    let inner = points.iter().enumerate().take(points.len() - 1).skip(1);
    inner.map(move |(index, point)| {
        let x = (point.frame - a.frame) / length;
        let value =
            std::array::from_fn(|i| hermite(a.right.0[i], slopes.0[i] * length, b.left.0[i], slopes.1[i] * length, x));
        (index, error(&value, &point.right.0).max(error(&value, &point.left.0)))
    })
}

/// Slopes that make the sum of squared errors least, ends fixed: two unknowns per number.
fn least_squares<const N: usize>(points: &[Point<N>]) -> Slopes<N> {
    let (a, b) = (&points[0], &points[points.len() - 1]);
    let length = b.frame - a.frame;
    let mut slopes = ([0.0; N], [0.0; N]);
    for i in 0..N {
        let (mut aa, mut ab, mut bb, mut ra, mut rb) = (0.0, 0.0, 0.0, 0.0, 0.0);
        for point in &points[1..points.len() - 1] {
            let x = (point.frame - a.frame) / length;
            let (p, q) = (hermite(0.0, 1.0, 0.0, 0.0, x), hermite(0.0, 0.0, 0.0, 1.0, x));
            let rest = point.right.0[i] - hermite(a.right.0[i], 0.0, b.left.0[i], 0.0, x);
            aa += p * p;
            ab += p * q;
            bb += q * q;
            ra += p * rest;
            rb += q * rest;
        }
        let determinant = aa * bb - ab * ab;
        if determinant > 1e-12 * aa * bb {
            slopes.0[i] = (ra * bb - rb * ab) / determinant / length;
            slopes.1[i] = (rb * aa - ra * ab) / determinant / length;
        } else {
            slopes.0[i] = (b.left.0[i] - a.right.0[i]) / length;
            slopes.1[i] = slopes.0[i];
        }
    }
    slopes
}
