//! The corners of a body that are near to something.

use super::furrow::Furrow;
use glam::{DVec2, DVec3, Vec3Swizzles};
use std::ops::Range;

/// Most cells along each axis.
const MOST_CELLS: f64 = 48.0;

/// Corners of a body in cells, those of a cell one after the other, cells along x first.
#[derive(Clone)]
pub(super) struct Cells {
    low: DVec3,
    size: f64,
    counts: [usize; 3],
    /// Where the corners of each cell begin, and where the last one's end.
    starts: Vec<u32>,
}

impl Cells {
    /// Of places, so wide that there are not too many; and the places in their order.
    pub fn of(places: &[DVec3], size: f64) -> (Self, Vec<u32>) {
        let low = places.iter().copied().reduce(DVec3::min).unwrap_or_default();
        let high = places.iter().copied().reduce(DVec3::max).unwrap_or_default();
        let size = size.max((high - low).max_element() / MOST_CELLS);
        let counts = ((high - low) / size).to_array().map(|cells| cells as usize + 1);
        let mut cells = Self { low, size, counts, starts: Vec::new() };
        let cell: Vec<usize> = places.iter().map(|place| cells.index(cells.cell(*place))).collect();
        let mut order: Vec<u32> = (0..places.len() as u32).collect();
        order.sort_by_key(|&corner| (cell[corner as usize], corner));
        let total = counts.iter().product();
        cells.starts = vec![0; total + 1];
        cell.iter().for_each(|&cell| cells.starts[cell + 1] += 1);
        (0..total).for_each(|cell| cells.starts[cell + 1] += cells.starts[cell]);
        (cells, order)
    }

    /// The cell that a place is in, or the nearest.
    fn cell(&self, place: DVec3) -> [usize; 3] {
        let along = ((place - self.low) / self.size).to_array();
        std::array::from_fn(|axis| (along[axis].max(0.0) as usize).min(self.counts[axis] - 1))
    }

    fn index(&self, [x, y, z]: [usize; 3]) -> usize {
        x + self.counts[0] * (y + self.counts[1] * z)
    }

    /// The corners that a furrow may reach, and few more, in stretches.
    pub fn around(&self, furrow: &Furrow) -> impl Iterator<Item = Range<usize>> + '_ {
        let (a, b, reach) = furrow.room();
        let (low, high) = (a.min(b) - reach, a.max(b) + reach);
        let top = self.low + DVec3::from(self.counts.map(|cells| cells as f64)) * self.size;
        let meets = low.cmple(top).all() && high.cmpge(self.low).all();
        let (first, last) = (self.cell(low), self.cell(high));
        let levels = if meets { first[2]..last[2] + 1 } else { 0..0 };
        let (start, way) = (a.yz(), b.yz() - a.yz());
        let length = way.length_squared().max(1e-300);
        // From the middle of a row of cells to its corners.
        let thick = 0.5 * std::f64::consts::SQRT_2 * self.size;
        levels.flat_map(move |z| (first[1]..=last[1]).map(move |y| (y, z))).filter_map(move |(y, z)| {
            // Of each row along x only as much as is near enough.
            let middle = self.low.yz() + (DVec2::new(y as f64, z as f64) + 0.5) * self.size;
            let part = ((middle - start).dot(way) / length).clamp(0.0, 1.0);
            let off = (middle.distance(start + way * part) - thick).max(0.0);
            let left = reach * reach - off * off;
            if left < 0.0 {
                return None;
            }
            let beside = left.sqrt();
            let along = |x: f64| self.cell(DVec3::new(x, middle.x, middle.y))[0];
            let (from, to) = (along(a.x.min(b.x) - beside), along(a.x.max(b.x) + beside));
            let corners =
                self.starts[self.index([from, y, z])] as usize..self.starts[self.index([to, y, z]) + 1] as usize;
            (!corners.is_empty()).then_some(corners)
        })
    }
}
