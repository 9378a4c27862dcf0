//! What happens at contacts.

pub mod attach;
pub mod hits;
pub mod recoil;
pub mod ring_down;
pub mod stick;
pub mod trundle;
