//! Flocks that are worked out frame by frame.

use super::around::{Around, Lead};
use super::rules::{Bird, Wishes};
use super::{Flock, Start};
use crate::motion::{Kept, Row, Simulated, Stand};
use crate::words::counted;
use std::sync::Arc;

/// What a flock goes on from.
struct FlockState {
    birds: Vec<Bird>,
    held: Option<Arc<[Row]>>,
}

impl Simulated for Flock {
    fn scales(&self) -> Arc<[f64]> {
        self.scales.clone()
    }

    fn size(&self) -> f64 {
        self.setup.size
    }

    fn kind(&self) -> [u8; 32] {
        self.kind
    }

    fn facts(&self) -> Vec<String> {
        let mut facts =
            vec![counted(self.birds.len(), "thing"), format!("{} a frame", counted(self.setup.steps, "step"))];
        let (closest, wanted) = (self.closest(), self.setup.rules.closest);
        if closest < wanted {
            facts.push(format!("too many for their room: the closest begin {closest:.2} sizes apart"));
        }
        let astray = self.astray();
        if astray > 0 {
            facts.push(format!("{} on the wrong side of a surface at first", counted(astray, "thing")));
        }
        facts
    }

    fn takes_in(&mut self, frame: usize) -> [u8; 32] {
        let mut hash = blake3::Hasher::new();
        if frame == 0 {
            self.begin.iter().for_each(|start| digest_start(&mut hash, start));
            // A path that moves is where it is at the first frame when they choose where on it they are.
            if self.way.is_none() {
                digest_way(&mut hash, &Around { way: self.way_at(self.setup.from), ..Around::default() });
            }
            return *hash.finalize().as_bytes();
        }
        let taken: Vec<(Around, Wishes)> = (0..self.setup.steps).map(|step| self.around(frame, step)).collect();
        for (around, wishes) in &taken {
            if self.way.is_none() {
                digest_way(&mut hash, around);
            }
            around.leads.iter().flatten().for_each(|lead| digest_lead(&mut hash, lead));
            numbers(&mut hash, around.others.iter().flat_map(|place| place.to_array()));
            let Wishes { separation, alignment, cohesion, kinds, others, along, pull, swirl, turbulence } = *wishes;
            numbers(&mut hash, [separation, alignment, cohesion, kinds, others, along, pull, swirl, turbulence]);
        }
        self.intake = (frame, taken);
        *hash.finalize().as_bytes()
    }

    fn begin(&mut self) -> Kept {
        Kept { rows: self.rows().into(), contacts: Vec::new(), sound: true }
    }

    fn next(&mut self, frame: usize) -> Kept {
        if let Some(held) = &self.held {
            return Kept { rows: held.iter().copied().collect(), contacts: Vec::new(), sound: false };
        }
        let before = self.rows();
        let (of, taken) = std::mem::take(&mut self.intake);
        debug_assert_eq!(of, frame, "asked for what it takes in first");
        for (step, (around, wishes)) in taken.iter().enumerate() {
            self.step(frame, step, around, wishes);
        }
        if self.birds.iter().all(|bird| bird.place.is_finite() && bird.velocity.is_finite()) {
            return Kept { rows: self.rows().into(), contacts: Vec::new(), sound: true };
        }
        let held: Arc<[Row]> = before.into_iter().map(Row::at_rest).collect();
        self.held = Some(held.clone());
        Kept { rows: held.iter().copied().collect(), contacts: Vec::new(), sound: false }
    }

    fn state(&self) -> Stand {
        Arc::new(FlockState { birds: self.birds.clone(), held: self.held.clone() })
    }

    fn take_up(&mut self, state: &Stand) -> bool {
        let Some(state) = state.downcast_ref::<FlockState>() else { return false };
        self.birds.clone_from(&state.birds);
        self.held.clone_from(&state.held);
        true
    }
}

fn numbers(hash: &mut blake3::Hasher, of: impl IntoIterator<Item = f32>) {
    for number in of {
        hash.update(&number.to_bits().to_le_bytes());
    }
}

fn digest_start(hash: &mut blake3::Hasher, start: &Start) {
    let Start { place, velocity, orientation, scale, kind } = start;
    let all = place.to_array().into_iter().chain(velocity.to_array()).chain(orientation.to_array()).chain([*scale]);
    for number in all {
        hash.update(&number.to_bits().to_le_bytes());
    }
    hash.update(&kind.to_le_bytes());
}

fn digest_way(hash: &mut blake3::Hasher, around: &Around) {
    if let Some(way) = &around.way {
        numbers(hash, way.numbers());
    }
}

fn digest_lead(hash: &mut blake3::Hasher, lead: &Lead) {
    let Lead { place, velocity, heading, there } = lead;
    numbers(hash, [place, velocity, heading].into_iter().flat_map(|v| v.to_array()));
    hash.update(&[u8::from(*there)]);
}
