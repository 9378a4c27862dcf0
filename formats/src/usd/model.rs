//! Models of one's own: what they are made of.

use super::carried::Carried;
use super::forms::{Colours, Drawn};
use super::surface::{Material, PLAIN};
use super::values::Name;
use super::{Picture, UsdError, Writer};
use crate::model::looked_at;
use crate::parts::{self, Axes, Part};
use crate::picture;
use glam::DMat4;
use gltf::Semantic;
use std::io::Write;
use zickzack_core::colour::Light;

/// What a part of a model is made of.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Own {
    /// Red, green, blue as light, and how much of what is behind is not seen.
    pub colour: [f64; 4],
    /// The file of its picture.
    pub picture: Option<String>,
    /// Where its picture is less than so opaque it is not there.
    pub cut_out: Option<f64>,
    pub rough: f64,
    pub metal: f64,
    /// What shines by itself.
    pub light: [f64; 3],
    /// Corners have colours.
    pub coloured: bool,
}

/// A model at rest.
pub(super) fn rest_of(name: &str, bytes: &[u8]) -> Result<(gltf::Gltf, Vec<Part>), UsdError> {
    parts::read(bytes, Axes::AtRest(DMat4::IDENTITY)).map_err(UsdError::model(name))
}

/// What a part hangs on.
type Hangs<'a> = Option<&'a dyn Fn(&Part) -> Carried>;

/// Media types of pictures that USD knows.
const KNOWN: [(&str, &str); 2] = [("image/png", "png"), ("image/jpeg", "jpg")];

/// True where a picture can go along in a package.
pub fn holds_picture(bytes: &[u8]) -> bool {
    picture::read(bytes).is_ok_and(|(media, ..)| KNOWN.iter().any(|(known, _)| *known == media))
}

/// Of each picture of a model whether it can go along in a package.
pub fn pictures_of(model: &[u8]) -> Vec<bool> {
    let Ok((file, _)) = looked_at(model) else { return Vec::new() };
    let blob = file.blob.as_deref().unwrap_or_default();
    let one = |material: gltf::Material<'_>| match picture_of(&material)?.texture().source().source() {
        gltf::image::Source::View { view, .. } => {
            Some(blob.get(view.offset()..view.offset() + view.length()).is_some_and(holds_picture))
        }
        gltf::image::Source::Uri { .. } => Some(false),
    };
    file.materials().filter_map(one).collect()
}

impl<W: Write> Writer<W> {
    /// The parts of a model as they are written; those without a material of their own are in a colour.
    pub(super) fn drawn(
        &mut self,
        name: &str,
        file: &gltf::Gltf,
        parts: Vec<Part>,
        (colour, carried): (Light, Hangs<'_>),
    ) -> Vec<Drawn> {
        let mut all = Vec::with_capacity(parts.len());
        for part in parts {
            let carried = carried.map(|carried| carried(&part));
            let material = part.material.and_then(|number| file.materials().nth(number));
            let corners = part.corners.places.len();
            let set = material.as_ref().and_then(picture_of).map_or(0, |info| info.tex_coord());
            let list = |wanted: Semantic| {
                let found = part.corners.more.iter().find(|(semantic, ..)| *semantic == wanted);
                found.map(|(_, width, numbers)| (*width, numbers)).filter(|(width, all)| all.len() == corners * width)
            };
            let spots = list(Semantic::TexCoords(set)).map_or_else(Vec::new, |(_, numbers)| {
                numbers.chunks_exact(2).map(|spot| [spot[0], 1.0 - spot[1]]).collect()
            });
            let own_colours = list(Semantic::Colors(0));
            let made = match &material {
                Some(material) => {
                    let own = self.own(file, material, own_colours.is_some());
                    let named = material.name().unwrap_or(name).to_owned();
                    Material::Own(self.material(&named, own))
                }
                None => Material::Plain(PLAIN[0]),
            };
            let base = match made {
                Material::Own(number) => self.own[number].1.colour,
                Material::Plain(_) => [colour[0], colour[1], colour[2], 1.0],
            };
            let colours = match own_colours {
                Some((_, numbers)) => {
                    let dyed = |own: &[f32]| std::array::from_fn(|i| (f64::from(own[i]) * base[i]) as f32);
                    Colours::Each(numbers.chunks_exact(4).map(dyed).collect())
                }
                None => Colours::One([base[0], base[1], base[2]]),
            };
            all.push(Drawn {
                places: part.corners.places,
                normals: part.corners.normals,
                spots,
                colours,
                triangles: part.triangles,
                thin: material.is_some_and(|material| material.double_sided()),
                material: made,
                carried,
            });
        }
        all
    }

    fn own(&mut self, file: &gltf::Gltf, material: &gltf::Material<'_>, coloured: bool) -> Own {
        let (surface, wide) = (material.pbr_metallic_roughness(), |all: [f32; 3]| all.map(f64::from));
        let image = picture_of(material).map(|info| info.texture().source().source());
        let bytes = match image {
            Some(gltf::image::Source::View { view, .. }) => {
                let blob = file.blob.as_deref().unwrap_or_default();
                blob.get(view.offset()..view.offset() + view.length())
            }
            _ => None,
        };
        let cut_out = (material.alpha_mode() == gltf::material::AlphaMode::Mask)
            .then(|| f64::from(material.alpha_cutoff().unwrap_or(0.5)));
        Own {
            colour: surface.base_color_factor().map(f64::from),
            picture: bytes.and_then(|bytes| self.picture(bytes)),
            cut_out,
            rough: f64::from(surface.roughness_factor()),
            metal: f64::from(surface.metallic_factor()),
            light: wide(material.emissive_factor()),
            coloured,
        }
    }

    /// A material with nothing but a picture.
    pub(super) fn pictured(&mut self, name: &str, path: &str) -> Material {
        let (colour, picture) = ([1.0; 4], Some(path.to_owned()));
        let own = Own { colour, picture, cut_out: None, rough: 0.9, metal: 0.0, light: [0.0; 3], coloured: false };
        Material::Own(self.material(name, own))
    }

    fn material(&mut self, name: &str, own: Own) -> usize {
        let same = |(other, known): &(Name, Own)| other.shown == name && *known == own;
        if let Some(known) = self.own.iter().position(same) {
            return known;
        }
        self.own.push((self.material_names.name(name), own));
        self.own.len() - 1
    }

    /// Takes a picture along where that can be, and gives its path.
    pub(super) fn picture(&mut self, bytes: &[u8]) -> Option<String> {
        let (media, ..) = picture::read(bytes).ok()?;
        let (_, ending) = KNOWN.iter().find(|(known, _)| *known == media)?;
        let pictures = self.pictures.as_mut()?;
        if let Some(known) = pictures.iter().find(|picture| picture.bytes == bytes) {
            return Some(known.path.clone());
        }
        let path = format!("pictures/{}.{ending}", pictures.len() + 1);
        pictures.push(Picture { path: path.clone(), bytes: bytes.to_vec() });
        Some(path)
    }
}

fn picture_of<'a>(material: &gltf::Material<'a>) -> Option<gltf::texture::Info<'a>> {
    material.pbr_metallic_roughness().base_color_texture()
}
