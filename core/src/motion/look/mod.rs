//! What things are: kinds, colours, symmetries.

pub mod clipped;
pub mod dressed;
pub mod form;
pub mod graded;
pub mod kinds;
mod lap;
pub mod lettered;
pub mod limbs;
pub mod looks;
