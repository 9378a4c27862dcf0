//! What things look like in a file: meshes in a colour, and models of one's own.

use super::chained::Chained;
use super::embedded::Embedded;
use super::morphs::Morphed;
use super::{GlbError, Writer};
use gltf_json as json;
use json::accessor::Type;
use json::buffer::Target;
use json::material::{PbrBaseColorFactor, PbrMetallicRoughness, StrengthFactor};
use json::mesh::{Mode, Primitive, Semantic};
use json::validation::Checked::Valid;
use json::{Accessor, Index};
use std::io::Write;
use std::sync::Arc;
use zickzack_core::colour::Light;
use zickzack_core::keys::LimbKeys;
use zickzack_core::mesh::Mesh;
use zickzack_core::nodes::ModelPlace;

/// What things look like: made once, and hung on as many of them as wanted.
#[derive(Clone)]
pub struct Form(pub(super) Hung);

#[derive(Clone)]
pub(super) enum Hung {
    /// On the thing's own node.
    Mesh(Index<json::Mesh>),
    /// Below the thing, as it lies in it.
    Model(Arc<Embedded>, ModelPlace),
    /// The same, with joints that are moved.
    Rigged(Arc<Embedded>, ModelPlace),
    /// On a chain of joints.
    Chained(Chained),
    /// On the thing's own node, with other corners at each frame.
    Morphed(Morphed),
}

/// What stands for a thing beside its own node.
#[derive(Default)]
pub(super) struct Hanging {
    /// The mesh of its node.
    pub mesh: Option<Index<json::Mesh>>,
    /// What hangs on its node.
    pub below: Vec<Index<json::Node>>,
    /// What stands on nothing: meshes that joints carry.
    pub beside: Vec<Index<json::Node>>,
    /// The frames at which its mesh has corners of its own.
    pub frames: Vec<f64>,
}

/// A mesh whose corners are in the file.
pub(super) struct Put {
    mesh: Arc<Mesh>,
    size: f64,
    attributes: Vec<(Semantic, Index<Accessor>)>,
    indices: Index<Accessor>,
    /// The colours that it is there in, as the file has them.
    dyed: Vec<(Dye, Index<json::Mesh>)>,
}

/// What a mesh is dyed with.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Dye {
    /// How much light it is.
    pub colour: Light,
    /// It shines by itself.
    pub shines: bool,
    /// It is seen from behind too.
    pub thin: bool,
}

/// Of its colour a thing that shines by itself gives off so much.
const SHINE: f64 = 0.45;

impl<S: Write> Writer<S> {
    /// A mesh, one of it as large as `size` metres. The same mesh in other colours shares its corners.
    ///
    /// # Errors
    /// [`GlbError::TooLarge`] for more than the format holds; where the numbers cannot be put down.
    pub fn mesh(&mut self, name: &str, mesh: &Arc<Mesh>, size: f64, dye: Dye) -> Result<Form, GlbError> {
        let known = self.put.iter().position(|put| Arc::ptr_eq(&put.mesh, mesh) && put.size == size);
        let at = match known {
            Some(at) => at,
            None => {
                let put = self.put_mesh(mesh, size)?;
                self.put.push(put);
                self.put.len() - 1
            }
        };
        if let Some((_, made)) = self.put[at].dyed.iter().find(|(other, _)| *other == dye) {
            return Ok(Form(Hung::Mesh(*made)));
        }
        let material = self.material(name, dye);
        let put = &self.put[at];
        let primitive = Primitive {
            attributes: put.attributes.iter().map(|(semantic, list)| (Valid(semantic.clone()), *list)).collect(),
            indices: Some(put.indices),
            material: Some(material),
            mode: Valid(Mode::Triangles),
            targets: None,
            extensions: None,
            extras: Default::default(),
        };
        let made = self.root.push(json::Mesh {
            name: Some(name.to_owned()),
            primitives: vec![primitive],
            weights: None,
            extensions: None,
            extras: Default::default(),
        });
        self.put[at].dyed.push((dye, made));
        Ok(Form(Hung::Mesh(made)))
    }

    /// A binary glTF model as it stands at rest, and how it lies in its things.
    ///
    /// # Errors
    /// Where it is none; as [`mesh`](Self::mesh).
    pub fn model(&mut self, name: &str, bytes: &[u8], place: ModelPlace) -> Result<Form, GlbError> {
        Ok(Form(Hung::Model(Arc::new(self.embed(name, bytes, false)?), place)))
    }

    /// The same with its joints, which the keys of each thing move.
    ///
    /// # Errors
    /// As [`model`](Self::model).
    pub fn rigged(&mut self, name: &str, bytes: &[u8], place: ModelPlace) -> Result<Form, GlbError> {
        Ok(Form(Hung::Rigged(Arc::new(self.embed(name, bytes, true)?), place)))
    }

    /// What stands for a thing of a form, its joints moved by their keys from a frame on.
    pub(super) fn hang(
        &mut self,
        name: &str,
        form: &Form,
        (limbs, start): (Option<&LimbKeys>, f64),
    ) -> Result<Hanging, GlbError> {
        match &form.0 {
            Hung::Mesh(mesh) => Ok(Hanging { mesh: Some(*mesh), ..Hanging::default() }),
            Hung::Model(model, place) => {
                let roots = self.planted(model).roots;
                Ok(Hanging { below: vec![self.lying(name, *place, roots)], ..Hanging::default() })
            }
            Hung::Morphed(morphed) => {
                Ok(Hanging { mesh: Some(morphed.mesh), frames: morphed.frames.clone(), ..Hanging::default() })
            }
            Hung::Rigged(model, place) => self.rigged_thing(name, (model, *place), (limbs, start)),
            Hung::Chained(chained) => self.chained_thing(name, chained, (limbs, start)),
        }
    }

    /// A node below a thing in which a model lies.
    pub(super) fn lying(&mut self, name: &str, place: ModelPlace, roots: Vec<Index<json::Node>>) -> Index<json::Node> {
        let rest = (place.at.to_array(), place.turn.to_array(), [place.scale; 3]);
        self.node(&format!("{name} model"), rest, (None, roots))
    }

    fn put_mesh(&mut self, mesh: &Arc<Mesh>, size: f64) -> Result<Put, GlbError> {
        let corners = Some(Target::ArrayBuffer);
        let places: Vec<f32> = mesh.places.iter().flat_map(|place| (*place * size).as_vec3().to_array()).collect();
        let places = self.floats(&places, (3, Type::Vec3), true, corners)?;
        let mut attributes = vec![(Semantic::Positions, places)];
        if mesh.shades.iter().any(|shade| *shade != 1.0) {
            let shades: Vec<f32> = mesh.shades.iter().flat_map(|shade| [*shade as f32; 3]).collect();
            attributes.push((Semantic::Colors(0), self.floats(&shades, (3, Type::Vec3), false, corners)?));
        }
        let indices = self.indices(&mesh.triangles)?;
        Ok(Put { mesh: mesh.clone(), size, attributes, indices, dyed: Vec::new() })
    }

    pub(super) fn material(&mut self, name: &str, Dye { colour, shines, thin }: Dye) -> Index<json::Material> {
        let [red, green, blue] = colour.map(|part| part as f32);
        let shine = if shines { SHINE as f32 } else { 0.0 };
        self.root.push(json::Material {
            name: Some(name.to_owned()),
            double_sided: thin,
            emissive_factor: json::material::EmissiveFactor([red, green, blue].map(|part| part * shine)),
            pbr_metallic_roughness: PbrMetallicRoughness {
                base_color_factor: PbrBaseColorFactor([red, green, blue, 1.0]),
                metallic_factor: StrengthFactor(0.0),
                roughness_factor: StrengthFactor(0.9),
                ..PbrMetallicRoughness::default()
            },
            ..json::Material::default()
        })
    }
}
