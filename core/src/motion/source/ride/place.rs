//! Where a rider is by its phase.

use super::{Ride, RideEnd, RideOffset};
use crate::curve::{AxesTable, Curve, OnStrand, Strand};
use crate::motion::{Place, Sample};
use crate::signal::{Driven, velocity_of};
use glam::DVec3;
use std::sync::Arc;

/// Radians between nodes of a path's axes.
pub(super) const PATH_STEP: f64 = 0.02;

/// Half the part of a strand over which the turning of its axes is measured.
pub(super) const LENGTH_STEP: f64 = 1e-6;

/// Times that a finer part is looked at, and how much finer it is each time.
pub(super) const FINER_LOOKS: usize = 6;

pub(super) const FINER: f64 = 0.1;

/// Part of a slope by which a finer one may differ.
pub(super) const EVEN: f64 = 1e-5;

/// A place on a strand.
pub(super) struct Spot {
    /// Metres from its start, 0 to L.
    pub(super) s: f64,
    /// Laps as they count for the place.
    pub(super) laps: f64,
    /// Metres beyond its ends: behind the last where positive, before the first where negative.
    pub(super) beyond: f64,
    /// Metres on the strand for each metre of phase: 1 or −1.
    pub(super) pace: f64,
}

/// A path at a frame.
pub(super) struct Now<'a> {
    pub(super) frame: f64,
    pub(super) curve: &'a Curve,
    pub(super) axes: Option<Arc<Vec<AxesTable>>>,
}

/// Part of a lap that rounding may leave.
pub(super) const ROUND: f64 = 1e-12;

/// The whole number at or below x, for |x| below 2⁵¹. Adding 1.5·2⁵² leaves no room for a fraction; this
/// is quicker than a call where the processor has no instruction for it that may be taken for granted.
#[inline(always)]
pub(super) fn whole(x: f64) -> f64 {
    const ROOM: f64 = 6_755_399_441_055_744.0;
    let nearest = (x + ROOM) - ROOM;
    if nearest > x { nearest - 1.0 } else { nearest }
}

impl Ride {
    /// The place on a strand of this length at an unwrapped phase.
    #[inline(always)]
    pub(super) fn spot(&self, laps: f64, length: f64) -> Spot {
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
    pub(super) fn pace(&self, spot: &Spot, rate: f64) -> f64 {
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
    pub(super) fn goes_along(&self, laps: f64, rate: f64) -> bool {
        match self.end {
            RideEnd::Wrap | RideEnd::TurnBack => true,
            RideEnd::Hold | RideEnd::RunOn if rate < 0.0 => laps > 0.0 && laps <= 1.0,
            RideEnd::Hold | RideEnd::RunOn => (0.0..1.0).contains(&laps),
        }
    }

    /// The tables of axes that offsets need.
    pub(super) fn tables(&self, curve: &Curve) -> Option<Arc<Vec<AxesTable>>> {
        let rule = self.offset.as_ref()?.rule;
        let make = || {
            let table = |strand: &Strand| AxesTable::new(strand.nodes(PATH_STEP), rule, strand.closed());
            Arc::new(curve.strands().iter().map(table).collect())
        };
        Some(if self.path.unmoving().is_some() { self.axes.get_or_init(make).clone() } else { make() })
    }

    pub(super) fn now<'a>(&self, curve: &'a Curve, frame: f64) -> Now<'a> {
        Now { frame, curve, axes: self.tables(curve) }
    }

    /// The place of a rider whose phase is `laps`, its offset included.
    pub(super) fn place(&self, now: &Now<'_>, object: usize, laps: f64) -> DVec3 {
        let index = self.seats()[object].strand % now.curve.strands().len();
        let strand = &now.curve.strands()[index];
        let spot = self.spot(laps, strand.length());
        self.place_on(now, (index, strand), object, spot.s) + strand.at_normalised(spot.s).tangent * spot.beyond
    }

    pub(super) fn place_on(&self, now: &Now<'_>, (index, strand): (usize, &Strand), object: usize, s: f64) -> DVec3 {
        self.off_path(now, index, object, s, strand.at_normalised(s))
    }

    /// What is `here` on the path, moved by the offset.
    #[inline(always)]
    pub(super) fn off_path(&self, now: &Now<'_>, index: usize, object: usize, s: f64, here: OnStrand) -> DVec3 {
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
    pub(super) fn slope(
        &self,
        now: &Now<'_>,
        (index, strand): (usize, &Strand),
        object: usize,
        s: f64,
        ahead: bool,
    ) -> DVec3 {
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

    pub(super) fn velocity(&self, now: &Now<'_>, object: usize, laps: f64) -> DVec3 {
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

    pub(super) fn fill(&self, now: &Now<'_>, row: usize, object: usize, laps: f64, out: &mut Sample) {
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
}
