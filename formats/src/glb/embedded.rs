//! Models of one's own within a file: their lists, pictures, materials and meshes once, their nodes for each thing.

use super::{GlbError, Writer};
use gltf_json as json;
use json::mesh::Semantic;
use json::validation::{Checked::Valid, USize64};
use json::{Index, Root};
use serde_json::Value;
use std::io::Write;

/// A model whose meshes are in the file.
pub(super) struct Embedded {
    /// Its nodes, with children by their number among these.
    nodes: Vec<json::Node>,
    /// Those that hang on nothing else.
    roots: Vec<usize>,
}

/// By how much what a model refers to by number is further on in the file.
struct Shift {
    accessors: usize,
    views: usize,
    images: usize,
    samplers: usize,
    textures: usize,
    materials: usize,
    meshes: usize,
}

fn moved<T>(index: &mut Index<T>, by: usize) {
    *index = Index::new((index.value() + by) as u32);
}

/// Extensions of what is kept of a model: of materials, pictures and the numbers of meshes.
fn kept(extension: &str) -> bool {
    let families = ["KHR_materials_", "KHR_texture_", "EXT_texture_", "KHR_mesh_quantization"];
    families.iter().any(|family| extension.starts_with(family)) && extension != "KHR_materials_variants"
}

impl<S: Write> Writer<S> {
    /// Takes in what a model's nodes show.
    pub(super) fn embed(&mut self, name: &str, bytes: &[u8]) -> Result<Embedded, GlbError> {
        let broken = |why: String| GlbError::Model { name: name.to_owned(), why };
        let file = gltf::Glb::from_slice(bytes).map_err(|error| broken(error.to_string()))?;
        let model: Root = json::deserialize::from_slice(&file.json).map_err(|error| broken(error.to_string()))?;
        let start = self.bytes(file.bin.as_deref().unwrap_or_default())?;
        let root = &mut self.root;
        let by = Shift {
            accessors: root.accessors.len(),
            views: root.buffer_views.len(),
            images: root.images.len(),
            samplers: root.samplers.len(),
            textures: root.textures.len(),
            materials: root.materials.len(),
            meshes: root.meshes.len(),
        };
        for mut view in model.buffer_views {
            view.buffer = Index::new(0);
            view.byte_offset = Some(USize64(start + view.byte_offset.map_or(0, |offset| offset.0)));
            root.buffer_views.push(view);
        }
        for mut accessor in model.accessors {
            accessor.buffer_view.iter_mut().for_each(|view| moved(view, by.views));
            if let Some(sparse) = &mut accessor.sparse {
                moved(&mut sparse.indices.buffer_view, by.views);
                moved(&mut sparse.values.buffer_view, by.views);
            }
            root.accessors.push(accessor);
        }
        for mut image in model.images {
            image.buffer_view.iter_mut().for_each(|view| moved(view, by.views));
            root.images.push(image);
        }
        root.samplers.extend(model.samplers);
        for texture in model.textures {
            root.textures
                .push(shifted(&texture, |value| textures(value, &by)).map_err(|error| broken(error.to_string()))?);
        }
        for material in model.materials {
            root.materials
                .push(shifted(&material, |value| materials(value, &by)).map_err(|error| broken(error.to_string()))?);
        }
        for mut mesh in model.meshes {
            for part in &mut mesh.primitives {
                part.attributes.values_mut().for_each(|list| moved(list, by.accessors));
                part.indices.iter_mut().for_each(|list| moved(list, by.accessors));
                part.material.iter_mut().for_each(|material| moved(material, by.materials));
                for target in part.targets.iter_mut().flatten() {
                    let lists = [&mut target.positions, &mut target.normals, &mut target.tangents];
                    lists.into_iter().flatten().for_each(|list| moved(list, by.accessors));
                }
                // Without a skin nothing hangs on its joints.
                part.attributes.retain(|semantic, _| {
                    let of_skins = |semantic: &Semantic| matches!(semantic, Semantic::Joints(_) | Semantic::Weights(_));
                    !matches!(semantic, Valid(semantic) if of_skins(semantic))
                });
                part.extensions = None;
            }
            mesh.extensions = None;
            root.meshes.push(mesh);
        }
        for (names, own) in [
            (&mut root.extensions_used, model.extensions_used),
            (&mut root.extensions_required, model.extensions_required),
        ] {
            let new: Vec<String> = own.into_iter().filter(|name| kept(name) && !names.contains(name)).collect();
            names.extend(new);
        }
        let scene = model.scene.map_or(0, |scene| scene.value());
        let roots = model.scenes.into_iter().nth(scene).map_or(Vec::new(), |scene| scene.nodes);
        let nodes = model.nodes.into_iter().map(|mut node| {
            node.mesh.iter_mut().for_each(|mesh| moved(mesh, by.meshes));
            json::Node { camera: None, skin: None, extensions: None, ..node }
        });
        Ok(Embedded { nodes: nodes.collect(), roots: roots.iter().map(|node| node.value()).collect() })
    }

    /// The nodes of a model once more; those that hang on nothing else.
    pub(super) fn planted(&mut self, model: &Embedded) -> Vec<Index<json::Node>> {
        // Only what hangs on the scene that is shown, in the order in which it is met.
        let mut met: Vec<usize> = model.roots.clone();
        let mut numbers = vec![None; model.nodes.len()];
        let mut next = 0;
        while let Some(&node) = met.get(next) {
            numbers[node] = Some(self.root.nodes.len() + next);
            next += 1;
            met.extend(model.nodes[node].children.iter().flatten().map(|child| child.value()));
        }
        let number = |node: usize| numbers[node].map(|number| Index::new(number as u32));
        for &node in &met {
            let children = model.nodes[node].children.as_ref();
            let children = children.map(|all| all.iter().filter_map(|child| number(child.value())).collect());
            self.root.nodes.push(json::Node { children, ..model.nodes[node].clone() });
        }
        model.roots.iter().filter_map(|root| number(*root)).collect()
    }
}

/// The same with what it refers to by number changed, also in what this library knows nothing of.
fn shifted<T: serde::Serialize + serde::de::DeserializeOwned>(
    what: &T,
    change: impl Fn(&mut Value),
) -> Result<T, serde_json::Error> {
    let mut value = serde_json::to_value(what)?;
    change(&mut value);
    serde_json::from_value(value)
}

fn add(value: Option<&mut Value>, by: usize) {
    if let Some(value) = value
        && let Some(number) = value.as_u64()
    {
        *value = Value::from(number + by as u64);
    }
}

/// A texture has a picture and a sampler; extensions give it other pictures.
fn textures(value: &mut Value, by: &Shift) {
    add(value.get_mut("source"), by.images);
    add(value.get_mut("sampler"), by.samplers);
    let extensions = value.get_mut("extensions").and_then(Value::as_object_mut);
    extensions.into_iter().flat_map(|all| all.values_mut()).for_each(|own| add(own.get_mut("source"), by.images));
}

/// A material has textures in whatever is called one, at any depth.
fn materials(value: &mut Value, by: &Shift) {
    let Some(fields) = value.as_object_mut() else { return };
    for (name, field) in fields {
        if name.ends_with("Texture") {
            add(field.get_mut("index"), by.textures);
        }
        materials(field, by);
    }
}
