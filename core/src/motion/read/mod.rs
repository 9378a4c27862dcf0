//! What reads motions.

pub mod block;
pub mod compare;
pub mod trace;
pub mod wake;
