//! On the ground: sliding, rolling, settling.

pub mod coast;
pub mod laid;
pub mod rolling;
pub mod settle;
pub mod trundle;
