//! Who works out what is kept frame by frame: at once, or somewhere else while the rest goes on.

use super::memo::Key;
use crate::motion::{Cancel, Progress, Recording, Simulated, Take, record};

/// What a node wants to have worked out.
pub struct Order<'a> {
    /// Its id.
    pub node: &'a str,
    /// Equal for equal recordings.
    pub key: Key,
    /// The first frame.
    pub from: f64,
    /// Frames, the first included, at least 1.
    pub of: usize,
    /// Makes what works it out; only where it is not known already.
    pub make: &'a dyn Fn() -> Result<Box<dyn Simulated>, String>,
    /// Looked at by who works it out at once.
    pub cancel: &'a Cancel,
}

/// What there is of it.
pub struct Taken {
    /// The frames that are there.
    pub recording: Recording,
    /// Figures worth reading.
    pub facts: Vec<String>,
    /// How far it is; nothing when it is complete.
    pub progress: Option<Progress>,
}

impl Taken {
    /// Of a take with at least one frame.
    ///
    /// # Errors
    /// Where what is simulated was given up before its first frame.
    pub fn of(take: &Take, stopped: bool) -> Result<Self, String> {
        let recording = take.recording().ok_or_else(|| STOPPED.to_owned())?;
        let progress = (!take.is_complete()).then(|| take.progress(stopped));
        Ok(Self { recording, facts: take.facts.clone(), progress })
    }
}

/// Said where nothing is there yet and nobody works at it.
const STOPPED: &str = "Stopped before its first frame.";

/// Works recordings out, or has them already.
pub trait Recorder: Send + Sync {
    /// What there is of a recording, or a sentence that says why it cannot be worked out.
    fn take(&self, order: &Order<'_>) -> Result<Taken, String>;
}

/// Works everything out before it answers.
pub struct AtOnce;

impl Recorder for AtOnce {
    fn take(&self, order: &Order<'_>) -> Result<Taken, String> {
        let mut simulated = (order.make)()?;
        let take = record(&mut *simulated, (order.from, order.of), &[], order.cancel, &mut |_| ());
        if take.is_complete() { Taken::of(&take, false) } else { Err("Stopped before it was done.".to_owned()) }
    }
}
