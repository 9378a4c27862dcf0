//! Values that close a loop.

use crate::fraction::{Fraction, greatest_common_divisor};

/// Laps per loop that close, and what that means for the riders.
#[derive(Debug, Clone, PartialEq)]
pub struct LapOffer {
    /// Laps per loop, exactly.
    pub laps: Fraction,
    /// How many riders end where another one began; 0 when each returns to its own place.
    pub trading: usize,
}

/// The largest m such that the phases, taken modulo 1, look the same after a shift by 1/m.
///
/// Two phases count as equal within 1e-9 laps. 1 for no phases or one.
pub fn symmetry_order(phases: &[f64]) -> usize {
    let count = phases.len();
    let mut sorted: Vec<f64> = phases.iter().map(|phase| phase - phase.floor()).collect();
    sorted.sort_by(f64::total_cmp);
    (1..=count)
        .rev()
        .filter(|m| count.is_multiple_of(*m))
        .find(|&m| shifted_onto_itself(&sorted, count / m, 1.0 / m as f64))
        .unwrap_or(1)
}

/// True when every phase plus `shift` is the phase `places` further on round the circle.
fn shifted_onto_itself(sorted: &[f64], places: usize, shift: f64) -> bool {
    let count = sorted.len();
    let off = |from: usize, to: usize| {
        let gap = sorted[to % count] - sorted[from] - shift;
        (gap - gap.round()).abs()
    };
    // Rounding may carry a phase across 0 ≡ 1, which turns the order by one place.
    (places.saturating_sub(1)..=places + 1).any(|step| (0..count).all(|i| off(i, i + step) < 1e-9))
}

/// Laps near `laps` at which riders with these phases on each strand close: Δ·m whole, with m the
/// order of symmetry over all strands. Nearest first; empty when `laps` closes already.
pub fn lap_offers(laps: Fraction, strands: &[Vec<f64>]) -> Vec<LapOffer> {
    let order = strands
        .iter()
        .filter(|phases| !phases.is_empty())
        .map(|phases| symmetry_order(phases) as u64)
        .fold(0, greatest_common_divisor)
        .max(1) as i64;
    let riders: usize = strands.iter().map(Vec::len).sum();
    if laps.times(order).is_none_or(Fraction::is_whole) {
        return Vec::new();
    }
    let steps = laps.value() * order as f64;
    let nearest = steps.round() as i64;
    let other = if (nearest as f64) < steps { nearest + 1 } else { nearest - 1 };
    let whole = laps.value().round() as i64 * order;
    let mut offers: Vec<LapOffer> = Vec::new();
    for step in [nearest, other, whole] {
        let Some(laps) = Fraction::new(step, order).filter(|offered| offered.numerator() != 0) else { continue };
        if offers.iter().all(|offer| offer.laps != laps) {
            offers.push(LapOffer { laps, trading: if laps.is_whole() { 0 } else { riders } });
        }
    }
    offers
}

/// Turns in a loop near `spin` after which things look as before, when they do so after one of `order` equal parts of
/// a turn: the nearest, the next on the other side, and the nearest whole number. Empty when `spin` is one of them, or
/// `order` is 0 and any turn is.
pub fn spin_offers(spin: Fraction, order: u32) -> Vec<Fraction> {
    let order = i64::from(order);
    if order == 0 || spin.times(order).is_none_or(Fraction::is_whole) {
        return Vec::new();
    }
    let steps = spin.value() * order as f64;
    let nearest = steps.round() as i64;
    let other = if (nearest as f64) < steps { nearest + 1 } else { nearest - 1 };
    let whole = spin.value().round() as i64 * order;
    let mut offers: Vec<Fraction> = Vec::new();
    for step in [nearest, other, whole] {
        let Some(spin) = Fraction::new(step, order) else { continue };
        if !offers.contains(&spin) {
            offers.push(spin);
        }
    }
    offers
}

/// Loop lengths in whole frames near `frames` in which motions with these periods, frames each, all close: the
/// shortest one, and those next to `frames` on both sides. Empty where `frames` closes already, or none up to a
/// million frames does.
pub fn length_offers(frames: u32, periods: &[Fraction]) -> Vec<u32> {
    const LONGEST: u64 = 1_000_000;
    // The least whole number that is a multiple of every a/b is the least common multiple of the a, since each
    // of them is in lowest terms.
    let shared = periods.iter().filter(|period| period.numerator() != 0).try_fold(1_u64, |shared, period| {
        let above = period.numerator().unsigned_abs();
        let next = shared / greatest_common_divisor(shared, above) * above;
        (next <= LONGEST).then_some(next)
    });
    let Some(least) = shared.filter(|_| !periods.is_empty()) else { return Vec::new() };
    let frames = u64::from(frames);
    if frames.is_multiple_of(least) {
        return Vec::new();
    }
    let below = frames / least * least;
    let mut offers: Vec<u64> = vec![below, below + least, least];
    offers.retain(|offer| *offer > 0 && *offer <= LONGEST);
    offers.sort_by_key(|offer| offer.abs_diff(frames));
    offers.dedup();
    offers.into_iter().filter_map(|offer| u32::try_from(offer).ok()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// By definition: the set of phases shifted by 1/m equals itself.
    fn order_by_definition(phases: &[f64]) -> usize {
        let near = |a: f64, b: f64| (a - b - (a - b).round()).abs() < 1e-9;
        (1..=phases.len())
            .rev()
            .find(|&m| {
                let mut left: Vec<f64> = phases.to_vec();
                phases.iter().all(|p| {
                    let found = left.iter().position(|&q| near(p + 1.0 / m as f64, q));
                    found.map(|i| left.swap_remove(i)).is_some()
                })
            })
            .unwrap_or(1)
    }

    proptest! {
        #[test]
        fn symmetry_order_agrees_with_its_definition(
            m in 1usize..7, offsets in prop::collection::vec(0.0..1.0f64, 1..4), start in -3.0..3.0f64,
        ) {
            let phases: Vec<f64> = offsets
                .iter()
                .flat_map(|offset| (0..m).map(move |k| start + offset / m as f64 + k as f64 / m as f64))
                .collect();
            prop_assert_eq!(symmetry_order(&phases), order_by_definition(&phases));
            prop_assert_eq!(symmetry_order(&phases) % m, 0);
        }

        #[test]
        fn every_length_offered_is_a_whole_number_of_each_period_and_none_between_is(
            frames in 1u32..2000, periods in prop::collection::vec((1i64..200, 1i64..9), 1..4),
        ) {
            let periods: Vec<Fraction> = periods.into_iter().map(|(a, b)| Fraction::new(a, b).unwrap()).collect();
            let closes = |frames: u32| {
                periods.iter().all(|p| (i64::from(frames) * p.denominator()) % p.numerator() == 0)
            };
            let offers = length_offers(frames, &periods);
            if closes(frames) {
                prop_assert!(offers.is_empty());
            }
            for offer in &offers {
                prop_assert!(closes(*offer), "{offer}");
            }
            if let Some(nearest) = offers.first() {
                let distance = nearest.abs_diff(frames);
                for other in frames.saturating_sub(distance.saturating_sub(1)).max(1)..frames + distance {
                    prop_assert!(!closes(other), "{other} is nearer than {nearest}");
                }
            }
        }

        #[test]
        fn every_turn_offered_is_a_whole_number_of_equal_parts_and_near(order in 0u32..12, a in -5000i64..5000, b in 1i64..400) {
            let spin = Fraction::new(a, b).unwrap();
            let offers = spin_offers(spin, order);
            let closed = order == 0 || spin.times(i64::from(order)).unwrap().is_whole();
            prop_assert_eq!(offers.is_empty(), closed);
            for offer in &offers {
                prop_assert!(offer.times(i64::from(order)).unwrap().is_whole());
                prop_assert!((offer.value() - spin.value()).abs() <= 1.0);
            }
            if let Some(first) = offers.first() {
                prop_assert!((first.value() - spin.value()).abs() <= 0.5 / f64::from(order) + 1e-12);
            }
        }

        #[test]
        fn every_offer_closes_exactly(riders in 1usize..40, a in -5000i64..5000, b in 1i64..400) {
            let laps = Fraction::new(a, b).unwrap();
            let phases: Vec<f64> = (0..riders).map(|i| i as f64 / riders as f64).collect();
            let offers = lap_offers(laps, &[phases]);
            prop_assert_eq!(offers.is_empty(), laps.times(riders as i64).unwrap().is_whole() );
            for offer in &offers {
                prop_assert!(offer.laps.times(riders as i64).unwrap().is_whole());
                prop_assert!((offer.laps.value() - laps.value()).abs() <= 1.0);
            }
        }
    }

    #[test]
    fn seven_riders_at_1_3_laps_are_offered_9_7() {
        let phases: Vec<f64> = (0..7).map(|i| 0.12 + f64::from(i) / 7.0).collect();
        let offers = lap_offers("1.3".parse().unwrap(), &[phases]);
        assert_eq!(offers[0], LapOffer { laps: Fraction::new(9, 7).unwrap(), trading: 7 });
        assert!(offers.iter().any(|offer| offer.laps == Fraction::whole(1).unwrap() && offer.trading == 0));
    }
}
