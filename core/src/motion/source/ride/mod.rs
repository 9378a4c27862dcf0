//! Riding: things on a path, driven by laps.

mod place;
mod sampling;

use super::seats::{Pace, RideSpacing, Seat, Seating, Sharing};
use crate::curve::{AxesTable, Path, UpRule};
use crate::fraction::Fraction;
use crate::signal::{Accumulated, Driven, Thing};
use crate::work::whole as done_whole;
use std::collections::BTreeMap;
use std::sync::{Arc, OnceLock};

/// What happens where a path ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RideEnd {
    /// Goes on at the start.
    Wrap,
    /// Stops there and stays.
    Hold,
    /// Goes back the same way, and forth again.
    TurnBack,
    /// Leaves the path straight on.
    RunOn,
}

/// How far riders are off their path, in its own axes, metres.
#[derive(Debug, Clone)]
pub struct RideOffset {
    /// Ahead.
    pub along: Driven,
    /// Up.
    pub up: Driven,
    /// To the right as one looks ahead.
    pub across: Driven,
    /// Where up comes from.
    pub rule: UpRule,
}

impl RideOffset {
    fn is_none(&self) -> bool {
        [&self.along, &self.up, &self.across].iter().all(|part| part.fixed() == Some(0.0))
    }

    fn over_time(&self) -> bool {
        [&self.along, &self.up, &self.across].iter().any(|part| part.over_time())
    }
}

/// `riders` things on a path.
///
/// The phase of rider i is φᵢ(f) = φᵢ + ∫₀ᶠ rate in laps, and its place is the path at fract(φ)·L.
#[derive(Clone)]
pub struct Ride {
    path: Path,
    seating: Seating,
    /// Laps per loop that change over time, in place of the pace.
    laps: Option<Accumulated>,
    /// Metres per frame that change over time, on top of the pace.
    speed: Option<Accumulated>,
    /// Laps that are added to every phase: where riders are, in place of how fast they go.
    progress: Driven,
    start: Driven,
    end: RideEnd,
    offset: Option<RideOffset>,
    /// Parts of the path between which riders are there.
    visible: Option<(Driven, Driven)>,
    /// Made when they are first asked for, for the path at frame 0.
    seats: OnceLock<Vec<Seat>>,
    /// Axes along a path that does not move.
    axes: OnceLock<Arc<Vec<AxesTable>>>,
}

impl Ride {
    /// `laps` per `frames` frames at constant speed, wrapping, spaced evenly by length, by turns on the path's
    /// strands; negative laps run backwards.
    pub fn new(path: Path, riders: usize, laps: Fraction, frames: f64) -> Self {
        let seating = Seating {
            riders,
            spacing: RideSpacing::Even,
            sharing: Sharing::ByTurns,
            pace: Pace::Laps(laps),
            pace_spread: 0.0,
            whole_laps: 0.0,
            spread: 0.0,
            seed: 0,
            shifts: BTreeMap::new(),
            frames,
        };
        Self {
            path,
            seating,
            laps: None,
            speed: None,
            progress: Driven::Fixed(0.0),
            start: Driven::Fixed(0.0),
            end: RideEnd::Wrap,
            offset: None,
            visible: None,
            seats: OnceLock::new(),
            axes: OnceLock::new(),
        }
    }

    fn seated(mut self, change: impl FnOnce(&mut Seating)) -> Self {
        change(&mut self.seating);
        self.seats = OnceLock::new();
        self
    }

    /// With the first rider's phase, in laps.
    pub fn starting_at(self, start: f64) -> Self {
        self.starting(Driven::Fixed(start))
    }

    /// With what is added to every rider's phase, in laps.
    pub fn starting(mut self, start: Driven) -> Self {
        self.start = start;
        self
    }

    /// With another rule for the end of the path.
    pub fn at_end(mut self, end: RideEnd) -> Self {
        self.end = end;
        self
    }

    /// With other places to begin.
    pub fn spaced(self, spacing: RideSpacing) -> Self {
        self.seated(|seating| seating.spacing = spacing)
    }

    /// Shared otherwise among the path's strands.
    pub fn shared(self, sharing: Sharing) -> Self {
        self.seated(|seating| seating.sharing = sharing)
    }

    /// At another pace.
    pub fn paced(self, pace: Pace) -> Self {
        self.seated(|seating| seating.pace = pace)
    }

    /// With laps per loop that change over time; their integral is what is travelled.
    pub fn driven(mut self, laps: Driven) -> Self {
        self.laps = Some(Accumulated::new(laps));
        self
    }

    /// With metres per frame that change over time, on top of the pace; their integral is what is travelled.
    pub fn hurried(mut self, speed: Driven) -> Self {
        self.speed = Some(Accumulated::new(speed));
        self
    }

    /// With laps that say over time where every rider is, added to what its pace gives.
    pub fn progressing(mut self, progress: Driven) -> Self {
        self.progress = progress;
        self
    }

    /// With each rider quicker or slower by a random part of ±`amount` laps per loop. Where `looping`, every
    /// rider's laps are rounded so that it comes back by itself.
    pub fn pace_spread(self, amount: f64, looping: bool) -> Self {
        let step = if self.end == RideEnd::TurnBack { 2.0 } else { 1.0 };
        self.seated(|seating| {
            seating.pace_spread = amount;
            seating.whole_laps = if looping { step } else { 0.0 };
        })
    }

    /// With each rider moved by a random part of ±`amount` laps.
    pub fn spread(self, amount: f64) -> Self {
        self.seated(|seating| seating.spread = amount)
    }

    /// With another seed for all that is random.
    pub fn seeded(self, seed: u64) -> Self {
        self.seated(|seating| seating.seed = seed)
    }

    /// With some riders, by their number, moved by so many laps.
    pub fn shifted(self, shifts: BTreeMap<usize, f64>) -> Self {
        self.seated(|seating| seating.shifts = shifts)
    }

    /// Off the path.
    pub fn offset(mut self, offset: RideOffset) -> Self {
        self.offset = (!offset.is_none()).then_some(offset);
        self
    }

    /// There only between two parts of the path; `from` after `to` means across its start.
    pub fn visible(mut self, from: Driven, to: Driven) -> Self {
        let everywhere = from.fixed().is_some_and(|from| from <= 0.0) && to.fixed().is_some_and(|to| to >= 1.0);
        self.visible = (!everywhere).then_some((from, to));
        self
    }

    /// With another number of riders.
    pub fn with_riders(self, riders: usize) -> Self {
        self.seated(|seating| seating.riders = riders)
    }

    /// What happens where the path ends.
    pub const fn end(&self) -> RideEnd {
        self.end
    }

    /// True where riders have laps of their own that do not bring them back.
    pub fn wanders(&self) -> bool {
        self.seating.pace_spread > 0.0 && self.seating.whole_laps == 0.0
    }

    /// True where riders have laps of their own that bring each of them back.
    pub fn rounded(&self) -> bool {
        self.seating.pace_spread > 0.0 && self.seating.whole_laps > 0.0
    }

    /// Each rider's seat, without what is added to every phase.
    pub fn seats(&self) -> &[Seat] {
        self.seats.get_or_init(|| done_whole(|| self.seating.seats(&self.path.at(0.0))))
    }

    /// Laps that the first rider goes in a loop by what drives it over time.
    pub fn covered(&self) -> f64 {
        self.phase(0, self.seating.frames) - self.phase(0, 0.0)
    }

    /// Each rider's strand and phase at frame 0, in laps.
    pub fn phases(&self) -> Vec<(usize, f64)> {
        let start = |object| self.start.at(0.0, self.thing(object)) + self.progress.at(0.0, self.thing(object));
        self.seats().iter().enumerate().map(|(object, seat)| (seat.strand, seat.phase + start(object))).collect()
    }

    const fn thing(&self, object: usize) -> Thing {
        Thing { index: object, count: self.seating.riders }
    }

    /// Laps from frame 0 on.
    #[inline(always)]
    fn travelled(&self, seat: &Seat, part: f64, frame: f64) -> f64 {
        match &self.laps {
            None => seat.laps * part,
            Some(laps) => laps.until(frame) / self.seating.frames + (seat.laps - self.base()) * part,
        }
    }

    /// Metres of a lap, on the path as it is at frame 0.
    fn lap_length(&self, seat: &Seat) -> f64 {
        let curve = self.path.at(0.0);
        curve.strands()[seat.strand % curve.strands().len()].length()
    }

    /// Laps in a loop without a rider's own.
    fn base(&self) -> f64 {
        self.seating.pace.laps(self.seating.frames, 1.0)
    }

    fn phase(&self, object: usize, frame: f64) -> f64 {
        let seat = &self.seats()[object];
        let thing = self.thing(object);
        let own = seat.phase + self.start.at(frame, thing) + self.progress.at(frame, thing);
        let hurried = self.speed.as_ref().map_or(0.0, |speed| speed.until(frame) / self.lap_length(seat));
        own + hurried + self.travelled(seat, frame / self.seating.frames, frame)
    }

    /// Laps per frame.
    fn rate(&self, object: usize, frame: f64) -> f64 {
        let seat = &self.seats()[object];
        let own = match &self.laps {
            None => seat.laps,
            Some(laps) => laps.at(frame) + seat.laps - self.base(),
        };
        let thing = self.thing(object);
        let start = self.start.lap_slope(frame, thing) + self.progress.lap_slope(frame, thing);
        let hurried = self.speed.as_ref().map_or(0.0, |speed| speed.at(frame) / self.lap_length(seat));
        own / self.seating.frames + hurried + start
    }
}
