//! What brings several things or motions together.

pub mod followers;
pub mod links;
pub mod mimic;
pub mod tether;
pub mod together;
pub mod two_shots;
pub mod wheel;
