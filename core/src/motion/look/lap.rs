//! Laps after which clips go on as others began.

/// What clips of a lap are made to run into those of the next one.
pub(super) struct Closing {
    /// Frames of a lap.
    pub(super) frames: f64,
    /// The thing that each one is after a lap, and was before it.
    pub(super) partners: Vec<usize>,
    pub(super) before: Vec<usize>,
    /// Cycles by which each one plays more in a lap than it would.
    pub(super) more: Vec<f64>,
    /// The fewest and the most cycles of a lap, as they are made to be.
    pub(super) cycles: (f64, f64),
}

impl Closing {
    /// Which thing it is at a frame, and the frame within the lap.
    pub(super) fn inside(&self, object: usize, frame: f64) -> (usize, f64) {
        let laps = (frame / self.frames).floor();
        let within = frame - laps * self.frames;
        let (laps, within) = if within >= self.frames { (laps + 1.0, 0.0) } else { (laps, within) };
        (self.later(object, laps), within)
    }

    /// The thing that one is after so many whole laps.
    fn later(&self, object: usize, laps: f64) -> usize {
        match laps {
            0.0 => object,
            1.0 => self.partners[object],
            -1.0 => self.before[object],
            // Things come round again: of many laps only those beyond whole rounds count.
            _ => {
                let round = 1 + std::iter::successors(Some(self.partners[object]), |&next| Some(self.partners[next]))
                    .take_while(|&next| next != object)
                    .count();
                let on = laps.rem_euclid(round as f64) as usize;
                (0..on).fold(object, |object, _| self.partners[object])
            }
        }
    }
}
