//! What changes a motion, thing by thing.

pub mod bend_along;
pub mod clip;
pub mod dent;
pub mod face_travel;
pub mod head_count;
pub mod kinds;
pub mod lay_on;
pub mod letters;
pub mod retime;
pub mod shudder;
pub mod swell;
pub mod walk;
pub mod waver;
