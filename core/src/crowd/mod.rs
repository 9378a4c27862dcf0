//! Crowds: many things with lives of their own.

pub mod blown;
pub mod emitted;
pub mod flock;
pub mod sown;
pub mod swarm;
pub mod told;

pub use blown::{Blowing, Blown};
pub use emitted::{Emitted, Origin};
pub use flock::{
    Chase, Flock, FlockSetup, Grid, Level, Measure, Near, Rules, Scatter, ScatteredIn, Side, Start, Surroundings, Wind,
    Wishes, WishesOverTime, scattered,
};
pub use sown::Sown;
pub use swarm::{Filling, Fresh, From, Outlines, Room, Stream, Tube};
pub use told::{TOLD, told};
