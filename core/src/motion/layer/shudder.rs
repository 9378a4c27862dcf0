//! Forward and back along the way, again and again.

use super::{Below, Layer, Layered, Rows, Who, who_needs};
use crate::curve::Strand;
use crate::motion::{Break, BreakKind, Columns, Frames, MOST_BREAKS, Motion, MotionError, Sample, corners};
use crate::signal::{Driven, Thing, velocity_of};
use glam::DVec3;
use std::f64::consts::PI;
use std::sync::Arc;

/// How things shudder.
#[derive(Debug, Clone)]
pub struct Shuddering {
    /// Metres to either side along the way.
    pub amount: Driven,
    /// Part of the size by which it is larger ahead and smaller back.
    pub scale: Driven,
    /// Part of the brightness by which it is brighter ahead and darker back.
    pub brightness: Driven,
    /// Frames from one side to the other, above 0.
    pub every: f64,
    /// Frame at which it is first ahead.
    pub start: f64,
    /// Swings from side to side, or jumps.
    pub soft: bool,
}

/// Another motion whose things shudder along their path, or along their travel where they have none.
pub type Shudder = Layered<Shuddering>;

impl Shudder {
    /// In this way.
    pub fn new(inner: Arc<dyn Motion>, how: Shuddering) -> Self {
        Self::over(inner, how)
    }
}

impl Shuddering {
    /// From −1, back, to 1, ahead; and its rate of change per frame.
    fn side(&self, frame: f64) -> (f64, f64) {
        let x = (frame - self.start) / self.every;
        if self.soft {
            let (sine, cosine) = libm::sincos(PI * x);
            return (cosine, -PI * sine / self.every);
        }
        let half = 0.5 * x.floor();
        (if half == half.floor() { 1.0 } else { -1.0 }, 0.0)
    }

    /// How far ahead a thing is at a frame, and how fast that changes.
    fn ahead(&self, thing: Thing, frame: f64) -> (f64, f64) {
        let (side, rate) = self.side(frame);
        let amount = self.amount.at(frame, thing);
        let change = self.amount.slope(frame, thing);
        (amount * side, change * side + amount * rate)
    }

    /// Where the way ahead is another one at once, as where a ball bounces: there it leaps from the one to the other.
    fn turned(&self, Below { inner, breaks }: Below<'_>, object: usize) -> Vec<Break> {
        if self.amount.fixed() == Some(0.0) {
            return Vec::new();
        }
        let along = if inner.path().is_some() { Columns::PLACE } else { Columns::TRAVEL };
        let mut breaks = breaks.to_vec();
        let beside: Vec<_> =
            breaks.iter().flat_map(|b| [b.frame - BESIDE, b.frame + BESIDE]).map(|frame| (object, frame)).collect();
        let mut sample = Sample::default();
        inner.sample_at(&beside, along, &mut sample);
        let ways = |row: usize| match sample.places.get(row) {
            Some(place) => DVec3::X * place.direction,
            None => sample.travels[row],
        };
        let mut row = 0;
        breaks.retain_mut(|b| {
            row += 2;
            let turns = ways(row - 2).distance(ways(row - 1)) > TURNED;
            turns && !std::mem::replace(&mut b.kind, BreakKind::Jump).is_jump()
        });
        breaks
    }
}

/// Frames before and after a break at which the ways there are looked at.
const BESIDE: f64 = 1e-7;

/// Ways that are farther apart than this, in radians, are different ones, and not the same one in a bend.
const TURNED: f64 = 1e-6;

/// A point of a strand so many metres from its start, and the direction there; beyond its ends straight on, unless it
/// goes `round`.
fn on(strand: &Strand, s: f64, round: bool) -> (DVec3, DVec3) {
    if round && !(0.0..=strand.length()).contains(&s) {
        let here = strand.at(s);
        return (here.point, here.tangent);
    }
    let held = s.clamp(0.0, strand.length());
    let here = strand.at_normalised(held);
    (here.point + here.tangent * (s - held), here.tangent)
}

impl Layer for Shuddering {
    fn changes(&self) -> Columns {
        let of = |amount: &Driven, column| if amount.fixed() == Some(0.0) { Columns::NONE } else { column };
        of(&self.amount, Columns::POSITION)
            | of(&self.scale, Columns::SCALE)
            | of(&self.brightness, Columns::BRIGHTNESS)
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        let moved =
            columns.contain(Columns::POSITION) || columns.contain(Columns::VELOCITY) || columns.contain(Columns::PLACE);
        let columns = columns | who_needs(inner);
        if !moved {
            return columns;
        }
        let place = if inner.path().is_some() { Columns::PLACE } else { Columns::NONE };
        columns | Columns::TRAVEL | place
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let who = Who::of(inner);
        let path = inner.path();
        for row in 0..rows.count() {
            let (thing, frame) = who.at(rows, row, out);
            if let Some(travel) = out.travels.get(row).copied() {
                let (ahead, rate) = self.ahead(thing, frame);
                let (mut moved, mut pace) = (travel * ahead, travel * rate);
                if let (Some(path), Some(place)) = (path, out.places.get_mut(row)) {
                    let curve = path.at(frame);
                    let strand = &curve.strands()[place.strand % curve.strands().len()];
                    let along = ahead * place.direction;
                    let (round, beyond) = (strand.closed() && place.beyond.is_none(), place.beyond.unwrap_or(0.0));
                    let s = place.s + beyond;
                    let ((from, before), (to, after)) = (on(strand, s, round), on(strand, s + along, round));
                    moved = to - from;
                    // How fast it goes along the path, which off the path is not how fast it is.
                    let speed = match out.velocities.get(row) {
                        Some(velocity) if place.beyond.is_some() && place.rate == 0.0 => velocity.dot(before),
                        _ => place.rate * strand.length(),
                    };
                    pace = after * (speed + rate * place.direction) - before * speed;
                    if path.unmoving().is_none() && columns.contain(Columns::VELOCITY) {
                        let (index, part) = (place.strand, place.s / strand.length());
                        pace += velocity_of(
                            |frame| {
                                let curve = path.at(frame);
                                let strand = &curve.strands()[index % curve.strands().len()];
                                let s = part * strand.length() + beyond;
                                on(strand, s + along, round).0 - on(strand, s, round).0
                            },
                            frame,
                        );
                    }
                    let on = if round { strand.normalise(s + along) } else { (s + along).clamp(0.0, strand.length()) };
                    place.beyond = place.beyond.map(|_| s + along - on);
                    place.s = on;
                    place.laps += along / strand.length();
                    place.rate += rate * place.direction / strand.length();
                }
                if let Some(position) = out.positions.get_mut(row) {
                    *position += moved;
                }
                if let Some(velocity) = out.velocities.get_mut(row) {
                    *velocity += pace;
                }
            }
            let (side, _) = self.side(frame);
            if let Some(scale) = out.scales.get_mut(row) {
                *scale *= (1.0 + side * self.scale.at(frame, thing)).max(1e-3);
            }
            if let Some(bright) = out.brightness.get_mut(row) {
                *bright *= (1.0 + side * self.brightness.at(frame, thing)).max(0.0);
            }
        }
    }

    fn breaks(&self, below: Below<'_>, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let bends = [&self.amount, &self.scale].into_iter().flat_map(|amount| amount.bends(range.from, range.to));
        let mut breaks: Vec<Break> = corners(bends).collect();
        breaks.extend(self.turned(below, object));
        if self.soft {
            return Ok(breaks);
        }
        let first = ((range.from - self.start) / self.every).ceil();
        let last = ((range.to - self.start) / self.every).floor();
        if last - first > MOST_BREAKS as f64 {
            return Err(MotionError::TooMuch(
                "It shudders too often: let it go to the other side less often.".to_owned(),
            ));
        }
        let count = if last >= first { (last - first) as usize + 1 } else { 0 };
        let jump = |i: usize| Break { frame: self.start + (first + i as f64) * self.every, kind: BreakKind::Jump };
        breaks.extend((0..count).map(jump));
        Ok(breaks)
    }
}
