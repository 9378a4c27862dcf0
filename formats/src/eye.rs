//! The camera of a scene, for files that hold it.

use glam::{DMat3, DQuat, DVec3};

/// A camera that stands still.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Eye {
    /// Where it stands, metres.
    pub place: DVec3,
    /// What it looks at, metres: another place.
    pub target: DVec3,
    /// Width of what it sees by its distance.
    pub wide: f64,
    /// Width of the picture by its height.
    pub aspect: f64,
}

/// Nearest and farthest that it sees, by how far it is from what it looks at.
const SEES: [f64; 2] = [1e-3, 1e3];

impl Eye {
    /// What turns a look along −z, y upwards, to its own: upright.
    pub fn turn(&self) -> DQuat {
        let back = (self.place - self.target).normalize();
        let right = DVec3::Y.cross(back).normalize_or(DVec3::X);
        DQuat::from_mat3(&DMat3::from_cols(right, back.cross(right), back))
    }

    /// The nearest and the farthest that it sees, metres.
    pub fn sees(&self) -> [f64; 2] {
        SEES.map(|part| part * self.place.distance(self.target))
    }
}
