//! How a model of one's own lies in the thing that it is shown as.

use super::output::{OutputFields, Shown};
use crate::graph::Assets;
use crate::pose::{Axis, Facing};
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

impl ModelPlace {
    /// As it is written.
    pub const AS_IT_IS: Self = Self { at: DVec3::ZERO, turn: DQuat::IDENTITY, scale: 1.0 };

    /// So many times as large, its middle in the thing's, by the least and the largest of its corners; its nose along +x and its
    /// top along +y, where they do not lie on one line.
    pub fn fitted([low, high]: [DVec3; 2], (nose, top): (Axis, Axis), scale: f64) -> Self {
        let turn = upright((nose, top));
        Self { at: turn * (-0.5 * (low + high) * scale), turn, scale }
    }
}

/// What turns a nose to +x and a top to +y; nothing where they lie on one line.
pub fn upright((nose, top): (Axis, Axis)) -> DQuat {
    if nose.parallel_to(top) { DQuat::IDENTITY } else { Facing::new(nose, top).turn(DVec3::X, DVec3::Y) }
}

/// How the model of an Output lies in its things; nothing where it shows none.
///
/// # Errors
/// Where the file cannot be read, or has no size.
pub(super) fn model_place(own: &OutputFields, assets: &dyn Assets) -> Result<Option<ModelPlace>, String> {
    if own.thing != Shown::OwnModel || own.model.is_empty() {
        return Ok(None);
    }
    let model = &own.model;
    let corners = assets.corners(model)?;
    let low = corners.iter().copied().reduce(DVec3::min).unwrap_or_default();
    let high = corners.iter().copied().reduce(DVec3::max).unwrap_or_default();
    let longest = (high - low).max_element();
    if !(longest > 0.0 && longest.is_finite()) {
        return Err(format!("the model \"{model}\" has no size"));
    }
    Ok(Some(ModelPlace::fitted([low, high], (own.nose, own.top), own.size / longest)))
}
