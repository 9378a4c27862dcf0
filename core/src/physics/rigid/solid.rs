//! Forms of bodies and of what they fall on, as rapier3d has them.

use super::convert::vector;
use crate::surface::Shape;
use glam::DVec3;
use rapier3d::parry::transformation::try_convex_hull;
use rapier3d::prelude::{Pose, SharedShape, Vector};
use std::sync::Arc;

/// The form of bodies, about their own middle, before a thing's scale.
#[derive(Debug, Clone, PartialEq)]
pub enum BodyForm {
    /// A ball of this radius, metres.
    Ball(f64),
    /// Half its edges, metres.
    Box(DVec3),
    /// Half the length between the middles of its ends, along x, and its radius, metres.
    Capsule(f64, f64),
    /// Half its height along y, and its radius, metres.
    Disc(f64, f64),
    /// Whatever lies between some corners.
    Hull(Hull),
}

/// The convex hull of some places.
#[derive(Debug, Clone, PartialEq)]
pub struct Hull {
    corners: Arc<Vec<DVec3>>,
    /// Half of how far it reaches along each axis, metres.
    half: DVec3,
}

impl Hull {
    /// Nothing where the places, metres, lie in a plane or are too few.
    pub fn of(places: &[DVec3]) -> Option<Self> {
        let places: Vec<Vector> = places.iter().map(|place| vector(*place)).collect();
        let (corners, _) = try_convex_hull(&places).ok()?;
        SharedShape::convex_hull(&corners)?;
        let corners: Vec<DVec3> = corners.iter().map(|v| DVec3::new(v.x.into(), v.y.into(), v.z.into())).collect();
        let (low, high) = corners
            .iter()
            .fold((DVec3::INFINITY, DVec3::NEG_INFINITY), |(low, high), corner| (low.min(*corner), high.max(*corner)));
        let half = 0.5 * (high - low);
        (half.min_element() > 0.0).then(|| Self { corners: Arc::new(corners), half })
    }
}

impl BodyForm {
    pub(crate) fn shape(&self, scale: f64) -> SharedShape {
        let of = |x: f64| (x * scale) as f32;
        match self {
            Self::Ball(radius) => SharedShape::ball(of(*radius)),
            Self::Box(half) => SharedShape::cuboid(of(half.x), of(half.y), of(half.z)),
            Self::Capsule(half, radius) => SharedShape::capsule_x(of(*half), of(*radius)),
            Self::Disc(half, radius) => SharedShape::cylinder(of(*half), of(*radius)),
            Self::Hull(hull) => {
                let corners: Vec<Vector> = hull.corners.iter().map(|corner| vector(*corner * scale)).collect();
                // That there is one was seen when it was made; a scale of 0 leaves none.
                SharedShape::convex_hull(&corners).map_or_else(|| SharedShape::ball(1e-6), parted)
            }
        }
    }

    /// From end to end where it is longest, metres.
    pub(in crate::physics) fn longest(&self) -> f64 {
        2.0 * match self {
            Self::Ball(radius) => *radius,
            Self::Box(half) => half.max_element(),
            Self::Capsule(half, radius) => half + radius,
            Self::Disc(half, radius) => half.max(*radius),
            Self::Hull(hull) => hull.half.max_element(),
        }
    }

    /// Its smallest half extent, metres.
    pub(in crate::physics) fn smallest(&self) -> f64 {
        match self {
            Self::Ball(radius) => *radius,
            Self::Box(half) => half.min_element(),
            Self::Capsule(_, radius) => *radius,
            Self::Disc(half, radius) => half.min(*radius),
            Self::Hull(hull) => hull.half.min_element(),
        }
    }
}

/// Most corners of a side with which it can be stood on: of sides with more, the engine looks at the first four alone,
/// and what lies on one sinks in beside them.
const STOOD_ON: usize = 4;
/// Most sides of a hull that is made of parts: of finer ones that would cost more than what it mends, since their flat
/// sides are few among many.
const MOST_SIDES: usize = 256;

/// The same body; where sides have too many corners, in parts between its middle and pieces of its sides.
fn parted(hull: SharedShape) -> SharedShape {
    let Some(whole) = hull.as_convex_polyhedron() else { return hull };
    let sides = whole.faces();
    if sides.len() > MOST_SIDES || sides.iter().all(|side| side.num_vertices_or_edges as usize <= STOOD_ON) {
        return hull;
    }
    let corners = whole.points();
    let middle = corners.iter().copied().fold(Vector::ZERO, |sum, corner| sum + corner) / corners.len() as f32;
    let mut parts = Vec::new();
    for side in sides {
        let first = side.first_vertex_or_edge as usize;
        let around = &whole.vertices_adj_to_face()[first..first + side.num_vertices_or_edges as usize];
        let at = |i: usize| corners[around[i] as usize];
        for i in (1..around.len() - 1).step_by(STOOD_ON - 2) {
            let piece: Vec<Vector> = (i..around.len().min(i + STOOD_ON - 1)).map(at).chain([at(0), middle]).collect();
            parts.extend(SharedShape::convex_hull(&piece).map(|part| (Pose::IDENTITY, part)));
        }
    }
    if parts.is_empty() { hull } else { SharedShape::compound(parts) }
}

/// The form of a surface in a world whose unit is so many metres.
pub(in crate::physics) fn ground_shape(shape: &Shape, unit: f64) -> SharedShape {
    let of = |metres: f64| (metres / unit) as f32;
    match shape {
        Shape::Plane { .. } => SharedShape::halfspace(Vector::Y),
        Shape::Ball { radius } => SharedShape::ball(of(*radius)),
        Shape::Box { half } => SharedShape::cuboid(of(half.x), of(half.y), of(half.z)),
        Shape::Torus { radius, tube } => {
            let ring = |u: f64, v: f64| {
                let far = radius + tube * libm::cos(v);
                DVec3::new(far * libm::cos(u), tube * libm::sin(v), far * libm::sin(u)) / unit
            };
            mesh(64, 24, &ring)
        }
        Shape::Lathe(profile) => {
            let points = profile.drawn();
            let rows = points.len() - 1;
            let turned = |u: f64, v: f64| {
                let p = points[((v / std::f64::consts::TAU * rows as f64).round() as usize).min(rows)];
                DVec3::new(p.x * libm::cos(u), p.y, p.x * libm::sin(u)) / unit
            };
            mesh(64, rows, &turned)
        }
    }
}

/// A grid of triangles over a surface of two angles.
fn mesh(around: usize, along: usize, of: &dyn Fn(f64, f64) -> DVec3) -> SharedShape {
    use std::f64::consts::TAU;
    let mut points = Vec::with_capacity((around + 1) * (along + 1));
    for i in 0..=around {
        for j in 0..=along {
            points.push(vector(of(TAU * i as f64 / around as f64, TAU * j as f64 / along as f64)));
        }
    }
    let at = |i: usize, j: usize| (i * (along + 1) + j) as u32;
    let mut sides = Vec::with_capacity(2 * around * along);
    for i in 0..around {
        for j in 0..along {
            sides.push([at(i, j), at(i + 1, j), at(i + 1, j + 1)]);
            sides.push([at(i, j), at(i + 1, j + 1), at(i, j + 1)]);
        }
    }
    // Only an empty mesh is refused, and this one has sides.
    SharedShape::trimesh(points, sides).unwrap_or_else(|_| SharedShape::ball(1e-3))
}
