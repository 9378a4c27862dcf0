use super::Signal;
use crate::noise::LoopingNoise;
use crate::random;
use glam::DVec3;

/// Smooth random values, which loop or go on for ever.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NoiseSignal {
    noise: LoopingNoise,
    /// Frames of the loop; none where it does not loop.
    frames: Option<f64>,
    /// Frames of a cell.
    period: f64,
    /// Frames by which it is ahead.
    start: f64,
    middle: f64,
    amount: f64,
    place: DVec3,
}

const PLACE: [u64; 3] = [61, 62, 63];

impl NoiseSignal {
    /// About `amount` to either side of `middle`; a hump about every `period` frames, above 0. Looping in `frames`
    /// frames, or else going on.
    pub fn new(
        (middle, amount): (f64, f64),
        (period, start): (f64, f64),
        octaves: u32,
        seed: u64,
        frames: Option<f64>,
    ) -> Self {
        // Between the places at which all noise is 0.
        let place = PLACE.map(|channel| 0.25 + 0.5 * random::unit(seed, 0, channel));
        let pace = frames.map_or(0.0, |frames| frames / period);
        let noise = LoopingNoise { seed, size: 1.0, pace, octaves };
        Self { noise, frames, period, start, middle, amount, place: DVec3::from(place) }
    }
}

impl Signal for NoiseSignal {
    fn at(&self, frame: f64) -> f64 {
        let frame = frame + self.start;
        let value = match self.frames {
            Some(frames) => self.noise.at(0, self.place, frame / frames),
            None => self.noise.at(0, self.place + DVec3::X * (frame / self.period), 0.0),
        };
        self.middle + self.amount * value
    }

    fn slope(&self, frame: f64) -> f64 {
        let Some(frames) = self.frames else {
            let half = 1e-3 * self.period.min(1.0);
            return (self.at(frame + half) - self.at(frame - half)) / (2.0 * half);
        };
        self.amount * self.noise.rate(0, self.place, (frame + self.start) / frames) / frames
    }
}
