//! What was made for a frame, kept for whoever asks for the same frame again.

use crate::work::given_up;
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

/// Frames that are remembered: a few more than are looked at around one, and few enough that large paths have room.
const MOST: usize = 64;

/// Results by frame. What is remembered is what would be made again, so it changes nothing but the time it takes.
pub struct Remembered<T> {
    known: Mutex<HashMap<u64, T>>,
}

impl<T> Default for Remembered<T> {
    fn default() -> Self {
        Self { known: Mutex::default() }
    }
}

impl<T: Clone> Remembered<T> {
    /// What was made for a frame, or what `make` gives now. Two that ask at once may both make it.
    pub fn at(&self, frame: f64, make: impl FnOnce() -> T) -> T {
        let known = || self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = known().get(&frame.to_bits()) {
            return found.clone();
        }
        let made = make();
        if given_up() {
            return made;
        }
        let mut known = known();
        if known.len() >= MOST {
            known.clear();
        }
        known.insert(frame.to_bits(), made.clone());
        made
    }
}
