//! Which of many places are nearest to a place: found in a grid, with the answer that comparing with all would give.

use glam::Vec3;
use rayon::prelude::*;
use std::ops::Range;

/// Which cell along each axis.
type Cell = [i32; 3];

/// A place that is near.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Near {
    /// Which of the places, as they were given.
    pub index: u32,
    /// From the place that was asked about to it.
    pub to: Vec3,
    /// Its distance, squared.
    pub squared: f32,
}

impl Near {
    /// Nearer first; of two that are equally near, the one that was given first.
    fn before(&self, other: &Self) -> bool {
        self.squared < other.squared || (self.squared == other.squared && self.index < other.index)
    }
}

/// Places in cells as wide as they lie apart.
#[derive(Debug, Default)]
pub struct Grid {
    edge: f32,
    /// By cell, those along x next to each other, and then as they were given.
    order: Vec<u32>,
    places: Vec<Vec3>,
    cells: Cells,
}

/// Where the places of a cell are.
#[derive(Debug)]
enum Cells {
    /// Of a box of cells from a first one on, so many along each axis: where each begins, one after the other along x, then
    /// y, then z; and where the last ends.
    Dense { first: Cell, counts: Cell, begin: Vec<u32> },
    /// By a hash of the cell, so that what flies far off takes no cells between. Open addressing: the key of a cell, and where
    /// its places begin and end; of an empty one they are the same.
    Sparse(Vec<(u64, u32, u32)>),
}

impl Default for Cells {
    fn default() -> Self {
        Self::Sparse(vec![(0, 0, 0); 2])
    }
}

impl Cells {
    /// Of places that lie in these cells, and in which order the grid holds them.
    fn of(cells: &[Cell]) -> (Self, Vec<u32>) {
        let least = |axis: usize| cells.iter().map(|cell| cell[axis]).min().unwrap_or(0);
        let most = |axis: usize| cells.iter().map(|cell| cell[axis]).max().unwrap_or(0);
        let first = [0, 1, 2].map(least);
        let counts = [0, 1, 2].map(|axis| most(axis) - first[axis] + 1);
        let all: f64 = counts.iter().map(|count| f64::from(*count)).product();
        if all > (cells.len() * FEW_EMPTY) as f64 + 4096.0 {
            return Self::sparse(cells);
        }
        // Counted, then put where they belong, as they were given.
        let index = |cell: &Cell| dense(*cell, first, counts);
        let mut begin = vec![0_u32; all as usize + 1];
        cells.iter().for_each(|cell| begin[index(cell) + 1] += 1);
        (1..begin.len()).for_each(|i| begin[i] += begin[i - 1]);
        let mut next = begin.clone();
        let mut order = vec![0; cells.len()];
        for (place, cell) in cells.iter().enumerate() {
            let at = &mut next[index(cell)];
            order[*at as usize] = place as u32;
            *at += 1;
        }
        (Self::Dense { first, counts, begin }, order)
    }

    fn sparse(cells: &[Cell]) -> (Self, Vec<u32>) {
        let mut keyed: Vec<(u64, u32)> = cells.par_iter().enumerate().map(|(i, cell)| (key(*cell), i as u32)).collect();
        keyed.par_sort_unstable();
        let mut table = vec![(0, 0, 0); (cells.len() * 2).next_power_of_two().max(2)];
        let mut from = 0;
        while from < keyed.len() {
            let key = keyed[from].0;
            let to = from + keyed[from..].iter().take_while(|(other, _)| *other == key).count();
            let mut at = slot(key, table.len());
            while table[at].1 != table[at].2 {
                at = (at + 1) & (table.len() - 1);
            }
            table[at] = (key, from as u32, to as u32);
            from = to;
        }
        (Self::Sparse(table), keyed.into_iter().map(|(_, index)| index).collect())
    }

    /// Looks at what lies in the cells of a row, `from` to `to` along x.
    #[inline]
    fn row(&self, [from, y, z]: Cell, to: i32, mut look: impl FnMut(Range<usize>)) {
        match self {
            Self::Dense { first, counts, begin } => {
                let (y, z) = (y - first[1], z - first[2]);
                if y < 0 || y >= counts[1] || z < 0 || z >= counts[2] {
                    return;
                }
                let (low, high) = ((from - first[0]).max(0), (to - first[0]).min(counts[0] - 1));
                if low <= high {
                    let row = (z as usize * counts[1] as usize + y as usize) * counts[0] as usize;
                    look(begin[row + low as usize] as usize..begin[row + high as usize + 1] as usize);
                }
            }
            Self::Sparse(table) => {
                for x in from..=to {
                    let key = key([x, y, z]);
                    let mut at = slot(key, table.len());
                    loop {
                        let (known, from, to) = table[at];
                        if from != to && known != key {
                            at = (at + 1) & (table.len() - 1);
                            continue;
                        }
                        if from != to {
                            look(from as usize..to as usize);
                        }
                        break;
                    }
                }
            }
        }
    }
}

/// The number of a cell in a box of cells that holds it.
const fn dense([x, y, z]: Cell, first: Cell, counts: Cell) -> usize {
    let row = (z - first[2]) as usize * counts[1] as usize + (y - first[1]) as usize;
    row * counts[0] as usize + (x - first[0]) as usize
}

/// Cells along each way from the middle that have a key of their own; what lies farther off shares the last one.
const FARTHEST: f32 = 1e6;
/// Cells for each place, up to which a box of cells is held whole.
const FEW_EMPTY: usize = 8;
/// Places in a cell, about.
const IN_A_CELL: f32 = 2.0;
/// Places that are looked at to see how far apart they lie.
const LOOKED_AT: usize = 512;
/// What rounding may make of a place, as a part of its distance from the origin: a cell's bounds are not believed closer.
const ROUNDING: f32 = 1e-6;

impl Grid {
    /// Of finite places. Distances that will be asked for are `reach` at most, which may be ∞.
    pub fn of(places: &[Vec3], reach: f32) -> Self {
        let edge = edge(places, reach);
        let cells: Vec<Cell> = places.par_iter().with_min_len(4096).map(|place| cell(*place, edge)).collect();
        let (cells, order) = Cells::of(&cells);
        let places = order.iter().map(|&index| places[index as usize]).collect();
        Self { edge, order, places, cells }
    }

    /// The order in which the grid holds the places: those next to each other in it lie near each other.
    pub fn order(&self) -> &[u32] {
        &self.order
    }

    /// The `most` places nearest to `at` that are no farther than `reach` and that `counts`, the nearest first, in `found`.
    pub fn nearest(
        &self,
        at: Vec3,
        (reach, most): (f32, usize),
        counts: impl Fn(&Near) -> bool,
        found: &mut Vec<Near>,
    ) {
        found.clear();
        if most == 0 || self.places.is_empty() {
            return;
        }
        let home = cell(at, self.edge);
        // Where in its cell it is, and what rounding may make of that.
        let inside = at - Vec3::from_array(home.map(|along| along as f32)) * self.edge;
        let doubt = ROUNDING * (at.abs().max_element() + self.edge);
        let gap = |by: i32, inside: f32| {
            let width = by as f32 * self.edge;
            let apart = if by > 0 { width - inside } else { inside - width - self.edge };
            if by == 0 { 0.0 } else { (apart - doubt - ROUNDING * width.abs()).max(0.0) }
        };
        let mut farthest = reach * reach;
        let mut seen = 0;
        // What is next to it comes first, and then one ring of cells after the other.
        for ring in 1..i32::MAX {
            // Where more cells would be looked into than there are places, the places are looked at instead.
            let across = 2 * i64::from(ring) + 1;
            if across * across * across > self.places.len() as i64 + 27 {
                found.clear();
                self.look(0..self.places.len(), at, (reach * reach, most), &counts, found);
                return;
            }
            // Rows near its own come first: what is found there makes it needless to look into others.
            for step in 0..(2 * ring + 1) {
                let z = outwards(step);
                let far_z = gap(z, inside.z);
                if far_z * far_z > farthest {
                    continue;
                }
                for step in 0..(2 * ring + 1) {
                    let y = outwards(step);
                    let far_y = gap(y, inside.y);
                    let far = far_z * far_z + far_y * far_y;
                    if far > farthest {
                        continue;
                    }
                    // Of what lies within the ring only its ends are of it.
                    let whole = ring == 1 || z.abs() == ring || y.abs() == ring;
                    let parts = if whole { [(-ring, ring), (1, 0)] } else { [(-ring, -ring), (ring, ring)] };
                    for (from, to) in parts.into_iter().filter(|(from, to)| from <= to) {
                        let far_x = if whole { 0.0 } else { gap(from, inside.x) };
                        if far + far_x * far_x > farthest {
                            continue;
                        }
                        let row = [home[0] + from, home[1] + y, home[2] + z];
                        self.cells.row(row, home[0] + to, |range| {
                            seen += range.len();
                            farthest = self.look(range, at, (farthest, most), &counts, found);
                        });
                    }
                }
            }
            let next = [inside.x, inside.y, inside.z].map(|inside| gap(ring + 1, inside).min(gap(-ring - 1, inside)));
            let safe = next.into_iter().fold(f32::INFINITY, f32::min);
            if seen == self.places.len() || safe * safe > farthest {
                return;
            }
        }
    }

    /// Takes into `found` what of a range of places, as the grid holds them, is among the `most` nearest, none farther
    /// than the root of `farthest`; and how far, squared, another may be to be among them.
    #[inline]
    fn look(
        &self,
        range: Range<usize>,
        at: Vec3,
        (mut farthest, most): (f32, usize),
        counts: &impl Fn(&Near) -> bool,
        found: &mut Vec<Near>,
    ) -> f32 {
        for i in range {
            let to = self.places[i] - at;
            let squared = to.length_squared();
            if squared > farthest {
                continue;
            }
            let near = Near { index: self.order[i], to, squared };
            if !counts(&near) {
                continue;
            }
            if found.len() == most {
                if !near.before(&found[most - 1]) {
                    continue;
                }
                found.pop();
            }
            let place = found.iter().rposition(|other| other.before(&near)).map_or(0, |last| last + 1);
            found.insert(place, near);
            if found.len() == most {
                farthest = found[most - 1].squared;
            }
        }
        farthest
    }

    /// All places no farther than `reach`, in the order of the grid.
    pub fn within(&self, at: Vec3, reach: f32, mut each: impl FnMut(Near)) {
        let largest = at.abs().max_element();
        let around = reach + ROUNDING * (largest + reach + self.edge);
        let (low, high) = (cell(at - Vec3::splat(around), self.edge), cell(at + Vec3::splat(around), self.edge));
        let mut look = |range: Range<usize>| {
            for i in range {
                let to = self.places[i] - at;
                let squared = to.length_squared();
                if squared <= reach * reach {
                    each(Near { index: self.order[i], to, squared });
                }
            }
        };
        let cells: f64 = (0..3).map(|axis| f64::from(high[axis] - low[axis] + 1)).product();
        if cells > self.places.len() as f64 + 27.0 {
            look(0..self.places.len());
            return;
        }
        for z in low[2]..=high[2] {
            for y in low[1]..=high[1] {
                self.cells.row([low[0], y, z], high[0], &mut look);
            }
        }
    }
}

/// 0, 1, −1, 2, −2 and so on.
const fn outwards(step: i32) -> i32 {
    if step & 1 == 1 { step / 2 + 1 } else { -step / 2 }
}

/// How wide cells are: as many as [`IN_A_CELL`] lie in one where most places are, seen from some of them.
fn edge(places: &[Vec3], reach: f32) -> f32 {
    let apart = (places.len() / LOOKED_AT).max(1);
    let some: Vec<Vec3> = places.iter().step_by(apart).copied().collect();
    // Nine of ten along each axis: a few that are far off do not count.
    let spans: Vec<f32> = (0..3)
        .map(|axis| {
            let mut along: Vec<f32> = some.iter().map(|place| place[axis]).collect();
            along.sort_unstable_by(f32::total_cmp);
            let cut = along.len() / 20;
            along.last().map_or(0.0, |_| along[along.len() - 1 - cut] - along[cut])
        })
        .collect();
    let widest = spans.iter().copied().fold(0.0, f32::max);
    // Flat ones count as thin, not as nothing.
    let volume: f32 = spans.iter().map(|span| span.max(0.01 * widest)).product();
    let wanted = libm::cbrtf(volume * IN_A_CELL / places.len().max(1) as f32);
    let least = places.iter().map(|place| place.abs().max_element()).fold(0.0, f32::max) / FARTHEST;
    let most = if reach.is_finite() && reach > 0.0 { reach } else { f32::MAX };
    let edge = wanted.max(0.05 * widest / libm::cbrtf(places.len().max(1) as f32)).min(most).max(least);
    if edge.is_finite() && edge > 0.0 { edge } else { 1.0 }
}

fn cell(place: Vec3, edge: f32) -> Cell {
    (place / edge).to_array().map(|along| along.floor().clamp(-FARTHEST, FARTHEST) as i32)
}

const fn key([x, y, z]: Cell) -> u64 {
    part(x) | part(y) << 21 | part(z) << 42
}

const fn part(along: i32) -> u64 {
    (along + (1 << 20)) as u64 & 0x1F_FFFF
}

const fn slot(key: u64, slots: usize) -> usize {
    // Fibonacci hashing (Knuth, The Art of Computer Programming 3, 6.4); the table is a power of two.
    (key.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 32) as usize & (slots - 1)
}
