//! Keys over time, as a document gives them in place of a number.

use super::values::FARTHEST;
use crate::keys::Channel;
use crate::schema::{Choice, choice};
use crate::signal::{Beyond, Handles, Key, Signal, keyed};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Most keys of one number.
const MOST_KEYS: usize = 10_000;
/// Farthest frame of a key.
const FARTHEST_FRAME: f64 = 1e6;
choice! {
    /// What keys do beyond their ends.
    pub enum KeysBeyond {
        Loop = "with the loop",
        Holds = "holds",
        RunsOn = "runs on",
        Repeats = "repeats",
        Climbs = "climbs",
        TurnsBack = "turns back",
    }
}

/// Keys, and what they do beyond their ends.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Keyed {
    keys: Vec<Key>,
    beyond: KeysBeyond,
}

impl Keyed {
    /// As a function of time, in a loop of so many frames.
    pub(super) fn signal(&self, frames: f64) -> Arc<dyn Signal> {
        keyed(&self.keys, self.beyond.within(frames))
    }

    /// Least and largest value of a key.
    pub(super) fn range(&self) -> (f64, f64) {
        let values = self.keys.iter().map(|key| key.value);
        values.fold((f64::MAX, f64::MIN), |(low, high), value| (low.min(value), high.max(value)))
    }
}

impl KeysBeyond {
    /// What it means in a loop of so many frames.
    pub fn within(self, frames: f64) -> Beyond {
        match self {
            Self::Loop => Beyond::Loop(frames),
            Self::Holds => Beyond::Holds,
            Self::RunsOn => Beyond::RunsOn,
            Self::Repeats => Beyond::Repeats,
            Self::Climbs => Beyond::Climbs,
            Self::TurnsBack => Beyond::TurnsBack,
        }
    }
}

/// The keys of a number that is given as `{ "keys": [ … ], "beyond": "…" }`; none where it is given otherwise.
pub(super) fn keyed_of(value: &Value) -> Option<Result<Keyed, String>> {
    let object = value.as_object()?;
    let list = object.get("keys")?;
    let read = || {
        if let Some(name) = object.keys().find(|name| !["keys", "beyond"].contains(&name.as_str())) {
            return Err(format!("has an unknown field \"{name}\" beside its keys"));
        }
        let beyond = match object.get("beyond") {
            None => KeysBeyond::Loop,
            Some(word) => word.as_str().and_then(KeysBeyond::from_word).ok_or_else(|| {
                format!("must go on beyond its keys in one of these ways: {}", KeysBeyond::WORDS.join(", "))
            })?,
        };
        let keys = keys(list)?;
        if keys.is_empty() {
            return Err("needs at least one key".to_owned());
        }
        Ok(Keyed { keys, beyond })
    };
    Some(read())
}

/// A list of keys, in any order.
pub(super) fn keys(value: &Value) -> Result<Vec<Key>, String> {
    let list = value.as_array().ok_or("must be a list of keys")?;
    if list.len() > MOST_KEYS {
        return Err(format!("has {} keys: use at most {MOST_KEYS}", list.len()));
    }
    let mut seen = BTreeSet::new();
    list.iter()
        .enumerate()
        .map(|(index, item)| {
            let (id, key) = key(item).map_err(|why| format!("has a key, number {}, that {why}", index + 1))?;
            if seen.insert(id) { Ok(key) } else { Err(format!("has two keys with the id \"{id}\": give each its own")) }
        })
        .collect()
}

fn key(item: &Value) -> Result<(&str, Key), String> {
    let object = item.as_object().ok_or("is not an object with id, frame and value")?;
    const FIELDS: [&str; 6] = ["id", "frame", "value", "handles", "before", "after"];
    if let Some(name) = object.keys().find(|name| !FIELDS.contains(&name.as_str())) {
        return Err(format!("has an unknown field \"{name}\""));
    }
    let id = object.get("id").and_then(Value::as_str).filter(|id| !id.is_empty()).ok_or("needs an id")?;
    let number = |name: &str, farthest: f64| {
        let number = object.get(name).and_then(Value::as_f64).filter(|x| x.is_finite() && x.abs() <= farthest);
        number.ok_or_else(|| format!("needs a {name} within ±{farthest:e}"))
    };
    let handles = match object.get("handles").map(Value::as_str) {
        None | Some(Some("joined")) => Handles::Joined,
        Some(Some("split")) => Handles::Split,
        Some(Some("flat")) => Handles::Flat,
        Some(Some("straight")) => Handles::Straight,
        Some(Some("held")) => Handles::Held,
        Some(_) => return Err("has handles that are none of joined, split, flat, straight, held".to_owned()),
    };
    let handle = |name: &str, sign: f64| -> Result<Option<(f64, f64)>, String> {
        let Some(value) = object.get(name) else { return Ok(None) };
        let pair: Option<Vec<f64>> = value.as_array().and_then(|pair| pair.iter().map(Value::as_f64).collect());
        match pair.as_deref() {
            Some(&[frames, value]) if frames.abs() <= FARTHEST_FRAME && value.abs() <= FARTHEST => {
                if frames * sign < 0.0 {
                    let way = if sign > 0.0 { "forwards" } else { "backwards" };
                    return Err(format!("has a handle {name} it that runs the other way: its frames must go {way}"));
                }
                Ok(Some((frames, value)))
            }
            _ => Err(format!("has a handle {name} it that is not [frames, value]")),
        }
    };
    let key = Key {
        frame: number("frame", FARTHEST_FRAME)?,
        value: number("value", FARTHEST)?,
        handles,
        before: handle("before", -1.0)?,
        after: handle("after", 1.0)?,
    };
    Ok((id, key))
}

/// The values of keys, or what a formula gives, multiplied; none for anything else.
pub fn scaled(value: &Value, factor: f64) -> Option<Value> {
    let fields = value.as_object()?;
    if let Some(formula) = fields.get("formula").and_then(Value::as_str) {
        return Some(json!({ "formula": format!("({formula}) * {factor:?}") }));
    }
    let times = |value: &mut Value| *value = json!(value.as_f64().unwrap_or_default() * factor);
    let mut fields = fields.clone();
    for key in fields.get_mut("keys")?.as_array_mut()?.iter_mut().filter_map(Value::as_object_mut) {
        key.get_mut("value").map(times);
        for handle in ["before", "after"] {
            key.get_mut(handle).and_then(|pair| pair.get_mut(1)).map(times);
        }
    }
    Some(Value::Object(fields))
}

/// A channel of a baked motion as a number of a node: keys whose handles make the same cubics, or one plain number where
/// it never changes. Keys are numbered from 1.
pub fn keyed_number(channel: &Channel<1>, beyond: &str) -> Value {
    let keys = &channel.keys;
    if channel.is_still() {
        return json!(keys[0].value[0]);
    }
    let third = |a: usize, b: usize| (keys[b].frame - keys[a].frame) / 3.0;
    let key = |(i, key): (usize, &crate::keys::Key<1>)| {
        let before = i.checked_sub(1).map_or(0.0, |last| third(last, i));
        let after = if i + 1 < keys.len() { third(i, i + 1) } else { 0.0 };
        json!({
            "id": format!("k{}", i + 1), "frame": key.frame, "value": key.value[0], "handles": "split",
            "before": [-before, -before * key.slope_in[0]], "after": [after, after * key.slope_out[0]],
        })
    };
    json!({ "keys": keys.iter().enumerate().map(key).collect::<Vec<Value>>(), "beyond": beyond })
}
