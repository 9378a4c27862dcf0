use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// A flag that long work looks at, so that it can be stopped from outside.
#[derive(Debug, Clone, Default)]
pub struct Cancel(Arc<AtomicBool>);

impl Cancel {
    /// Asks the work to stop.
    pub fn cancel(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// True once it was asked to stop.
    pub fn cancelled(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}
