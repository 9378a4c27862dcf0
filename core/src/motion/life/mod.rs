//! Things that begin anew: when they are born, how long they live, and what they do meanwhile.

pub mod births;
pub mod lives;
pub mod reborn;
