//! What leaves the scene.

pub mod appearance;
pub mod close_loop;
mod forms;
pub mod model;
pub mod output;
