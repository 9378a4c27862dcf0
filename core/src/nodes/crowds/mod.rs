//! Many things with lives of their own.

pub mod emit;
pub mod flock;
pub mod look_by;
pub mod swarm;
pub mod turbulence;
