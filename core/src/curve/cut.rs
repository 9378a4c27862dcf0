//! Parts of segments and strands, and the same the other way round.

use super::segment::Segment;
use super::strand::{CurveError, Strand};

impl Segment {
    /// From the parameter `from` to `to`, 0 ≤ from ≤ to ≤ 1, exactly.
    pub fn part(&self, from: f64, to: f64) -> Self {
        match *self {
            Self::Line { .. } => Self::Line { from: self.at(from), to: self.at(to) },
            Self::Arc { centre, x, y, radius, start, sweep } => {
                Self::Arc { centre, x, y, radius, start: start + sweep * from, sweep: sweep * (to - from) }
            }
            Self::Cubic { .. } => {
                let third = (to - from) / 3.0;
                let (a, d) = (self.at(from), self.at(to));
                Self::Cubic { points: [a, a + self.derivative(from) * third, d - self.derivative(to) * third, d] }
            }
        }
    }

    /// The same piece from its end to its start.
    pub const fn reversed(&self) -> Self {
        match *self {
            Self::Line { from, to } => Self::Line { from: to, to: from },
            Self::Arc { centre, x, y, radius, start, sweep } => {
                Self::Arc { centre, x, y, radius, start: start + sweep, sweep: -sweep }
            }
            Self::Cubic { points: [a, b, c, d] } => Self::Cubic { points: [d, c, b, a] },
        }
    }
}

impl Strand {
    /// The same strand from its end to its start.
    ///
    /// # Errors
    /// As [`Strand::new`], where a piece is lost in rounding.
    pub fn reversed(&self) -> Result<Self, CurveError> {
        Self::new(self.segments().iter().rev().map(Segment::reversed).collect(), self.closed())
    }

    /// The pieces from `from` to `to` metres, 0 ≤ from ≤ to ≤ L.
    fn pieces(&self, from: f64, to: f64) -> Vec<Segment> {
        let mut pieces = Vec::new();
        for (index, segment) in self.segments().iter().enumerate() {
            let (begins, ends) = self.ends(index);
            let (a, b) = (from.max(begins), to.min(ends));
            if b > a {
                let low = if a == begins { 0.0 } else { self.parameter(index, a) };
                let high = if b == ends { 1.0 } else { self.parameter(index, b) };
                pieces.push(segment.part(low, high));
            }
        }
        pieces
    }

    /// The part from fraction `from` to fraction `to` of its length. An open strand has nothing beyond 0 and 1;
    /// on a closed one the part may run across its start, and a part of a whole lap or more is the strand
    /// itself, begun at `from`. `to` before `from` gives the part the other way round.
    ///
    /// # Errors
    /// As [`Strand::new`]: [`CurveError::Empty`] or [`CurveError::NoLength`] where nothing is left.
    pub fn trimmed(&self, from: f64, to: f64) -> Result<Self, CurveError> {
        if to < from {
            return self.trimmed(to, from)?.reversed();
        }
        let length = self.length();
        if !self.closed() {
            return Self::new(self.pieces(from.clamp(0.0, 1.0) * length, to.clamp(0.0, 1.0) * length), false);
        }
        let share = (to - from).min(1.0);
        let begin = from - from.floor();
        let end = begin + share;
        let mut pieces = self.pieces(begin * length, end.min(1.0) * length);
        if end > 1.0 {
            pieces.extend(self.pieces(0.0, (end - 1.0) * length));
        }
        Self::new(pieces, share >= 1.0)
    }
}
