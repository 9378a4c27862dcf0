//! Forms of their own that things have at each frame, as numbers.

use crate::motion::{Bend, Dents, Kind, Motion, Sample, Walk};
use crate::rig::Local;
use std::fmt::{Debug, Formatter, Result};
use std::ops::Deref;
use std::sync::Arc;

/// What a kind of things has for itself. Two are the same where they are one.
pub struct Own<T>(pub Arc<T>);

impl<T> Clone for Own<T> {
    fn clone(&self) -> Self {
        Self(self.0.clone())
    }
}

impl<T> Deref for Own<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T> PartialEq for Own<T> {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

impl<T: Debug> Debug for Own<T> {
    fn fmt(&self, out: &mut Formatter<'_>) -> Result {
        self.0.fmt(out)
    }
}

/// Numbers of a joint: a place, a turn, a factor along it and one across.
const JOINT: usize = 9;

/// Numbers of a bone: three rows of a matrix that takes a corner as it is written into its thing.
const BONE: usize = 12;

/// How many numbers the form of a thing of a kind takes at a frame: of what is bent nine for each joint, of what is dented one for
/// each corner, of what walks twelve for each bone; none of what has no form of its own.
pub fn form_numbers(kind: &Kind) -> usize {
    let joints = kind.bent.as_deref().map_or(0, Bend::joints);
    let bones = kind.walked.as_deref().map_or(0, Walk::bones);
    JOINT * joints + BONE * bones + kind.dented.as_deref().map_or(0, Dents::corners)
}

/// How many numbers the forms of all things of a motion take at a frame.
pub fn formed_numbers(motion: &dyn Motion) -> usize {
    let each: Vec<usize> = motion.kinds().iter().map(form_numbers).collect();
    if each.iter().all(|numbers| *numbers == 0) {
        return 0;
    }
    (0..motion.len()).map(|object| each[motion.kind(object)]).sum()
}

/// Writes the form of a thing of a kind, in a row of a sample with [`FORMS`](crate::motion::Columns::FORMS), as so many numbers as [`form_numbers`] says.
pub(in crate::motion) fn write_form(kind: &Kind, sample: &Sample, row: usize, out: &mut [f32]) {
    if let (Some(bend), Some(lying)) = (&kind.bent, sample.bents.get(row)) {
        let mut joints = Vec::new();
        bend.chain(lying, &mut joints);
        out.chunks_exact_mut(JOINT).zip(&joints).for_each(|(out, joint)| out.copy_from_slice(&joint_numbers(joint)));
    }
    if let (Some(walk), Some(step)) = (&kind.walked, sample.steps.get(row)) {
        let bones = walk.carried(step);
        out.chunks_exact_mut(BONE).zip(&bones).for_each(|(out, bone)| {
            let by_rows = bone.transpose();
            let rows = [by_rows.x_axis, by_rows.y_axis, by_rows.z_axis].map(|row| row.as_vec4().to_array());
            out.copy_from_slice(rows.as_flattened());
        });
    }
    if let (Some(dents), Some(frame)) = (&kind.dented, sample.dents.get(row)) {
        dents.write(*frame, out);
    }
}

fn joint_numbers(joint: &Local) -> [f32; JOINT] {
    let (p, q, s) = (joint.translation.as_vec3(), joint.rotation.as_quat(), joint.scale.as_vec3());
    [p.x, p.y, p.z, q.x, q.y, q.z, q.w, s.x, s.y]
}
