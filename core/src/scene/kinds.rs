//! Kinds of thing in a crowd, as a document lists them.

use serde::Deserialize;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

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
            if kind.symmetry > 1000 {
                return Err(format!("kind {number}: symmetry is at most 1000"));
            }
            shown((&kind.thing, &kind.letter, &kind.colour, kind.scale), things)
                .map_err(|why| format!("kind {number}: {why}"))?;
            Ok(kind)
        })
        .collect()
}

/// How one thing looks where it has a look of its own; what is left out stays as it is.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OwnLook {
    /// The thing's number from 0.
    pub id: String,
    /// How it is shown, as an Output's `thing`.
    #[serde(default)]
    pub thing: String,
    /// The letter that it is, where it is one.
    #[serde(default)]
    pub letter: String,
    /// Colour as `#rrggbb`.
    #[serde(default)]
    pub colour: String,
    /// Factor on its size.
    #[serde(default = "one")]
    pub scale: f64,
}

/// Most things with a look of their own in one list.
const MOST_LOOKS: usize = 10_000;

pub(super) fn looks(value: &Value, things: &[&str]) -> Result<BTreeMap<usize, OwnLook>, String> {
    let list = value.as_array().ok_or("must be a list of looks")?;
    if list.len() > MOST_LOOKS {
        return Err(format!("{} looks are too many: use at most {MOST_LOOKS}", list.len()));
    }
    let mut looks = BTreeMap::new();
    for (index, item) in list.iter().enumerate() {
        let number = index + 1;
        let look: OwnLook = serde_json::from_value(item.clone()).map_err(|error| format!("look {number}: {error}"))?;
        let thing: usize = look
            .id
            .parse()
            .ok()
            .filter(|thing: &usize| thing.to_string() == look.id)
            .ok_or_else(|| format!("look {number}: \"{}\" is not a thing's number from 0", look.id))?;
        shown((&look.thing, &look.letter, &look.colour, look.scale), things)
            .map_err(|why| format!("look {number}: {why}"))?;
        if looks.insert(thing, look).is_some() {
            return Err(format!("thing {thing} has two looks: give it one"));
        }
    }
    Ok(looks)
}

/// Checks how a thing is shown: what it is, its letter, colour and size.
fn shown((thing, letter, colour, scale): (&str, &str, &str, f64), things: &[&str]) -> Result<(), String> {
    if !(scale.is_finite() && (1e-3..=1e3).contains(&scale)) {
        return Err("scale must be from 0.001 to 1000".to_owned());
    }
    if !thing.is_empty() && !things.contains(&thing) {
        return Err(format!("thing must be empty or one of: {}", things.join(", ")));
    }
    if letter.chars().count() > 8 {
        return Err("a letter has at most 8 characters".to_owned());
    }
    if !colour.is_empty() && !is_colour(colour) {
        return Err("colour must be like #c8421a, or empty".to_owned());
    }
    Ok(())
}
