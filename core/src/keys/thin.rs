//! Fewer keys of a channel that goes straight from one to the next (Ramer 1972, Douglas and Peucker 1973).

use super::channel::{Channel, Key};

/// How far two values are apart, and what lies between two at a part of the way.
pub(super) type Measure<'a, const N: usize> =
    (&'a dyn Fn(&[f64; N], &[f64; N]) -> f64, &'a dyn Fn(&[f64; N], &[f64; N], f64) -> [f64; N]);

/// What is never more than `tolerance` off at any key of the channel, from some of its keys alone; both keys of a jump that is
/// larger are kept. One key where it stays within that of its first.
pub(super) fn thinned<const N: usize>(
    channel: &Channel<N>,
    tolerance: f64,
    (apart, between): Measure<'_, N>,
) -> Channel<N> {
    let keys = &channel.keys;
    let last = keys.len() - 1;
    let with = |keys: Vec<Key<N>>| Channel { interpolation: channel.interpolation, keys };
    if keys.iter().all(|key| apart(&key.value, &keys[0].value) <= tolerance) {
        return with(vec![keys[0]]);
    }
    let mut kept = vec![false; keys.len()];
    (kept[0], kept[last]) = (true, true);
    for i in 1..keys.len() {
        if keys[i].frame == keys[i - 1].frame {
            (kept[i - 1], kept[i]) = (true, true);
        }
    }
    let fixed: Vec<usize> = (0..=last).filter(|&i| kept[i]).collect();
    let mut open: Vec<(usize, usize)> = fixed.windows(2).map(|pair| (pair[0], pair[1])).collect();
    while let Some((from, to)) = open.pop() {
        let (a, b) = (&keys[from], &keys[to]);
        let off = |i: &usize| {
            let part = (keys[*i].frame - a.frame) / (b.frame - a.frame);
            apart(&keys[*i].value, &between(&a.value, &b.value, part))
        };
        let worst = (from + 1..to).map(|i| (off(&i), i)).max_by(|a, b| a.0.total_cmp(&b.0));
        if let Some((_, i)) = worst.filter(|(far, _)| *far > tolerance || far.is_nan()) {
            kept[i] = true;
            open.extend([(from, i), (i, to)]);
        }
    }
    with(keys.iter().zip(kept).filter(|(_, kept)| *kept).map(|(key, _)| *key).collect())
}

#[cfg(test)]
mod tests {
    use super::super::channel::Interpolation;
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// At each key that there was the value is within the tolerance, or exactly there where nothing may be missed; both sides of
        /// a jump stay; what goes straight needs its ends alone.
        #[test]
        fn fewer_keys_stay_within_the_tolerance(
            steps in prop::collection::vec((0.01..2.0f64, -1.0..1.0f64, prop::bool::weighted(0.1)), 1..60), tolerance in prop_oneof![Just(0.0), 0.0..1.0f64],
        ) {
            let mut keys: Vec<Key<1>> = Vec::new();
            let mut put = |frame, value| keys.push(Key { frame, value: [value], slope_in: [0.0], slope_out: [0.0] });
            let mut frame = 0.0;
            put(frame, 0.0);
            for &(later, value, jumps) in &steps {
                frame += later;
                put(frame, value);
                if jumps {
                    put(frame, value + 3.0);
                }
            }
            put(frame + 1.0, 0.5);
            let all = Channel { interpolation: Interpolation::Linear, keys };
            let apart = |a: &[f64; 1], b: &[f64; 1]| (a[0] - b[0]).abs();
            let between = |a: &[f64; 1], b: &[f64; 1], part: f64| [a[0] + (b[0] - a[0]) * part];
            let thin = thinned(&all, tolerance, (&apart, &between));
            for key in &all.keys {
                let jump = all.keys.iter().filter(|other| other.frame == key.frame).count() > 1;
                let found = if jump {
                    prop_assert_eq!(thin.keys.iter().filter(|other| other.frame == key.frame).count(), 2);
                    key.value
                } else {
                    thin.at(key.frame).0
                };
                prop_assert!(apart(&found, &key.value) <= tolerance + 1e-12);
            }
            let straight = Channel { interpolation: Interpolation::Linear, keys: all.keys.iter().map(|key| Key { value: [2.0 * key.frame], ..*key }).collect() };
            let ends = thinned(&straight, 1e-9, (&apart, &between));
            let jumps = steps.iter().filter(|step| step.2).count();
            prop_assert_eq!(ends.keys.len(), 2 + 2 * jumps);
        }
    }
}
