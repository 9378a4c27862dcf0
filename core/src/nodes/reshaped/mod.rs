//! Paths that are made of other paths.

pub mod join;
pub mod meander;
pub mod move_path;
pub mod press_onto;
pub mod resample;
pub mod reverse;
pub mod smooth;
pub mod trim;
