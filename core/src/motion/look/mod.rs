//! What things are: kinds, colours, symmetries.

pub mod dressed;
pub mod kinds;
pub mod looks;
