//! Things that stream along a path, each from its birth on.

use super::lane::From;
use super::tube::{Now, Round, Seat, Tube};
use crate::curve::Path;
use crate::motion::{Break, BreakKind, Columns, Course, Frames, Moment, MotionError, Sample};
use crate::random;
use crate::roots::{halved, middle};
use crate::signal::Accumulated;

/// Things that enter a path at their birth and go along it in a tube.
///
/// What was born at b has come vᵢ·∫ᵇᶠ speed metres on its way at frame f.
pub struct Stream {
    round: Round,
    /// Metres per frame.
    speed: Accumulated,
    /// The factor on the speed of each birth.
    paces: Vec<f64>,
    seats: Vec<Seat>,
    /// Whether the speed stays the same.
    steady: Option<f64>,
}

const PACE: u64 = 74;
/// Loops within which a thing must be through.
const MOST_LOOPS: f64 = 1000.0;
/// Halvings of a loop that leave a rounding of a frame.
const HALVINGS: u32 = 60;

impl Stream {
    /// `births` things in a loop; each is up to ±`spread` of the speed quicker or slower, 0 to below 1. Speeds are metres
    /// per frame, at least 0.
    pub fn new(path: Path, tube: Tube, from: From, births: usize, speed: Accumulated, spread: f64) -> Self {
        let seed = tube.seed;
        let round = Round::new(path, tube, from);
        let now = round.now(0.0);
        let seats = (0..births as u64).map(|who| round.seat(&now, who)).collect();
        let paces = (0..births as u64).map(|who| 1.0 + spread * random::signed(seed, who, PACE)).collect();
        let steady = speed.steady();
        Self { round, speed, paces, seats, steady }
    }

    /// Metres from one frame on to another for what goes as quick as the speed says.
    fn come(&self, from: f64, frames: f64) -> f64 {
        self.steady.map_or_else(|| self.speed.until(from + frames) - self.speed.until(from), |speed| speed * frames)
    }

    /// Frames after its birth at which a thing is through; endless where it does not come through within so many loops of
    /// `frames` frames.
    pub fn through(&self, birth: usize, born: f64, frames: f64) -> f64 {
        let now = self.round.now(born);
        let way = self.round.way(&now, &self.seats[birth]) / self.paces[birth];
        if let Some(speed) = self.steady {
            return if speed > 0.0 { way / speed } else { f64::INFINITY };
        }
        let a_loop = self.come(0.0, frames);
        let loops = (way / a_loop).ceil() + 1.0;
        if loops.is_nan() || loops > MOST_LOOPS {
            return f64::INFINITY;
        }
        middle(halved((0.0, loops * frames), HALVINGS, |age| self.come(born, age) < way))
    }

    /// True where some things come too near to the middle of a bend to go their own way there.
    pub fn squeezed(&self) -> bool {
        self.round.squeezed(&self.round.now(0.0))
    }

    fn row(&self, now: &Now, moment: &Moment, row: usize, piece: &mut usize, out: &mut Sample) {
        let (seat, pace) = (&self.seats[moment.birth], self.paces[moment.birth]);
        let come = pace * self.come(moment.born, moment.age);
        let through = come >= self.round.way(now, seat);
        let speed =
            if through { 0.0 } else { pace * self.steady.unwrap_or_else(|| self.speed.at(moment.born + moment.age)) };
        self.round.fill(now, seat, (come, speed), (moment.born + moment.age, piece), row, out);
    }
}

impl Course for Stream {
    fn sample(&self, at: &[Moment], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        // Those that were born one after the other mostly are one behind the other.
        let mut piece = 0;
        if self.round.path.unmoving().is_some() {
            let now = self.round.now(0.0);
            at.iter().enumerate().for_each(|(row, moment)| self.row(&now, moment, row, &mut piece, out));
            return;
        }
        let mut known: Option<(f64, Now)> = None;
        for (row, moment) in at.iter().enumerate() {
            let now = match known.take().filter(|(frame, _)| *frame == moment.frame) {
                Some((_, now)) => now,
                None => self.round.now(moment.frame),
            };
            self.row(&now, moment, row, &mut piece, out);
            known = Some((moment.frame, now));
        }
    }

    fn varies(&self) -> Columns {
        Round::varies()
    }

    fn breaks(&self, birth: usize, born: f64, ages: Frames) -> Result<Vec<Break>, MotionError> {
        let (now, seat, pace) = (self.round.now(born), &self.seats[birth], self.paces[birth]);
        // Beside the path a corner takes a thing from one place to another at once.
        let kind = if self.round.tube.radius > 0.0 { BreakKind::Jump } else { BreakKind::Corner };
        let mut breaks: Vec<Break> = Vec::new();
        for corner in self.round.corners(&now, seat) {
            let passed = |age: f64| self.round.along(&now, seat, pace * self.come(born, age)) >= corner;
            if passed(ages.to) && !passed(ages.from) {
                let frame = middle(halved((ages.from, ages.to), HALVINGS, |age| !passed(age)));
                breaks.push(Break { frame, kind });
            }
        }
        let bends = self.speed.bends(born + ages.from, born + ages.to).into_iter();
        breaks.extend(bends.map(|frame| Break { frame: frame - born, kind: BreakKind::Corner }));
        breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        Ok(breaks)
    }

    fn things(&self) -> usize {
        self.seats.len().max(1)
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.round.path)
    }
}
