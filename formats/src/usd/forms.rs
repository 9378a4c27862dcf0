//! What things look like: classes that they refer to.

use super::carried::Carried;
use super::model::rest_of;
use super::skeleton::Skeleton;
use super::surface::{Material, PLAIN, material_path};
use super::values::{List, Name, Names, Place, Tuple, Turn};
use super::{FORMS, ROOT, UsdError, Writer};
use glam::DVec3;
use std::io::{self, Write};
use std::sync::Arc;
use zickzack_core::colour::Light;
use zickzack_core::mesh::Mesh;
use zickzack_core::nodes::ModelPlace;

/// What things look like, by its number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Form(pub(super) usize);

/// Colours over time: of one that stays the same one alone. Each with the frame from which on it goes straight to the next.
#[derive(Debug, Clone, PartialEq)]
pub struct Coloured(pub Vec<(f64, Light)>);

/// Colours of the corners of a mesh.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Colours {
    /// None of their own.
    None,
    /// Factors on the colour of the thing, and which of them each corner has; where all have one, without numbers.
    Shades(Vec<f64>, Vec<u32>),
    /// Each its own.
    Each(Vec<[f32; 4]>),
    /// One for all.
    One(Light),
}

/// Triangles as they are written.
#[derive(Debug, Clone)]
pub(super) struct Drawn {
    pub places: Vec<DVec3>,
    pub normals: Vec<DVec3>,
    /// Where corners are on a picture, from its lower left.
    pub spots: Vec<[f32; 2]>,
    pub colours: Colours,
    pub triangles: Vec<[u32; 3]>,
    pub material: Material,
    /// It is seen from behind too.
    pub thin: bool,
    /// What corners hang on.
    pub carried: Option<Carried>,
}

/// What stands for a thing.
#[derive(Debug)]
pub(super) enum Body {
    /// Triangles in shades of the thing's colour; with the mesh and the size that they were made of.
    Solid { of: (Arc<Mesh>, f64), colour: Light, drawn: Box<Drawn> },
    /// A model, how it lies in the thing, and the joints that it hangs on, where these move.
    Model { place: ModelPlace, parts: Vec<Drawn>, skeleton: Option<Skeleton> },
}

/// The prim of a mesh of a thing's colour.
pub(super) const MESH: &str = "mesh";
/// The prim in which a model lies in its thing.
pub(super) const MODEL: &str = "model";

/// Different factors of a mesh, and which of them each corner has.
fn shades(mesh: &Mesh) -> Colours {
    let mut all: Vec<f64> = Vec::new();
    let mut number = |shade: &f64| {
        let known = all.iter().position(|other| other == shade);
        known.unwrap_or_else(|| {
            all.push(*shade);
            all.len() - 1
        }) as u32
    };
    let numbers: Vec<u32> = mesh.shades.iter().map(&mut number).collect();
    Colours::Shades(all, numbers)
}

/// A colour in each of some shades.
pub(super) fn shaded(colour: Light, shades: &[f64]) -> String {
    List(shades.iter().map(|shade| Tuple(colour.map(|part| part * shade)))).to_string()
}

impl<W: Write> Writer<W> {
    /// Triangles, so many metres large, in shades of a colour that things have where they say no other. What is alike stands once.
    pub fn mesh(
        &mut self,
        name: &str,
        (mesh, size): (&Arc<Mesh>, f64),
        colour: Light,
        (shines, thin): (bool, bool),
    ) -> Form {
        let material = Material::Plain(PLAIN[usize::from(shines)]);
        let same = |(_, body): &(Name, Body)| matches!(body, Body::Solid { of, drawn, .. } if Arc::ptr_eq(&of.0, mesh) && of.1 == size && drawn.thin == thin && drawn.material == material);
        if let Some(known) = self.forms.iter().position(same) {
            return Form(known);
        }
        let drawn = Drawn {
            places: mesh.places.iter().map(|place| *place * size).collect(),
            normals: Vec::new(),
            spots: Vec::new(),
            colours: shades(mesh),
            triangles: mesh.triangles.clone(),
            material,
            thin,
            carried: None,
        };
        self.add(name, Body::Solid { of: (mesh.clone(), size), colour, drawn: Box::new(drawn) })
    }

    /// A binary glTF model as it stands at rest, and how it lies in its things.
    ///
    /// # Errors
    /// Where it is none.
    pub fn model(&mut self, name: &str, bytes: &[u8], place: ModelPlace) -> Result<Form, UsdError> {
        let (file, parts) = rest_of(name, bytes)?;
        let parts = self.drawn(name, &file, parts, ([1.0; 3], None));
        Ok(self.add(name, Body::Model { place, parts, skeleton: None }))
    }

    pub(super) fn add(&mut self, name: &str, body: Body) -> Form {
        let name = self.form_names.name(name);
        self.forms.push((name, body));
        Form(self.forms.len() - 1)
    }

    /// How things refer to a form.
    pub(super) fn reference(&self, form: Form) -> String {
        format!("references = </{ROOT}/{FORMS}/{}>", self.forms[form.0].0.identifier)
    }

    /// The shades in which a form has the colour of its things, and the colour that it has by itself.
    pub(super) fn shades_of(&self, form: Form) -> Option<(&[f64], Light)> {
        let Body::Solid { colour, drawn, .. } = &self.forms[form.0].1 else { return None };
        match &drawn.colours {
            Colours::Shades(shades, _) => Some((shades, *colour)),
            _ => None,
        }
    }

    pub(super) fn put_forms(&mut self) -> Result<(), UsdError> {
        let forms = std::mem::take(&mut self.forms);
        self.stage.begin_plain("class Scope", FORMS, &[])?;
        for (name, body) in &forms {
            match body {
                Body::Solid { colour, drawn, .. } => {
                    self.stage.begin("class Xform", name, &[])?;
                    self.put_mesh(MESH, drawn, *colour)?;
                }
                Body::Model { place, parts, skeleton } => {
                    let kind = if skeleton.is_some() { "class SkelRoot" } else { "class Xform" };
                    self.stage.begin(kind, name, &[])?;
                    self.stage.begin_plain("def Xform", MODEL, &[])?;
                    self.lie(*place)?;
                    skeleton.iter().try_for_each(|skeleton| self.put_skeleton(skeleton))?;
                    let mut names = Names::default();
                    for part in parts {
                        self.put_mesh(&names.name(MESH).identifier, part, [1.0; 3])?;
                    }
                    self.stage.end()?;
                }
            }
            self.stage.end()?;
        }
        Ok(self.stage.end()?)
    }

    /// How the prim that is open lies in what it is below.
    pub(super) fn lie(&mut self, place: ModelPlace) -> io::Result<()> {
        self.stage.set("double3 xformOp:translate", Place(place.at.to_array()), &[])?;
        self.stage.set("quatf xformOp:orient", Turn(place.turn.to_array()), &[])?;
        self.stage.set("float3 xformOp:scale", Tuple([place.scale; 3]), &[])?;
        self.order()
    }

    /// The order of what moves a prim.
    pub(super) fn order(&mut self) -> io::Result<()> {
        let order = "[\"xformOp:translate\", \"xformOp:orient\", \"xformOp:scale\"]";
        self.stage.set("uniform token[] xformOpOrder", order, &[])
    }

    fn put_mesh(&mut self, name: &str, drawn: &Drawn, colour: Light) -> io::Result<()> {
        let carried = if drawn.carried.is_some() { ", \"SkelBindingAPI\"" } else { "" };
        let applied = format!("prepend apiSchemas = [\"MaterialBindingAPI\"{carried}]");
        self.stage.begin_plain("def Mesh", name, &[applied])?;
        self.stage.set("rel material:binding", format!("<{}>", material_path(&drawn.material, &self.own)), &[])?;
        if drawn.thin {
            self.stage.set("uniform bool doubleSided", 1, &[])?;
        }
        self.put_triangles(&drawn.triangles)?;
        self.stage.set("float3[] extent", extent(&drawn.places), &[])?;
        self.stage.set("point3f[] points", List(drawn.places.iter().map(|at| Tuple(at.to_array()))), &[])?;
        if !drawn.normals.is_empty() {
            let normals = List(drawn.normals.iter().map(|at| Tuple(at.to_array())));
            self.stage.set("normal3f[] normals", normals, &["interpolation = \"vertex\""])?;
        }
        if !drawn.spots.is_empty() {
            let spots = List(drawn.spots.iter().map(|spot| Tuple(spot.map(f64::from))));
            self.stage.set("texCoord2f[] primvars:st", spots, &["interpolation = \"vertex\""])?;
        }
        let (colours, numbers) = match &drawn.colours {
            Colours::None => (None, None),
            Colours::One(own) => (Some(shaded(*own, &[1.0])), None),
            Colours::Shades(shades, _) if shades.len() <= 1 => (Some(shaded(colour, shades)), None),
            Colours::Shades(shades, numbers) => (Some(shaded(colour, shades)), Some(Some(numbers))),
            Colours::Each(all) => {
                let all = all.iter().map(|[r, g, b, _]| Tuple([*r, *g, *b].map(f64::from)));
                (Some(List(all).to_string()), Some(None))
            }
        };
        if let Some(colours) = colours {
            let each = if numbers.is_some() { "interpolation = \"vertex\"" } else { "interpolation = \"constant\"" };
            self.stage.set("color3f[] primvars:displayColor", colours, &[each])?;
        }
        if let Some(Some(numbers)) = numbers {
            self.stage.set("int[] primvars:displayColor:indices", List(numbers.iter()), &[])?;
        }
        if let Some(carried) = &drawn.carried {
            self.put_carried(carried)?;
        }
        self.stage.end()
    }

    pub(super) fn put_triangles(&mut self, triangles: &[[u32; 3]]) -> io::Result<()> {
        self.stage.set("int[] faceVertexCounts", List(triangles.iter().map(|_| 3)), &[])?;
        self.stage.set("int[] faceVertexIndices", List(triangles.iter().flatten()), &[])?;
        self.stage.set("uniform token subdivisionScheme", "\"none\"", &[])
    }
}

/// The box around places: its least and its largest corner.
pub(super) fn extent(places: &[DVec3]) -> String {
    let low = places.iter().copied().reduce(DVec3::min).unwrap_or_default();
    let high = places.iter().copied().reduce(DVec3::max).unwrap_or_default();
    format!("[{}, {}]", Tuple(low.to_array()), Tuple(high.to_array()))
}
