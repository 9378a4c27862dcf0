//! Through the air.

pub mod aim;
pub mod air;
pub mod changing;
pub mod dormand_prince;
pub mod launch;
pub mod obstacle;
pub mod push;
pub mod scatter;
pub mod throw;
pub mod toss;
