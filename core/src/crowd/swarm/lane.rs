//! Where on a path things enter it, and which way they go.

use crate::curve::Curve;

/// Where a swarm enters a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum From {
    /// Its start.
    Start,
    /// Its end, against its direction.
    End,
    /// Its middle, both ways.
    Middle,
}

/// A way along a strand, from where things enter it to where they leave it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lane {
    /// Which strand.
    pub strand: usize,
    /// Where on it things enter, metres from its start.
    pub from: f64,
    /// +1 along the strand, −1 against it.
    pub direction: f64,
    /// Metres.
    pub length: f64,
}

impl Lane {
    /// Metres from the strand's start at so many metres along the lane, 0 to its length.
    pub fn at(&self, x: f64) -> f64 {
        self.from + self.direction * x
    }
}

/// The lanes of a curve, in order of its strands.
pub fn lanes(curve: &Curve, from: From) -> Vec<Lane> {
    let of = |(strand, length): (usize, f64)| {
        let lane = |from, direction, length| Lane { strand, from, direction, length };
        match from {
            From::Start => vec![lane(0.0, 1.0, length)],
            From::End => vec![lane(length, -1.0, length)],
            From::Middle => vec![lane(0.5 * length, 1.0, 0.5 * length), lane(0.5 * length, -1.0, 0.5 * length)],
        }
    };
    let strands = curve.strands().iter().enumerate().map(|(i, strand)| (i, strand.length()));
    strands.flat_map(of).collect()
}

/// The lane at a part, 0 to below 1, of the length of all, and how far along it, metres.
pub fn by_length(lanes: &[Lane], part: f64) -> (usize, f64) {
    let mut left = part * lanes.iter().map(|lane| lane.length).sum::<f64>();
    for (i, lane) in lanes.iter().enumerate() {
        if left < lane.length {
            return (i, left);
        }
        left -= lane.length;
    }
    let last = lanes.len() - 1;
    (last, lanes[last].length)
}
