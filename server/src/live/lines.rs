//! A path as lines to draw.

use super::blocks::{Stamp, encode};
use glam::DVec3;
use serde_json::json;
use zickzack_core::curve::{AxesTable, Curve, PointKind, Strand, UpRule, lines};
use zickzack_core::graph::PathProduct;

/// Places on a path at which its axes are shown.
const AXES_STATIONS: f64 = 36.0;
/// Radians of turning in one step in which axes are carried along a path.
const AXES_STEP: f64 = 0.1;
/// Strands with axes, beyond which only every so manieth has some.
const AXES_STRANDS: usize = 200;
/// Pieces of a strand beyond which its axes are not shown: they would cover it.
const AXES_PIECES: usize = 20_000;

/// Most points of a path's lines, and most strands that are drawn: of more only every so manieth is, and that is said. A
/// browser without a graphics card still draws them.
const MOST_POINTS: usize = 30_000;
const MOST_STRANDS: usize = 4000;

/// Part of its longest strand by which a path's lines may be off.
const FINE: f64 = 1.0 / 4000.0;

/// Sizes of the room that a strand takes up, beyond which its length does not count: it goes round and round.
const WINDING: f64 = 4.0;

/// Metres by which the size of a strand is measured: its length, or so many times the room that it takes up.
fn size(strand: &Strand) -> f64 {
    let places = || strand.segments().iter().flat_map(|segment| [0.0, 0.3, 0.7, 1.0].map(|t| segment.at(t)));
    let (least, most) = (places().reduce(DVec3::min), places().reduce(DVec3::max));
    let room = least.zip(most).map_or(0.0, |(least, most)| most.distance(least));
    strand.length().min(WINDING * room)
}

/// Metres by which the lines of a path may be off, where there are not too many.
fn tolerance(curve: &Curve) -> f64 {
    curve.strands().iter().map(size).fold(0.0, f64::max) * FINE
}

/// A path as lines to draw, with the points that can be taken hold of, and its axes at some places:
/// position, direction and up for each.
pub fn path_block(node: &str, product: &PathProduct, flat: bool, frames: u32, stamp: Stamp) -> Vec<u8> {
    let curve: &Curve = &product.path.at(0.0);
    let drawn: Vec<&Strand> = curve.strands().iter().step_by(curve.strands().len().div_ceil(MOST_STRANDS)).collect();
    let lines = lines(&drawn, tolerance(curve), MOST_POINTS);
    let mut numbers: Vec<f32> = lines.iter().flatten().flat_map(|point| point.as_vec3().to_array()).collect();
    let told = |(strand, line): (&&Strand, &Vec<DVec3>)| json!({ "points": line.len(), "closed": strand.closed(), "length": strand.length() });
    let strands: Vec<_> = drawn.iter().zip(&lines).map(told).collect();
    let joints: Vec<_> = product
        .joints
        .iter()
        .map(|joint| {
            let kind = if joint.point.kind == PointKind::Corner { "corner" } else { "smooth" };
            let (into, out) = joint.point.handles.unwrap_or_default();
            json!({ "id": joint.id, "at": joint.point.position, "kind": kind, "in": into, "out": out })
        })
        .collect();
    let mut stations = 0;
    let apart = curve.length() / AXES_STATIONS;
    let every = curve.strands().len().div_ceil(AXES_STRANDS);
    let with_axes = curve.strands().iter().step_by(every).filter(|strand| strand.segments().len() <= AXES_PIECES);
    for strand in with_axes {
        let up = if flat { DVec3::Z } else { DVec3::Y };
        let axes = AxesTable::new(strand.nodes(AXES_STEP), UpRule::Towards(up), strand.closed());
        let count = ((strand.length() / apart).round() as usize).max(2);
        for i in 0..count {
            let s = strand.length() * (i as f64 + 0.5) / count as f64;
            let here = strand.at(s);
            let up = axes.up(s, here.point, here.tangent);
            numbers.extend([here.point, here.tangent, up].iter().flat_map(|v| v.as_vec3().to_array()));
            stations += 1;
        }
    }
    let moves = product.path.unmoving().is_none();
    let moments = if moves { moments(product, frames, &mut numbers) } else { None };
    let header = json!({
        "kind": "path", "stamp": stamp, "node": node, "strands": strands, "of": curve.strands().len(), "length": curve.length(), "joints": joints, "stations": stations,
        "param": product.points_param, "still": product.path.unmoving().is_some(), "moments": moments,
    });
    encode(&header, &numbers)
}

/// Most moments of a loop at which a path that moves is shown.
const MOST_MOMENTS: u32 = 48;
/// Most and fewest places on each strand of a path that moves, and most of all moments together, of which one is drawn at
/// a time.
const MOMENT_POINTS: usize = 97;
const FEWEST_POINTS: usize = 9;
const MOST_MOMENT_POINTS: usize = 500_000;
/// With more strands than this a path that moves is shown as at frame 0.
const MOST_MOVING: usize = 400;

/// How a path that moves is at every so many whole frames of the loop, at which its riders are asked for too:
/// so many places on each of its strands as at frame 0.
fn moments(product: &PathProduct, frames: u32, numbers: &mut Vec<f32>) -> Option<serde_json::Value> {
    let strands = product.path.at(0.0).strands().len();
    let step = frames.div_ceil(MOST_MOMENTS);
    let count = frames.div_ceil(step);
    if strands > MOST_MOVING || count < 2 {
        return None;
    }
    let points = (MOST_MOMENT_POINTS / (count as usize * strands)).clamp(FEWEST_POINTS, MOMENT_POINTS);
    for moment in 0..count {
        let curve = product.path.at(f64::from(moment * step));
        for index in 0..strands {
            let strand = &curve.strands()[index % curve.strands().len()];
            let place = |i: usize| {
                let s = strand.length() * i as f64 / (points - 1) as f64;
                strand.at_normalised(s).point.as_vec3().to_array()
            };
            numbers.extend((0..points).flat_map(place));
        }
    }
    Some(json!({ "count": count, "points": points, "step": step }))
}

#[cfg(test)]
mod tests {
    use super::*;
    use zickzack_core::curve::{Path, Segment};

    #[test]
    fn lines_of_many_strands_are_as_fine_as_those_of_one_and_never_too_many_points() {
        for (strands, radius) in [(1, 0.01), (1, 40.0), (30, 3.0), (200, 3.0), (2000, 3.0)] {
            let ring = |i: usize| {
                let circle = Segment::circle(DVec3::Y * i as f64, radius, DVec3::X, DVec3::NEG_Z);
                Strand::new(vec![circle], true).unwrap()
            };
            let curve = Curve::new((0..strands).map(ring).collect()).unwrap();
            let lines = lines(&curve.strands().iter().collect::<Vec<_>>(), tolerance(&curve), MOST_POINTS);
            // Half way between two points a circle is as far from their chord as anywhere.
            let sagitta = radius - lines[0][0].midpoint(lines[0][1]).length();
            assert!(strands > 200 || sagitta <= curve.strands()[0].length() / 4000.0, "{strands}: {sagitta}");
            assert!(lines.iter().map(Vec::len).sum::<usize>() <= MOST_POINTS, "{strands}");
        }
    }

    /// Rings of radius 1, so far apart that none touches another.
    fn rings(count: usize) -> Vec<Segment> {
        (0..count).map(|i| Segment::circle(DVec3::Y * i as f64, 1.0, DVec3::X, DVec3::NEG_Z)).collect()
    }

    #[test]
    fn a_path_of_very_many_pieces_is_drawn_with_few_points_all_of_them_on_it() {
        let many = 65_536;
        let apart = rings(many).into_iter().map(|ring| Strand::new(vec![ring], true).unwrap()).collect();
        let one_ring = rings(1)[0];
        let around = Strand::new(vec![one_ring; many], true).unwrap();
        for strands in [apart, vec![around]] {
            let product =
                PathProduct { path: Path::still(Curve::new(strands).unwrap()), joints: Vec::new(), points_param: "" };
            let stamp = Stamp { revision: 1, preview: 0, compared: false };
            let block = path_block("n", &product, false, 240, stamp);
            assert!(block.len() <= 2 << 20, "{} bytes", block.len());
            let words = u32::from_le_bytes(block[..4].try_into().unwrap()) as usize;
            let header: serde_json::Value = serde_json::from_slice(&block[4..4 + words]).unwrap();
            let numbers: Vec<f32> =
                block[4 + words..].as_chunks().0.iter().map(|bytes| f32::from_le_bytes(*bytes)).collect();
            let counts = header["strands"].as_array().unwrap().iter().map(|s| s["points"].as_u64().unwrap() as usize);
            let points: usize = counts.clone().sum();
            assert!(counts.clone().count() <= MOST_STRANDS && header["of"] == product.path.at(0.0).strands().len());
            assert!(counts.min() >= Some(5) && points <= MOST_POINTS);
            assert!(header["stations"].as_u64().unwrap() <= 2 * AXES_STRANDS as u64);
            for point in numbers[..3 * points].as_chunks::<3>().0 {
                let [x, y, z] = point.map(f64::from);
                assert!(((x * x + z * z).sqrt() - 1.0).abs() < 1e-6 && y.fract() == 0.0, "{point:?}");
            }
        }
    }
}
