//! A shape as a body of triangles, evenly fine.

use super::profile::Piece;
use super::{Profile, Shape};
use glam::{DVec2, DVec3};
use std::collections::HashMap;
use std::f64::consts::{FRAC_PI_4, TAU};

/// Triangles of a shape, in its own axes.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Body {
    /// Corners, metres. At edges there is one for each side, in the same place.
    pub places: Vec<DVec3>,
    /// Unit vectors away from the solid; at edges the mean of both sides, the same for the corners of each.
    pub normals: Vec<DVec3>,
    /// Three corners each, round the way out of the solid.
    pub triangles: Vec<[u32; 3]>,
}

/// The least cosine between the sides of a place that is no edge.
const EDGE: f64 = 0.95;
/// Part of a profile's size within which it is on its axis.
const ON_AXIS: f64 = 1e-9;
/// By how much corners are set farther apart where there would be too many.
const COARSER: f64 = 1.05;
/// How often that is done at most.
const MOST_TRIES: usize = 400;

/// Rows of corners with so many in each, and whether the last of a row is joined with its first, and the last row too.
struct Sheet {
    rows: usize,
    each: usize,
    round: bool,
    joined: bool,
}

impl Body {
    /// A mark of all that it is made of.
    pub fn key(&self) -> [u8; 32] {
        let mut hash = blake3::Hasher::new();
        let numbers = self.places.iter().chain(&self.normals).flat_map(DVec3::to_array);
        numbers.for_each(|number| {
            hash.update(&number.to_bits().to_le_bytes());
        });
        self.triangles.iter().flatten().for_each(|corner| {
            hash.update(&corner.to_le_bytes());
        });
        *hash.finalize().as_bytes()
    }
}

impl Shape {
    /// Triangles whose corners are no farther apart than `apart`, metres above 0, or just so far that there are at most so many,
    /// at least 100; and how far apart they are.
    pub fn body(&self, apart: f64, most: usize) -> (Body, f64) {
        let mut apart = apart;
        for _ in 0..MOST_TRIES {
            if self.corners(apart) <= most as f64 {
                break;
            }
            apart *= COARSER;
        }
        let body = match self {
            Self::Plane { width, depth } => plane(*width, *depth, apart),
            Self::Ball { radius } => ball(*radius, apart),
            Self::Box { half } => cuboid(*half, apart),
            Self::Torus { radius, tube } => torus(*radius, *tube, apart),
            Self::Lathe(profile) => lathe(profile, apart),
        };
        (body, apart)
    }

    /// How many corners its body has that are so far apart; as a float, since there may be very many.
    fn corners(&self, apart: f64) -> f64 {
        let grid = |a: f64, b: f64| (parts(a, apart) + 1.0) * (parts(b, apart) + 1.0);
        match self {
            Self::Plane { width, depth } => grid(*width, *depth),
            Self::Ball { radius } => 6.0 * grid(2.0 * FRAC_PI_4 * radius, 2.0 * FRAC_PI_4 * radius),
            Self::Box { half } => {
                let DVec3 { x, y, z } = *half * 2.0;
                2.0 * (grid(x, y) + grid(y, z) + grid(z, x))
            }
            Self::Torus { radius, tube } => grid(TAU * (radius + tube), TAU * tube),
            Self::Lathe(profile) => {
                let widest =
                    profile.pieces().flat_map(|piece| [0.0, 0.5, 1.0].map(|t| piece.at(t).x)).fold(0.0, f64::max);
                let rows: f64 = profile.pieces().map(|piece| 1.0 + parts(length(piece), apart)).sum();
                rows * parts(TAU * widest, apart)
            }
        }
    }
}

/// How many parts no longer than `apart` a length has.
fn parts(length: f64, apart: f64) -> f64 {
    (length / apart).ceil().max(1.0)
}

impl Body {
    /// Adds a sheet; `at` gives the place of a corner and the way out there.
    fn sheet(&mut self, sheet: &Sheet, at: impl Fn(usize, usize) -> (DVec3, DVec3)) {
        let first = self.places.len();
        for row in 0..sheet.rows {
            for i in 0..sheet.each {
                let (place, normal) = at(row, i);
                self.places.push(place);
                self.normals.push(normal);
            }
        }
        let corner = |row: usize, i: usize| (first + (row % sheet.rows) * sheet.each + i % sheet.each) as u32;
        let rows = if sheet.joined { sheet.rows } else { sheet.rows - 1 };
        let each = if sheet.round { sheet.each } else { sheet.each - 1 };
        for row in 0..rows {
            for i in 0..each {
                let [a, b, c, d] = [corner(row, i), corner(row, i + 1), corner(row + 1, i + 1), corner(row + 1, i)];
                self.triangle([a, b, c]);
                self.triangle([a, c, d]);
            }
        }
    }

    /// Adds a triangle round the way out, unless it has no area.
    fn triangle(&mut self, [a, b, c]: [u32; 3]) {
        let place = |corner: u32| self.places[corner as usize];
        let normal = (place(b) - place(a)).cross(place(c) - place(a));
        let out = self.normals[a as usize] + self.normals[b as usize] + self.normals[c as usize];
        if normal.length_squared() > 0.0 {
            self.triangles.push(if normal.dot(out) < 0.0 { [a, c, b] } else { [a, b, c] });
        }
    }

    /// The same with its corners in another order: the first is the one with the number `order[0]` so far.
    pub fn reordered(&self, order: &[u32]) -> Self {
        let mut to = vec![0; order.len()];
        (0..).zip(order).for_each(|(new, &old)| to[old as usize] = new);
        let moved = |corners: &[DVec3]| order.iter().map(|&old| corners[old as usize]).collect();
        Self {
            places: moved(&self.places),
            normals: moved(&self.normals),
            triangles: self.triangles.iter().map(|triangle| triangle.map(|corner| to[corner as usize])).collect(),
        }
    }
}

fn plane(width: f64, depth: f64, apart: f64) -> Body {
    let (across, deep) = (parts(width, apart), parts(depth, apart));
    let mut body = Body::default();
    let sheet = Sheet { rows: deep as usize + 1, each: across as usize + 1, round: false, joined: false };
    body.sheet(&sheet, |row, i| {
        let at = |i: usize, parts: f64| i as f64 / parts - 0.5;
        (DVec3::new(width * at(i, across), 0.0, depth * at(row, deep)), DVec3::Y)
    });
    body
}

/// A cube's sides bulged, its corners at even angles and shared by sides that meet.
fn ball(radius: f64, apart: f64) -> Body {
    let count = parts(2.0 * FRAC_PI_4 * radius, apart) as usize;
    let along = |i: usize| match i {
        0 => -1.0,
        i if i == count => 1.0,
        i => libm::tan(FRAC_PI_4 * (2.0 * i as f64 / count as f64 - 1.0)),
    };
    let (mut body, mut known) = (Body::default(), HashMap::new());
    for axis in 0..3 {
        for side in [0, count] {
            let mut corner = |i: usize, j: usize| {
                let mut at = [0; 3];
                (at[axis], at[(axis + 1) % 3], at[(axis + 2) % 3]) = (side, i, j);
                *known.entry(at).or_insert_with(|| {
                    let normal = DVec3::from(at.map(along)).normalize();
                    body.places.push(normal * radius);
                    body.normals.push(normal);
                    body.places.len() as u32 - 1
                })
            };
            let squares: Vec<[u32; 4]> = (0..count * count)
                .map(|square| {
                    let (i, j) = (square / count, square % count);
                    [corner(i, j), corner(i + 1, j), corner(i + 1, j + 1), corner(i, j + 1)]
                })
                .collect();
            for [a, b, c, d] in squares {
                body.triangle([a, b, c]);
                body.triangle([a, c, d]);
            }
        }
    }
    body
}

fn cuboid(half: DVec3, apart: f64) -> Body {
    let mut body = Body::default();
    for axis in 0..3 {
        let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
        let (across, up) = (parts(2.0 * half[u], apart), parts(2.0 * half[v], apart));
        for side in [-1.0, 1.0] {
            let sheet = Sheet { rows: up as usize + 1, each: across as usize + 1, round: false, joined: false };
            body.sheet(&sheet, |row, i| {
                let mut at = [0.0; 3];
                (at[axis], at[u], at[v]) = (side, 2.0 * i as f64 / across - 1.0, 2.0 * row as f64 / up - 1.0);
                // A side counts where the corner lies on it: at edges two do, at the cube's own corners three.
                let out = DVec3::from(at.map(|x| if x.abs() == 1.0 { x } else { 0.0 }));
                (DVec3::from(at) * half, out.normalize())
            });
        }
    }
    body
}

fn torus(radius: f64, tube: f64, apart: f64) -> Body {
    let (rows, each) = (parts(TAU * (radius + tube), apart).max(3.0), parts(TAU * tube, apart).max(3.0));
    let mut body = Body::default();
    let sheet = Sheet { rows: rows as usize, each: each as usize, round: true, joined: true };
    body.sheet(&sheet, |row, i| {
        let out = out(TAU * row as f64 / rows);
        let (sine, cosine) = libm::sincos(TAU * i as f64 / each);
        let normal = out * cosine + DVec3::Y * sine;
        (out * radius + normal * tube, normal)
    });
    body
}

/// The unit vector away from the upright axis at an angle.
fn out(angle: f64) -> DVec3 {
    let (sine, cosine) = libm::sincos(angle);
    DVec3::new(cosine, 0.0, -sine)
}

fn length(piece: &Piece) -> f64 {
    const LOOKS: usize = 16;
    let at = |i: usize| piece.at(i as f64 / LOOKS as f64);
    (0..LOOKS).map(|i| at(i).distance(at(i + 1))).sum()
}

/// What is turned, in runs without an edge: places and the way out there.
fn runs(profile: &Profile, apart: f64) -> Vec<Vec<(DVec2, DVec2)>> {
    let mut runs: Vec<Vec<(DVec2, DVec2)>> = Vec::new();
    for piece in profile.pieces() {
        let count = parts(length(piece), apart) as usize;
        // Which side is out is the same all along it.
        let middle = piece.direction(0.5).perp();
        let side = if profile.nearest(piece.at(0.5)).normal.dot(middle) < 0.0 { -1.0 } else { 1.0 };
        let at = |i: usize| {
            let t = i as f64 / count as f64;
            let place = piece.at(t);
            // All that lies on the axis is one place.
            let place = if place.x < ON_AXIS * profile.reach() { place.with_x(0.0) } else { place };
            (place, piece.direction(t).perp() * side)
        };
        let goes_on = |(place, normal): &(DVec2, DVec2)| {
            place.distance(at(0).0) < 1e-9 * profile.reach() && normal.dot(at(0).1) > EDGE
        };
        match runs.last_mut().filter(|run| run.last().is_some_and(goes_on)) {
            Some(run) => run.extend((1..=count).map(at)),
            None => runs.push((0..=count).map(at).collect()),
        }
    }
    // Where two runs meet both have the same way out, so that nothing gapes when the edge is moved.
    let ends: Vec<[(DVec2, DVec2); 2]> = runs.iter().map(|run| [run[0], run[run.len() - 1]]).collect();
    for run in &mut runs {
        let last = run.len() - 1;
        for end in [0, last] {
            let place = run[end].0;
            let met = ends.iter().flatten().filter(|other| other.0.distance(place) < 1e-9 * profile.reach());
            run[end].1 = met.map(|other| other.1).sum::<DVec2>().normalize_or(run[end].1);
        }
    }
    runs
}

fn lathe(profile: &Profile, apart: f64) -> Body {
    let mut body = Body::default();
    for run in runs(profile, apart) {
        let widest = run.iter().map(|(place, _)| place.x).fold(0.0, f64::max);
        let each = parts(TAU * widest, apart).max(8.0);
        let sheet = Sheet { rows: run.len(), each: each as usize, round: true, joined: false };
        body.sheet(&sheet, |row, i| {
            let (place, normal) = run[row];
            let out = out(TAU * i as f64 / each);
            let turned = |v: DVec2| out * v.x + DVec3::Y * v.y;
            // On the axis all sides meet.
            let normal = if place.x == 0.0 { DVec2::new(0.0, normal.y) } else { normal };
            (turned(place), turned(normal).normalize_or(DVec3::Y))
        });
    }
    body
}
