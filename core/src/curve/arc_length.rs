//! Arc length of one segment and its inverse.

use super::segment::Segment;
use crate::quadrature::{Leaf, adaptive, gauss};
use crate::work::spend;
use std::sync::Arc;

/// Length of a segment and the way back from a length to the parameter.
#[derive(Debug, Clone)]
pub struct Measure {
    length: f64,
    inverse: Inverse,
}

#[derive(Debug, Clone)]
enum Inverse {
    /// Lines and circular arcs: the parameter is the fraction of the length.
    Proportional,
    /// Steps per metre, and for each step of equal length the parameter as a cubic (Hermite) in powers of
    /// the part of the step; checked against Newton when it was made.
    Table(f64, Arc<[[f64; 4]]>),
    /// Béziers with a cusp, where the slope of the parameter is unbounded: Newton within the leaf.
    Leaves(Vec<(f64, Leaf)>),
}

/// Largest error of the interpolated parameter, as a length relative to the segment's.
const TABLE_ERROR: f64 = 1e-10;
const LARGEST_TABLE: usize = 2048;
/// Radians of turning up to which a Bézier is plain.
const PLAIN: f64 = 0.5;

/// Looks that measuring a segment counts as.
const OF_A_CUBIC: u64 = 200;
const OF_A_LINE: u64 = 50;
/// Looks that each node of a table counts as where it takes many.
const OF_A_NODE: u64 = 16;
const MANY: usize = 32;

impl Measure {
    /// Measures a segment: exact for lines and arcs; adaptive 16-point Gauss–Legendre for Béziers,
    /// to 1e-13 of the length.
    pub fn new(segment: &Segment) -> Self {
        let bends = matches!(segment, Segment::Cubic { .. });
        if !spend(if bends { OF_A_CUBIC } else { OF_A_LINE }) || !bends {
            return Self { length: segment.size(), inverse: Inverse::Proportional };
        }
        let speed = |t: f64| segment.derivative(t).length();
        let mut start = 0.0;
        // What is nearly straight has no cusp, and needs no search for one.
        let plain = segment.turning() < PLAIN;
        let leaves: Vec<(f64, Leaf)> = adaptive(&speed, segment.size(), 1e-14, if plain { 0 } else { 2 })
            .into_iter()
            .map(|leaf| {
                let at = start;
                start += leaf.integral;
                (at, leaf)
            })
            .collect();
        let length = start;
        let inverse = match table(&speed, &leaves, length, if plain { 2 } else { 8 }) {
            Some(nodes) => {
                let steps = (nodes.len() - 1) as f64;
                Inverse::Table(steps / length, nodes.windows(2).map(|pair| cubic(pair, length / steps)).collect())
            }
            None => Inverse::Leaves(leaves),
        };
        Self { length, inverse }
    }

    /// That of the same segment `scale` times as large, without measuring it again.
    #[must_use]
    pub fn scaled(&self, scale: f64) -> Self {
        let inverse = match &self.inverse {
            Inverse::Proportional => Inverse::Proportional,
            Inverse::Table(per_metre, steps) => Inverse::Table(per_metre / scale, steps.clone()),
            Inverse::Leaves(leaves) => {
                let larger =
                    |&(start, leaf): &(f64, Leaf)| (start * scale, Leaf { integral: leaf.integral * scale, ..leaf });
                Inverse::Leaves(leaves.iter().map(larger).collect())
            }
        };
        Self { length: self.length * scale, inverse }
    }

    /// Metres.
    pub const fn length(&self) -> f64 {
        self.length
    }

    /// The parameter at `s` metres from the start, which lies in the segment but for rounding.
    #[inline(always)]
    pub fn parameter(&self, segment: &Segment, s: f64) -> f64 {
        match &self.inverse {
            Inverse::Table(per_metre, steps) => {
                let at = s * per_metre;
                // A cast to a signed number is the quicker one; below 0 it is caught by what comes after.
                let index = (at as i64 as usize).min(steps.len() - 1);
                let [a, b, c, d] = steps[index];
                let x = at - index as i64 as f64;
                a + x * (b + x * (c + x * d))
            }
            _ if self.length <= 0.0 => 0.0,
            Inverse::Proportional => (s / self.length).clamp(0.0, 1.0),
            Inverse::Leaves(leaves) => {
                newton(&|t| segment.derivative(t).length(), leaves, s.clamp(0.0, self.length), None)
            }
        }
    }
}

/// The cubic between two nodes of (parameter, its slope by length), a step of `h` metres apart.
fn cubic(pair: &[(f64, f64)], h: f64) -> [f64; 4] {
    let [(t0, slope0), (t1, slope1)] = [pair[0], pair[1]];
    let (rise, m0, m1) = (t1 - t0, slope0 * h, slope1 * h);
    [t0, m0, 3.0 * rise - 2.0 * m0 - m1, m0 + m1 - 2.0 * rise]
}

/// Doubles the nodes until what lies between them is interpolated well; the nodes that test one
/// round are used in the next. It begins with `steps`, at least two: the middle of what is the same from
/// both ends is met by any cubic.
fn table(speed: &impl Fn(f64) -> f64, leaves: &[(f64, Leaf)], length: f64, steps: u32) -> Option<Vec<(f64, f64)>> {
    let node = |fraction: f64, guess: Option<f64>| {
        let t = newton(speed, leaves, length * fraction, guess);
        let slope = 1.0 / speed(t);
        slope.is_finite().then_some((t, slope))
    };
    let mut nodes = (0..=steps).map(|i| node(f64::from(i) / f64::from(steps), None)).collect::<Option<Vec<_>>>()?;
    while nodes.len() <= LARGEST_TABLE {
        if nodes.len() > MANY && !spend(OF_A_NODE * nodes.len() as u64) {
            return None;
        }
        let steps = (nodes.len() - 1) as f64;
        let mut finer = Vec::with_capacity(2 * nodes.len());
        let mut worst = 0.0_f64;
        for (i, &known) in nodes.iter().enumerate().take(nodes.len() - 1) {
            let fraction = (i as f64 + 0.5) / steps;
            let [a, b, c, d] = cubic(&nodes[i..], length / steps);
            let guess = a + 0.5 * (b + 0.5 * (c + 0.5 * d));
            let between = node(fraction, Some(guess))?;
            worst = worst.max((guess - between.0).abs() / between.1);
            finer.extend([known, between]);
        }
        finer.push(nodes[nodes.len() - 1]);
        nodes = finer;
        if worst <= TABLE_ERROR * length {
            return Some(nodes);
        }
    }
    None
}

/// Newton's method inside the leaf that holds `s`, kept within a shrinking bracket.
fn newton(speed: &impl Fn(f64) -> f64, leaves: &[(f64, Leaf)], s: f64, guess: Option<f64>) -> f64 {
    let index = leaves.partition_point(|&(start, _)| start <= s).saturating_sub(1);
    let (start, leaf) = leaves[index];
    let wanted = (s - start).clamp(0.0, leaf.integral);
    let (mut low, mut high) = (leaf.from, leaf.to);
    let even = low + (high - low) * (wanted / leaf.integral.max(f64::MIN_POSITIVE));
    let mut t = guess.filter(|guess| *guess >= low && *guess <= high).unwrap_or(even);
    for _ in 0..60 {
        let over = gauss(speed, leaf.from, t) - wanted;
        if over.abs() <= 1e-15 * (start + leaf.integral) {
            break;
        }
        if over > 0.0 {
            high = t;
        } else {
            low = t;
        }
        let next = t - over / speed(t);
        t = if next > low && next < high { next } else { 0.5 * (low + high) };
        if high - low <= f64::EPSILON {
            break;
        }
    }
    t
}
