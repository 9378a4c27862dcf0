//! How many cases random tests take.

use proptest::prelude::ProptestConfig;

/// So many; with `CASES_TIMES` in the environment so many times as many.
pub fn cases(usual: u32) -> ProptestConfig {
    let times = std::env::var("CASES_TIMES").ok().and_then(|times| times.parse().ok()).unwrap_or(1);
    ProptestConfig::with_cases(usual * times)
}
