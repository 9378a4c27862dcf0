//! Where motion comes from in closed form.

pub mod links;
pub mod posed;
pub mod ride;
pub mod seats;
pub mod tether;
pub mod wheel;
