//! Kinds of thing in a crowd, as a document lists them.

use serde::Deserialize;
use serde_json::Value;
use std::collections::BTreeSet;

/// A kind of thing.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Kind {
    /// Unique within its list.
    pub id: String,
    /// How it is shown, as an Output's `thing`; empty for as the Output says.
    #[serde(default)]
    pub thing: String,
    /// The letter that it is, where it is one.
    #[serde(default)]
    pub letter: String,
    /// How often it is chosen, against the others'.
    #[serde(default = "one")]
    pub weight: f64,
    /// Factor on the size that the Output gives.
    #[serde(default = "one")]
    pub scale: f64,
    /// Colour as `#rrggbb`; empty for the Output's.
    #[serde(default)]
    pub colour: String,
    /// After one of so many equal parts of a turn it looks the same: 1 only after the whole, 0 at any time.
    #[serde(default = "whole")]
    pub symmetry: u32,
}

const fn one() -> f64 {
    1.0
}

const fn whole() -> u32 {
    1
}

/// True for `#rrggbb`.
pub(super) fn is_colour(text: &str) -> bool {
    let digits = text.strip_prefix('#').filter(|digits| digits.len() == 6);
    digits.is_some_and(|digits| digits.bytes().all(|b| b.is_ascii_hexdigit()))
}

/// Most kinds in one list.
const MOST_KINDS: usize = 64;

pub(super) fn kinds(value: &Value, things: &[&str]) -> Result<Vec<Kind>, String> {
    let list = value.as_array().ok_or("must be a list of kinds")?;
    if list.len() > MOST_KINDS {
        return Err(format!("{} kinds are too many: use at most {MOST_KINDS}", list.len()));
    }
    let mut seen = BTreeSet::new();
    list.iter()
        .enumerate()
        .map(|(index, item)| {
            let number = index + 1;
            let kind: Kind = serde_json::from_value(item.clone()).map_err(|error| format!("kind {number}: {error}"))?;
            if kind.id.is_empty() || !seen.insert(kind.id.clone()) {
                return Err(format!("kind {number} needs an id of its own"));
            }
            if !(kind.weight.is_finite() && (0.0..=1e6).contains(&kind.weight)) {
                return Err(format!("kind {number}: weight must be from 0 to 1000000"));
            }
            if !(kind.scale.is_finite() && (1e-3..=1e3).contains(&kind.scale)) {
                return Err(format!("kind {number}: scale must be from 0.001 to 1000"));
            }
            if !kind.thing.is_empty() && !things.contains(&kind.thing.as_str()) {
                return Err(format!("kind {number}: thing must be empty or one of: {}", things.join(", ")));
            }
            if kind.symmetry > 1000 || kind.letter.chars().count() > 8 {
                return Err(format!("kind {number}: symmetry is at most 1000, and a letter at most 8 characters"));
            }
            if !kind.colour.is_empty() && !is_colour(&kind.colour) {
                return Err(format!("kind {number}: colour must be like #c8421a, or empty"));
            }
            Ok(kind)
        })
        .collect()
}
