//! Noise that comes again in the loop, and the flow made of it.

use super::{DIMENSIONS, OF_A_LAYER, gradient, gradient_along, value};
use crate::work::spend;
use glam::DVec3;
use std::f64::consts::TAU;
use std::ops::{Add, Div, Mul};

/// By layers, the mean over seeds of how far places are moved by two channels of noise, and by three, within ten cells of a
/// straight way, measured with 600 seeds; for 6 layers carried on from those before.
const PLANE_PEAKS: [f64; 6] = [0.3943, 0.3089, 0.2792, 0.2653, 0.2588, 0.2557];
const SPACE_PEAKS: [f64; 6] = [0.4465, 0.3468, 0.3103, 0.2951, 0.2878, 0.2843];

/// The root of the mean square of the curl of three channels whose cells are 1 wide, measured at 100,000 places.
const FLOW: f64 = 0.8076;

/// Noise over space and the time of a loop.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LoopingNoise {
    /// Another seed, another noise.
    pub seed: u64,
    /// Edge of a cell, metres, positive.
    pub size: f64,
    /// How many cells the noise runs through in one loop; 0 stands still.
    pub pace: f64,
    /// How many layers, each half as large and half as strong as the one before; at least 1.
    pub octaves: u32,
}

impl LoopingNoise {
    /// How far something that is moved by two (`flat`) or three channels comes, along each of which it is moved by the
    /// value: the mean over seeds of the farthest within ten cells of a straight way.
    pub fn reach(&self, flat: bool) -> f64 {
        let peaks = if flat { &PLANE_PEAKS } else { &SPACE_PEAKS };
        peaks[(self.octaves.max(1) as usize - 1).min(peaks.len() - 1)]
    }

    /// The value of a channel, about within ±1, at a place and a part of the loop; at parts 0 and 1 it is
    /// the same with all its derivatives.
    pub fn at(&self, channel: u64, place: DVec3, part: f64) -> f64 {
        self.layers(channel, place, part, |layer, at, _| value(self.seed, layer, at))
    }

    /// The rate of change of a channel by the part of the loop.
    pub fn rate(&self, channel: u64, place: DVec3, part: f64) -> f64 {
        self.layers(channel, place, part, |layer, at, [x, y]| {
            let slope = gradient(self.seed, layer, at).slope;
            TAU * (slope[4] * x - slope[3] * y)
        })
    }

    /// A flow without sources or sinks at a place and a part of the loop: the curl of the channels 0 to 2 (Bridson,
    /// Hourihan, Nordenstam 2007). Its mean square over places is 1 for one layer.
    pub fn flow(&self, place: DVec3, part: f64) -> DVec3 {
        let slope = |channel: u64| {
            // A layer that is finer by so much rises as much faster.
            let mut finer = 1.0;
            self.layers(channel, place, part, |layer, at, _| {
                let [x, y, z, ..] = gradient(self.seed, layer, at).slope;
                let rise = DVec3::new(x, y, z) * finer;
                finer *= 2.0;
                rise
            })
        };
        curl([0, 1, 2].map(slope))
    }

    /// The same where it is in the plane of x and y alone: the curl of channel 2.
    pub fn flow_in_plane(&self, place: DVec3, part: f64) -> DVec3 {
        self.flow_along(place, part, (DVec3::ZERO, 0.0), true).0
    }

    /// The flow, in space or in the `plane` of x and y, and its rate of change for what moves at a velocity, metres, while
    /// the part of the loop changes at a rate.
    pub fn flow_along(&self, place: DVec3, part: f64, (velocity, rate): (DVec3, f64), plane: bool) -> (DVec3, DVec3) {
        let slope = |channel: u64| {
            let mut finer = 1.0;
            self.layers(channel, place, part, |layer, at, [x, y]| {
                let v = velocity * (finer / self.size);
                let way = [v.x, v.y, v.z, -TAU * rate * y, TAU * rate * x];
                let ([x, y, z, ..], [dx, dy, dz, ..]) = gradient_along(self.seed, layer, at, way);
                let rising = Rising(DVec3::new(x, y, z) * finer, DVec3::new(dx, dy, dz) * finer);
                finer *= 2.0;
                rising
            })
        };
        if plane {
            // Of the six slopes that make a flow in space these are two.
            let Rising(slope, change) = slope(2);
            let aside = |v: DVec3| DVec3::new(v.y, -v.x, 0.0) * (3.0f64.sqrt() / FLOW);
            return (aside(slope), aside(change));
        }
        let all = [0, 1, 2].map(slope);
        (curl(all.map(|rising| rising.0)), curl(all.map(|rising| rising.1)))
    }

    /// The mean of the layers, the stronger counting more; `of` sees a layer's channel, the place in its lattice
    /// and where on the circle of time that is.
    fn layers<T: Default + Add<Output = T> + Mul<f64, Output = T> + Div<f64, Output = T>>(
        &self,
        channel: u64,
        place: DVec3,
        part: f64,
        mut of: impl FnMut(u64, [f64; DIMENSIONS], [f64; 2]) -> T,
    ) -> T {
        spend(OF_A_LAYER * u64::from(self.octaves.max(1)));
        let (sine, cosine) = libm::sincos(TAU * (part - part.floor()));
        let (mut sum, mut strength, mut finer, mut whole) = (T::default(), 1.0, 1.0, 0.0);
        for octave in 0..self.octaves.max(1) {
            let p = place * (finer / self.size);
            let radius = self.pace / TAU * finer;
            let on_circle = [radius * cosine, radius * sine];
            let layer = channel.wrapping_mul(64) + u64::from(octave);
            sum = sum + of(layer, [p.x, p.y, p.z, on_circle[0], on_circle[1]], on_circle) * strength;
            whole += strength;
            strength *= 0.5;
            finer *= 2.0;
        }
        sum / whole
    }
}

fn curl([a, b, c]: [DVec3; 3]) -> DVec3 {
    DVec3::new(c.y - b.z, a.z - c.x, b.x - a.y) / FLOW
}

/// A slope and how it changes.
#[derive(Default, Clone, Copy)]
struct Rising(DVec3, DVec3);

impl Add for Rising {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self(self.0 + other.0, self.1 + other.1)
    }
}

impl Mul<f64> for Rising {
    type Output = Self;
    fn mul(self, by: f64) -> Self {
        Self(self.0 * by, self.1 * by)
    }
}

impl Div<f64> for Rising {
    type Output = Self;
    fn div(self, by: f64) -> Self {
        Self(self.0 / by, self.1 / by)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::random;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_end_of_a_loop_runs_into_its_start(
            seed: u64, x in -9.0..9.0f64, y in -9.0..9.0f64, z in -9.0..9.0f64,
            size in 0.01..10.0f64, pace in 0.0..30.0f64, octaves in 1u32..5, part in 0.0..1.0f64,
        ) {
            let noise = LoopingNoise { seed, size, pace, octaves };
            let place = DVec3::new(x, y, z);
            let frames = 240.0;
            for at in [0.0, part] {
                // A frame and the same one a loop later, as they come from dividing.
                let (here, later) = ((at * frames) / frames, (at * frames + frames) / frames);
                prop_assert!((noise.at(1, place, here) - noise.at(1, place, later)).abs() < 1e-12 * (1.0 + pace * 8.0));
                let rates = (noise.rate(1, place, here), noise.rate(1, place, later));
                prop_assert!((rates.0 - rates.1).abs() < 1e-12 * (1.0 + 100.0 * pace * pace * 8.0));
            }
            prop_assert_eq!(noise.at(1, place, 0.0), noise.at(1, place, 1.0));
            prop_assert_eq!(noise.rate(1, place, 0.0), noise.rate(1, place, 1.0));
            let measured = (noise.at(1, place, part + 1e-6) - noise.at(1, place, part - 1e-6)) / 2e-6;
            prop_assert!((measured - noise.rate(1, place, part)).abs() < 1e-4 * (1.0 + pace * pace * 64.0));
        }
    }

    #[test]
    fn a_flow_changes_for_what_moves_as_it_says() {
        for i in 0..200 {
            let noise = LoopingNoise { seed: i, size: 0.8, pace: 3.0, octaves: 1 + (i % 3) as u32 };
            let [x, y, z, part, vx, vy, vz] = [0, 1, 2, 3, 4, 5, 6].map(|channel| 5.0 * random::signed(17, i, channel));
            let (place, velocity, rate) = (DVec3::new(x, y, z), DVec3::new(vx, vy, vz) * 0.1, 0.02);
            for plane in [false, true] {
                let (flow, change) = noise.flow_along(place, part, (velocity, rate), plane);
                let beside =
                    |h: f64| noise.flow_along(place + velocity * h, part + rate * h, (velocity, rate), plane).0;
                let measured = (beside(1e-5) - beside(-1e-5)) / 2e-5;
                assert!(change.distance(measured) < 1e-4 * (1.0 + change.length()), "{change}, but {measured}");
                if !plane {
                    assert!(flow.distance(noise.flow(place, part)) < 1e-12);
                }
            }
        }
    }

    #[test]
    fn what_flows_has_no_sources_and_is_as_fast_as_it_says() {
        let (mut squares, mut count) = (0.0, 0.0);
        for seed in 0..60 {
            let noise = LoopingNoise { seed, size: 2.5, pace: 4.0, octaves: 1 + (seed % 2) as u32 };
            for i in 0..40 {
                let [x, y, z, part] = [0, 1, 2, 3].map(|channel| 90.0 * random::signed(seed, i, channel));
                let (place, part) = (DVec3::new(x, y, z), part - part.floor());
                let step = 1e-5;
                let rise = |axis: DVec3| {
                    (noise.flow(place + axis * step, part) - noise.flow(place - axis * step, part)).dot(axis)
                        / (2.0 * step)
                };
                let sources: f64 = DVec3::AXES.into_iter().map(rise).sum();
                assert!(sources.abs() < 1e-7, "{sources} at {place}");
                if noise.octaves == 1 {
                    squares += noise.flow(place, part).length_squared();
                    count += 1.0;
                }
            }
        }
        assert!(((squares / count).sqrt() - 1.0).abs() < 0.06, "{}", squares / count);
    }
}
