//! Binary glTF models as things: a look whether a page can show one, before it is kept.

use crate::animated::MOST_BONES;
use crate::bvh::{self, BvhError};
use glam::{DMat4, DVec3, Mat4, Vec3};
use gltf::{Gltf, buffer, image, mesh::Mode};
use std::borrow::Cow;

/// Largest file, bytes.
pub const LARGEST: usize = 16 << 20;
/// Most triangles of one model, since it may stand there a thousand times.
pub const MOST_TRIANGLES: usize = 200_000;
/// Most nodes of one model.
const MOST_NODES: usize = 10_000;
/// Largest side of a picture on a model, pixels.
const LARGEST_PICTURE: usize = 4096;

/// What a model is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Facts {
    /// Triangles, counted as often as their mesh stands in the model.
    pub triangles: usize,
    /// Meshes that stand in it.
    pub parts: usize,
    /// Clips in it.
    pub clips: usize,
}

/// Why a model cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum ModelError {
    #[error("it is larger than {} MB: make its pictures smaller or leave parts out", LARGEST >> 20)]
    TooLarge,
    #[error("it is larger than {} MB: leave out frames, or digits that nobody needs", bvh::LARGEST >> 20)]
    LongMotion,
    #[error("it is not a binary glTF file: export the model as .glb, or joint motion as .bvh")]
    NotGlb,
    #[error("{0}")]
    Joints(#[from] BvhError),
    #[error("it is damaged or uses what is not understood here ({0}): export it again, without compression")]
    Unreadable(String),
    #[error("parts of it lie in other files: export it as one .glb with everything inside")]
    Elsewhere,
    #[error("it is cut off: {0} lies beyond its end; export it again")]
    CutOff(String),
    #[error("there is no mesh of triangles in it: export the model with its meshes")]
    Empty,
    #[error("it has {0} triangles, and {MOST_TRIANGLES} is the most: simplify it")]
    TooManyTriangles(usize),
    #[error("its nodes form a circle or are more than {MOST_NODES}: export it again")]
    TooManyNodes,
    #[error("{0} joints and parts of it carry corners, and {MOST_BONES} is the most: leave some out")]
    TooManyBones(usize),
    #[error("a picture on it cannot be read or has a side over {LARGEST_PICTURE} pixels: make it smaller")]
    Picture,
}

/// Corners of all meshes as they stand in the model, metres.
///
/// # Errors
/// As [`read`].
pub fn corners(bytes: &[u8]) -> Result<Vec<DVec3>, ModelError> {
    let (file, _) = looked_at(bytes)?;
    let blob = file.blob.as_deref().unwrap_or_default();
    let scene = file.default_scene().or_else(|| file.scenes().next()).ok_or(ModelError::Empty)?;
    let mut found = Vec::new();
    // As above: lists may be damaged in ways that only show when they are read.
    std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
        scene.nodes().for_each(|node| gather(&node, DMat4::IDENTITY, blob, &mut found));
    }))
    .map_err(|_| ModelError::Unreadable("a list is damaged".to_owned()))?;
    found.retain(|place| place.is_finite());
    if found.is_empty() { Err(ModelError::Empty) } else { Ok(found) }
}

fn gather(node: &gltf::Node<'_>, above: DMat4, blob: &[u8], found: &mut Vec<DVec3>) {
    let here = above * Mat4::from_cols_array_2d(&node.transform().matrix()).as_dmat4();
    for part in node.mesh().iter().flat_map(gltf::Mesh::primitives) {
        let read = part.reader(|_| Some(blob)).read_positions();
        found.extend(read.into_iter().flatten().map(|place| here.transform_point3(Vec3::from(place).as_dvec3())));
    }
    node.children().for_each(|child| gather(&child, here, blob, found));
}

/// Looks at the bytes of a GLB file.
///
/// # Errors
/// What is no such file, is cut off, refers to others, has no corners, or more triangles than can be shown.
pub fn read(bytes: &[u8]) -> Result<Facts, ModelError> {
    looked_at(bytes).map(|(_, facts)| facts)
}

/// A model as binary glTF: as it is, or of a BVH file its bones.
///
/// # Errors
/// Where it begins as a BVH file and is none.
pub fn as_glb(bytes: &[u8]) -> Result<Cow<'_, [u8]>, ModelError> {
    if !bvh::is(bytes) {
        return Ok(Cow::Borrowed(bytes));
    }
    let text = std::str::from_utf8(bytes).map_err(|_| ModelError::Unreadable("it is not text".to_owned()))?;
    Ok(Cow::Owned(bvh::drawn(&bvh::read(text)?)?))
}

pub(crate) fn looked_at(bytes: &[u8]) -> Result<(Gltf, Facts), ModelError> {
    let motion = bvh::is(bytes);
    if bytes.len() > if motion { bvh::LARGEST } else { LARGEST } {
        return Err(if motion { ModelError::LongMotion } else { ModelError::TooLarge });
    }
    let bytes = &*as_glb(bytes)?;
    if !bytes.starts_with(b"glTF") {
        return Err(ModelError::NotGlb);
    }
    // The reader trusts some numbers of a damaged file so far that it breaks off; nothing outlives that.
    let file = std::panic::catch_unwind(|| Gltf::from_slice(bytes))
        .map_err(|_| ModelError::Unreadable("a list is missing".to_owned()))?
        .map_err(|error| ModelError::Unreadable(error.to_string()))?;
    let blob = file.blob.as_deref().unwrap_or_default();
    buffers_are_inside(&file, blob)?;
    accessors_are_inside(&file)?;
    pictures_are_small(&file, blob)?;
    let mut facts = Facts { triangles: 0, parts: 0, clips: file.animations().count() };
    let mut left = MOST_NODES;
    let scene = file.default_scene().or_else(|| file.scenes().next()).ok_or(ModelError::Empty)?;
    for node in scene.nodes() {
        walk(&node, 0, &mut left, &mut facts)?;
    }
    match facts.triangles {
        0 => Err(ModelError::Empty),
        count if count > MOST_TRIANGLES => Err(ModelError::TooManyTriangles(count)),
        _ => Ok((file, facts)),
    }
}

fn buffers_are_inside(file: &Gltf, blob: &[u8]) -> Result<(), ModelError> {
    for buffer in file.buffers() {
        match buffer.source() {
            buffer::Source::Bin if buffer.length() <= blob.len() => {}
            buffer::Source::Bin => return Err(ModelError::CutOff("its data".to_owned())),
            buffer::Source::Uri(_) => return Err(ModelError::Elsewhere),
        }
    }
    for view in file.views() {
        let end = view.offset().checked_add(view.length());
        if end.is_none_or(|end| end > view.buffer().length()) {
            return Err(ModelError::CutOff(format!("part {}", view.index())));
        }
    }
    Ok(())
}

fn accessors_are_inside(file: &Gltf) -> Result<(), ModelError> {
    for accessor in file.accessors() {
        let cut = || ModelError::CutOff(format!("list {}", accessor.index()));
        let Some(view) = accessor.view() else { continue };
        let (size, last) = (accessor.size(), accessor.count().saturating_sub(1));
        let stride = view.stride().unwrap_or(size).max(1);
        let end = last.checked_mul(stride).and_then(|x| x.checked_add(accessor.offset())?.checked_add(size));
        if end.is_none_or(|end| end > view.length()) {
            return Err(cut());
        }
    }
    Ok(())
}

fn pictures_are_small(file: &Gltf, blob: &[u8]) -> Result<(), ModelError> {
    for picture in file.images() {
        let image::Source::View { view, .. } = picture.source() else { return Err(ModelError::Elsewhere) };
        let bytes = blob.get(view.offset()..view.offset() + view.length()).ok_or(ModelError::Picture)?;
        let size = imagesize::blob_size(bytes).map_err(|_| ModelError::Picture)?;
        if size.width.max(size.height) > LARGEST_PICTURE {
            return Err(ModelError::Picture);
        }
    }
    Ok(())
}

fn walk(node: &gltf::Node<'_>, depth: usize, left: &mut usize, facts: &mut Facts) -> Result<(), ModelError> {
    if depth > 200 || *left == 0 {
        return Err(ModelError::TooManyNodes);
    }
    *left -= 1;
    if let Some(mesh) = node.mesh() {
        facts.parts += 1;
        for part in mesh.primitives() {
            // A mesh without positions was refused when the file was read.
            let positions = part.get(&gltf::Semantic::Positions).map_or(0, |list| list.count());
            let corners = part.indices().map_or(positions, |indices| indices.count());
            facts.triangles += match part.mode() {
                Mode::Triangles => corners / 3,
                Mode::TriangleStrip | Mode::TriangleFan => corners.saturating_sub(2),
                _ => 0,
            };
        }
    }
    node.children().try_for_each(|child| walk(&child, depth + 1, left, facts))
}
