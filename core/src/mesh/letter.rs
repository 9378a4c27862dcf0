//! A letter as a thing, as it is seen on the page: on a sign one metre wide and high.

use super::{FlatError, Mesh, slab};
use crate::curve::{LetteringError, letters};
use glam::{DAffine3, DVec2, DVec3};

/// Metres that capitals are high on a sign of one metre.
const CAPITALS: f64 = 0.63;
/// In heights of capitals: how far outlines are off at most.
const FINE: f64 = 1e-3;

/// Why a letter has no mesh.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LetterError {
    #[error(transparent)]
    Lettering(#[from] LetteringError),
    #[error(transparent)]
    Flat(#[from] FlatError),
}

/// The first sign of a text, of no thickness, its face towards +z and its middle in the origin.
///
/// # Errors
/// Where there is none, the font does not have it, or it has no outline.
pub fn letter(text: &str) -> Result<Mesh, LetterError> {
    let sign: String = text.chars().take(1).collect();
    let (found, _) = letters(&sign, 0.0)?;
    let contours: Vec<Vec<DVec2>> = found.iter().flat_map(|letter| letter.lines(FINE)).collect();
    let mesh = slab(&contours, 0.0)?;
    let heights = || mesh.places.iter().map(|place| place.y);
    let middle = 0.5 * (heights().fold(f64::MAX, f64::min) + heights().fold(f64::MIN, f64::max));
    Ok(mesh.moved(0.0, -middle, 0.0).transformed(DAffine3::from_scale(DVec3::splat(CAPITALS))))
}
