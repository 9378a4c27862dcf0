//! Exact fractions: laps and frame rates that must not be rounded.

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::fmt;
use std::str::FromStr;

/// A fraction in lowest terms with a positive denominator.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Fraction {
    numerator: i64,
    denominator: i64,
}

/// Why a text is not a fraction.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\"{0}\" is not a number or a fraction such as 9/7 (at most nine digits on either side)")]
pub struct NotAFraction(pub String);

const LARGEST: i64 = 1_000_000_000;

impl Fraction {
    /// Nothing.
    pub const ZERO: Self = Self { numerator: 0, denominator: 1 };

    /// In lowest terms; `None` when the denominator is 0 or either side exceeds 10⁹ afterwards.
    pub fn new(numerator: i64, denominator: i64) -> Option<Self> {
        if denominator == 0 || numerator == i64::MIN || denominator == i64::MIN {
            return None;
        }
        let shared = greatest_common_divisor(numerator.unsigned_abs(), denominator.unsigned_abs()).max(1) as i64;
        let sign = denominator.signum();
        let lowest = Self { numerator: sign * (numerator / shared), denominator: (denominator / shared).abs() };
        (lowest.numerator.abs() <= LARGEST && lowest.denominator <= LARGEST).then_some(lowest)
    }

    /// A whole number; `None` beyond ±10⁹.
    pub fn whole(number: i64) -> Option<Self> {
        Self::new(number, 1)
    }

    /// The simplest fraction within 1e-12 of a number (continued fractions), the nearest with a denominator of at
    /// most 10⁶ where there is none; 0 for what is not finite.
    pub fn near(value: f64) -> Self {
        const CLOSE: f64 = 1e-12;
        let (mut x, mut before, mut last) = (value.abs(), (0_i64, 1_i64), (1_i64, 0_i64));
        let mut best = Self::ZERO;
        if !value.is_finite() {
            return best;
        }
        for _ in 0..40 {
            let whole = x.floor();
            if whole > LARGEST as f64 {
                break;
            }
            let next = (whole as i64 * last.0 + before.0, whole as i64 * last.1 + before.1);
            let Some(found) = Self::new(next.0, next.1).filter(|_| next.1 <= 1_000_000) else { break };
            best = found;
            (before, last) = (last, next);
            if (best.value() - value.abs()).abs() <= CLOSE * value.abs().max(1.0) || x == whole {
                break;
            }
            x = 1.0 / (x - whole);
        }
        if value < 0.0 { Self { numerator: -best.numerator, ..best } } else { best }
    }

    /// The upper side, with the sign.
    pub const fn numerator(self) -> i64 {
        self.numerator
    }

    /// The lower side, at least 1.
    pub const fn denominator(self) -> i64 {
        self.denominator
    }

    /// The nearest f64.
    pub fn value(self) -> f64 {
        self.numerator as f64 / self.denominator as f64
    }

    /// The exact product with a whole number; `None` on overflow.
    pub fn times(self, factor: i64) -> Option<Self> {
        Self::new(self.numerator.checked_mul(factor)?, self.denominator)
    }

    /// True when it has no fractional part.
    pub const fn is_whole(self) -> bool {
        self.denominator == 1
    }
}

/// Euclid's algorithm; 0 only when both are 0.
pub fn greatest_common_divisor(mut a: u64, mut b: u64) -> u64 {
    while b != 0 {
        (a, b) = (b, a % b);
    }
    a
}

impl fmt::Display for Fraction {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.is_whole() {
            write!(out, "{}", self.numerator)
        } else {
            write!(out, "{}/{}", self.numerator, self.denominator)
        }
    }
}

impl Fraction {
    /// Reads a frame rate: as any fraction, but decimals that are how an n·1000/1001 is written, such as `23.976`, `29.97`
    /// or `59.94`, are that.
    ///
    /// # Errors
    /// Where it is no fraction of numbers that fit.
    pub fn rate(text: &str) -> Result<Self, NotAFraction> {
        let read: Self = text.parse()?;
        let digits = text.trim().split_once('.').map_or(0, |(_, part)| part.len());
        if digits < 2 {
            return Ok(read);
        }
        let near = 0.5 * libm::exp10(-(digits as f64)) + 1e-12;
        let meant = [24, 30, 48, 60, 72, 96, 120, 240].into_iter().filter_map(|whole| Self::new(whole * 1000, 1001));
        Ok(meant.into_iter().find(|rate| (rate.value() - read.value()).abs() <= near).unwrap_or(read))
    }
}

impl FromStr for Fraction {
    type Err = NotAFraction;

    /// Reads `9/7`, `3`, `-1.25`; a decimal is kept as the exact fraction that its digits say.
    fn from_str(text: &str) -> Result<Self, NotAFraction> {
        let refuse = || NotAFraction(text.chars().take(40).collect());
        let parts: Vec<&str> = text.trim().split('/').collect();
        match parts[..] {
            [number] => decimal(number).ok_or_else(refuse),
            [above, below] => {
                let above = decimal(above.trim()).ok_or_else(refuse)?;
                let below = decimal(below.trim()).ok_or_else(refuse)?;
                let numerator = above.numerator.checked_mul(below.denominator).ok_or_else(refuse)?;
                let denominator = above.denominator.checked_mul(below.numerator).ok_or_else(refuse)?;
                Self::new(numerator, denominator).ok_or_else(refuse)
            }
            _ => Err(refuse()),
        }
    }
}

fn decimal(text: &str) -> Option<Fraction> {
    let unsigned = text.strip_prefix(['-', '+']).unwrap_or(text);
    let (whole, part) = unsigned.split_once('.').unwrap_or((unsigned, ""));
    let digits = |s: &str| s.bytes().all(|b| b.is_ascii_digit());
    if whole.len() + part.len() == 0 || whole.len() > 9 || part.len() > 9 || !digits(whole) || !digits(part) {
        return None;
    }
    let power = 10_i64.checked_pow(part.len() as u32)?;
    let number: i64 = format!("0{whole}{part}").parse().ok()?;
    Fraction::new(if text.starts_with('-') { -number } else { number }, power)
}

impl Serialize for Fraction {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Fraction {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn decimals_that_mean_a_rate_of_1001_are_read_as_it_and_others_as_they_are() {
        for (text, rate) in [
            ("23.976", "24000/1001"),
            ("23.98", "24000/1001"),
            ("29.97", "30000/1001"),
            ("59.94", "60000/1001"),
            ("59.9401", "60000/1001"),
            ("119.88", "120000/1001"),
            ("24000/1001", "24000/1001"),
            ("24", "24"),
            ("24.0", "24"),
            ("12.5", "25/2"),
            ("23.9", "239/10"),
            ("23.970", "2397/100"),
            ("29.9", "299/10"),
        ] {
            assert_eq!(Fraction::rate(text).unwrap(), rate.parse().unwrap(), "{text}");
        }
        assert!(Fraction::rate("fast").is_err());
    }

    proptest! {
        #[test]
        fn printing_and_reading_gives_the_same_fraction(a in -999_999_999i64..999_999_999, b in 1i64..999_999_999) {
            let fraction = Fraction::new(a, b).unwrap();
            prop_assert_eq!(fraction.to_string().parse::<Fraction>().unwrap(), fraction);
        }

        #[test]
        fn a_fraction_is_found_again_from_its_value(a in -99_999i64..99_999, b in 1i64..9_999) {
            let fraction = Fraction::new(a, b).unwrap();
            prop_assert_eq!(Fraction::near(fraction.value()), fraction);
        }

        #[test]
        fn any_text_is_read_or_refused_without_panic(text in ".{0,40}") {
            let _ = text.parse::<Fraction>();
        }
    }

    #[test]
    fn decimals_are_kept_exactly() {
        assert_eq!("1.3".parse::<Fraction>().unwrap(), Fraction::new(13, 10).unwrap());
        assert_eq!("-0.5/3".parse::<Fraction>().unwrap(), Fraction::new(-1, 6).unwrap());
        assert_eq!("24000/1001".parse::<Fraction>().unwrap().numerator(), 24000);
        for wrong in ["", "1/0", "NaN", "inf", "1/2/3", "1e5", "99999999999", "one"] {
            assert!(wrong.parse::<Fraction>().is_err(), "{wrong}");
        }
    }
}
