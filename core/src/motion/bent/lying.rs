//! Where a bent thing lies.

/// Where a bent thing lies on its path at a frame, as far as that hangs on the thing.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Lying {
    /// The frame of the path.
    pub frame: f64,
    /// Which strand of it.
    pub strand: usize,
    /// Where its tail is, metres along the strand: any number, beyond the ends of an open one straight on.
    pub from: f64,
    /// Where its head is; before the tail where it goes against the strand.
    pub to: f64,
    /// How much of the bend there is, from 0, as at rest, to 1.
    pub strength: f64,
    /// A turn about its length, clockwise as seen from behind, radians.
    pub roll: f64,
}

impl Lying {
    /// Metres along the strand at a part of its length, 0 at its tail, 1 at its head.
    pub fn at(&self, part: f64) -> f64 {
        self.from + (self.to - self.from) * part
    }

    /// +1 where it goes along the strand, −1 where against it.
    pub fn direction(&self) -> f64 {
        if self.to < self.from { -1.0 } else { 1.0 }
    }
}
