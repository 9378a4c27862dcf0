use super::Signal;
use crate::noise::LineNoise;
use crate::random;

/// Smooth random values, which loop or go on for ever.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NoiseSignal {
    noise: LineNoise,
    /// Frames of the loop; none where it does not loop.
    frames: Option<f64>,
    /// Frames of a cell.
    period: f64,
    /// Frames by which it is ahead.
    start: f64,
    middle: f64,
    amount: f64,
}

const PLACE: [u64; 2] = [62, 63];

impl NoiseSignal {
    /// To either side of `middle`; `amount` is the largest deviation within ten humps in the mean over seeds, and a
    /// hump comes about every `period` frames, above 0. Looping in `frames` frames, with a whole number of humps as
    /// near to that as can be, or else going on.
    pub fn new(
        (middle, amount): (f64, f64),
        (period, start): (f64, f64),
        octaves: u32,
        seed: u64,
        frames: Option<f64>,
    ) -> Self {
        // Between the places at which all noise is 0.
        let place = PLACE.map(|channel| 0.25 + 0.5 * random::unit(seed, 0, channel));
        let round = frames.map_or(0, |frames| (frames / period).round().clamp(1.0, MOST_HUMPS) as u32);
        let period = frames.map_or(period, |frames| frames / f64::from(round));
        let noise = LineNoise { seed, place, octaves, round };
        Self { noise, frames, period, start, middle, amount }
    }

    /// How many cells along its line it is.
    fn cells(&self, frame: f64) -> f64 {
        let frame = frame + self.start;
        let Some(frames) = self.frames else { return frame / self.period };
        let loops = frame / frames;
        (loops - loops.floor()) * f64::from(self.noise.round)
    }
}

/// Most humps of a loop.
const MOST_HUMPS: f64 = 1e7;

impl Signal for NoiseSignal {
    fn at(&self, frame: f64) -> f64 {
        self.middle + self.amount * self.noise.at(self.cells(frame))
    }

    fn slope(&self, frame: f64) -> f64 {
        self.amount * self.noise.rate(self.cells(frame)) / self.period
    }
}
