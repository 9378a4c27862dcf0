//! The rules and the computation of Zickzack, without any input or output.
//!
//! A scene is a graph; compiling it gives, for every output, a function of time; sampling that
//! function gives samples; everything else reads samples.
//!
//! ```
//! use std::sync::Arc;
//! use zickzack_core::curve::{Curve, Path, Strand, Segment};
//! use zickzack_core::motion::{Columns, Motion, Ride, RideEnd, Sample};
//! use zickzack_core::fraction::Fraction;
//! use glam::DVec3;
//!
//! let round = Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Y)], true).unwrap();
//! let ride = Ride::new(Path::still(Curve::from(round)), 5, Fraction::new(7, 5).unwrap(), 120.0)
//!     .at_end(RideEnd::Wrap);
//! let mut sample = Sample::default();
//! ride.sample(12.5, Columns::POSE, &mut sample);
//! assert_eq!(sample.positions.len(), 5);
//! assert!((sample.positions[0].length() - 2.0).abs() < 1e-12);
//! ```
//!
//! Rooms, in the order in which they may use each other: [`pose`], [`colour`], [`fraction`], [`random`], [`work`], [`noise`], [`formula`],
//! [`signal`], [`surface`], [`curve`], [`mesh`], [`rig`], [`motion`], [`physics`], [`seam`], [`keys`], [`schema`], [`scene`], [`graph`], [`nodes`].

pub mod colour;
pub mod crowd;
pub mod curve;
pub mod formula;
pub mod fraction;
pub mod graph;
pub mod keys;
pub mod mesh;
pub mod motion;
pub mod nodes;
pub mod noise;
pub mod physics;
pub mod pose;
mod quadrature;
pub mod random;
mod remembered;
pub mod rig;
mod roots;
pub mod scene;
pub mod schema;
pub mod seam;
pub mod signal;
pub mod surface;
mod words;
pub mod work;

/// The examples in the map of the project, compiled and run with those of the code.
#[cfg(doctest)]
#[doc = include_str!("../../docs/architecture.md")]
struct Examples;
