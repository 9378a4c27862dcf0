//! What would close a loop, and what that leaves open.

pub mod fitting;
pub mod offers;
pub mod tried;
