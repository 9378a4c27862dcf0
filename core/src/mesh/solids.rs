//! Bodies that things are put together from.

use super::Mesh;
use glam::{DVec2, DVec3};
use std::collections::BTreeMap;
use std::f64::consts::TAU;

/// What an outline of (radius, height), upwards on the outside, gives as it is turned about y, in so many flat sides; the first
/// edge lies towards +z. Ends on the axis close it.
pub fn turned(outline: &[(f64, f64)], sides: usize) -> Mesh {
    let mut places = Vec::new();
    // Each level has one corner on the axis, or one for each side.
    let levels: Vec<(u32, bool)> = outline
        .iter()
        .map(|&(radius, height)| {
            let first = places.len() as u32;
            let on_axis = radius == 0.0;
            let corners = if on_axis { 1 } else { sides };
            places.extend((0..corners).map(|side| {
                let (sin, cos) = libm::sincos(TAU * side as f64 / sides as f64);
                DVec3::new(radius * sin, height, radius * cos)
            }));
            (first, on_axis)
        })
        .collect();
    let mut triangles = Vec::new();
    for pair in levels.windows(2) {
        let ((below, point_below), (above, point_above)) = (pair[0], pair[1]);
        for side in 0..sides as u32 {
            let next = (side + 1) % sides as u32;
            let corner = |(first, point): (u32, bool), at: u32| if point { first } else { first + at };
            let (a, b) = (corner((below, point_below), side), corner((below, point_below), next));
            let (c, d) = (corner((above, point_above), next), corner((above, point_above), side));
            triangles.extend([[a, b, c], [a, c, d]].into_iter().filter(|[a, b, c]| a != b && b != c && c != a));
        }
    }
    Mesh::plain(places, triangles)
}

/// A box about the origin, with its edges along the axes.
pub fn block(size: DVec3) -> Mesh {
    let corner = |i: u32| {
        let side = |bit: u32| if i & bit == 0 { -0.5 } else { 0.5 };
        size * DVec3::new(side(1), side(2), side(4))
    };
    let faces: [[u32; 4]; 6] = [[1, 3, 7, 5], [0, 4, 6, 2], [2, 6, 7, 3], [0, 1, 5, 4], [4, 5, 7, 6], [0, 2, 3, 1]];
    let triangles = faces.iter().flat_map(|&[a, b, c, d]| [[a, b, c], [a, c, d]]);
    Mesh::plain((0..8).map(corner).collect(), triangles.collect())
}

/// A ball about the origin: the sides of an icosahedron, each edge divided into so many parts.
pub fn ball(radius: f64, parts: u32) -> Mesh {
    let golden = 0.5 * (1.0 + 5f64.sqrt());
    let corners: Vec<DVec3> = (0..12)
        .map(|i| {
            let sign = |bit: u32| if i & bit == 0 { -1.0 } else { 1.0 };
            let (a, b) = (sign(1), sign(2) * golden);
            [DVec3::new(0.0, a, b), DVec3::new(a, b, 0.0), DVec3::new(b, 0.0, a)][i as usize / 4]
        })
        .collect();
    // The nearest are 2 apart.
    let near = |a: usize, b: usize| a != b && corners[a].distance(corners[b]) < 2.1;
    let mut faces = Vec::new();
    for a in 0..12 {
        for b in a + 1..12 {
            for c in b + 1..12 {
                if near(a, b) && near(b, c) && near(c, a) {
                    let (p, q, r) = (corners[a], corners[b], corners[c]);
                    faces.push(if (q - p).cross(r - p).dot(p) > 0.0 { [p, q, r] } else { [p, r, q] });
                }
            }
        }
    }
    let (mut places, mut known, mut triangles) = (Vec::new(), BTreeMap::new(), Vec::new());
    for [p, q, r] in faces {
        let mut corner = |i: u32, j: u32| {
            let flat = (p * f64::from(parts - i - j) + q * f64::from(i) + r * f64::from(j)) / f64::from(parts);
            let place = flat.normalize() * radius;
            // Neighbouring sides share corners, up to rounding.
            let key = (place / radius * 1e6).to_array().map(|x| x.round() as i64);
            *known.entry(key).or_insert_with(|| {
                places.push(place);
                places.len() as u32 - 1
            })
        };
        for i in 0..parts {
            for j in 0..parts - i {
                triangles.push([corner(i, j), corner(i + 1, j), corner(i, j + 1)]);
                if i + j + 2 <= parts {
                    triangles.push([corner(i + 1, j), corner(i + 1, j + 1), corner(i, j + 1)]);
                }
            }
        }
    }
    Mesh::plain(places, triangles)
}

/// A ring about y: so far from its axis to the middle of the tube, the tube so thick, in so many parts round the axis and
/// round the tube.
pub fn ring((radius, tube): (f64, f64), (around, across): (u32, u32)) -> Mesh {
    let angle = |part: u32, parts: u32| TAU * f64::from(part) / f64::from(parts);
    let place = |i: u32| {
        let (u, v) = (libm::sincos(angle(i / across, around)), libm::sincos(angle(i % across, across)));
        let out = radius + tube * v.1;
        DVec3::new(out * u.1, tube * v.0, -out * u.0)
    };
    let quads = (0..around * across).map(|i| {
        let (on, next) = (|u: u32, v: u32| u % around * across + v % across, (i / across + 1, i % across + 1));
        [i, on(next.0, i % across), on(next.0, next.1), on(i / across, next.1)]
    });
    let triangles = quads.flat_map(|[a, b, c, d]| [[a, b, c], [a, c, d]]).collect();
    Mesh::plain((0..around * across).map(place).collect(), triangles)
}

/// What lies between copies of one convex outline of (x, z), against the clock as seen from above, one above the other: each at
/// a height and as large as a factor says; closed below and above.
pub fn layered(outline: &[DVec2], layers: &[(f64, f64)]) -> Mesh {
    let count = outline.len() as u32;
    let places = layers
        .iter()
        .flat_map(|&(height, factor)| outline.iter().map(move |at| DVec3::new(at.x * factor, height, at.y * factor)));
    let mut triangles = Vec::new();
    for layer in 1..layers.len() as u32 {
        for corner in 0..count {
            let (next, below, above) = ((corner + 1) % count, (layer - 1) * count, layer * count);
            let [a, b, c, d] = [below + corner, below + next, above + next, above + corner];
            triangles.extend([[a, b, c], [a, c, d]]);
        }
    }
    let top = (layers.len() as u32 - 1) * count;
    for corner in 1..count - 1 {
        triangles.push([0, corner + 1, corner]);
        triangles.push([top, top + corner, top + corner + 1]);
    }
    Mesh::plain(places.collect(), triangles)
}
