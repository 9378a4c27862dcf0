//! What is drawn of a binary glTF model: corners with what they have, and triangles between them.

use crate::model::{ModelError, looked_at};
use glam::{DMat3, DMat4, DVec3, Mat4, Vec3};
use gltf::Semantic;
use std::collections::HashMap;

/// Parts of its length that edges are no longer than.
const PARTS: usize = 80;
/// Corners of triangles beyond which it is not divided any further, if it had not half as many before.
const MOST_CORNERS: usize = 120_000;

/// What corners of a part hang on: joints of its skin by their numbers there, each with a weight.
pub(crate) type Hung = Vec<([u16; 4], [f32; 4])>;

/// Corners with what they have beside their places.
#[derive(Debug, Clone, Default)]
pub(crate) struct Corners {
    /// Metres, or the units of the model.
    pub places: Vec<DVec3>,
    /// Unit vectors, as many as places or none.
    pub normals: Vec<DVec3>,
    /// Numbers for each corner, so many each.
    pub more: Vec<(Semantic, usize, Vec<f32>)>,
}

/// What is drawn of a model in one material.
#[derive(Debug, Clone)]
pub(crate) struct Part {
    /// Its corners.
    pub corners: Corners,
    /// Between them, against the clock as seen from outside.
    pub triangles: Vec<[u32; 3]>,
    /// The number of its material in the file.
    pub material: Option<usize>,
    /// The number of its node.
    pub node: usize,
    /// The skin that carries it, and what its corners hang on there.
    pub skin: Option<(usize, Hung)>,
}

/// Where corners are read.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Axes {
    /// As they stand in the model at rest, moved.
    AtRest(DMat4),
    /// Each part in the axes of its own node.
    OfNodes,
}

/// All that a model shows, with the file that it was read from.
///
/// # Errors
/// Where it is none, or a list of it is damaged.
pub(crate) fn read(bytes: &[u8], axes: Axes) -> Result<(gltf::Gltf, Vec<Part>), ModelError> {
    let (file, _) = looked_at(bytes)?;
    // Lists may be damaged in ways that only show when they are read.
    let parts = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| parts(&file, axes)));
    let parts = parts.map_err(|_| ModelError::Unreadable("a list is damaged".to_owned()))?;
    Ok((file, parts))
}

fn parts(file: &gltf::Gltf, axes: Axes) -> Vec<Part> {
    let mut found = Vec::new();
    let scene = file.default_scene().or_else(|| file.scenes().next());
    let nodes = scene.iter().flat_map(gltf::Scene::nodes);
    nodes.for_each(|node| gather(&node, axes, file.blob.as_deref().unwrap_or_default(), &mut found));
    found
}

fn gather(node: &gltf::Node<'_>, axes: Axes, blob: &[u8], found: &mut Vec<Part>) {
    let (here, below) = match axes {
        Axes::AtRest(above) => {
            let here = above * Mat4::from_cols_array_2d(&node.transform().matrix()).as_dmat4();
            (here, Axes::AtRest(here))
        }
        Axes::OfNodes => (DMat4::IDENTITY, Axes::OfNodes),
    };
    // Normals stand upright on what is stretched.
    let linear = DMat3::from_mat4(here);
    let mirrored = linear.determinant() < 0.0;
    let upright = if linear.determinant() == 0.0 { DMat3::IDENTITY } else { linear.inverse().transpose() };
    for part in node.mesh().iter().flat_map(gltf::Mesh::primitives) {
        let reader = part.reader(|_| Some(blob));
        let wide = |all: &[[f32; 3]], by: &dyn Fn(DVec3) -> DVec3| -> Vec<DVec3> {
            all.iter().map(|at| by(Vec3::from(*at).as_dvec3())).collect()
        };
        let places: Vec<[f32; 3]> = reader.read_positions().into_iter().flatten().collect();
        let normals: Vec<[f32; 3]> = reader.read_normals().into_iter().flatten().collect();
        let normals = wide(&normals, &|normal| (upright * normal).normalize_or(DVec3::Y));
        let mut more = Vec::new();
        for set in 0.. {
            let Some(spots) = reader.read_tex_coords(set) else { break };
            more.push((Semantic::TexCoords(set), 2, spots.into_f32().flatten().collect()));
        }
        if let Some(colours) = reader.read_colors(0) {
            more.push((Semantic::Colors(0), 4, colours.into_rgba_f32().flatten().collect()));
        }
        let skin = match (node.skin(), reader.read_joints(0), reader.read_weights(0)) {
            (Some(skin), Some(joints), Some(weights)) => {
                Some((skin.index(), joints.into_u16().zip(weights.into_f32()).collect()))
            }
            _ => None,
        };
        let count = places.len();
        let order: Vec<u32> = match reader.read_indices() {
            Some(indices) => indices.into_u32().collect(),
            None => (0..count as u32).collect(),
        };
        let mut triangles = of_mode(part.mode(), &order);
        triangles.retain(|triangle| triangle.iter().all(|corner| (*corner as usize) < count));
        if mirrored {
            triangles.iter_mut().for_each(|[_, b, c]| std::mem::swap(b, c));
        }
        if triangles.is_empty() {
            continue;
        }
        let corners = Corners { places: wide(&places, &|at| here.transform_point3(at)), normals, more };
        found.push(Part { corners, triangles, material: part.material().index(), node: node.index(), skin });
    }
    node.children().for_each(|child| gather(&child, below, blob, found));
}

/// Corners in the order in which they are drawn as triangles.
fn of_mode(mode: gltf::mesh::Mode, order: &[u32]) -> Vec<[u32; 3]> {
    use gltf::mesh::Mode;
    match mode {
        Mode::Triangles => order.chunks_exact(3).map(|three| [three[0], three[1], three[2]]).collect(),
        Mode::TriangleStrip => {
            let turned = |(i, three): (usize, &[u32])| {
                if i % 2 == 0 { [three[0], three[1], three[2]] } else { [three[1], three[0], three[2]] }
            };
            order.windows(3).enumerate().map(turned).collect()
        }
        Mode::TriangleFan => order.windows(2).skip(1).map(|two| [order[0], two[0], two[1]]).collect(),
        _ => Vec::new(),
    }
}

/// The two joints beside a corner, evenly apart along a length, and how near it is to the second.
pub(crate) fn beside(x: f64, (length, joints): (f64, usize)) -> (u16, f32) {
    let along = (x / length).clamp(0.0, 1.0) * (joints - 1) as f64;
    let first = (along.floor() as usize).min(joints - 2);
    (first as u16, (along - first as f64) as f32)
}

/// A model as it hangs on a chain of so many joints along a length, its tail at x = 0, its middle on the x axis: fine enough to
/// follow them.
pub(crate) fn along(mut parts: Vec<Part>, (length, joints): (f64, usize)) -> Vec<Part> {
    lay(&mut parts, length);
    let farthest = length / PARTS.min(joints - 1) as f64;
    let one = |part: Part| {
        let (corners, triangles) = divided(part.corners, part.triangles, farthest);
        Part { corners, triangles, ..part }
    };
    parts.into_iter().map(one).collect()
}

/// Makes it as long as it is to be, its tail at x = 0, its middle on the x axis.
fn lay(parts: &mut [Part], length: f64) {
    let all = || parts.iter().flat_map(|part| &part.corners.places).copied();
    let (low, high) = (all().reduce(DVec3::min).unwrap_or_default(), all().reduce(DVec3::max).unwrap_or_default());
    let scale = length / (high.x - low.x).max(1e-9);
    let from = (0.5 * (low + high)).with_x(low.x);
    parts.iter_mut().flat_map(|part| &mut part.corners.places).for_each(|at| *at = (*at - from) * scale);
}

/// The same form with every edge cut in half, again and again, that goes farther along x than it may: neighbours are cut at the
/// same places.
fn divided(mut corners: Corners, triangles: Vec<[u32; 3]>, farthest: f64) -> (Corners, Vec<[u32; 3]>) {
    let mut known: HashMap<(u32, u32), u32> = HashMap::new();
    let (mut open, mut done) = (triangles, Vec::new());
    let enough = (MOST_CORNERS / 3).max(2 * open.len());
    while let Some([a, b, c]) = open.pop() {
        let apart = |p: u32, q: u32| (corners.places[p as usize].x - corners.places[q as usize].x).abs();
        let edges = [(a, b, c), (b, c, a), (c, a, b)];
        let longest = edges.into_iter().max_by(|p, q| apart(p.0, p.1).total_cmp(&apart(q.0, q.1)));
        match longest {
            Some((p, q, r)) if apart(p, q) > farthest && done.len() + open.len() < enough => {
                let middle = *known.entry((p.min(q), p.max(q))).or_insert_with(|| halfway(&mut corners, p, q));
                open.extend([[p, middle, r], [middle, q, r]]);
            }
            _ => done.push([a, b, c]),
        }
    }
    (corners, done)
}

/// One more corner, in the middle of an edge.
fn halfway(corners: &mut Corners, p: u32, q: u32) -> u32 {
    let (p, q) = (p as usize, q as usize);
    let number = corners.places.len() as u32;
    corners.places.push(0.5 * (corners.places[p] + corners.places[q]));
    if !corners.normals.is_empty() {
        let normal = (corners.normals[p] + corners.normals[q]).normalize_or(corners.normals[p]);
        corners.normals.push(normal);
    }
    for (_, width, numbers) in &mut corners.more {
        let middle = |i: usize| 0.5 * (numbers[p * *width + i] + numbers[q * *width + i]);
        let new: Vec<f32> = (0..*width).map(middle).collect();
        numbers.extend(new);
    }
    number
}
