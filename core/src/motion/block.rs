//! Poses of many frames as single-precision numbers, for pictures and for the wire.

use super::{Cancel, Columns, Motion, MotionError, Sample};
use glam::{DQuat, DVec3};
use rayon::prelude::*;

/// Floats per thing and frame: position x y z, orientation x y z w, and scale (0 when it is not there).
pub const POSE_FLOATS: usize = 8;
const SIZE: usize = 7;

/// Things sampled at a time, so that their columns stay in the nearest cache.
const AT_A_TIME: usize = 256;

/// Writes the poses of all things at `frames` into `out`, frame after frame.
///
/// `out` is `frames.len() · motion.len() · POSE_FLOATS` long. Frames are shared among the workers,
/// each writing a slice of its own, so the bits do not depend on how many there are.
pub fn fill_poses(motion: &dyn Motion, frames: &[f64], out: &mut [f32], cancel: &Cancel) -> Result<(), MotionError> {
    let row = motion.len() * POSE_FLOATS;
    if row == 0 {
        return Ok(());
    }
    let columns = Columns::POSITION | Columns::POSE.and(motion.varies());
    out.par_chunks_mut(row).zip(frames.par_iter()).try_for_each_init(Sample::default, |sample, (row, &frame)| {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        for (index, part) in row.chunks_mut(AT_A_TIME * POSE_FLOATS).enumerate() {
            let first = index * AT_A_TIME;
            motion.sample_range(frame, first..first + part.len() / POSE_FLOATS, columns, sample);
            write(sample, part);
        }
        Ok(())
    })
}

/// Columns that were not asked for are as they always are.
fn write(sample: &Sample, out: &mut [f32]) {
    let rows = out.chunks_exact_mut(POSE_FLOATS).zip(&sample.positions);
    if sample.orientations.is_empty() {
        rows.for_each(|(floats, place)| write_one(floats, *place, DQuat::IDENTITY));
    } else {
        rows.zip(&sample.orientations).for_each(|((floats, place), turn)| write_one(floats, *place, *turn));
    }
    for (floats, scale) in out.chunks_exact_mut(POSE_FLOATS).zip(&sample.scales) {
        floats[SIZE] = scale.x as f32;
    }
    for (floats, _) in out.chunks_exact_mut(POSE_FLOATS).zip(&sample.alive).filter(|(_, alive)| !**alive) {
        floats[SIZE] = 0.0;
    }
}

#[inline(always)]
fn write_one(floats: &mut [f32], place: DVec3, turn: DQuat) {
    let (p, q) = (place.as_vec3(), turn.as_quat());
    floats.copy_from_slice(&[p.x, p.y, p.z, q.x, q.y, q.z, q.w, 1.0]);
}
