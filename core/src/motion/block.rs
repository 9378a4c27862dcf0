//! Poses of many frames as single-precision numbers, for pictures and for the wire.

use super::{Cancel, Columns, Motion, MotionError, Sample};
use rayon::prelude::*;

/// Floats per thing and frame: position x y z, orientation x y z w, and scale (0 when it is not there).
pub const POSE_FLOATS: usize = 8;

/// Writes the poses of all things at `frames` into `out`, frame after frame.
///
/// `out` is `frames.len() · motion.len() · POSE_FLOATS` long. Frames are shared among the workers,
/// each writing a slice of its own, so the bits do not depend on how many there are.
pub fn fill_poses(motion: &dyn Motion, frames: &[f64], out: &mut [f32], cancel: &Cancel) -> Result<(), MotionError> {
    let row = motion.len() * POSE_FLOATS;
    if row == 0 {
        return Ok(());
    }
    out.par_chunks_mut(row).zip(frames.par_iter()).try_for_each_init(Sample::default, |sample, (row, &frame)| {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        motion.sample(frame, Columns::POSE, sample);
        for (object, floats) in row.chunks_exact_mut(POSE_FLOATS).enumerate() {
            let (position, turn) = (sample.positions[object].as_vec3(), sample.orientations[object].as_quat());
            let size = if sample.alive[object] { sample.scales[object].x as f32 } else { 0.0 };
            floats.copy_from_slice(&[position.x, position.y, position.z, turn.x, turn.y, turn.z, turn.w, size]);
        }
        Ok(())
    })
}
