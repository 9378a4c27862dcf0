//! How many cases random tests take.

use proptest::prelude::ProptestConfig;

/// So many; with `CASES_TIMES` in the environment so many times as many, or that part of them.
pub fn cases(usual: u32) -> ProptestConfig {
    let times: f64 = std::env::var("CASES_TIMES").ok().and_then(|times| times.parse().ok()).unwrap_or(1.0);
    ProptestConfig::with_cases((f64::from(usual) * times).ceil() as u32)
}
