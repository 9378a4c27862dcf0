//! Riding: things on a path, driven by laps.

use super::seats::{Pace, RideSpacing, Seat, Seating, Sharing};
use super::{Break, BreakKind, Columns, Extent, Frames, MOST_BREAKS, Motion, MotionError, Outside, Place, Sample};
use crate::curve::{AxesTable, Curve, OnStrand, Path, Strand, UpRule};
use crate::fraction::Fraction;
use crate::signal::{Accumulated, Driven, Thing, velocity_of};
use crate::work::whole as done_whole;
use glam::DVec3;
use std::collections::BTreeMap;
use std::ops::Range;
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

/// Radians between nodes of a path's axes.
const PATH_STEP: f64 = 0.02;
/// Half the part of a strand over which the turning of its axes is measured.
const LENGTH_STEP: f64 = 1e-6;
/// Times that a finer part is looked at, and how much finer it is each time.
const FINER_LOOKS: usize = 6;
const FINER: f64 = 0.1;
/// Part of a slope by which a finer one may differ.
const EVEN: f64 = 1e-5;

/// A place on a strand.
struct Spot {
    /// Metres from its start, 0 to L.
    s: f64,
    /// Laps as they count for the place.
    laps: f64,
    /// Metres beyond its ends: behind the last where positive, before the first where negative.
    beyond: f64,
    /// Metres on the strand for each metre of phase: 1 or −1.
    pace: f64,
}

/// A path at a frame.
struct Now<'a> {
    frame: f64,
    curve: &'a Curve,
    axes: Option<Arc<Vec<AxesTable>>>,
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

    /// The place on a strand of this length at an unwrapped phase.
    #[inline(always)]
    fn spot(&self, laps: f64, length: f64) -> Spot {
        match self.end {
            RideEnd::Wrap => {
                let part = laps - whole(laps);
                // What rounding leaves below a whole lap has come round.
                let part = if part > 1.0 - ROUND { 0.0 } else { part };
                Spot { s: part * length, laps, beyond: 0.0, pace: 1.0 }
            }
            RideEnd::Hold | RideEnd::RunOn => {
                let held = laps.clamp(0.0, 1.0);
                let beyond = if self.end == RideEnd::Hold { 0.0 } else { (laps - held) * length };
                Spot { s: held * length, laps: held, beyond, pace: 1.0 }
            }
            RideEnd::TurnBack => {
                let twice = laps - 2.0 * whole(0.5 * laps);
                let back = twice > 1.0;
                let part = if back { 2.0 - twice } else { twice };
                Spot { s: part * length, laps: part, beyond: 0.0, pace: if back { -1.0 } else { 1.0 } }
            }
        }
    }

    /// Metres on the strand for each metre of phase right after a rider that goes at this rate, in laps, is there: where it
    /// turns back it goes back.
    fn pace(&self, spot: &Spot, rate: f64) -> f64 {
        if self.end != RideEnd::TurnBack {
            return spot.pace;
        }
        let forth = if rate < 0.0 { -1.0 } else { 1.0 };
        if spot.laps > 1.0 - ROUND {
            -forth
        } else if spot.laps < ROUND {
            forth
        } else {
            spot.pace
        }
    }

    /// True where a rider that goes at this rate, in laps, is on the path right after it has this phase: past an end it
    /// stays there, or leaves the path.
    fn goes_along(&self, laps: f64, rate: f64) -> bool {
        match self.end {
            RideEnd::Wrap | RideEnd::TurnBack => true,
            RideEnd::Hold | RideEnd::RunOn if rate < 0.0 => laps > 0.0 && laps <= 1.0,
            RideEnd::Hold | RideEnd::RunOn => (0.0..1.0).contains(&laps),
        }
    }

    /// The tables of axes that offsets need.
    fn tables(&self, curve: &Curve) -> Option<Arc<Vec<AxesTable>>> {
        let rule = self.offset.as_ref()?.rule;
        let make = || {
            let table = |strand: &Strand| AxesTable::new(strand.nodes(PATH_STEP), rule, strand.closed());
            Arc::new(curve.strands().iter().map(table).collect())
        };
        Some(if self.path.unmoving().is_some() { self.axes.get_or_init(make).clone() } else { make() })
    }

    fn now<'a>(&self, curve: &'a Curve, frame: f64) -> Now<'a> {
        Now { frame, curve, axes: self.tables(curve) }
    }

    /// The place of a rider whose phase is `laps`, its offset included.
    fn place(&self, now: &Now<'_>, object: usize, laps: f64) -> DVec3 {
        let index = self.seats()[object].strand % now.curve.strands().len();
        let strand = &now.curve.strands()[index];
        let spot = self.spot(laps, strand.length());
        self.place_on(now, (index, strand), object, spot.s) + strand.at_normalised(spot.s).tangent * spot.beyond
    }

    fn place_on(&self, now: &Now<'_>, (index, strand): (usize, &Strand), object: usize, s: f64) -> DVec3 {
        self.off_path(now, index, object, s, strand.at_normalised(s))
    }

    /// What is `here` on the path, moved by the offset.
    #[inline(always)]
    fn off_path(&self, now: &Now<'_>, index: usize, object: usize, s: f64, here: OnStrand) -> DVec3 {
        let (Some(offset), Some(axes)) = (&self.offset, &now.axes) else { return here.point };
        let thing = self.thing(object);
        let up = axes[index].up(s, here.point, here.tangent);
        let part = |driven: &Driven| driven.at(now.frame, thing);
        here.point
            + here.tangent * part(&offset.along)
            + up * part(&offset.up)
            + here.tangent.cross(up) * part(&offset.across)
    }

    /// How the place changes by metres along the strand: the direction, but for what the turning of the axes adds.
    /// Where the path's bend changes at once it is that of the side to which it goes.
    fn slope(&self, now: &Now<'_>, (index, strand): (usize, &Strand), object: usize, s: f64, ahead: bool) -> DVec3 {
        if self.offset.is_none() {
            return strand.at_normalised(s).tangent;
        }
        let slope = |step: f64| {
            let [(from, before), (to, after)] = strand.about(s, ahead, step);
            let at = |s: f64, here: OnStrand| self.off_path(now, index, object, s, here);
            if to > from { (at(to, after) - at(from, before)) / (to - from) } else { before.tangent }
        };
        let widest = slope(LENGTH_STEP * strand.length());
        // What bends fast is looked at more finely, until it is the same as before.
        let (mut step, mut wide) = (LENGTH_STEP * strand.length(), widest);
        for _ in 0..FINER_LOOKS {
            step *= FINER;
            let fine = slope(step);
            if fine.distance(wide) <= EVEN * fine.length() {
                // The wider look, of which rounding takes less.
                return wide;
            }
            wide = fine;
        }
        // At a cusp there is no end to it.
        widest
    }

    fn velocity(&self, now: &Now<'_>, object: usize, laps: f64) -> DVec3 {
        let index = self.seats()[object].strand % now.curve.strands().len();
        let strand = &now.curve.strands()[index];
        let spot = self.spot(laps, strand.length());
        let rate = self.rate(object, now.frame);
        let stays = self.end == RideEnd::Hold && !self.goes_along(laps, rate);
        let speed = if stays { 0.0 } else { strand.length() * rate * self.pace(&spot, rate) };
        let along = if spot.beyond == 0.0 && self.goes_along(laps, rate) {
            self.slope(now, (index, strand), object, spot.s, speed >= 0.0)
        } else {
            strand.at_normalised(spot.s).tangent
        };
        let mut velocity = if speed == 0.0 { DVec3::ZERO } else { along * speed };
        if self.path.unmoving().is_none() || self.offset.as_ref().is_some_and(RideOffset::over_time) {
            let at = |frame: f64| self.place(&self.now(&self.path.at(frame), frame), object, laps);
            velocity += velocity_of(at, now.frame);
        }
        velocity
    }

    fn fill(&self, now: &Now<'_>, row: usize, object: usize, laps: f64, out: &mut Sample) {
        let seat = &self.seats()[object];
        let index = seat.strand % now.curve.strands().len();
        let strand = &now.curve.strands()[index];
        let spot = self.spot(laps, strand.length());
        let changing =
            self.laps.is_some() || self.speed.is_some() || self.start.over_time() || self.progress.over_time();
        let rate = if changing { self.rate(object, now.frame) } else { seat.laps };
        let pace = self.pace(&spot, rate);
        let direction = if rate < 0.0 { -1.0 } else { 1.0 } * pace;
        let here = strand.at_normalised(spot.s);
        if let Some(position) = out.positions.get_mut(row) {
            *position = self.off_path(now, index, object, spot.s, here) + here.tangent * spot.beyond;
        }
        if let Some(velocity) = out.velocities.get_mut(row) {
            *velocity = self.velocity(now, object, laps);
        }
        if let Some(travel) = out.travels.get_mut(row) {
            *travel = here.tangent * direction;
        }
        if let Some(place) = out.places.get_mut(row) {
            let rate = if changing { rate } else { rate / self.seating.frames } * pace;
            let beyond = (self.end == RideEnd::RunOn).then_some(spot.beyond);
            let rate = if self.goes_along(laps, rate) { rate } else { 0.0 };
            *place = Place { strand: index, s: spot.s, laps: spot.laps, direction, rate, beyond };
        }
        if let (Some(alive), Some((from, to))) = (out.alive.get_mut(row), &self.visible) {
            let (part, thing) = (spot.s / strand.length(), self.thing(object));
            let (from, to) = (from.at(now.frame, thing), to.at(now.frame, thing));
            *alive = if from <= to { part >= from && part <= to } else { part >= from || part <= to };
        }
    }

    /// Frames in `range` at which what drives the riders bends.
    fn bends(&self, range: Frames) -> Vec<f64> {
        let mut bends = self.progress.bends(range.from, range.to);
        bends.extend(self.start.bends(range.from, range.to));
        bends.extend(self.laps.iter().chain(&self.speed).flat_map(|laps| laps.bends(range.from, range.to)));
        bends
    }

    /// Frames in `range` at which the phase of a rider crosses one of the levels `offset + k`.
    fn crossings(&self, object: usize, offset: f64, range: Frames) -> Vec<f64> {
        let laps = |frame: f64| self.phase(object, frame) - offset;
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

/// Part of a lap that rounding may leave.
const ROUND: f64 = 1e-12;

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
        self.seating.riders
    }

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: self.seating.frames, outside: Outside::RunsOn }
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        let mut row = 0;
        for same in at.chunk_by(|a, b| a.1 == b.1) {
            let frame = same[0].1;
            let curve = self.path.at(frame);
            let now = self.now(&curve, frame);
            for &(object, _) in same {
                self.fill(&now, row, object, self.phase(object, frame), out);
                row += 1;
            }
        }
    }

    fn varies(&self) -> Columns {
        let there = if self.visible.is_some() { Columns::ALIVE } else { Columns::NONE };
        Columns::POSITION | there
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        let curve = self.path.at(frame);
        let strands = curve.strands();
        let more = Columns::VELOCITY | Columns::TRAVEL | Columns::PLACE;
        let plain =
            self.offset.is_none() && self.speed.is_none() && self.visible.is_none() && self.end != RideEnd::RunOn;
        let start = self.start.fixed().filter(|_| !self.progress.per_thing());
        if let (true, true, Some(start)) = (plain, columns.contain(Columns::POSITION) && !columns.touch(more), start) {
            let start = start + self.progress.at(frame, self.thing(0));
            // Places alone, the most frequent wish, need no direction.
            out.reset(objects.len(), columns.without(Columns::POSITION));
            out.positions.clear();
            let (mut piece, part) = (0, frame / self.seating.frames);
            let driven = self.laps.as_ref().map(|laps| laps.until(frame) / self.seating.frames);
            let base = if driven.is_some() { self.base() } else { 0.0 };
            if let (RideEnd::Wrap, [strand]) = (self.end, strands) {
                // By far the most frequent ride: nothing is asked again for each rider.
                let length = strand.length();
                let mut point = |laps: f64| strand.point_normalised((laps - whole(laps)) * length, &mut piece);
                let seats = self.seats()[objects].iter();
                match driven {
                    None => out.positions.extend(seats.map(|seat| point(seat.phase + start + seat.laps * part))),
                    Some(driven) => out
                        .positions
                        .extend(seats.map(|seat| point(seat.phase + start + (driven + (seat.laps - base) * part)))),
                }
                return;
            }
            out.positions.extend(self.seats()[objects].iter().map(|seat| {
                let strand =
                    &strands[if seat.strand < strands.len() { seat.strand } else { seat.strand % strands.len() }];
                let travelled = match driven {
                    None => seat.laps * part,
                    Some(driven) => driven + (seat.laps - base) * part,
                };
                let spot = self.spot(seat.phase + start + travelled, strand.length());
                strand.point_normalised(spot.s, &mut piece)
            }));
            return;
        }
        out.reset(objects.len(), columns);
        let now = self.now(&curve, frame);
        for (row, object) in objects.enumerate() {
            self.fill(&now, row, object, self.phase(object, frame), out);
        }
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let curve = self.path.at(range.from);
        let strand = &curve.strands()[self.seats()[object].strand % curve.strands().len()];
        let laps = (self.phase(object, range.to) - self.phase(object, range.from)).abs();
        let sharp = (strand.corners().len() + 1) as f64 * (laps + 1.0);
        if sharp > MOST_BREAKS as f64 {
            return Err(MotionError::TooMuch(format!(
                "Each thing passes {sharp:.0} corners in these frames, and {MOST_BREAKS} is the most: use fewer frames or laps, or a path with fewer corners."
            )));
        }
        let mut breaks = Vec::new();
        let mut add = |frames: Vec<f64>, kind| breaks.extend(frames.into_iter().map(|frame| Break { frame, kind }));
        // Off the path a corner takes a thing from one place to another at once.
        let sharp = if self.offset.is_some() { BreakKind::Jump } else { BreakKind::Corner };
        for corner in strand.corners() {
            let part = corner / strand.length();
            add(self.crossings(object, part, range), sharp);
            if self.end == RideEnd::TurnBack {
                add(self.crossings(object, 1.0 - part, range), sharp);
            }
        }
        add(self.bends(range), BreakKind::Corner);
        let on_path = |frame: &f64| (-1e-6..=1.0 + 1e-6).contains(&self.phase(object, *frame));
        match self.end {
            RideEnd::Wrap if !strand.closed() => add(self.crossings(object, 0.0, range), BreakKind::Jump),
            RideEnd::Wrap => {}
            RideEnd::TurnBack => add(self.crossings(object, 0.0, range), BreakKind::Corner),
            RideEnd::Hold | RideEnd::RunOn => {
                let ends = self.crossings(object, 0.0, range).into_iter().filter(on_path);
                add(ends.collect(), if self.end == RideEnd::Hold { BreakKind::Corner } else { sharp });
                breaks.retain(|b| on_path(&b.frame));
            }
        }
        breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.kind.rank().cmp(&b.kind.rank())));
        breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
        Ok(breaks)
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.path)
    }
}
