//! Bodies that are worked out frame by frame.

use super::goals::{Goal, digest, goals};
use super::{Bodies, BodiesState, Intake, Numbers, copy};
use crate::motion::{Kept, Motion, Simulated, Stand};
use std::sync::Arc;

impl Simulated for Bodies {
    fn scales(&self) -> Arc<[f64]> {
        self.scales.clone()
    }

    fn size(&self) -> f64 {
        self.size
    }

    fn kind(&self) -> [u8; 32] {
        self.kind
    }

    fn facts(&self) -> Vec<String> {
        let bodies = self.handles.len();
        let count = if bodies == 1 { "1 body".to_owned() } else { format!("{bodies} bodies") };
        vec![count, format!("{} steps a frame", self.steps)]
    }

    fn takes_in(&mut self, frame: usize) -> [u8; 32] {
        let mut hash = blake3::Hasher::new();
        let fps = self.setup.fps;
        if frame == 0 {
            for motion in [Some(&self.bodies), self.moved.as_ref()].into_iter().flatten() {
                digest(&mut hash, &goals(&**motion, self.setup.from, fps));
            }
            return *hash.finalize().as_bytes();
        }
        let ends: Vec<f64> = (0..self.steps).map(|step| self.end_of(frame, step)).collect();
        let all = |motion: Option<&Arc<dyn Motion>>| match motion {
            Some(motion) => ends.iter().map(|&end| goals(&**motion, end, fps)).collect(),
            None => Vec::new(),
        };
        let pulled: Vec<Vec<Goal>> = all(self.setup.pulled.map(|_| &self.bodies));
        let moved: Vec<Vec<Goal>> = all(self.moved.as_ref());
        pulled.iter().chain(&moved).for_each(|goals| digest(&mut hash, goals));
        // In the middle of each step: a number that jumps at its end is not of it.
        let middle = |end: &f64| end - 0.5 / self.steps as f64;
        let numbers: Vec<Numbers> =
            self.change.iter().flat_map(|change| ends.iter().map(|end| change.at(middle(end)))).collect();
        for number in numbers.iter().flat_map(|n| n.gravity.to_array().into_iter().chain([n.bounciness, n.friction])) {
            hash.update(&number.to_bits().to_le_bytes());
        }
        self.intake = Intake { frame, pulled, moved, numbers };
        *hash.finalize().as_bytes()
    }

    fn begin(&mut self) -> Kept {
        Kept { rows: self.rows(), contacts: Vec::new(), sound: true }
    }

    fn next(&mut self, frame: usize) -> Kept {
        if self.held.is_some() {
            return self.hold();
        }
        let before = self.rows();
        let contacts = self.work_out(frame);
        if self.is_sound() {
            return Kept { rows: self.rows(), contacts, sound: true };
        }
        self.held = Some(before.iter().map(|row| row.at_rest()).collect());
        self.hold()
    }

    fn state(&self) -> Stand {
        let (touching, held) = (self.touching.clone(), self.held.clone());
        Arc::new(BodiesState { world: copy(&self.world), touching, held })
    }

    fn take_up(&mut self, state: &Stand) -> bool {
        let Some(state) = state.downcast_ref::<BodiesState>() else { return false };
        self.world = copy(&state.world);
        self.touching.clone_from(&state.touching);
        self.held.clone_from(&state.held);
        true
    }
}
