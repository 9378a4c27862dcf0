//! Models of one's own that are bent: their corners as they lie along their length, fine enough to follow their joints.

use super::form::Form;
use super::{Dye, GlbError, Writer};
use crate::model::ModelError;
use crate::parts::{self, Axes};
use glam::{DMat4, DQuat};
use gltf_json::Index;
use std::io::Write;

impl<S: Write> Writer<S> {
    /// A binary glTF model, so many metres long along its nose, on so many joints: `upright` turns its nose to +x and its top to
    /// +y. What has no material of its own is dyed.
    ///
    /// # Errors
    /// Where it is none; as [`mesh`](Self::mesh).
    pub fn bent(
        &mut self,
        (name, bytes): (&str, &[u8]),
        upright: DQuat,
        (length, joints): (f64, usize),
        dye: Dye,
    ) -> Result<Form, GlbError> {
        let broken = |error: ModelError| GlbError::Model { name: name.to_owned(), why: error.to_string() };
        let (file, parts) = parts::read(bytes, Axes::AtRest(DMat4::from_quat(upright))).map_err(broken)?;
        let first = self.materials_of(name, &file)?;
        let plain =
            if parts.iter().any(|part| part.material.is_none()) { Some(self.material(name, dye)) } else { None };
        let mut all = Vec::with_capacity(parts.len());
        for part in parts::along(parts, (length, joints)) {
            let material = part.material.map_or(plain, |own| Some(Index::new((first + own) as u32)));
            all.push((self.corners(&part.corners, (length, joints))?, part.triangles, material));
        }
        self.chain(name, all, (length, joints))
    }
}
