//! A ride as a motion.

use super::place::whole;
use super::{Ride, RideEnd};
use crate::curve::Path;
use crate::motion::{
    Break, BreakKind, Columns, Extent, Frames, MOST_BREAKS, Motion, MotionError, Outside, Sample, with_breaks,
};
use crate::roots::{halved, middle};
use std::ops::Range;

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
        Ok(with_breaks(breaks, []))
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.path)
    }
}

impl Ride {
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
                let rising = laps(frame + 1.0) >= laps(frame);
                let before = |x: f64| (laps(x) - level < 0.0) == rising;
                found.push(middle(halved((frame, frame + 1.0), 60, before)));
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
