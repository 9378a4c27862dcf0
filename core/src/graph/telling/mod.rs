//! What is told of a compiled scene.

pub mod channels;
pub mod looks;
pub mod miniature;
pub mod report;
pub mod shown;
pub mod watched;
