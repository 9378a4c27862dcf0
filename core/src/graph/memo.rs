//! What was evaluated before, by what it was evaluated from.

use super::node::Outcome;
use crate::scene::Node;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, Weak};

/// 32 bytes that stand for a node's type, parameters, inputs and settings.
pub type Key = [u8; 32];

/// Remembers results between compilations; shared by all that compile the same scene.
#[derive(Default)]
pub struct Memo(Mutex<State>);

#[derive(Default)]
struct State {
    entries: HashMap<Key, Entry>,
    /// What stands for the parameters of nodes that states of a scene share, by where a node lies.
    digests: HashMap<usize, (Weak<Node>, Key)>,
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
        state.digests.retain(|_, (node, _)| node.strong_count() > 0);
    }

    /// What stands for the parameters of a node: read once of each, however many states of the scene it is in.
    pub(super) fn digest(&self, node: &Arc<Node>) -> Key {
        let place = Arc::as_ptr(node) as usize;
        // While a node is held weakly nothing else lies in its place.
        if let Some((_, digest)) = self.state().digests.get(&place) {
            return *digest;
        }
        let mut hash = blake3::Hasher::new();
        let mut feed = |text: &str| {
            hash.update(&(text.len() as u64).to_le_bytes());
            hash.update(text.as_bytes());
        };
        for (name, value) in &node.params {
            feed(name);
            feed(&value.to_string());
        }
        let digest = *hash.finalize().as_bytes();
        self.state().digests.insert(place, (Arc::downgrade(node), digest));
        digest
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
