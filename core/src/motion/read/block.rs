//! Poses of many frames as single-precision numbers, for pictures and for the wire.

use crate::motion::{Cancel, Columns, Motion, MotionError, Sample};
use glam::{DQuat, DVec3};
use rayon::prelude::*;

/// Floats per thing and frame: position x y z, orientation x y z w, and scale (0 when it is not there).
pub const POSE_FLOATS: usize = 8;
const SIZE: usize = 7;
/// Of motions with kinds also the kind's number and the place on its scale of colours.
const KIND: usize = 8;
const TINT: usize = 9;
const LOOK_FLOATS: usize = TINT + 1;
/// Of motions whose brightness varies also that.
const BRIGHTNESS: usize = 10;
const BRIGHT_FLOATS: usize = BRIGHTNESS + 1;
/// Of motions whose things may be cut off also the plane: x y z of its normal, and how far beyond it is hidden.
const CUT: usize = 11;
const CUT_FLOATS: usize = CUT + 4;

/// Floats per thing and frame that a motion takes.
pub fn pose_floats(motion: &dyn Motion) -> usize {
    let varies = motion.varies();
    if varies.contain(Columns::CUT) {
        CUT_FLOATS
    } else if varies.contain(Columns::BRIGHTNESS) {
        BRIGHT_FLOATS
    } else if motion.kinds().is_empty() {
        POSE_FLOATS
    } else {
        LOOK_FLOATS
    }
}

/// Things sampled at a time, so that their columns stay in the nearest cache.
const AT_A_TIME: usize = 256;

/// Writes the poses of all things at `frames` into `out`, frame after frame.
///
/// `out` is `frames.len() · motion.len()` · [`pose_floats`] long. Frames are shared among the workers,
/// each writing a slice of its own, so the bits do not depend on how many there are.
pub fn fill_poses(motion: &dyn Motion, frames: &[f64], out: &mut [f32], cancel: &Cancel) -> Result<(), MotionError> {
    let floats = pose_floats(motion);
    let row = motion.len() * floats;
    if row == 0 {
        return Ok(());
    }
    let looks = match floats {
        POSE_FLOATS => Columns::NONE,
        LOOK_FLOATS => Columns::TINT,
        BRIGHT_FLOATS => Columns::TINT | Columns::BRIGHTNESS,
        _ => Columns::TINT | Columns::BRIGHTNESS | Columns::CUT,
    };
    let columns = Columns::POSITION | Columns::POSE.and(motion.varies()) | looks;
    out.par_chunks_mut(row).zip(frames.par_iter()).try_for_each_init(Sample::default, |sample, (row, &frame)| {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        cancel.watched(|| write_frame(motion, (frame, columns), (row, floats), sample));
        Ok(())
    })
}

/// The poses of all things at a frame, so many floats each.
fn write_frame(
    motion: &dyn Motion,
    (frame, columns): (f64, Columns),
    (row, floats): (&mut [f32], usize),
    sample: &mut Sample,
) {
    for (index, part) in row.chunks_mut(AT_A_TIME * floats).enumerate() {
        let first = index * AT_A_TIME;
        motion.sample_range(frame, first..first + part.len() / floats, columns, sample);
        match floats {
            POSE_FLOATS => write::<POSE_FLOATS>(sample, part),
            LOOK_FLOATS => write::<LOOK_FLOATS>(sample, part),
            BRIGHT_FLOATS => write::<BRIGHT_FLOATS>(sample, part),
            _ => write::<CUT_FLOATS>(sample, part),
        }
        if floats > POSE_FLOATS {
            for (row, out) in part.chunks_exact_mut(floats).enumerate() {
                out[KIND] = motion.kind(first + row) as f32;
                out[TINT] = sample.tints[row] as f32;
                if let (Some(out), Some(bright)) = (out.get_mut(BRIGHTNESS), sample.brightness.get(row)) {
                    *out = *bright as f32;
                }
                if let (Some(out), Some(cut)) = (out.get_mut(CUT..), sample.cuts.get(row)) {
                    let normal = cut.normal.as_vec3();
                    out.copy_from_slice(&[normal.x, normal.y, normal.z, cut.beyond as f32]);
                }
            }
        }
    }
}

/// Columns that were not asked for are as they always are.
fn write<const FLOATS: usize>(sample: &Sample, out: &mut [f32]) {
    let rows = out.as_chunks_mut::<FLOATS>().0.iter_mut().zip(&sample.positions);
    if sample.orientations.is_empty() {
        rows.for_each(|(row, place)| write_one(row, *place, DQuat::IDENTITY));
    } else {
        rows.zip(&sample.orientations).for_each(|((row, place), turn)| write_one(row, *place, *turn));
    }
    for (row, scale) in out.as_chunks_mut::<FLOATS>().0.iter_mut().zip(&sample.scales) {
        row[SIZE] = scale.x as f32;
    }
    for (row, _) in out.as_chunks_mut::<FLOATS>().0.iter_mut().zip(&sample.alive).filter(|(_, alive)| !**alive) {
        row[SIZE] = 0.0;
    }
}

#[inline(always)]
fn write_one(floats: &mut [f32], place: DVec3, turn: DQuat) {
    let (p, q) = (place.as_vec3(), turn.as_quat());
    floats[..POSE_FLOATS].copy_from_slice(&[p.x, p.y, p.z, q.x, q.y, q.z, q.w, 1.0]);
}
