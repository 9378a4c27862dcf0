//! The path that a motion leaves.

use crate::curve::{Curve, CurveError, Fineness, Jet, Strand, follow};
use crate::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use std::ops::Range;
use std::sync::Arc;

/// Most things whose wakes are made at once.
const MOST_THINGS: usize = 1000;
/// How far a wake may be off, as a part of the size of what it covers.
const TOLERANCE: f64 = 1e-7;
/// Frames before a break at which its left side is looked at.
const BEFORE: f64 = 1e-9;

/// One strand per thing through the places it has from the first frame of `range` to the last; closed where it
/// comes back to where it began. Its corners are the motion's breaks; a jump becomes a straight line.
///
/// # Errors
/// Where it is cancelled, takes too many looks, or nothing moves.
pub fn wake(
    motion: &Arc<dyn Motion>,
    things: Range<usize>,
    range: Frames,
    cancel: &Cancel,
) -> Result<Curve, MotionError> {
    let told = |error: CurveError| {
        MotionError::TooMuch(match error {
            CurveError::NoLength => {
                "what does not move leaves no path: choose another thing or other frames".to_owned()
            }
            other => other.to_string(),
        })
    };
    if things.len() > MOST_THINGS {
        return Err(MotionError::TooMuch(format!(
            "{} wakes are too many: use at most {MOST_THINGS} things",
            things.len()
        )));
    }
    let ready = prepared(motion, range.widened(1.0), cancel)?;
    let strands = things.map(|object| {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        one(&*ready, object, range)?.map_err(told)
    });
    Curve::new(strands.collect::<Result<_, _>>()?).map_err(told)
}

fn one(motion: &dyn Motion, object: usize, range: Frames) -> Result<Result<Strand, CurveError>, MotionError> {
    let mut ends: Vec<f64> = motion.breaks(object, range)?.iter().map(|b| b.frame).collect();
    ends.extend([range.from, range.to]);
    ends.sort_by(f64::total_cmp);
    ends.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
    let jet = |frame: f64| -> Jet {
        let mut sample = Sample::default();
        motion.sample_at(&[(object, frame)], Columns::POSITION | Columns::VELOCITY, &mut sample);
        Jet { point: sample.positions[0], derivative: sample.velocities[0] }
    };
    let looks: Vec<_> =
        (0..=64).map(|i| jet(range.from + (range.to - range.from) * f64::from(i) / 64.0).point).collect();
    let low = looks.iter().copied().reduce(glam::DVec3::min).unwrap_or_default();
    let high = looks.iter().copied().reduce(glam::DVec3::max).unwrap_or_default();
    let size = (high - low).length();
    let mut segments = Vec::new();
    for pair in ends.windows(2) {
        let to = if pair[1] == range.to { pair[1] } else { pair[1] - BEFORE };
        if segments
            .last()
            .is_some_and(|last: &crate::curve::Segment| last.at(1.0).distance(jet(pair[0]).point) > 1e-7 * size)
        {
            let from = segments[segments.len() - 1].at(1.0);
            segments.push(crate::curve::Segment::Line { from, to: jet(pair[0]).point });
        }
        let pieces = ((to - pair[0]).ceil() as usize).clamp(1, 20_000);
        segments.extend(follow(&jet, pair[0], to, &Fineness { tolerance: TOLERANCE * size, pieces, halvings: 8 }));
    }
    let closed = size > 0.0 && jet(range.from).point.distance(jet(range.to).point) <= 1e-7 * size;
    Ok(Strand::new(segments, closed))
}
