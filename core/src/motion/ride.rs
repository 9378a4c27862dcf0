//! Riding: things on a path, driven by laps.

use super::{Break, BreakKind, Columns, Extent, Frames, MOST_BREAKS, Motion, MotionError, Outside, Place, Sample};
use crate::curve::{Path, Strand};
use crate::fraction::Fraction;
use crate::random;
use crate::signal::{Constant, Signal};
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

/// What happens where an open path ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RideEnd {
    /// Goes on at the start.
    Wrap,
    /// Stops there and stays.
    Hold,
}

/// `riders` things on a path, spaced evenly by length, by turns on its strands.
///
/// The phase of rider i is φᵢ(f) = φᵢ + ∫₀ᶠ rate in laps, and its place is the path at fract(φ)·L.
#[derive(Clone)]
pub struct Ride {
    path: Path,
    riders: usize,
    laps: Fraction,
    frames: f64,
    rate: Arc<dyn Signal>,
    start: f64,
    spread: f64,
    seed: u64,
    /// How far some riders are moved off their place, laps.
    shifts: BTreeMap<usize, f64>,
    end: RideEnd,
    /// Seats on the strands that the path has at frame 0, made when they are first asked for.
    seats: OnceLock<Vec<Seat>>,
}

/// Where a rider belongs.
#[derive(Debug, Clone, Copy)]
struct Seat {
    strand: usize,
    /// Laps at frame 0.
    phase: f64,
}

/// The channel of the random numbers that spread the riders.
const SPREAD_CHANNEL: u64 = 1;

impl Ride {
    /// `laps` per `frames` frames at constant speed, wrapping; negative laps run backwards.
    pub fn new(path: Path, riders: usize, laps: Fraction, frames: f64) -> Self {
        Self {
            path,
            riders,
            laps,
            frames,
            rate: Arc::new(Constant(laps.value() / frames)),
            start: 0.0,
            spread: 0.0,
            seed: 0,
            shifts: BTreeMap::new(),
            end: RideEnd::Wrap,
            seats: OnceLock::new(),
        }
    }

    /// With the first rider's phase, in laps.
    pub fn starting_at(mut self, start: f64) -> Self {
        self.start = start;
        self.seats = OnceLock::new();
        self
    }

    /// With another rule for the end of the path.
    pub fn at_end(mut self, end: RideEnd) -> Self {
        self.end = end;
        self
    }

    /// With each rider moved by a random part of ±`amount` laps, from a seed.
    pub fn spread(mut self, amount: f64, seed: u64) -> Self {
        self.spread = amount;
        self.seed = seed;
        self.seats = OnceLock::new();
        self
    }

    /// With some riders, by their number, moved by so many laps.
    pub fn shifted(mut self, shifts: BTreeMap<usize, f64>) -> Self {
        self.shifts = shifts;
        self.seats = OnceLock::new();
        self
    }

    /// Laps per loop, exactly.
    pub const fn laps(&self) -> Fraction {
        self.laps
    }

    /// Each rider's strand and phase at frame 0, in laps.
    pub fn phases(&self) -> Vec<(usize, f64)> {
        let strands = self.path.at(0.0).strands().len();
        (0..self.riders).map(|object| self.seat(object, strands)).map(|seat| (seat.strand, seat.phase)).collect()
    }

    /// The seats on that many strands; none where the path has another number of them now.
    fn known_seats(&self, strands: usize) -> &[Seat] {
        let seats = self.seats.get_or_init(|| {
            let strands = self.path.at(0.0).strands().len();
            (0..self.riders).map(|object| self.seat(object, strands)).collect()
        });
        if self.path.unmoving().is_some() || self.path.at(0.0).strands().len() == strands { seats } else { &[] }
    }

    fn seat(&self, object: usize, strands: usize) -> Seat {
        let strand = object % strands;
        let place = object / strands;
        let on_strand = (self.riders - strand).div_ceil(strands);
        let even = place as f64 / on_strand as f64;
        let moved = self.spread * random::signed(self.seed, object as u64, SPREAD_CHANNEL);
        let own = self.shifts.get(&object).copied().unwrap_or(0.0);
        Seat { strand, phase: self.start + even + moved + own }
    }

    /// Arc length on a strand of this length, laps, and whether it travels there, at an unwrapped phase.
    #[inline(always)]
    fn arc_length(&self, laps: f64, length: f64) -> (f64, f64, bool) {
        match self.end {
            RideEnd::Wrap => ((laps - whole(laps)) * length, laps, true),
            RideEnd::Hold => {
                let held = laps.clamp(0.0, 1.0);
                (held * length, held, (0.0..1.0).contains(&laps))
            }
        }
    }

    fn direction(&self) -> f64 {
        if self.laps.numerator() < 0 { -1.0 } else { 1.0 }
    }

    #[inline(always)]
    fn fill(&self, strands: &[Strand], row: usize, seat: Seat, (frame, travelled): (f64, f64), out: &mut Sample) {
        let strand = &strands[seat.strand];
        let length = strand.length();
        let (s, laps, moving) = self.arc_length(seat.phase + travelled, length);
        let direction = self.direction();
        let here = strand.at_normalised(s);
        if let Some(position) = out.positions.get_mut(row) {
            *position = here.point;
        }
        if let Some(velocity) = out.velocities.get_mut(row).filter(|_| moving) {
            *velocity = here.tangent * (length * self.rate.at(frame));
        }
        if let Some(travel) = out.travels.get_mut(row) {
            *travel = here.tangent * direction;
        }
        if let Some(place) = out.places.get_mut(row) {
            *place = Place { strand: seat.strand, s, laps, direction };
        }
    }

    /// Frames in `range` at which the phase of a rider crosses one of the levels `offset + k`.
    fn crossings(&self, phase: f64, offset: f64, range: Frames) -> Vec<f64> {
        let laps = |frame: f64| phase + self.rate.integral(0.0, frame) - offset;
        let mut found = Vec::new();
        let (first, last) = (range.from.floor(), range.to.ceil());
        let mut frame = first;
        while frame < last {
            let (a, b) = (laps(frame), laps(frame + 1.0));
            let (low, high) = (a.min(b), a.max(b));
            let mut level = low.ceil();
            let from_here = found.len();
            while level <= high && low < high {
                found.push(bisect(|x| laps(x) - level, frame, frame + 1.0));
                level += 1.0;
            }
            if b < a {
                found[from_here..].reverse();
            }
            frame += 1.0;
        }
        found.retain(|&frame| range.holds(frame));
        found.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
        found
    }
}

/// The whole number at or below x, for |x| below 2⁵¹. Adding 1.5·2⁵² leaves no room for a fraction; this
/// is quicker than a call where the processor has no instruction for it that may be taken for granted.
#[inline(always)]
fn whole(x: f64) -> f64 {
    const ROOM: f64 = 6_755_399_441_055_744.0;
    let nearest = (x + ROOM) - ROOM;
    if nearest > x { nearest - 1.0 } else { nearest }
}

fn bisect(f: impl Fn(f64) -> f64, mut low: f64, mut high: f64) -> f64 {
    let rising = f(high) >= f(low);
    for _ in 0..60 {
        let middle = 0.5 * (low + high);
        if (f(middle) < 0.0) == rising {
            low = middle;
        } else {
            high = middle;
        }
    }
    0.5 * (low + high)
}

impl Motion for Ride {
    fn len(&self) -> usize {
        self.riders
    }

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: self.frames, outside: Outside::RunsOn }
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        let mut curve = at.first().map(|&(_, frame)| (frame, self.path.at(frame)));
        for (row, &(object, frame)) in at.iter().enumerate() {
            if let Some((known, curve)) = curve.as_mut().filter(|(known, _)| *known != frame) {
                *curve = self.path.at(frame);
                *known = frame;
            }
            if let Some((_, curve)) = &curve {
                let seat = self.seat(object, curve.strands().len());
                self.fill(curve.strands(), row, seat, (frame, self.rate.integral(0.0, frame)), out);
            }
        }
    }

    fn varies(&self) -> Columns {
        Columns::POSITION
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        let curve = self.path.at(frame);
        let strands = curve.strands();
        let travelled = self.rate.integral(0.0, frame);
        let seats = self.known_seats(strands.len());
        if columns.contain(Columns::POSITION) && !columns.touch(Columns::VELOCITY | Columns::TRAVEL | Columns::PLACE) {
            // Places alone, the most frequent wish, need no direction.
            if let Some(seats) = seats.get(objects.clone()) {
                out.reset(objects.len(), columns.without(Columns::POSITION));
                out.positions.clear();
                let mut piece = 0;
                out.positions.extend(seats.iter().map(|seat| {
                    let strand = &strands[seat.strand];
                    strand.point_normalised(self.arc_length(seat.phase + travelled, strand.length()).0, &mut piece)
                }));
                return;
            }
        }
        out.reset(objects.len(), columns);
        for (row, object) in objects.enumerate() {
            let seat = seats.get(object).copied().unwrap_or_else(|| self.seat(object, strands.len()));
            self.fill(strands, row, seat, (frame, travelled), out);
        }
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let curve = self.path.at(range.from);
        let Seat { strand, phase } = self.seat(object, curve.strands().len());
        let strand = &curve.strands()[strand];
        let laps = self.rate.integral(range.from, range.to).abs();
        let sharp = (strand.corners().len() + 1) as f64 * (laps + 1.0);
        if sharp > MOST_BREAKS as f64 {
            return Err(MotionError::TooMuch(format!(
                "each thing passes {sharp:.0} corners in these frames, and {MOST_BREAKS} is the most: use fewer frames or laps, or a path with fewer corners"
            )));
        }
        let mut breaks = Vec::new();
        let mut add = |frames: Vec<f64>, kind| breaks.extend(frames.into_iter().map(|frame| Break { frame, kind }));
        for corner in strand.corners() {
            add(self.crossings(phase, corner / strand.length(), range), BreakKind::Corner);
        }
        match self.end {
            RideEnd::Wrap if !strand.closed() => add(self.crossings(phase, 0.0, range), BreakKind::Jump),
            RideEnd::Wrap => {}
            RideEnd::Hold => {
                let ends = self.crossings(phase, 0.0, range).into_iter().filter(|&frame| {
                    let laps = phase + self.rate.integral(0.0, frame);
                    laps.abs() < 1e-6 || (laps - 1.0).abs() < 1e-6
                });
                add(ends.collect(), BreakKind::Corner);
            }
        }
        if self.end == RideEnd::Hold {
            breaks.retain(|b| (-1e-6..=1.0 + 1e-6).contains(&(phase + self.rate.integral(0.0, b.frame))));
        }
        breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
        Ok(breaks)
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.path)
    }
}
