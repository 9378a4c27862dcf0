//! Who goes on as whom, so that all together have the least way to go.

use crate::motion::{Cancel, Motion, MotionError, Sample};
use crate::work::spend;

/// Things beyond which only the nearest are partners, and not those with whom all go the least way.
pub(super) const MOST_PAIRED: usize = 1500;
/// Times that all pairs are looked at, at most; mostly some eight change nothing more.
const ROUNDS: usize = 40;

/// Lets things that look the same change partners, two by two, as long as both together then have less way to go: the sum
/// of its squares over the moments at which they are looked at, each with all things at the start of the lap and at its end.
///
/// # Errors
/// Where it is cancelled.
pub(super) fn pair(
    motion: &dyn Motion,
    moments: &[[Sample; 2]],
    partners: &mut [usize],
    cancel: &Cancel,
) -> Result<(), MotionError> {
    let count = partners.len();
    let looks: Vec<u64> = (0..count).map(|object| motion.look(object)).collect();
    let way = |object: usize, partner: usize| -> f64 {
        moments.iter().map(|[start, end]| end.positions[object].distance_squared(start.positions[partner])).sum()
    };
    let mut ways: Vec<f64> = partners.iter().enumerate().map(|(object, &partner)| way(object, partner)).collect();
    for _ in 0..ROUNDS {
        let mut changed = false;
        for a in 0..count {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            spend((count - a) as u64 / 16 + 1);
            for b in a + 1..count {
                if looks[a] != looks[b] {
                    continue;
                }
                let (to_b, to_a) = (way(a, partners[b]), way(b, partners[a]));
                // Not for what rounding makes of it.
                if to_b + to_a < (ways[a] + ways[b]) * (1.0 - 1e-9) {
                    partners.swap(a, b);
                    (ways[a], ways[b]) = (to_b, to_a);
                    changed = true;
                }
            }
        }
        if !changed {
            break;
        }
    }
    Ok(())
}
