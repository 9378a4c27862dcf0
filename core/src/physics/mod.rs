//! Motion that comes from forces.

mod launch;

pub use launch::{Bounds, Launch, LaunchSetup, Side};
