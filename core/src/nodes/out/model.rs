//! How a model of one's own lies in the thing that it is shown as.

use super::output::{MODEL, THING};
use crate::graph::Assets;
use crate::pose::{Axis, Facing};
use crate::scene::Scene;
use glam::{DQuat, DVec3};

/// Where a model lies in its thing: its longest side as long as the thing is large, its middle in the thing's, its nose
/// along +x and its top along +y.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ModelPlace {
    /// Metres.
    pub at: DVec3,
    /// What turns its nose and top there.
    pub turn: DQuat,
    /// Times as large.
    pub scale: f64,
}

/// How the model of an Output lies in its things; nothing where it shows none. Errors where the file cannot be read.
///
/// # Errors
/// Where the file cannot be read, or has no size.
pub fn model_place(scene: &Scene, output: &str, assets: &dyn Assets) -> Result<Option<ModelPlace>, String> {
    let Some(node) = scene.nodes.get(output) else { return Ok(None) };
    let text = |name: &str| node.params.get(name).and_then(|value| value.as_str());
    let Some(model) = text("model").filter(|model| !model.is_empty() && text(THING) == Some(MODEL)) else {
        return Ok(None);
    };
    let corners = assets.corners(model)?;
    let low = corners.iter().copied().reduce(DVec3::min).unwrap_or_default();
    let high = corners.iter().copied().reduce(DVec3::max).unwrap_or_default();
    let longest = (high - low).max_element();
    if !(longest > 0.0 && longest.is_finite()) {
        return Err(format!("the model \"{model}\" has no size"));
    }
    let axis = |name: &str, or: Axis| text(name).and_then(Axis::from_name).unwrap_or(or);
    let (nose, top) = (axis("nose", Axis::PlusX), axis("top", Axis::PlusY));
    let turn = if nose.parallel_to(top) { DQuat::IDENTITY } else { Facing::new(nose, top).turn(DVec3::X, DVec3::Y) };
    let size = node.params.get("size").and_then(|value| value.as_f64()).unwrap_or(super::output::SIZE);
    let scale = size / longest;
    Ok(Some(ModelPlace { at: turn * (-0.5 * (low + high) * scale), turn, scale }))
}
