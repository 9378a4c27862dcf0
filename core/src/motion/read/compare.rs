//! How far two motions are from each other.

use crate::motion::{Cancel, Columns, Motion, MotionError, Sample};
use crate::roots::bottom_by_thirds;

/// The largest distance between two motions, and where.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Apart {
    /// Metres.
    pub distance: f64,
    /// Which thing.
    pub object: usize,
    /// Real-valued frame.
    pub frame: f64,
}

/// Steps per frame at which distances are first looked at.
const STEPS: u32 = 2;
/// Rounds of narrowing around the largest one; each leaves two thirds.
const ROUNDS: u32 = 30;

/// The largest distance between things of the same number in two prepared motions from frame 0 to
/// `frames`; nothing when one of them has no things.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn largest_distance(
    a: &dyn Motion,
    b: &dyn Motion,
    frames: u32,
    cancel: &Cancel,
) -> Result<Option<Apart>, MotionError> {
    let things = a.len().min(b.len());
    let (mut from_a, mut from_b) = (Sample::default(), Sample::default());
    let mut worst: Option<Apart> = None;
    for step in 0..=frames * STEPS {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        let frame = f64::from(step) / f64::from(STEPS);
        a.sample_range(frame, 0..things, Columns::POSITION, &mut from_a);
        b.sample_range(frame, 0..things, Columns::POSITION, &mut from_b);
        for (object, (p, q)) in from_a.positions.iter().zip(&from_b.positions).enumerate() {
            let distance = p.distance(*q);
            if worst.is_none_or(|known| distance > known.distance) {
                worst = Some(Apart { distance, object, frame });
            }
        }
    }
    let mut apart = |object: usize, frame: f64| {
        a.sample_at(&[(object, frame)], Columns::POSITION, &mut from_a);
        b.sample_at(&[(object, frame)], Columns::POSITION, &mut from_b);
        from_a.positions[0].distance(from_b.positions[0])
    };
    Ok(worst.map(|coarse| {
        let around = ((coarse.frame - 0.5).max(0.0), (coarse.frame + 0.5).min(f64::from(frames)));
        let farther = |one, two| apart(coarse.object, one) >= apart(coarse.object, two);
        let frame = bottom_by_thirds(around, ROUNDS, farther);
        let distance = apart(coarse.object, frame);
        // Where the distance jumps, narrowing may miss what was seen before.
        if distance > coarse.distance { Apart { distance, frame, ..coarse } } else { coarse }
    }))
}
