//! What a thing leaves behind itself, in straight pieces.

use super::pressing::{Hollow, Pressing};
use glam::DVec3;

/// One place of what a thing has left behind.
#[derive(Debug, Clone, Copy)]
pub(super) struct Mark {
    /// In the surface's axes.
    pub place: DVec3,
    pub reach: f64,
    /// The depth that is left of it.
    pub depth: f64,
}

/// What a thing leaves between two places, as it is left along the straight line between them: its depth goes as the
/// parabola through both ends and the middle.
#[derive(Debug, Clone, Copy)]
pub(super) struct Furrow {
    from: DVec3,
    along: DVec3,
    /// The square of the length of `along`, or 1 where that is 0, and one by it.
    length: f64,
    inverse: f64,
    /// Depths: at the start, how it goes on from there by part, and how it bends.
    depth: [f64; 3],
    /// The most that it is deep anywhere.
    deepest: f64,
    /// Reach: at the start, and how it goes on from there.
    reach: [f64; 2],
    /// The most of it, and one by its square.
    widest: f64,
    least: f64,
}

/// Part of the reach by which a place may be off a straight piece, and part of the depth by which depth may.
const STRAIGHT: f64 = 1.0 / 150.0;
/// Parts of a tail that are pieces of their own at least.
const PIECES: usize = 4;

impl Furrow {
    /// Of a thing that stays.
    pub fn at(mark: Mark) -> Self {
        Self::between(mark, mark, mark)
    }

    /// Between two places, with one half way.
    fn between(from: Mark, middle: Mark, to: Mark) -> Self {
        let along = to.place - from.place;
        let length = if along == DVec3::ZERO { 1.0 } else { along.length_squared() };
        let bend = 2.0 * (from.depth + to.depth) - 4.0 * middle.depth;
        let depth = [from.depth, to.depth - from.depth - bend, bend];
        let turns = if bend == 0.0 { 0.0 } else { (-0.5 * depth[1] / bend).clamp(0.0, 1.0) };
        let at = |part: f64| depth[0] + part * (depth[1] + part * depth[2]);
        let deepest = from.depth.max(to.depth).max(at(turns));
        let widest = from.reach.max(to.reach).max(0.0);
        let reach = [from.reach, to.reach - from.reach];
        let (inverse, least) = (1.0 / length, 1.0 / (widest * widest));
        Self { from: from.place, along, length, inverse, depth, deepest, reach, widest, least }
    }

    /// Places one after the other at even times, two at least, in as few pieces as they can be; of an odd number of steps the last
    /// piece is straight.
    pub fn through(marks: &[Mark], out: &mut Vec<Self>) {
        let steps = marks.len() - 1;
        let whole = marks.iter().map(|mark| mark.depth).fold(0.0, f64::max);
        let most = (steps / PIECES).max(2) & !1;
        let mut first = 0;
        while first < steps {
            let mut last = first + (steps - first).min(2);
            while last - first < most && last + 2 <= steps && Self::fits(&marks[first..=last + 2], whole) {
                last += 2;
            }
            let middle = if last - first > 1 { marks[(first + last) / 2] } else { half(marks[first], marks[last]) };
            out.push(Self::between(marks[first], middle, marks[last]));
            first = last;
        }
    }

    /// Whether places are where one piece between the first and the last has them, as far as matters where a whole dent is so
    /// deep.
    fn fits(marks: &[Mark], whole: f64) -> bool {
        let last = marks.len() - 1;
        let piece = Self::between(marks[0], marks[last / 2], marks[last]);
        let fits = |(i, mark): (usize, &Mark)| {
            let part = i as f64 / last as f64;
            let off = mark.place.distance_squared(piece.from + piece.along * part);
            let depth = (mark.depth - piece.depth_at(part)).abs();
            let most = STRAIGHT * mark.reach;
            off <= most * most && depth <= STRAIGHT * whole
        };
        marks.iter().enumerate().all(fits)
    }

    fn depth_at(&self, part: f64) -> f64 {
        self.depth[0] + part * (self.depth[1] + part * self.depth[2])
    }

    /// The ends of its line, and the most that it reaches beyond it.
    pub fn room(&self) -> (DVec3, DVec3, f64) {
        (self.from, self.from + self.along, self.widest)
    }

    /// How deep it is at a place; nearly that of the place on it where that is most.
    pub fn depth(&self, place: DVec3, pressing: &Pressing) -> f64 {
        let mut most = [0.0];
        self.deepen(&[[place.x], [place.y], [place.z]].each_ref().map(|x| &x[..]), &mut most, pressing.hollow);
        most[0]
    }

    /// Makes places as deep as it makes them, where they are not deeper; their x, y and z are apart.
    pub fn deepen(&self, places: &[&[f64]; 3], most: &mut [f64], hollow: Hollow) {
        match hollow {
            Hollow::Round => self.deepen_by(places, most, |squared| Hollow::Round.at(squared)),
            Hollow::Pointed => self.deepen_by(places, most, |squared| Hollow::Pointed.at(squared)),
            Hollow::Flat => self.deepen_by(places, most, |squared| Hollow::Flat.at(squared)),
        }
    }

    #[inline(always)]
    fn deepen_by(&self, [xs, ys, zs]: &[&[f64]; 3], most: &mut [f64], hollow: impl Fn(f64) -> f64) {
        let Self { from, along, length, inverse, depth, deepest, reach, widest, least } = *self;
        let even = reach[1] == 0.0;
        // By the slope and the bend of a round dent: it is deepest up to so much nearer to where it is deeper left.
        let shift = widest * widest * 0.25 * inverse;
        for (((x, y), z), most) in xs.iter().zip(ys.iter()).zip(zs.iter()).zip(most) {
            // Most places are deeper already, or too far from its line to become so.
            if deepest <= *most {
                continue;
            }
            let (x, y, z) = (x - from.x, y - from.y, z - from.z);
            let here = (x * along.x + y * along.y + z * along.z) * inverse;
            let off = x * x + y * y + z * z - here * here * length;
            if deepest * hollow((off * least).max(0.0)) <= *most {
                continue;
            }
            let at = |part: f64| {
                let beside = off + (part - here) * (part - here) * length;
                let depth = depth[0] + part * (depth[1] + part * depth[2]);
                let reach = reach[0] + part * reach[1];
                let squared = if even { least } else { 1.0 / (reach * reach) };
                if reach > 0.0 { depth * hollow((beside * squared).max(0.0)) } else { 0.0 }
            };
            let nearest = here.clamp(0.0, 1.0);
            let slope = depth[1] + 2.0 * nearest * depth[2];
            let left = (depth[0] + nearest * (depth[1] + nearest * depth[2])).max(1e-300);
            let deeper = (nearest + shift * slope / left).clamp(0.0, 1.0);
            let found = if deeper == nearest { at(nearest) } else { highest(&at, nearest, deeper) };
            *most = most.max(found);
        }
    }
}

/// The most of a function between two places that has one top there: of both, the middle, and the top of the parabola through them.
#[inline(always)]
fn highest(at: &impl Fn(f64) -> f64, from: f64, to: f64) -> f64 {
    let half = 0.5 * (to - from);
    let [first, middle, last] = [at(from), at(from + half), at(to)];
    let bend = first + last - 2.0 * middle;
    let top = if bend < 0.0 { (0.5 * (first - last) / bend).clamp(-1.0, 1.0) } else { 0.0 };
    first.max(middle).max(last).max(at(from + half * (1.0 + top)))
}

/// Half way between two.
fn half(a: Mark, b: Mark) -> Mark {
    Mark { place: 0.5 * (a.place + b.place), reach: 0.5 * (a.reach + b.reach), depth: 0.5 * (a.depth + b.depth) }
}
