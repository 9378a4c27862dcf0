//! What is bent: corners on a chain of joints, evenly apart along x.

use super::form::{Form, Hanging, Hung};
use super::limbs::begun;
use super::{Dye, GlbError, Writer};
use crate::parts::{Corners, beside};
use crate::picture;
use glam::DVec3;
use gltf_json as json;
use json::Index;
use json::accessor::Type;
use json::buffer::Target;
use json::mesh::{Mode, Primitive, Semantic};
use json::validation::Checked::Valid;
use serde_json::json as value;
use std::io::Write;
use zickzack_core::colour::light;
use zickzack_core::keys::LimbKeys;
use zickzack_core::motion::Strip;

/// A mesh whose corners hang on a chain.
#[derive(Clone)]
pub(super) struct Chained {
    mesh: Index<json::Mesh>,
    inverses: Index<json::Accessor>,
    joints: usize,
}

/// Lists of corners in the file.
pub(super) type Lists = Vec<(Semantic, Index<json::Accessor>)>;

/// Corners, triangles between them, and what these are made of.
pub(super) type Part = (Lists, Vec<[u32; 3]>, Option<Index<json::Material>>);

/// How long it is at rest, metres, and how many joints are along it.
pub(super) type Chain = (f64, usize);

impl<S: Write> Writer<S> {
    /// A strip, so many metres long, on so many joints; with the picture that is on it, where there is one.
    ///
    /// # Errors
    /// Where that is none, as [`mesh`](Self::mesh).
    pub fn strip(
        &mut self,
        (name, strip): (&str, &Strip),
        (length, joints): (f64, usize),
        picture: Option<&[u8]>,
    ) -> Result<Form, GlbError> {
        let cloth = strip.cloth(length, joints);
        let spots = cloth.spots.iter().flat_map(|spot| [spot.x as f32, spot.y as f32]).collect();
        let more = if picture.is_some() { vec![(Semantic::TexCoords(0), 2, spots)] } else { Vec::new() };
        let corners = Corners { places: cloth.places, normals: cloth.normals, more };
        let lists = self.corners(&corners, (length, joints))?;
        let mut parts = Vec::new();
        for (triangles, colour) in cloth.triangles.iter().zip(&strip.colours) {
            if triangles.is_empty() {
                continue;
            }
            let colour = if picture.is_some() { [1.0; 3] } else { light(colour).unwrap_or([1.0; 3]) };
            let material = self.material(name, Dye { colour, shines: false, thin: strip.thickness == 0.0 });
            if let Some(bytes) = picture {
                self.put_picture(name, material, bytes)?;
            }
            parts.push((triangles.clone(), Some(material)));
        }
        let parts = parts.into_iter().map(|(triangles, material)| (lists.clone(), triangles, material)).collect();
        self.chain(name, parts, (length, joints))
    }

    /// Lists of corners, each hung on the two joints beside it.
    pub(super) fn corners(&mut self, corners: &Corners, chain: Chain) -> Result<Lists, GlbError> {
        let target = Some(Target::ArrayBuffer);
        let flat = |all: &[DVec3]| all.iter().flat_map(|at| at.as_vec3().to_array()).collect::<Vec<f32>>();
        let mut lists =
            vec![(Semantic::Positions, self.floats(&flat(&corners.places), (3, Type::Vec3), true, target)?)];
        if !corners.normals.is_empty() {
            lists.push((Semantic::Normals, self.floats(&flat(&corners.normals), (3, Type::Vec3), false, target)?));
        }
        for (semantic, width, numbers) in &corners.more {
            let kind = [Type::Vec2, Type::Vec3, Type::Vec4][width - 2];
            lists.push((semantic.clone(), self.floats(numbers, (*width, kind), false, target)?));
        }
        let hung: Vec<(u16, f32)> = corners.places.iter().map(|at| beside(at.x, chain)).collect();
        // A joint that holds nothing is said to be the first.
        let joints: Vec<[u16; 4]> = hung
            .iter()
            .map(|&(first, part)| [if part < 1.0 { first } else { 0 }, if part > 0.0 { first + 1 } else { 0 }, 0, 0])
            .collect();
        let weights: Vec<f32> = hung.iter().flat_map(|&(_, part)| [1.0 - part, part, 0.0, 0.0]).collect();
        lists.push((Semantic::Joints(0), self.joints(&joints)?));
        lists.push((Semantic::Weights(0), self.floats(&weights, (4, Type::Vec4), false, target)?));
        Ok(lists)
    }

    /// A mesh of parts with their triangles and materials, and where its joints are at rest.
    pub(super) fn chain(&mut self, name: &str, parts: Vec<Part>, (length, joints): Chain) -> Result<Form, GlbError> {
        let mut primitives = Vec::with_capacity(parts.len());
        for (lists, triangles, material) in parts {
            primitives.push(Primitive {
                attributes: lists.into_iter().map(|(semantic, list)| (Valid(semantic), list)).collect(),
                indices: Some(self.indices(&triangles)?),
                material,
                mode: Valid(Mode::Triangles),
                targets: None,
                extensions: None,
                extras: Default::default(),
            });
        }
        let mesh = self.root.push(json::Mesh {
            name: Some(name.to_owned()),
            primitives,
            weights: None,
            extensions: None,
            extras: Default::default(),
        });
        let back = |joint: usize| -> [f32; 16] {
            let x = -length * joint as f64 / (joints - 1) as f64;
            glam::DMat4::from_translation(DVec3::X * x).as_mat4().to_cols_array()
        };
        let inverses: Vec<f32> = (0..joints).flat_map(back).collect();
        let inverses = self.floats(&inverses, (16, Type::Mat4), false, None)?;
        Ok(Form(Hung::Chained(Chained { mesh, inverses, joints })))
    }

    /// Puts a picture on a material.
    fn put_picture(&mut self, name: &str, material: Index<json::Material>, bytes: &[u8]) -> Result<(), GlbError> {
        let broken = |why: String| GlbError::Model { name: name.to_owned(), why };
        let (media, ..) = picture::read(bytes).map_err(|error| broken(error.to_string()))?;
        let view = self.picture(bytes)?;
        let image = json::Image {
            buffer_view: Some(view),
            mime_type: Some(json::image::MimeType(media.to_owned())),
            name: Some(name.to_owned()),
            uri: None,
            extensions: None,
            extras: Default::default(),
        };
        let image = self.root.push(image).value();
        let texture = if media == "image/webp" {
            let own = "EXT_texture_webp";
            for names in [&mut self.root.extensions_used, &mut self.root.extensions_required] {
                if !names.iter().any(|name| name == own) {
                    names.push(own.to_owned());
                }
            }
            value!({ "extensions": { own: { "source": image } } })
        } else {
            value!({ "source": image })
        };
        let texture: json::Texture = serde_json::from_value(texture)?;
        let texture = self.root.push(texture).value();
        let texture = serde_json::from_value(value!({ "index": texture }))?;
        self.root.materials[material.value()].pbr_metallic_roughness.base_color_texture = Some(texture);
        Ok(())
    }

    /// A thing whose mesh hangs on a chain of its own.
    pub(super) fn chained_thing(
        &mut self,
        name: &str,
        chained: &Chained,
        (limbs, start): (Option<&LimbKeys>, f64),
    ) -> Result<Hanging, GlbError> {
        let why = || GlbError::Model { name: name.to_owned(), why: "its joints have no keys".to_owned() };
        let limbs = limbs.filter(|limbs| limbs.joints.len() == chained.joints).ok_or_else(why)?;
        let mut below = Vec::with_capacity(chained.joints);
        for (i, keys) in limbs.joints.iter().enumerate() {
            let node = self.node(&format!("{name} joint {}", i + 1), begun(keys), (None, Vec::new()));
            self.move_joint(node, keys, start)?;
            below.push(node);
        }
        let skin = self.root.push(json::Skin {
            joints: below.clone(),
            inverse_bind_matrices: Some(chained.inverses),
            name: None,
            skeleton: None,
            extensions: None,
            extras: Default::default(),
        });
        let beside = vec![self.carried(name, Some(chained.mesh), skin)];
        Ok(Hanging { below, beside, ..Hanging::default() })
    }
}
