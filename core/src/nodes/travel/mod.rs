//! Where motion comes from.

pub mod bodies;
pub mod coast;
pub mod keyed_travel;
pub mod launch;
pub mod pose;
pub mod ride;
pub mod settle;
