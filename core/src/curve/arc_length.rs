//! Arc length of one segment and its inverse.

use super::quadrature::{Leaf, adaptive, gauss};
use super::segment::Segment;

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
    /// Parameter and its slope at equal steps of length, for cubic Hermite interpolation,
    /// checked against Newton when it was made.
    Table(Vec<(f64, f64)>),
    /// Béziers with a cusp, where the slope of the parameter is unbounded: Newton within the leaf.
    Leaves(Vec<(f64, Leaf)>),
}

/// Largest error of the interpolated parameter, as a length relative to the segment's.
const TABLE_ERROR: f64 = 1e-10;
const LARGEST_TABLE: usize = 2048;

impl Measure {
    /// Measures a segment: exact for lines and arcs; adaptive 16-point Gauss–Legendre for Béziers,
    /// to 1e-13 of the length.
    pub fn new(segment: &Segment) -> Self {
        let Segment::Cubic { .. } = segment else {
            return Self { length: segment.size(), inverse: Inverse::Proportional };
        };
        let speed = |t: f64| segment.derivative(t).length();
        let mut start = 0.0;
        let leaves: Vec<(f64, Leaf)> = adaptive(&speed, segment.size(), 1e-14)
            .into_iter()
            .map(|leaf| {
                let at = start;
                start += leaf.integral;
                (at, leaf)
            })
            .collect();
        let length = start;
        let inverse = table(&speed, &leaves, length).map_or(Inverse::Leaves(leaves), Inverse::Table);
        Self { length, inverse }
    }

    /// Metres.
    pub const fn length(&self) -> f64 {
        self.length
    }

    /// The parameter at `s` metres from the start; clamped to the segment.
    pub fn parameter(&self, segment: &Segment, s: f64) -> f64 {
        if self.length <= 0.0 {
            return 0.0;
        }
        let fraction = (s / self.length).clamp(0.0, 1.0);
        match &self.inverse {
            Inverse::Proportional => fraction,
            Inverse::Table(nodes) => interpolate(nodes, fraction, self.length),
            Inverse::Leaves(leaves) => {
                newton(&|t| segment.derivative(t).length(), leaves, fraction * self.length, None)
            }
        }
    }
}

fn interpolate(nodes: &[(f64, f64)], fraction: f64, length: f64) -> f64 {
    let steps = (nodes.len() - 1) as f64;
    let index = ((fraction * steps) as usize).min(nodes.len() - 2);
    let (t0, slope0) = nodes[index];
    let (t1, slope1) = nodes[index + 1];
    let x = fraction * steps - index as f64;
    let h = length / steps;
    let rise = t1 - t0;
    let (m0, m1) = (slope0 * h, slope1 * h);
    t0 + x * (m0 + x * (3.0 * rise - 2.0 * m0 - m1 + x * (m0 + m1 - 2.0 * rise)))
}

/// Doubles the nodes until what lies between them is interpolated well; the nodes that test one
/// round are used in the next.
fn table(speed: &impl Fn(f64) -> f64, leaves: &[(f64, Leaf)], length: f64) -> Option<Vec<(f64, f64)>> {
    let node = |fraction: f64, guess: Option<f64>| {
        let t = newton(speed, leaves, length * fraction, guess);
        let slope = 1.0 / speed(t);
        slope.is_finite().then_some((t, slope))
    };
    let mut nodes = (0..=8).map(|i| node(f64::from(i) / 8.0, None)).collect::<Option<Vec<_>>>()?;
    while nodes.len() <= LARGEST_TABLE {
        let steps = (nodes.len() - 1) as f64;
        let mut finer = Vec::with_capacity(2 * nodes.len());
        let mut worst = 0.0_f64;
        for (i, &known) in nodes.iter().enumerate().take(nodes.len() - 1) {
            let fraction = (i as f64 + 0.5) / steps;
            let guess = interpolate(&nodes, fraction, length);
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
