//! What leaves the scene.

pub mod close_loop;
pub mod model;
pub mod output;
