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
/// To keep seconds, the loop length, the first frame's number and every parameter in frames are
/// multiplied by the new rate over the old; what must be whole is rounded to the nearest.
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
    edit.push(put(&["first_frame"], json!((scene.first_frame as f64 * ratio).round() as i64)));
    for (id, node) in &scene.nodes {
        let Some(schema) = schemas.iter().find(|schema| schema.name == node.kind) else { continue };
        for param in &schema.params {
            let Values::Number { unit: Unit::Frames, default, .. } = param.values else { continue };
            let given = node.params.get(param.name).and_then(Value::as_f64);
            let value = given.unwrap_or(default);
            if value != 0.0 {
                edit.push(put(&["nodes", id, "params", param.name], json!(value * ratio)));
            }
        }
    }
    edit
}
