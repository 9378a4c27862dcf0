//! Keys: a motion that stands on its own, baked and reduced to few.
//!
//! ```
//! use glam::DVec3;
//! use std::sync::Arc;
//! use zickzack_core::curve::{Curve, Path, Segment, Strand};
//! use zickzack_core::fraction::Fraction;
//! use zickzack_core::keys::bake_reduced;
//! use zickzack_core::motion::{Cancel, Frames, Motion, Ride};
//!
//! let round = Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Z)], true).unwrap();
//! let ride: Arc<dyn Motion> = Arc::new(Ride::new(Path::still(Curve::from(round)), 1, Fraction::whole(1).unwrap(), 48.0));
//! let keys = bake_reduced(&ride, Frames { from: 0.0, to: 48.0 }, (0.001, 0.01), &Cancel::default())?;
//! // Within a millimetre anywhere, with what is left said.
//! assert!(keys.off().0 <= 0.001);
//! # Ok::<(), zickzack_core::motion::MotionError>(())
//! ```

mod bake;
mod channel;
mod contacts;
mod curved;
mod few;
mod fit;
mod left_out;
mod limbs;
mod missed;
mod pose;
mod reduce;
mod tally;
mod thin;
mod track;

pub use bake::{Jointed, Keying, Keys, ObjectKeys, bake_dense, bake_reduced, largest_error};
pub use channel::{Channel, Interpolation, Key, merge};
pub use left_out::{Beyond, FileForm};
pub use limbs::{JointKeys, LimbKeys};
pub use pose::{PoseKeys, bake_pose, pose_numbers};
pub use tally::{Count, Tally};
pub use track::Track;
