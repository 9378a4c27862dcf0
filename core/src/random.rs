//! Random numbers by (seed, object, channel), hashed and never drawn in order, so that object 7
//! keeps its number when the count changes and on every machine.

/// 64 well-mixed bits for a seed, an object and a channel.
///
/// The finaliser is SplitMix64's (Steele, Lea, Flood 2014), applied once per input.
pub fn bits(seed: u64, object: u64, channel: u64) -> u64 {
    let mixed = mix(seed.wrapping_add(0x9E37_79B9_7F4A_7C15));
    let mixed = mix(mixed ^ object.wrapping_mul(0xD6E8_FEB8_6659_FD93));
    mix(mixed ^ channel.wrapping_mul(0xA076_1D64_78BD_642F))
}

fn mix(mut z: u64) -> u64 {
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    z ^ (z >> 31)
}

/// A number in [0, 1).
pub fn unit(seed: u64, object: u64, channel: u64) -> f64 {
    (bits(seed, object, channel) >> 11) as f64 / (1u64 << 53) as f64
}

/// A number in [−1, 1).
pub fn signed(seed: u64, object: u64, channel: u64) -> f64 {
    2.0 * unit(seed, object, channel) - 1.0
}

/// One of `n` choices, in 0..n: never n itself, whatever rounding does. `n` must be at least 1.
pub fn index(seed: u64, object: u64, channel: u64, n: usize) -> usize {
    choose(unit(seed, object, channel), n)
}

fn choose(r: f64, n: usize) -> usize {
    ((r * n as f64).floor() as usize).min(n - 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_choice_is_always_one_of_them(seed: u64, object: u64, channel: u64, n in 1usize..1_000_000_000) {
            prop_assert!(index(seed, object, channel, n) < n);
            let r = unit(seed, object, channel);
            prop_assert!((0.0..1.0).contains(&r));
        }

        #[test]
        fn even_the_largest_random_number_chooses_the_last(n in 1usize..usize::MAX / 2) {
            prop_assert!(choose(1.0 - f64::EPSILON / 2.0, n) < n);
            prop_assert!(choose(1.0, n) < n);
        }
    }

    #[test]
    fn choices_are_spread_evenly() {
        // Chi-squared with 9 degrees of freedom: beyond 40 once in 10^5 seeds.
        let mut counts = [0f64; 10];
        for object in 0..100_000 {
            counts[index(11, object, 3, 10)] += 1.0;
        }
        let chi: f64 = counts.iter().map(|c| (c - 10_000.0) * (c - 10_000.0) / 10_000.0).sum();
        assert!(chi < 40.0, "{chi}");
    }
}
