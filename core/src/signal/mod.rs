//! Scalar functions of time with exact integrals.
//!
//! What accumulates (a phase from a rate, an angle from a spin) is an integral, never a rate
//! times a frame, so that a changing rate never makes the past jump.

mod constant;
mod driven;
mod span;

pub use constant::Constant;
pub use driven::{Accumulated, Clock, Driven, Thing, moment};
pub use span::Span;

/// A function of the frame.
pub trait Signal: Send + Sync {
    /// Its value at a frame.
    fn at(&self, frame: f64) -> f64;

    /// Its exact integral from `a` to `b` over frames; negative when `b` lies before `a`.
    fn integral(&self, a: f64, b: f64) -> f64;
}
