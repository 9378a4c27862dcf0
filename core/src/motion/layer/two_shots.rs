//! One motion up to a cut, another from there on.

use crate::curve::Path;
use crate::motion::{
    Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Kind, Motion, MotionError, Outside, Sample, Symmetry,
    prepared, with_breaks,
};
use crate::pose::{Axis, angle_between, bend};
use crate::roots::bottom;
use glam::DVec3;
use std::sync::Arc;

/// Two motions of as many things, cut together.
#[derive(Clone)]
pub struct TwoShots {
    first: Arc<dyn Motion>,
    second: Arc<dyn Motion>,
    /// The frame of the loop at which it cuts.
    cut: f64,
    /// Frames of the loop.
    frames: f64,
    /// Frames by which the second is later.
    shift: f64,
    /// Metres by which the second is moved.
    offset: DVec3,
}

/// By this part of what shifts miss on average two of them are as good as each other.
const ALIKE: f64 = 1e-9;
/// As a part of the frame of the cut, how long before it the first shot is looked at.
const BEFORE_CUT: f64 = 1e-9;

/// How far apart both sides of a cut are, at the most over all things.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Apartness {
    /// Metres.
    pub position: f64,
    /// Metres per frame: the difference of the speeds.
    pub speed: f64,
    /// Radians between the directions of travel.
    pub direction: f64,
    /// Radians between the orientations.
    pub orientation: f64,
}

impl TwoShots {
    /// Both motions must have as many things.
    pub fn new(
        first: Arc<dyn Motion>,
        second: Arc<dyn Motion>,
        (cut, frames): (f64, f64),
        shift: f64,
        offset: DVec3,
    ) -> Self {
        Self { first, second, cut, frames, shift, offset }
    }

    /// True when a frame belongs to the first shot.
    fn is_first(&self, frame: f64) -> bool {
        frame - (frame / self.frames).floor() * self.frames < self.cut
    }

    /// What is on both sides of the cut, for another shift of the second shot.
    fn sides(&self, shift: f64) -> (Sample, Sample) {
        let columns = Columns::POSE | Columns::VELOCITY | Columns::TRAVEL;
        let (mut before, mut after) = (Sample::default(), Sample::default());
        // What happens to the first shot at the cut itself, such as a contact, is not seen any more.
        let step = BEFORE_CUT * self.cut.abs().max(1.0);
        self.first.sample(self.cut - step, columns, &mut before);
        for (place, velocity) in before.positions.iter_mut().zip(&before.velocities) {
            *place += *velocity * step;
        }
        self.second.sample(self.cut - shift, columns, &mut after);
        (before, after)
    }

    /// How far apart both sides of the cut are.
    pub fn apart(&self) -> Apartness {
        let (before, after) = self.sides(self.shift);
        (0..self.first.len()).fold(Apartness::default(), |most, i| {
            let both = |values: fn(&Sample) -> &Vec<DVec3>| (values(&before)[i], values(&after)[i]);
            let (v, w) = both(|sample| &sample.velocities);
            let (a, b) = both(|sample| &sample.travels);
            let (p, q) = both(|sample| &sample.positions);
            let direction = if a == DVec3::ZERO || b == DVec3::ZERO { 0.0 } else { bend(a, b) };
            Apartness {
                position: most.position.max(p.distance(q + self.offset)),
                speed: most.speed.max((v.length() - w.length()).abs()),
                direction: most.direction.max(direction),
                orientation: most.orientation.max(angle_between(before.orientations[i], after.orientations[i])),
            }
        })
    }

    /// The shift of the second shot, within a loop to either side, at which the first thing's place and speed are the
    /// nearest to those of the first shot; of several the one nearest to the shift that it has.
    pub fn best_shift(&self) -> f64 {
        let off = |shift: f64| {
            let (before, after) = self.sides(shift);
            let apart = before.positions[0].distance_squared(after.positions[0] + self.offset);
            // A frame's way weighs as much as the place itself.
            apart + before.velocities[0].distance_squared(after.velocities[0])
        };
        let looks = (self.frames * 2.0) as i64;
        let all: Vec<(f64, f64)> = (-looks..=looks).map(|i| 0.5 * i as f64).map(|shift| (shift, off(shift))).collect();
        let least = all.iter().map(|(_, off)| *off).fold(f64::INFINITY, f64::min);
        let mean = all.iter().map(|(_, off)| *off).sum::<f64>() / all.len().max(1) as f64;
        // What goes round matches once in every round: of those the one that changes the least.
        let near = |(shift, _): &&(f64, f64)| (shift - self.shift).abs();
        let alike = all.iter().filter(|(_, off)| *off <= least + ALIKE * mean);
        let best = alike.min_by(|a, b| near(a).total_cmp(&near(b))).map_or(0.0, |(shift, _)| *shift);
        bottom((best - 0.5, best + 0.5), 80, |a, b| off(a) <= off(b))
    }

    /// By how much the second shot must be moved for the first thing to be where it was.
    pub fn best_offset(&self) -> DVec3 {
        let (before, after) = self.sides(self.shift);
        before.positions[0] - after.positions[0]
    }
}

impl Motion for TwoShots {
    fn len(&self) -> usize {
        self.first.len()
    }

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: self.frames, outside: Outside::RunsOn }
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let first = prepared(&self.first, range, cancel)?;
        let later = Frames { from: range.from - self.shift, to: range.to - self.shift };
        let second = prepared(&self.second, later, cancel)?;
        Ok(Some(Arc::new(Self { first, second, ..self.clone() })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(0, Columns::NONE);
        let mut part = Sample::default();
        // Where the two have no one path, nothing is said of places.
        let columns = columns.without(Columns::PLACE);
        for same in at.chunk_by(|a, b| self.is_first(a.1) == self.is_first(b.1)) {
            if self.is_first(same[0].1) {
                self.first.sample_at(same, columns, &mut part);
            } else {
                let later: Vec<(usize, f64)> =
                    same.iter().map(|&(object, frame)| (object, frame - self.shift)).collect();
                self.second.sample_at(&later, columns, &mut part);
                part.positions.iter_mut().for_each(|position| *position += self.offset);
            }
            out.append(&mut part);
        }
    }

    fn varies(&self) -> Columns {
        self.first.varies() | self.second.varies() | Columns::POSITION
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = self.first.breaks(object, range)?;
        breaks.retain(|b| self.is_first(b.frame));
        let later = Frames { from: range.from - self.shift, to: range.to - self.shift };
        let second = self.second.breaks(object, later)?.into_iter();
        breaks.extend(second.map(|b| Break { frame: b.frame + self.shift, ..b }).filter(|b| !self.is_first(b.frame)));
        let loops = ((range.from / self.frames).floor() as i64)..=((range.to / self.frames).ceil() as i64);
        for lap in loops.take(crate::motion::MOST_BREAKS / 2) {
            let start = lap as f64 * self.frames;
            let both = [start, start + self.cut].into_iter().filter(|frame| range.holds(*frame));
            breaks.extend(both.map(|frame| Break { frame, kind: BreakKind::Jump }));
        }
        Ok(with_breaks(breaks, []))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let mut contacts = self.first.contacts(range);
        contacts.retain(|contact| self.is_first(contact.frame));
        let later = Frames { from: range.from - self.shift, to: range.to - self.shift };
        let second = self.second.contacts(later).into_iter();
        contacts.extend(
            second
                .map(|c| Contact {
                    frame: c.frame + self.shift,
                    place: c.place + self.offset,
                    middle: c.middle + self.offset,
                    ..c
                })
                .filter(|c| !self.is_first(c.frame)),
        );
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        contacts
    }

    fn path(&self) -> Option<&Path> {
        None
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        self.first.facing().filter(|facing| self.second.facing() == Some(*facing))
    }

    fn look(&self, object: usize) -> u64 {
        self.first.look(object)
    }

    fn kinds(&self) -> &[Kind] {
        self.first.kinds()
    }

    fn kind(&self, object: usize) -> usize {
        self.first.kind(object)
    }

    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        self.first.symmetry(object)
    }
}
