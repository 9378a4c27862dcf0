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
    pub nodes: Vec<json::Node>,
    /// Those that hang on nothing else.
    roots: Vec<usize>,
    /// Its skins, with joints by their number among the nodes.
    pub skins: Vec<json::Skin>,
}

/// The nodes of a model that stand in the file once more.
pub(super) struct Planted {
    /// Those that hang on nothing else.
    pub roots: Vec<Index<json::Node>>,
    /// All, by their number in the model; nothing of those that no scene shows.
    pub numbers: Vec<Option<Index<json::Node>>>,
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
    /// Takes in what a model's nodes show, with its skins or at rest.
    pub(super) fn embed(&mut self, name: &str, bytes: &[u8], skinned: bool) -> Result<Embedded, GlbError> {
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
                    skinned || !matches!(semantic, Valid(semantic) if of_skins(semantic))
                });
                part.extensions = None;
            }
            mesh.extensions = None;
            root.meshes.push(mesh);
        }
        self.use_extensions(model.extensions_used, model.extensions_required);
        let scene = model.scene.map_or(0, |scene| scene.value());
        let roots = model.scenes.into_iter().nth(scene).map_or(Vec::new(), |scene| scene.nodes);
        let nodes = model.nodes.into_iter().map(|mut node| {
            node.mesh.iter_mut().for_each(|mesh| moved(mesh, by.meshes));
            let skin = node.skin.filter(|_| skinned);
            json::Node { camera: None, skin, extensions: None, ..node }
        });
        let mut skins = if skinned { model.skins } else { Vec::new() };
        let lists = skins.iter_mut().filter_map(|skin| skin.inverse_bind_matrices.as_mut());
        lists.for_each(|list| moved(list, by.accessors));
        Ok(Embedded { nodes: nodes.collect(), roots: roots.iter().map(|node| node.value()).collect(), skins })
    }

    /// Notes extensions of a model, as far as what has them is kept.
    fn use_extensions(&mut self, used: Vec<String>, required: Vec<String>) {
        let (names, needed) = (&mut self.root.extensions_used, &mut self.root.extensions_required);
        for (names, own) in [(names, used), (needed, required)] {
            let new: Vec<String> = own.into_iter().filter(|name| kept(name) && !names.contains(name)).collect();
            names.extend(new);
        }
    }

    /// Takes in the materials of a model with their pictures, and nothing else; the number of the first.
    pub(super) fn materials_of(&mut self, name: &str, file: &gltf::Gltf) -> Result<usize, GlbError> {
        let broken = |error: serde_json::Error| GlbError::Model { name: name.to_owned(), why: error.to_string() };
        let (model, blob) = (file.document.as_json(), file.blob.as_deref().unwrap_or_default());
        let by = Shift {
            accessors: 0,
            views: 0,
            meshes: 0,
            images: self.root.images.len(),
            samplers: self.root.samplers.len(),
            textures: self.root.textures.len(),
            materials: self.root.materials.len(),
        };
        for image in &model.images {
            let view = image.buffer_view.and_then(|view| model.buffer_views.get(view.value()));
            let bytes = view.and_then(|view| {
                let from = view.byte_offset.map_or(0, |offset| offset.0) as usize;
                blob.get(from..from.checked_add(view.byte_length.0 as usize)?)
            });
            let view = Some(self.picture(bytes.unwrap_or_default())?);
            self.root.images.push(json::Image { buffer_view: view, ..image.clone() });
        }
        self.root.samplers.extend(model.samplers.iter().cloned());
        for texture in &model.textures {
            self.root.textures.push(shifted(texture, |value| textures(value, &by)).map_err(broken)?);
        }
        for material in &model.materials {
            self.root.materials.push(shifted(material, |value| materials(value, &by)).map_err(broken)?);
        }
        self.use_extensions(model.extensions_used.clone(), model.extensions_required.clone());
        Ok(by.materials)
    }

    /// The nodes of a model once more. Of skins they have none.
    pub(super) fn planted(&mut self, model: &Embedded) -> Planted {
        // Only what hangs on the scene that is shown, in the order in which it is met.
        let mut met: Vec<usize> = model.roots.clone();
        let mut numbers = vec![None; model.nodes.len()];
        let mut next = 0;
        while let Some(&node) = met.get(next) {
            numbers[node] = Some(Index::new((self.root.nodes.len() + next) as u32));
            next += 1;
            met.extend(model.nodes[node].children.iter().flatten().map(|child| child.value()));
        }
        for &node in &met {
            let children = model.nodes[node].children.as_ref();
            let children = children.map(|all| all.iter().filter_map(|child| numbers[child.value()]).collect());
            self.root.nodes.push(json::Node { children, skin: None, ..model.nodes[node].clone() });
        }
        Planted { roots: model.roots.iter().filter_map(|root| numbers[*root]).collect(), numbers }
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
