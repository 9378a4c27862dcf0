//! Keys: a motion that stands on its own, baked and reduced to few.

mod bake;
mod channel;
mod fit;
mod left_out;
mod missed;
mod pose;
mod reduce;
mod track;

pub use bake::{Keys, ObjectKeys, bake_dense, bake_reduced, largest_error};
pub use channel::{Channel, Interpolation, Key, merge};
pub use left_out::Beyond;
pub use pose::{PoseKeys, bake_pose, pose_numbers};
pub use track::Track;
