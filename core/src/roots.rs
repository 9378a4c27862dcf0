//! Where something about one number changes, and where something is least: the one place for it.
//!
//! Each takes a bracket and how many times it is narrowed at most, and looks nowhere outside. A bracket may run downwards. A
//! halving takes away half of it, so 60 leave a part in 10¹⁸ of it, which is less than what numbers there differ by; it ends
//! when no number lies between its sides. None says that it found nothing: whether something is there is for the caller,
//! who knows both sides.

/// What a search goes on within.
pub(crate) type Bracket = (f64, f64);

/// The bracket around where `before` ceases to hold: it holds at the first side and not at the second, which is taken for
/// granted of those that are given.
pub(crate) fn halved(bracket: Bracket, times: u32, mut before: impl FnMut(f64) -> bool) -> Bracket {
    try_halved(bracket, times, |middle| Some(before(middle))).unwrap_or(bracket)
}

/// The same where it may turn out that nothing can be said of a number: then there is no answer.
pub(crate) fn try_halved(
    (mut first, mut second): Bracket,
    times: u32,
    mut before: impl FnMut(f64) -> Option<bool>,
) -> Option<Bracket> {
    for _ in 0..times {
        let middle = 0.5 * (first + second);
        if middle == first || middle == second {
            break;
        }
        if before(middle)? { first = middle } else { second = middle }
    }
    Some((first, second))
}

/// The middle of a bracket.
pub(crate) fn middle((first, second): Bracket) -> f64 {
    0.5 * (first + second)
}

/// Of a golden section, the smaller part of the whole.
const SMALLER: f64 = 0.381_966_011_250_105_1;

/// Where something that has one bottom in the bracket is least, by golden sections (Kiefer 1953): `nearer` says of two
/// numbers whether it is less at the first. What lies within the square root of the precision is as low as the bottom.
pub(crate) fn bottom((mut first, mut second): Bracket, times: u32, mut nearer: impl FnMut(f64, f64) -> bool) -> f64 {
    for _ in 0..times {
        let part = SMALLER * (second - first);
        let (a, b) = (first + part, second - part);
        if nearer(a, b) { second = b } else { first = a }
    }
    middle((first, second))
}

/// The same by thirds, for what may be flat or have steps, where it goes on with the larger part.
pub(crate) fn bottom_by_thirds(
    (mut first, mut second): Bracket,
    times: u32,
    mut nearer: impl FnMut(f64, f64) -> bool,
) -> f64 {
    for _ in 0..times {
        let part = (second - first) / 3.0;
        let (a, b) = (first + part, second - part);
        if nearer(a, b) { second = b } else { first = a }
    }
    middle((first, second))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn halving_ends_beside_where_it_changes(low in -1e3..1e3f64, long in 1e-3..1e3f64, part in 0.0..1.0f64, back: bool) {
            let (high, change) = (low + long, low + part * long);
            let (first, second) = if back {
                halved((high, low), 80, |x| x > change)
            } else {
                halved((low, high), 80, |x| x <= change)
            };
            let apart = (second - first).abs();
            prop_assert!(apart <= 4.0 * f64::EPSILON * first.abs().max(second.abs()).max(f64::MIN_POSITIVE), "{apart}");
            prop_assert!(first.min(second) <= change && change <= first.max(second));
        }

        #[test]
        fn what_has_one_bottom_is_least_there(low in -10.0..10.0f64, long in 0.1..10.0f64, part in 0.0..1.0f64) {
            let there = low + part * long;
            let height = |x: f64| (x - there).abs();
            prop_assert!((bottom((low, low + long), 80, |a, b| height(a) < height(b)) - there).abs() < 1e-12);
            prop_assert!((bottom_by_thirds((low, low + long), 100, |a, b| height(a) < height(b)) - there).abs() < 1e-12);
        }
    }

    #[test]
    fn of_what_nothing_can_be_said_there_is_no_answer() {
        assert_eq!(try_halved((0.0, 1.0), 9, |x| (x < 0.7).then_some(true)), None);
        assert_eq!(try_halved((0.0, 0.0), 9, |_| None), Some((0.0, 0.0)));
    }
}
