//! The loop point: how far a motion misses itself there, and what would close it.
//!
//! ```
//! use glam::DVec3;
//! use std::sync::Arc;
//! use zickzack_core::curve::{Curve, Path, Segment, Strand};
//! use zickzack_core::fraction::Fraction;
//! use zickzack_core::motion::{Cancel, Motion, Ride};
//! use zickzack_core::seam::measure;
//!
//! let round = Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Z)], true)?;
//! let ride = |laps: &str| -> Arc<dyn Motion> {
//!     let laps: Fraction = laps.parse().unwrap();
//!     Arc::new(Ride::new(Path::still(Curve::from(round.clone())), 7, laps, 48.0))
//! };
//! // Seven that look the same go on where others began after any number of sevenths.
//! let closed = measure(&ride("9/7"), 48.0, 24.0, &Cancel::default()).unwrap();
//! assert!(closed.position.amount < 1e-9 && closed.trading == 7);
//! let open = measure(&ride("1.3"), 48.0, 24.0, &Cancel::default()).unwrap();
//! assert!(open.position.amount > 0.1);
//! # Ok::<(), zickzack_core::curve::CurveError>(())
//! ```

mod close;
mod closing;
mod leaps;
mod measure;
mod pairing;
mod riding;
mod throwing;

pub use close::{Closed, Closing, orbit};
pub use closing::{LapOffer, lap_offers, length_offers, spin_offers, symmetry_order};
pub use leaps::{Leap, Leaps};
pub use measure::{Gap, Seam, measure, partners};
pub use riding::{RideClosing, RideOffer};
pub use throwing::{ThrowOffer, bounce_offers, toss_offers};
