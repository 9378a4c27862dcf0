//! What things look like: triangles whose corners have a shade of the thing's colour. The View draws them, and files hold them.
//!
//! ```
//! use zickzack_core::mesh::thing;
//!
//! let lantern = thing("lantern").unwrap();
//! // It hangs from the place that is carried.
//! assert!(lantern.places.iter().all(|place| place.y <= 0.02));
//! ```

mod flat;
mod letter;
mod solids;
mod things;

pub use flat::{FlatError, filled, slab};
pub use letter::{LetterError, letter};
pub use solids::{ball, block, layered, ring, turned};
pub use things::{THINGS, thing};

use glam::{DAffine3, DQuat, DVec3};

/// Triangles without normals: each is flat.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Mesh {
    /// Corners, metres or sizes of the thing.
    pub places: Vec<DVec3>,
    /// For each corner a factor on the thing's colour: 1 as it is, less darker.
    pub shades: Vec<f64>,
    /// Corners of each triangle, against the clock as seen from outside.
    pub triangles: Vec<[u32; 3]>,
}

impl Mesh {
    /// Corners and triangles in the thing's own colour.
    pub fn plain(places: Vec<DVec3>, triangles: Vec<[u32; 3]>) -> Self {
        Self { shades: vec![1.0; places.len()], places, triangles }
    }

    /// The same in a shade of the thing's colour.
    #[must_use]
    pub fn shaded(mut self, shade: f64) -> Self {
        self.shades.fill(shade);
        self
    }

    /// The same moved, turned or stretched; where that mirrors it, its triangles are turned round so that they face outwards.
    #[must_use]
    pub fn transformed(mut self, by: DAffine3) -> Self {
        self.places.iter_mut().for_each(|place| *place = by.transform_point3(*place));
        if by.matrix3.determinant() < 0.0 {
            self.triangles.iter_mut().for_each(|[_, b, c]| std::mem::swap(b, c));
        }
        self
    }

    /// The same moved by metres.
    #[must_use]
    pub fn moved(self, x: f64, y: f64, z: f64) -> Self {
        self.transformed(DAffine3::from_translation(DVec3::new(x, y, z)))
    }

    /// The same turned about the origin.
    #[must_use]
    pub fn rotated(self, turn: DQuat) -> Self {
        self.transformed(DAffine3::from_quat(turn))
    }

    /// The same with another beside it.
    #[must_use]
    pub fn with(mut self, other: Self) -> Self {
        let before = self.places.len() as u32;
        self.places.extend(other.places);
        self.shades.extend(other.shades);
        self.triangles.extend(other.triangles.into_iter().map(|corners| corners.map(|corner| corner + before)));
        self
    }
}
