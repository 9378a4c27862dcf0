//! Another frame rate: what stays as it was, the frames or the seconds.

use super::document::Scene;
use super::edit::{Edit, Op};
use crate::fraction::Fraction;
use crate::schema::{Schema, Unit, Values};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

/// What stays the same when the frame rate changes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Keep {
    /// Every frame number: the loop gets quicker or slower.
    Frames,
    /// Every duration: frame numbers change.
    Seconds,
}

/// The edit that gives a scene another frame rate.
///
/// To keep seconds, the loop length and every parameter in frames are multiplied by the new rate over the old; what
/// must be whole is rounded to the nearest. The first frame keeps its number, which is only a name.
pub fn with_rate(scene: &Scene, fps: Fraction, keep: Keep, schemas: &[Schema]) -> Edit {
    let put = |at: &[&str], value: Value| Op::Put {
        at: at.iter().map(|name| (*name).to_owned()).collect(),
        value,
        before: None,
    };
    let mut edit = vec![put(&["fps"], json!(fps.to_string()))];
    if keep == Keep::Frames {
        return edit;
    }
    let ratio = fps.value() / scene.fps.value();
    let frames = (f64::from(scene.frames) * ratio).round().max(1.0);
    edit.push(put(&["frames"], json!(frames as u64)));
    for (id, node) in &scene.nodes {
        let Some(schema) = schemas.iter().find(|schema| schema.name == node.kind) else { continue };
        for param in &schema.params {
            let given = node.params.get(param.name);
            let value = match (&param.values, given) {
                (Values::Number { unit: Unit::Frames, default, .. }, None) => json!(default * ratio),
                (Values::Number { unit: Unit::Frames, .. }, Some(Value::Number(frames))) => {
                    json!(frames.as_f64().unwrap_or_default() * ratio)
                }
                (_, Some(given)) => match with_keys_at(given, ratio, param.values == Values::Keys) {
                    Some(value) => value,
                    None => continue,
                },
                _ => continue,
            };
            if value != json!(0.0) && given != Some(&value) {
                edit.push(put(&["nodes", id, "params", param.name], value));
            }
        }
    }
    edit
}

/// A value whose keys stand at frames that are so many times as far; none where it has no keys.
fn with_keys_at(value: &Value, ratio: f64, list: bool) -> Option<Value> {
    let stretched = |frames: &Value| json!(frames.as_f64().unwrap_or_default() * ratio);
    let moved = |key: &Value| {
        let mut key = key.clone();
        if let Some(fields) = key.as_object_mut() {
            if let Some(frame) = fields.get_mut("frame") {
                *frame = stretched(frame);
            }
            for handle in ["before", "after"] {
                if let Some(frames) = fields.get_mut(handle).and_then(|pair| pair.get_mut(0)) {
                    *frames = stretched(frames);
                }
            }
        }
        key
    };
    match value {
        Value::Array(keys) if list => Some(keys.iter().map(moved).collect()),
        Value::Array(parts) => {
            let known: Vec<Option<Value>> = parts.iter().map(|part| with_keys_at(part, ratio, false)).collect();
            known.iter().any(Option::is_some).then(|| {
                known.into_iter().zip(parts).map(|(moved, part)| moved.unwrap_or_else(|| part.clone())).collect()
            })
        }
        Value::Object(fields) => {
            let keys = fields.get("keys")?.as_array()?;
            let mut fields = fields.clone();
            fields.insert("keys".to_owned(), keys.iter().map(moved).collect());
            Some(Value::Object(fields))
        }
        _ => None,
    }
}
