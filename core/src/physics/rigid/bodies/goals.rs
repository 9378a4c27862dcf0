//! Where bodies are wanted.

use super::BodyForm;
use crate::motion::{Columns, Motion, Sample};
use glam::{DQuat, DVec3};

/// Part of a new way of working bodies out: what was kept by another is worked out anew.
pub(super) const WAY: u32 = 2;

/// A thing as it is at a frame, metres and seconds.
#[derive(Clone, Copy)]
pub(super) struct Goal {
    pub(super) place: DVec3,
    pub(super) orientation: DQuat,
    pub(super) velocity: DVec3,
    pub(super) spin: DVec3,
    pub(super) scale: f64,
}

impl Goal {
    /// In a world whose unit is so many metres.
    pub(super) fn within(self, unit: f64) -> Self {
        Self { place: self.place / unit, velocity: self.velocity / unit, scale: self.scale / unit, ..self }
    }
}

/// The power of two above a size in metres, within what the engine's numbers bear.
pub(super) fn unit_of(size: f64) -> f64 {
    if size.is_finite() && size > 0.0 { libm::ldexp(1.0, libm::frexp(size).1.clamp(-30, 30)) } else { 1.0 }
}

/// All things of a motion at a frame.
pub(super) fn goals(motion: &dyn Motion, frame: f64, fps: f64) -> Vec<Goal> {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSE | Columns::VELOCITY | Columns::SPIN, &mut sample);
    let one = |i: usize| Goal {
        place: sample.positions[i],
        orientation: sample.orientations[i],
        velocity: sample.velocities[i] * fps,
        spin: sample.spins[i] * fps,
        scale: sample.scales[i].x,
    };
    (0..motion.len()).map(one).collect()
}

/// Which of the forms each thing has.
pub(super) fn forms_of(motion: &dyn Motion, forms: &[BodyForm]) -> Vec<usize> {
    (0..motion.len()).map(|object| motion.kind(object).min(forms.len() - 1)).collect()
}

pub(super) fn digest(hash: &mut blake3::Hasher, goals: &[Goal]) {
    for goal in goals {
        let Goal { place, orientation, velocity, spin, scale } = goal;
        let vectors = [place, velocity, spin].into_iter().flat_map(|v| v.to_array());
        for number in vectors.chain(orientation.to_array()).chain([*scale]) {
            hash.update(&number.to_bits().to_le_bytes());
        }
    }
}
