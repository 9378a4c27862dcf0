//! Rigid bodies that touch each other.

pub mod bodies;
mod convert;
pub mod solid;
pub mod steps;
