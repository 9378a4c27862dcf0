//! What was evaluated before, by what it was evaluated from.

use super::node::Outcome;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard};

/// 32 bytes that stand for a node's type, parameters, inputs and settings.
pub type Key = [u8; 32];

/// Remembers results between compilations; shared by all that compile the same scene.
#[derive(Default)]
pub struct Memo(Mutex<State>);

#[derive(Default)]
struct State {
    entries: HashMap<Key, Entry>,
    generation: u64,
    evaluations: u64,
}

struct Entry {
    outcome: Arc<Result<Outcome, String>>,
    looks: u64,
    used: u64,
}

/// Compilations for which an unused result is kept: enough to go back and forth while comparing.
const KEPT_FOR: u64 = 16;

impl Memo {
    fn state(&self) -> MutexGuard<'_, State> {
        // A panic while the lock was held leaves at worst an entry less.
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// How many evaluations were done, and not taken from memory.
    pub fn evaluations(&self) -> u64 {
        self.state().evaluations
    }

    pub(super) fn begin(&self) {
        let mut state = self.state();
        state.generation += 1;
        let oldest = state.generation.saturating_sub(KEPT_FOR);
        state.entries.retain(|_, entry| entry.used >= oldest);
    }

    /// What was kept, and how many looks it took.
    pub(super) fn find(&self, key: &Key) -> Option<(Arc<Result<Outcome, String>>, u64)> {
        let mut state = self.state();
        let generation = state.generation;
        let entry = state.entries.get_mut(key)?;
        entry.used = generation;
        Some((entry.outcome.clone(), entry.looks))
    }

    pub(super) fn keep(&self, key: Key, outcome: Arc<Result<Outcome, String>>, looks: u64) {
        let mut state = self.state();
        state.evaluations += 1;
        let used = state.generation;
        state.entries.insert(key, Entry { outcome, looks, used });
    }
}
