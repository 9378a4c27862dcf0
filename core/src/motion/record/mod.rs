//! What is worked out frame by frame.

pub mod recording;
pub mod simulated;
