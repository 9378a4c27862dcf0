//! Crowds: many things with lives of their own.

pub mod emitted;
pub mod swarm;

pub use emitted::{Emitted, Origin};
pub use swarm::{Filling, Fresh, From, Outlines, Room, Stream, Tube};
