//! The loop point: how far a motion misses itself there, and what would close it.

mod closing;
mod measure;

pub use closing::{LapOffer, lap_offers, symmetry_order};
pub use measure::{Gap, Seam, measure};
