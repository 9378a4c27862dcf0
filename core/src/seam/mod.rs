//! The loop point: how far a motion misses itself there, and what would close it.

mod close;
mod closing;
mod leaps;
mod measure;
mod riding;
mod throwing;

pub use close::{Closed, Closing, orbit};
pub use closing::{LapOffer, lap_offers, length_offers, spin_offers, symmetry_order};
pub use leaps::{Leap, Leaps};
pub use measure::{Gap, Seam, measure};
pub use riding::{RideClosing, RideOffer};
pub use throwing::{ThrowOffer, bounce_offers, toss_offers};
