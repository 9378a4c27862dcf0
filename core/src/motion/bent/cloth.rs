//! The corners of a strip at rest.

use super::form::{Strip, StripEnd};
use glam::{DVec2, DVec3};

/// A tail is as long as this part of the width, and no longer than this part of the length.
const TAIL: f64 = 0.7;
const LONGEST_TAIL: f64 = 0.4;
/// Parts of the length within which two places along it are one.
const ONE: f64 = 1e-6;

/// A strip at rest as triangles: its tail at x = 0, its head along +x, its face up. The corners of each side are its own.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Cloth {
    /// Corners, metres.
    pub places: Vec<DVec3>,
    /// Away from the side that each belongs to.
    pub normals: Vec<DVec3>,
    /// Where each is on a picture: from 0 at the left to 1, and from 0 at the top.
    pub spots: Vec<DVec2>,
    /// Triangles of the first and of the second colour, against the clock as seen from outside.
    pub triangles: [Vec<[u32; 3]>; 2],
}

impl Strip {
    /// Its colours, and how many stripes of them there are in turn: of a strip with a picture one.
    pub const fn stripes_seen(&self) -> usize {
        if self.picture.is_empty() && self.stripes > 0 { self.stripes } else { 1 }
    }

    /// How far its tail goes, metres of a length.
    fn tail(&self, length: f64) -> f64 {
        if self.end == StripEnd::Straight { 0.0 } else { (TAIL * self.width).min(LONGEST_TAIL * length) }
    }

    /// Where along it there are corners: at its joints, where stripes change, where its tail begins.
    fn cuts(&self, length: f64, joints: usize) -> Vec<f64> {
        let stripes = self.stripes_seen();
        let even = |parts: usize| (0..=parts).map(move |i| i as f64 / parts as f64 * length);
        let mut all: Vec<f64> = even(joints - 1).chain(even(stripes)).chain([self.tail(length)]).collect();
        all.sort_by(f64::total_cmp);
        all.dedup_by(|later, earlier| *later - *earlier <= ONE * length);
        all
    }

    /// The inner and the outer edge on one side of its middle, metres from it.
    fn edges(&self, x: f64, tail: f64) -> [f64; 2] {
        let half = 0.5 * self.width;
        let part = if tail > 0.0 { (x / tail).min(1.0) } else { 1.0 };
        match self.end {
            StripEnd::Straight => [0.0, half],
            StripEnd::Pointed => [0.0, half * part],
            StripEnd::Swallowtail => [half * (1.0 - part), half],
        }
    }

    /// Its corners, so many metres long, with some at each of so many joints, evenly along it.
    pub fn cloth(&self, length: f64, joints: usize) -> Cloth {
        let (up, tail, stripes) = (0.5 * self.thickness, self.tail(length), self.stripes_seen());
        let cuts = self.cuts(length, joints);
        let mut cloth = Cloth::default();
        for (i, pair) in cuts.windows(2).enumerate() {
            let [from, to] = [pair[0], pair[1]];
            let stripe = (stripes as f64 * 0.5 * (from + to) / length) as usize;
            let [[in_from, out_from], [in_to, out_to]] = [self.edges(from, tail), self.edges(to, tail)];
            for side in [1.0, -1.0] {
                let mut face = |corners: [(f64, f64, f64); 4]| {
                    let mut corners = corners.map(|(x, y, z)| DVec3::new(x, y, side * z));
                    if side < 0.0 {
                        corners.reverse();
                    }
                    self.put(&mut cloth, corners, stripe.min(stripes - 1) % 2, length);
                };
                face([(from, up, in_from), (from, up, out_from), (to, up, out_to), (to, up, in_to)]);
                if self.thickness == 0.0 {
                    continue;
                }
                face([(from, -up, in_from), (to, -up, in_to), (to, -up, out_to), (from, -up, out_from)]);
                face([(from, up, out_from), (from, -up, out_from), (to, -up, out_to), (to, up, out_to)]);
                if in_from > 0.0 {
                    face([(from, up, in_from), (to, up, in_to), (to, -up, in_to), (from, -up, in_from)]);
                }
                if i == 0 {
                    face([(from, up, in_from), (from, -up, in_from), (from, -up, out_from), (from, up, out_from)]);
                }
                if i + 2 == cuts.len() {
                    face([(to, up, in_to), (to, up, out_to), (to, -up, out_to), (to, -up, in_to)]);
                }
            }
        }
        cloth
    }

    fn put(&self, cloth: &mut Cloth, corners: [DVec3; 4], colour: usize, length: f64) {
        let [a, b, c, d] = corners;
        let first = cloth.places.len() as u32;
        // Of a point's side one edge has no length.
        let Some(normal) = (c - a).cross(d - b).try_normalize() else { return };
        cloth.places.extend(corners);
        cloth.normals.extend([normal; 4]);
        cloth.spots.extend(corners.map(|at| DVec2::new(at.x / length, 0.5 - at.z / self.width)));
        let whole = |[p, q, r]: [usize; 3]| (corners[q] - corners[p]).cross(corners[r] - corners[p]).length() > 0.0;
        let halves = [[0, 1, 2], [0, 2, 3]].into_iter().filter(|half| whole(*half));
        cloth.triangles[colour].extend(halves.map(|half| half.map(|corner| first + corner as u32)));
    }
}
