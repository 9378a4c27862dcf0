//! What changes another motion.

pub mod face_travel;
pub mod face_up;
pub mod followers;
pub mod head_count;
pub mod mimic;
pub mod moved;
pub mod pivot;
pub mod rattle;
pub mod retime;
pub mod shudder;
pub mod steered;
pub mod swell;
pub mod together;
pub mod two_shots;
pub mod waver;
