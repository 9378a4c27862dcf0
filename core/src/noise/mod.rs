//! Gradient noise in five dimensions with its derivatives, and the form of it that loops.
//!
//! Lattice noise with the quintic fade of Perlin ("Improving Noise", 2002), in five dimensions: three of
//! space, and two in which a circle stands for the time of a loop, so that its end runs into its start.

mod looping;

pub use looping::LoopingNoise;

use crate::random;
use crate::work::spend;

/// Dimensions.
const DIMENSIONS: usize = 5;
/// Looks that a layer counts as.
const OF_A_LAYER: u64 = 2;
/// Corners of a cell of the lattice.
const CORNERS: usize = 1 << DIMENSIONS;

/// A value, about within ±1, and its derivatives along the five axes.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Noise {
    /// The value.
    pub value: f64,
    /// Its slope along each axis.
    pub slope: [f64; DIMENSIONS],
}

/// A place in its cell of the lattice.
struct Cell {
    corner: [i64; DIMENSIONS],
    inside: [f64; DIMENSIONS],
    fade: [f64; DIMENSIONS],
    /// After how many cells the lattice comes again along the first axis; 0 for never.
    round: i64,
}

impl Cell {
    fn new(at: [f64; DIMENSIONS], round: i64) -> Self {
        let corner = at.map(f64::floor);
        let inside: [f64; DIMENSIONS] = std::array::from_fn(|axis| at[axis] - corner[axis]);
        let fade = inside.map(|x| x * x * x * (x * (x * 6.0 - 15.0) + 10.0));
        Self { corner: corner.map(|x| x as i64), inside, fade, round }
    }

    /// How much a corner, far along the axes whose bits are set, counts along one axis.
    fn weight(&self, corner: usize, axis: usize) -> f64 {
        if corner >> axis & 1 == 1 { self.fade[axis] } else { 1.0 - self.fade[axis] }
    }

    /// A corner's direction, and its plane's height at the place.
    fn plane(&self, seed: u64, channel: u64, corner: usize) -> ([f64; DIMENSIONS], f64) {
        let far = |axis: usize| (corner >> axis & 1) as i64;
        let mut place: [i64; DIMENSIONS] = std::array::from_fn(|axis| self.corner[axis] + far(axis));
        if self.round > 0 {
            place[0] = place[0].rem_euclid(self.round);
        }
        let direction = direction(seed, channel, place);
        let height = (0..DIMENSIONS).map(|axis| direction[axis] * (self.inside[axis] - far(axis) as f64)).sum();
        (direction, height)
    }
}

/// The noise of a seed and a channel at a place, without its slope.
pub fn value(seed: u64, channel: u64, at: [f64; DIMENSIONS]) -> f64 {
    value_round(seed, channel, at, 0)
}

/// As [`value`], coming again after so many cells along the first axis; 0 for never.
fn value_round(seed: u64, channel: u64, at: [f64; DIMENSIONS], round: i64) -> f64 {
    let cell = Cell::new(at, round);
    let mut sum = 0.0;
    for corner in 0..CORNERS {
        let weight: f64 = (0..DIMENSIONS).map(|axis| cell.weight(corner, axis)).product();
        // On the lattice, as where time stands still, most corners do not count.
        if weight != 0.0 {
            sum += weight * cell.plane(seed, channel, corner).1;
        }
    }
    sum
}

/// The noise of a seed and a channel at a place; cells are 1 wide. Coordinates lie within ±2⁴⁰.
pub fn gradient(seed: u64, channel: u64, at: [f64; DIMENSIONS]) -> Noise {
    gradient_round(seed, channel, at, 0)
}

/// As [`gradient`], coming again after so many cells along the first axis; 0 for never.
fn gradient_round(seed: u64, channel: u64, at: [f64; DIMENSIONS], round: i64) -> Noise {
    let cell = Cell::new(at, round);
    let pace = cell.inside.map(|x| 30.0 * x * x * (x * (x - 2.0) + 1.0));
    let mut mixed = [Noise::default(); CORNERS];
    // On the lattice, as where time stands still, what lies beyond does not count, nor how it rises.
    let still: usize = (0..DIMENSIONS).filter(|&axis| cell.fade[axis] == 0.0).map(|axis| 1 << axis).sum();
    for (corner, noise) in mixed.iter_mut().enumerate().filter(|(corner, _)| corner & still == 0) {
        let (direction, height) = cell.plane(seed, channel, corner);
        *noise = Noise { value: height, slope: direction };
    }
    // Two by two, axis by axis: what lies between two is mixed of them, and rises along that axis as they differ.
    for axis in 0..DIMENSIONS {
        let (fade, pace) = (cell.fade[axis], pace[axis]);
        for i in 0..CORNERS >> (axis + 1) {
            let (low, high) = (mixed[2 * i], mixed[2 * i + 1]);
            let rise = high.value - low.value;
            let noise = &mut mixed[i];
            noise.value = low.value + fade * rise;
            for other in 0..DIMENSIONS {
                noise.slope[other] = low.slope[other] + fade * (high.slope[other] - low.slope[other]);
            }
            noise.slope[axis] += pace * rise;
        }
    }
    mixed[0]
}

/// How the noise of a seed and a channel rises at a place, and how that changes for each step `way` from there: the
/// derivative of [`gradient`] along it, carried through the same mixing.
fn gradient_along(
    seed: u64,
    channel: u64,
    at: [f64; DIMENSIONS],
    way: [f64; DIMENSIONS],
) -> ([f64; DIMENSIONS], [f64; DIMENSIONS]) {
    let cell = Cell::new(at, 0);
    let mut mixed = [(Noise::default(), Noise::default()); CORNERS];
    for (corner, (noise, change)) in mixed.iter_mut().enumerate() {
        let (direction, height) = cell.plane(seed, channel, corner);
        *noise = Noise { value: height, slope: direction };
        change.value = direction.iter().zip(&way).map(|(rise, step)| rise * step).sum();
    }
    for (axis, step) in way.into_iter().enumerate() {
        let (x, fade) = (cell.inside[axis], cell.fade[axis]);
        let pace = 30.0 * x * x * (x * (x - 2.0) + 1.0);
        let (fades, paces) = (pace * step, 60.0 * x * (x * (2.0 * x - 3.0) + 1.0) * step);
        for i in 0..CORNERS >> (axis + 1) {
            let ((low, low_change), (high, high_change)) = (mixed[2 * i], mixed[2 * i + 1]);
            let (rise, rises) = (high.value - low.value, high_change.value - low_change.value);
            let (noise, change) = &mut mixed[i];
            noise.value = low.value + fade * rise;
            change.value = low_change.value + fades * rise + fade * rises;
            for other in 0..DIMENSIONS {
                let (by, by_change) =
                    (high.slope[other] - low.slope[other], high_change.slope[other] - low_change.slope[other]);
                noise.slope[other] = low.slope[other] + fade * by;
                change.slope[other] = low_change.slope[other] + fades * by + fade * by_change;
            }
            noise.slope[axis] += pace * rise;
            change.slope[axis] += paces * rise + pace * rises;
        }
    }
    (mixed[0].0.slope, mixed[0].1.slope)
}

/// One of the 80 directions with one component 0 and the others ±½.
fn direction(seed: u64, channel: u64, corner: [i64; DIMENSIONS]) -> [f64; DIMENSIONS] {
    let place = corner.iter().fold(0, |mixed, &x| random::bits(mixed, x as u64, 0));
    let bits = random::bits(seed, place, channel);
    let none = (bits >> 32) % DIMENSIONS as u64;
    std::array::from_fn(|axis| match (axis as u64 == none, bits >> axis & 1) {
        (true, _) => 0.0,
        (false, 0) => 0.5,
        (false, _) => -0.5,
    })
}

/// By layers, the mean over seeds of the largest value within ten cells of a line, measured with 1,500 seeds each; for 7
/// and 8 layers carried on from those before.
const LINE_PEAKS: [f64; 8] = [0.3373, 0.2661, 0.2401, 0.2286, 0.2234, 0.221, 0.22, 0.2194];

/// Noise along a line, whose peaks within ten cells are 1 in the mean over seeds.
///
/// It runs along the first axis of the lattice, aside along two more. Where it is to loop, the lattice
/// itself comes again, so that what loops is no other than what does not.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LineNoise {
    /// Another seed, another noise.
    pub seed: u64,
    /// Where the line runs along the second and third axis; along the others it is on the lattice.
    pub place: [f64; 2],
    /// How many layers, each half as large and half as strong as the one before, from 1 to 8.
    pub octaves: u32,
    /// After how many cells it comes again; 0 for never.
    pub round: u32,
}

impl LineNoise {
    /// The value so many cells along the line.
    pub fn at(&self, cells: f64) -> f64 {
        self.layers(cells, |layer, at, round, _| value_round(self.seed, layer, at, round))
    }

    /// Its rate of change per cell.
    pub fn rate(&self, cells: f64) -> f64 {
        self.layers(cells, |layer, at, round, finer| finer * gradient_round(self.seed, layer, at, round).slope[0])
    }

    fn layers(&self, cells: f64, of: impl Fn(u64, [f64; DIMENSIONS], i64, f64) -> f64) -> f64 {
        let octaves = self.octaves.clamp(1, LINE_PEAKS.len() as u32);
        spend(OF_A_LAYER * u64::from(octaves));
        let (mut sum, mut strength, mut finer, mut whole) = (0.0, 1.0, 1.0, 0.0);
        for octave in 0..octaves {
            let at = [cells * finer, self.place[0] * finer, self.place[1] * finer, 0.0, 0.0];
            sum += strength * of(u64::from(octave), at, i64::from(self.round) << octave, finer);
            whole += strength;
            strength *= 0.5;
            finer *= 2.0;
        }
        sum / (whole * LINE_PEAKS[octaves as usize - 1])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn places() -> impl Strategy<Value = [f64; DIMENSIONS]> {
        prop::array::uniform5(-50.0..50.0f64)
    }

    proptest! {
        #[test]
        fn slopes_are_those_of_a_fine_difference(seed: u64, at in places()) {
            let noise = gradient(seed, 3, at);
            prop_assert!((value(seed, 3, at) - noise.value).abs() < 1e-14);
            prop_assert!(noise.value.abs() <= 1.6);
            for axis in 0..DIMENSIONS {
                let moved = |by: f64| {
                    let mut moved = at;
                    moved[axis] += by;
                    gradient(seed, 3, moved).value
                };
                let measured = (moved(1e-5) - moved(-1e-5)) / 2e-5;
                prop_assert!((measured - noise.slope[axis]).abs() < 1e-7, "{axis}: {measured} {:?}", noise.slope);
            }
        }

        #[test]
        fn it_is_continuous_where_cells_meet(seed: u64, at in places(), axis in 0..DIMENSIONS) {
            let mut left = at;
            left[axis] = left[axis].floor() - 1e-12;
            let mut right = left;
            right[axis] = right[axis].ceil();
            let (left, right) = (gradient(seed, 0, left), gradient(seed, 0, right));
            prop_assert!((left.value - right.value).abs() < 1e-11);
            for axis in 0..DIMENSIONS {
                prop_assert!((left.slope[axis] - right.slope[axis]).abs() < 1e-9);
            }
        }
    }

    proptest! {
        #[test]
        fn along_a_line_slopes_are_slopes_and_what_comes_again_does_so_smoothly(
            seed: u64, y in 0.25..0.75f64, z in 0.25..0.75f64, octaves in 1u32..9, round in 0u32..12, at in 0.0..12.0f64,
        ) {
            let noise = LineNoise { seed, place: [y, z], octaves, round };
            let measured = (noise.at(at + 1e-6) - noise.at(at - 1e-6)) / 2e-6;
            prop_assert!((measured - noise.rate(at)).abs() < 1e-4 * f64::from(1_u32 << octaves), "{measured} {}", noise.rate(at));
            if round > 0 {
                let far = f64::from(round);
                prop_assert!((noise.at(0.0) - noise.at(far)).abs() < 1e-12 && (noise.rate(0.0) - noise.rate(far)).abs() < 1e-12 * f64::from(1_u32 << octaves));
            }
        }
    }

    #[test]
    fn it_fills_its_range() {
        let values: Vec<f64> = (0..4000)
            .map(|i| {
                gradient(7, 0, std::array::from_fn(|axis| f64::from(i) * [0.31, 0.17, 0.23, 0.11, 0.05][axis])).value
            })
            .collect();
        let most = values.iter().copied().fold(f64::MIN, f64::max);
        let least = values.iter().copied().fold(f64::MAX, f64::min);
        let mean = values.iter().sum::<f64>() / values.len() as f64;
        assert!(most > 0.4 && least < -0.4 && mean.abs() < 0.05, "{least} … {most}, {mean}");
    }
}
