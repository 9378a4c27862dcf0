//! Paths as exact segments, addressed by arc length, with moving axes along them.
//!
//! ```
//! use glam::DVec3;
//! use std::f64::consts::PI;
//! use zickzack_core::curve::{Segment, Strand};
//!
//! // Half a circle of two metres, and straight back.
//! let bend = Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Y).part(0.0, 0.5);
//! let back = Segment::Line { from: DVec3::NEG_X * 2.0, to: DVec3::X * 2.0 };
//! let strand = Strand::new(vec![bend, back], true)?;
//! assert!((strand.length() - (2.0 * PI + 4.0)).abs() < 1e-9);
//! // A quarter of the circle is at half of its length.
//! assert!(strand.at(PI).point.distance(DVec3::Y * 2.0) < 1e-9);
//! # Ok::<(), zickzack_core::curve::CurveError>(())
//! ```

mod arc_length;
mod axes;
mod cut;
mod figure;
mod fit;
mod follow;
mod lettering;
mod outline;
mod points;
mod profile;
mod reshape;
mod segment;
mod strand;
mod tessellate;
mod traced;

pub use axes::{AxesTable, Node, UpRule, guided_up, transport};
pub use figure::{Figure, torus_winding};
pub use fit::fitted;
pub use follow::{Fineness, Jet, follow, follow_formula};
pub use lettering::{Letter, LetteringError, lettering, letters};
pub use outline::{Joint, Outline, Placing, Plane, place};
pub use points::{PathPoint, PointKind, handles_of, through};
pub use profile::profile;
pub use reshape::{
    Between, Meander, Placement, PressWay, Smoothing, Spacing, Spray, flattened, joined, meandered, placed, pressed,
    resampled, sheaf, smoothed, together,
};
pub use segment::Segment;
pub use strand::{CurveError, OnStrand, Strand};
pub use tessellate::{lines, tessellate, thinned};
pub use traced::Traced;

use std::sync::Arc;

/// One or many strands that are handled as one path.
#[derive(Debug, Clone)]
pub struct Curve {
    strands: Vec<Strand>,
}

impl Curve {
    /// From at least one strand.
    ///
    /// # Errors
    /// [`CurveError::Empty`] without strands.
    pub fn new(strands: Vec<Strand>) -> Result<Self, CurveError> {
        if strands.is_empty() {
            return Err(CurveError::Empty);
        }
        Ok(Self { strands })
    }

    /// Its strands, at least one.
    pub fn strands(&self) -> &[Strand] {
        &self.strands
    }

    /// Metres over all strands.
    pub fn length(&self) -> f64 {
        self.strands.iter().map(Strand::length).sum()
    }
}

impl From<Strand> for Curve {
    fn from(strand: Strand) -> Self {
        Self { strands: vec![strand] }
    }
}

/// A curve for every frame.
#[derive(Clone)]
pub enum Path {
    /// The same at every frame; costs nothing.
    Still(Arc<Curve>),
    /// Another at each frame.
    Moving(Arc<dyn Fn(f64) -> Arc<Curve> + Send + Sync>),
}

impl Path {
    /// A path that does not move.
    pub fn still(curve: Curve) -> Self {
        Self::Still(Arc::new(curve))
    }

    /// The curve at a frame.
    pub fn at(&self, frame: f64) -> Arc<Curve> {
        match self {
            Self::Still(curve) => curve.clone(),
            Self::Moving(at) => at(frame),
        }
    }

    /// The curve, when it is the same at every frame.
    pub fn unmoving(&self) -> Option<&Arc<Curve>> {
        match self {
            Self::Still(curve) => Some(curve),
            Self::Moving(_) => None,
        }
    }
}
