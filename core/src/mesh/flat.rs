//! What is filled between contours, and slabs of it: letters.

use super::Mesh;
use glam::{DVec2, DVec3};

/// Why contours cannot be filled.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum FlatError {
    #[error("its outline encloses nothing")]
    Nothing,
    #[error("its outline has a corner that is no place")]
    NoPlace,
}

/// Twice the area within a closed contour; positive against the clock.
fn area(contour: &[DVec2]) -> f64 {
    let next = contour.iter().cycle().skip(1);
    contour.iter().zip(next).map(|(a, b)| a.perp_dot(*b)).sum()
}

/// True where a place lies within a contour.
fn within(contour: &[DVec2], place: DVec2) -> bool {
    let next = contour.iter().cycle().skip(1);
    let crossed = contour.iter().zip(next).filter(|(a, b)| {
        (a.y > place.y) != (b.y > place.y) && place.x < (b.x - a.x) * (place.y - a.y) / (b.y - a.y) + a.x
    });
    crossed.count() % 2 == 1
}

/// Triangles, against the clock, of what lies within closed contours: the largest says which way round is filled, the others
/// of that way are filled too, and those of the other way are holes in the smallest that they lie in. Corners are
/// those of the contours, one after the other; contours of fewer than three are left out.
///
/// # Errors
/// Where nothing is enclosed, or a corner is no place.
pub fn filled(contours: &[Vec<DVec2>]) -> Result<(Vec<DVec2>, Vec<[u32; 3]>), FlatError> {
    if contours.iter().flatten().any(|corner| !corner.is_finite()) {
        return Err(FlatError::NoPlace);
    }
    let real: Vec<&Vec<DVec2>> = contours.iter().filter(|contour| contour.len() > 2).collect();
    let areas: Vec<f64> = real.iter().map(|contour| area(contour)).collect();
    let largest = areas.iter().copied().max_by(|a, b| a.abs().total_cmp(&b.abs())).filter(|area| *area != 0.0);
    let largest = largest.ok_or(FlatError::Nothing)?;
    let solid = |i: &usize| areas[*i] * largest > 0.0;
    let (solids, holes): (Vec<usize>, Vec<usize>) = (0..real.len()).partition(solid);
    let around = |hole: &usize| {
        let held = solids.iter().filter(|solid| within(real[**solid], real[*hole][0]));
        held.min_by(|a, b| areas[**a].abs().total_cmp(&areas[**b].abs())).copied()
    };
    let held: Vec<(usize, Option<usize>)> = holes.iter().map(|hole| (*hole, around(hole))).collect();
    let (mut places, mut triangles) = (Vec::new(), Vec::new());
    let mut cutter = earcut::Earcut::new();
    for solid in solids {
        let before = places.len() as u32;
        let mut starts: Vec<u32> = Vec::new();
        let mut shape = real[solid].clone();
        for (hole, _) in held.iter().filter(|(_, of)| *of == Some(solid)) {
            starts.push(shape.len() as u32);
            shape.extend(real[*hole]);
        }
        let mut corners: Vec<u32> = Vec::new();
        cutter.earcut(shape.iter().map(|corner| corner.to_array()), &starts, &mut corners);
        triangles.extend(corners.chunks_exact(3).map(|chunk| {
            let [a, b, c] = [chunk[0], chunk[1], chunk[2]];
            let at = |corner: u32| shape[corner as usize];
            let turn = (at(b) - at(a)).perp_dot(at(c) - at(a));
            if turn < 0.0 { [a, c, b].map(|corner| corner + before) } else { [a, b, c].map(|corner| corner + before) }
        }));
        places.extend(shape);
    }
    if triangles.is_empty() { Err(FlatError::Nothing) } else { Ok((places, triangles)) }
}

/// A flat thing of x and y that is so thick, half of it to each side, its face towards +z; of no thickness it is seen from both
/// sides.
///
/// # Errors
/// As [`filled`].
pub fn slab(contours: &[Vec<DVec2>], thickness: f64) -> Result<Mesh, FlatError> {
    let (corners, face) = filled(contours)?;
    let half = 0.5 * thickness;
    let level = |z: f64| corners.iter().map(move |corner| corner.extend(z));
    let behind = corners.len() as u32;
    let mut places: Vec<DVec3> = level(half).chain(level(-half)).collect();
    let mut triangles = face.clone();
    triangles.extend(face.iter().map(|&[a, b, c]| [a + behind, c + behind, b + behind]));
    if thickness > 0.0 {
        // The edges that only one triangle has lie on the rim, with what is filled on their left.
        let edges = |&[a, b, c]: &[u32; 3]| [(a, b), (b, c), (c, a)];
        let all: std::collections::BTreeSet<(u32, u32)> = face.iter().flat_map(edges).collect();
        for (a, b) in all.iter().copied().filter(|&(a, b)| !all.contains(&(b, a))) {
            let first = places.len() as u32;
            let at = |corner: u32, z: f64| corners[corner as usize].extend(z);
            places.extend([at(a, -half), at(b, -half), at(b, half), at(a, half)]);
            triangles.extend([[first, first + 1, first + 2], [first, first + 2, first + 3]]);
        }
    }
    Ok(Mesh::plain(places, triangles))
}
