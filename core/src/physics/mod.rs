//! Motion that comes from forces.

mod coast;
mod launch;

pub use coast::{Coast, CoastEnd, CoastFate, CoastSetup};
pub use launch::{Bounds, Launch, LaunchSetup, Side};
