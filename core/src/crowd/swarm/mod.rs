//! Swarms: many things that stream along a path, or fill it.
//!
//! Where a thing is has a closed form: how far it has come along its lane, and how far it is off the path there, in the
//! path's own axes.

pub mod filling;
pub mod lane;
pub mod stream;
pub mod tube;

pub use filling::{Filling, Fresh, Outlines};
pub use lane::{From, Lane, lanes};
pub use stream::Stream;
pub use tube::{Room, Tube};
