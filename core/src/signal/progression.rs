//! A number that goes with a part from 0 to 1, as drawn by a few points.

/// From part to number, through points in order, by cubics that never run past their points (Fritsch and Carlson 1980);
/// as at its ends beyond them.
#[derive(Debug, Clone, PartialEq)]
pub struct Progression {
    points: Vec<[f64; 2]>,
    slopes: Vec<f64>,
}

impl Progression {
    /// The same everywhere.
    pub fn steady(value: f64) -> Self {
        Self { points: vec![[0.0, value]], slopes: vec![0.0] }
    }

    /// Through points (part, number) that are at least one, finite and ordered by part; of several at one part the last
    /// counts from there on.
    pub fn through(points: Vec<[f64; 2]>) -> Self {
        let count = points.len();
        let rise = |i: usize| {
            let wide = points[i + 1][0] - points[i][0];
            if wide > 0.0 { (points[i + 1][1] - points[i][1]) / wide } else { 0.0 }
        };
        let slope = |i: usize| {
            if count == 1 {
                return 0.0;
            }
            if i == 0 || i + 1 == count {
                return rise(i.min(count - 2));
            }
            let (before, after) = (rise(i - 1), rise(i));
            // The harmonic mean is at most twice the smaller one, which is enough to never run past a point.
            if before * after > 0.0 { 2.0 * before * after / (before + after) } else { 0.0 }
        };
        let slopes = (0..count).map(slope).collect();
        Self { points, slopes }
    }

    /// The number at a part.
    pub fn at(&self, part: f64) -> f64 {
        let after = self.points.partition_point(|point| point[0] <= part);
        let (Some(from), Some(to)) = (after.checked_sub(1).map(|i| self.points[i]), self.points.get(after)) else {
            return self.points[after.min(self.points.len() - 1)][1];
        };
        let wide = to[0] - from[0];
        let x = (part - from[0]) / wide;
        let (low, high) = (self.slopes[after - 1] * wide, self.slopes[after] * wide);
        let still = x * x * (3.0 - 2.0 * x);
        from[1] + (to[1] - from[1]) * still + low * x * (1.0 - x) * (1.0 - x) - high * x * x * (1.0 - x)
    }

    /// The number where it is the same everywhere.
    pub fn fixed(&self) -> Option<f64> {
        let first = self.points[0][1];
        self.points.iter().all(|point| point[1] == first).then_some(first)
    }

    /// The least and the greatest number.
    pub fn range(&self) -> (f64, f64) {
        self.points.iter().fold((f64::MAX, f64::MIN), |(low, high), point| (low.min(point[1]), high.max(point[1])))
    }
}
