use super::{Signal, every};
use std::f64::consts::TAU;

/// One period of a wave, from −1 to 1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum WaveShape {
    /// From 0 up first.
    Sine,
    /// Straight lines, from 0 up first.
    Triangle,
    /// From −1 evenly to 1, then down at once.
    Saw,
    /// 1 for this part of the period, from 0 to 1, then −1.
    Pulse(f64),
}

/// The same again and again.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Wave {
    /// One period.
    pub shape: WaveShape,
    /// Frames of a period, above 0.
    pub period: f64,
    /// Part of a period by which it is ahead at frame 0.
    pub phase: f64,
    /// What it goes up and down about.
    pub middle: f64,
    /// How far it goes to either side.
    pub amount: f64,
}

impl WaveShape {
    /// At a part of the period, in [0, 1).
    fn at(self, part: f64) -> f64 {
        match self {
            Self::Sine => libm::sin(TAU * part),
            Self::Triangle if part < 0.25 => 4.0 * part,
            Self::Triangle if part < 0.75 => 2.0 - 4.0 * part,
            Self::Triangle => 4.0 * part - 4.0,
            Self::Saw => 2.0 * part - 1.0,
            Self::Pulse(width) => {
                if part < width {
                    1.0
                } else {
                    -1.0
                }
            }
        }
    }

    /// Its integral from 0 to a part of the period in [0, 1].
    fn until(self, part: f64) -> f64 {
        match self {
            Self::Sine => (1.0 - libm::cos(TAU * part)) / TAU,
            Self::Triangle if part < 0.25 => 2.0 * part * part,
            Self::Triangle if part < 0.75 => 0.25 - 2.0 * (part - 0.5) * (part - 0.5),
            Self::Triangle => 2.0 * (1.0 - part) * (1.0 - part),
            Self::Saw => part * part - part,
            Self::Pulse(width) => part.min(width) - (part - width).max(0.0),
        }
    }

    /// Its rate of change by parts of the period.
    fn slope(self, part: f64) -> f64 {
        match self {
            Self::Sine => TAU * libm::cos(TAU * part),
            Self::Triangle if (0.25..0.75).contains(&part) => -4.0,
            Self::Triangle => 4.0,
            Self::Saw => 2.0,
            Self::Pulse(_) => 0.0,
        }
    }

    /// Parts of the period at which it bends or jumps.
    fn bends(self) -> Vec<f64> {
        match self {
            Self::Sine => Vec::new(),
            Self::Triangle => vec![0.25, 0.75],
            Self::Saw => vec![0.0],
            Self::Pulse(width) => vec![0.0, width],
        }
    }
}

impl Wave {
    /// Periods since the one that began with phase 0, and the part of the one that runs.
    fn periods(&self, frame: f64) -> (f64, f64) {
        let periods = frame / self.period + self.phase;
        (periods.floor(), periods - periods.floor())
    }

    fn until(&self, frame: f64) -> f64 {
        let (whole, part) = self.periods(frame);
        self.period * (whole * self.shape.until(1.0) + self.shape.until(part))
    }
}

impl Signal for Wave {
    fn at(&self, frame: f64) -> f64 {
        self.middle + self.amount * self.shape.at(self.periods(frame).1)
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.middle * (b - a) + self.amount * (self.until(b) - self.until(a)))
    }

    fn slope(&self, frame: f64) -> f64 {
        self.amount * self.shape.slope(self.periods(frame).1) / self.period
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let bend = |part: f64| every((part - self.phase) * self.period, self.period, from, to);
        super::ordered(self.shape.bends().into_iter().flat_map(bend).collect())
    }
}
