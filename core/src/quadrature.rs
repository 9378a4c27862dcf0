//! Gauss–Legendre quadrature.

use glam::DVec2;

/// Positive abscissas and weights of the 16-point rule on [−1, 1] (Abramowitz and Stegun, table 25.4).
const RULE: [(f64, f64); 8] = [
    (0.095_012_509_837_637_44, 0.189_450_610_455_068_5),
    (0.281_603_550_779_258_9, 0.182_603_415_044_923_6),
    (0.458_016_777_657_227_4, 0.169_156_519_395_002_54),
    (0.617_876_244_402_643_7, 0.149_595_988_816_576_73),
    (0.755_404_408_355_003, 0.124_628_971_255_533_87),
    (0.865_631_202_387_831_7, 0.095_158_511_682_492_78),
    (0.944_575_023_073_232_6, 0.062_253_523_938_647_89),
    (0.989_400_934_991_649_9, 0.027_152_459_411_754_095),
];

/// The integral of `f` from `a` to `b`; exact for polynomials up to degree 31.
pub fn gauss(f: impl Fn(f64) -> f64, a: f64, b: f64) -> f64 {
    let (middle, half) = (0.5 * (a + b), 0.5 * (b - a));
    let sum: f64 = RULE.iter().map(|&(x, w)| w * (f(middle - half * x) + f(middle + half * x))).sum();
    half * sum
}

/// As [`gauss`] for a vector.
pub fn gauss_vector(f: impl Fn(f64) -> DVec2, a: f64, b: f64) -> DVec2 {
    let (middle, half) = (0.5 * (a + b), 0.5 * (b - a));
    let sum: DVec2 = RULE.iter().map(|&(x, w)| (f(middle - half * x) + f(middle + half * x)) * w).sum();
    sum * half
}

/// A stretch of the parameter over which the 16-point rule is as good as f64 allows.
#[derive(Debug, Clone, Copy)]
pub struct Leaf {
    /// Parameter at its start.
    pub from: f64,
    /// Parameter at its end.
    pub to: f64,
    /// Integral over it.
    pub integral: f64,
}

/// Splits [0, 1] until the rule over each stretch agrees with the rule over its halves to
/// `relative` of `scale`, or the stretch is 2⁻⁴⁰ long (a cusp). It is split `least` times before it is asked.
pub fn adaptive(f: &impl Fn(f64) -> f64, scale: f64, relative: f64, least: u32) -> Vec<Leaf> {
    let mut leaves = Vec::new();
    let mut open = vec![(0.0, 1.0, gauss(f, 0.0, 1.0), 0)];
    while let Some((from, to, whole, depth)) = open.pop() {
        let middle = 0.5 * (from + to);
        let (left, right) = (gauss(f, from, middle), gauss(f, middle, to));
        if depth >= least && ((left + right - whole).abs() <= relative * scale || depth >= 40) {
            leaves.push(Leaf { from, to: middle, integral: left });
            leaves.push(Leaf { from: middle, to, integral: right });
        } else {
            open.push((middle, to, right, depth + 1));
            open.push((from, middle, left, depth + 1));
        }
    }
    leaves
}
