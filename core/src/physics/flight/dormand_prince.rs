//! One step of an integration with an estimate of its error.

/// Weights of the slopes at each stage; the last row is the step itself.
const STAGES: [&[f64]; 6] = [
    &[1.0 / 5.0],
    &[3.0 / 40.0, 9.0 / 40.0],
    &[44.0 / 45.0, -56.0 / 15.0, 32.0 / 9.0],
    &[19372.0 / 6561.0, -25360.0 / 2187.0, 64448.0 / 6561.0, -212.0 / 729.0],
    &[9017.0 / 3168.0, -355.0 / 33.0, 46732.0 / 5247.0, 49.0 / 176.0, -5103.0 / 18656.0],
    &[35.0 / 384.0, 0.0, 500.0 / 1113.0, 125.0 / 192.0, -2187.0 / 6784.0, 11.0 / 84.0],
];
/// What the step of fifth order has over the one of fourth.
const ERROR: [f64; 7] =
    [71.0 / 57600.0, 0.0, -71.0 / 16695.0, 71.0 / 1920.0, -17253.0 / 339_200.0, 22.0 / 525.0, -1.0 / 40.0];

/// Where N numbers are after `h`, which may be below 0, and how far off each may be; `rate` says how fast they change.
/// Dormand and Prince 1980, "A family of embedded Runge-Kutta formulae", table 2.
pub(in crate::physics) fn step<const N: usize>(
    from: [f64; N],
    h: f64,
    rate: impl Fn(&[f64; N]) -> [f64; N],
) -> ([f64; N], [f64; N]) {
    let mut slopes = [[0.0; N]; 7];
    slopes[0] = rate(&from);
    let mut there = from;
    for (stage, row) in STAGES.iter().enumerate() {
        there = from;
        for (slope, weight) in slopes.iter().zip(*row) {
            let by = h * weight;
            there.iter_mut().zip(slope).for_each(|(x, slope)| *x += by * slope);
        }
        slopes[stage + 1] = rate(&there);
    }
    let part = |i: usize| h * slopes.iter().zip(ERROR).map(|(slope, weight)| weight * slope[i]).sum::<f64>();
    (there, std::array::from_fn(part))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The swing of x″ = −x, against sine and cosine: off by the sixth power of the step, and never more than it says.
    #[test]
    fn a_step_is_of_fifth_order_and_its_estimate_holds() {
        let off = |h: f64| {
            let (there, error) = step([0.0, 1.0], h, |[x, v]| [*v, -x]);
            let (wrong, said) = ((there[0] - libm::sin(h)).abs(), error[0].abs());
            assert!(wrong <= said, "{wrong} {said}");
            wrong
        };
        let order = libm::log2(off(0.4) / off(0.2));
        assert!((order - 6.0).abs() < 0.6 || order > 6.0, "{order}");
    }
}
