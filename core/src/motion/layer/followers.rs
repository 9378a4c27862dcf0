//! Things that follow a lead, each some frames behind it.

use crate::curve::Path;
use crate::motion::{
    Break, Cancel, Columns, Contact, Extent, Frames, Kind, Motion, MotionError, Sample, Symmetry, carried, corners,
    prepared, with_breaks,
};
use crate::pose::Axis;
use crate::random;
use crate::signal::{Driven, Thing};
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// One follower of every thing of the lead.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Follower {
    /// Frames behind the lead; negative goes ahead of it.
    pub delay: f64,
    /// Metres, in the world's axes or in the lead's.
    pub offset: DVec3,
    /// Factor on the lead's scale.
    pub scale: f64,
    /// Which one it is behind the lead: 0 for the lead itself, 1 for the first.
    pub rank: f64,
}

/// What comes to each follower over time, by its rank.
#[derive(Debug, Clone)]
pub struct Stance {
    /// Metres off the one before it.
    pub offset: [Driven; 3],
    /// How many times as large it is as the one before it.
    pub grow: Driven,
}

/// How many frames followers are behind their lead.
#[derive(Debug, Clone, PartialEq)]
pub enum Delays {
    /// Each so many behind the one before it.
    Even(f64),
    /// These, at least one; the last step goes on for more followers.
    Given(Vec<f64>),
    /// As even ones, each earlier or later by a random part of so many, from a seed.
    Spread(f64, f64, u64),
}

const DELAY: u64 = 51;

impl Delays {
    /// Of follower number `index`, from 0.
    fn of(&self, index: usize) -> f64 {
        let rank = index as f64 + 1.0;
        match self {
            Self::Even(delay) => delay * rank,
            Self::Spread(delay, spread, seed) => delay * rank + spread * random::signed(*seed, index as u64, DELAY),
            Self::Given(given) => given.get(index).copied().unwrap_or_else(|| {
                let last = given.last().copied().unwrap_or_default();
                let before = given.len().checked_sub(2).map_or(0.0, |i| given[i]);
                last + (last - before) * (index + 1 - given.len()) as f64
            }),
        }
    }
}

impl Follower {
    /// The lead itself.
    pub const LEAD: Self = Self { delay: 0.0, offset: DVec3::ZERO, scale: 1.0, rank: 0.0 };

    /// `count` followers, each off the one before it by `offset` metres and `grow` times as large.
    pub fn line(count: usize, delays: &Delays, offset: DVec3, grow: f64) -> Vec<Self> {
        let follower = |index: usize| {
            let rank = index as f64 + 1.0;
            Self { delay: delays.of(index), offset: offset * rank, scale: libm::pow(grow, rank), rank }
        };
        (0..count).map(follower).collect()
    }
}

/// Follower i of lead j is object i · leads + j: all followers of the first rank come first.
///
/// A follower's whole sample is the lead's at its own frame minus the delay, bit for bit but for offset and scale.
#[derive(Clone)]
pub struct Followers {
    inner: Arc<dyn Motion>,
    followers: Arc<Vec<Follower>>,
    /// Offsets are in the lead's axes, not in the world's.
    turned: bool,
    stance: Option<Arc<Stance>>,
}

const LOOK: u64 = 41;
const STANCE: u64 = 42;

impl Followers {
    /// Of at least one follower.
    pub fn new(inner: Arc<dyn Motion>, followers: Vec<Follower>, turned: bool) -> Self {
        Self { inner, followers: Arc::new(followers), turned, stance: None }
    }

    /// With what comes to each over time.
    #[must_use]
    pub fn standing(mut self, stance: Stance) -> Self {
        self.stance = Some(Arc::new(stance));
        self
    }

    /// How far a follower is off at a frame, how fast that changes, and its factor on the scale.
    fn off(&self, follower: &Follower, object: usize, frame: f64) -> (DVec3, DVec3, f64) {
        let Some(stance) = &self.stance else { return (follower.offset, DVec3::ZERO, follower.scale) };
        let thing = Thing { index: object, count: self.len() };
        let three = |part: fn(&Driven, f64, Thing) -> f64| {
            DVec3::from([0, 1, 2].map(|axis| part(&stance.offset[axis], frame, thing))) * follower.rank
        };
        let grown = libm::pow(stance.grow.at(frame, thing).max(0.0), follower.rank);
        (follower.offset + three(Driven::at), three(Driven::slope), follower.scale * grown)
    }

    fn part(&self, object: usize) -> (&Follower, usize) {
        let leads = self.inner.len();
        // One lead is by far the most frequent, and a division takes longer than all the rest.
        if leads <= 1 { (&self.followers[object], 0) } else { (&self.followers[object / leads], object % leads) }
    }

    fn delays(&self) -> (f64, f64) {
        let delays = self.followers.iter().map(|follower| follower.delay);
        delays.fold((f64::MAX, f64::MIN), |(low, high), delay| (low.min(delay), high.max(delay)))
    }

    fn offsets(&self) -> bool {
        self.stance.is_some() || self.followers.iter().any(|follower| follower.offset != DVec3::ZERO)
    }

    fn scaled(&self) -> bool {
        self.stance.is_some() || self.followers.iter().any(|follower| follower.scale != 1.0)
    }

    /// True where things are asked to be cut off, and stand otherwise than the lead against what cuts them.
    fn cuts(&self, columns: Columns) -> bool {
        let moved = self.offsets() || self.scaled();
        moved && columns.contain(Columns::CUT) && self.inner.varies().contain(Columns::CUT)
    }

    /// What the lead has to give for these columns.
    fn needs(&self, columns: Columns) -> Columns {
        let turned = self.turned && self.offsets();
        let moved = columns.contain(Columns::POSITION) || columns.contain(Columns::VELOCITY);
        let turn = if turned && moved { Columns::ORIENTATION } else { Columns::NONE };
        let spin = if turned && columns.contain(Columns::VELOCITY) { Columns::SPIN } else { Columns::NONE };
        let stance = if self.cuts(columns) { Columns::STANCE } else { Columns::NONE };
        columns | turn | spin | stance
    }
}

impl Motion for Followers {
    fn len(&self) -> usize {
        self.inner.len() * self.followers.len()
    }

    fn extent(&self) -> Extent {
        let (extent, (low, high)) = (self.inner.extent(), self.delays());
        Extent { from: extent.from + low, to: extent.to + high, ..extent }
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let (low, high) = self.delays();
        let inner = prepared(&self.inner, Frames { from: range.from - high, to: range.to - low }, cancel)?;
        Ok(Some(Arc::new(Self { inner, ..self.clone() })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let parts = at.iter().map(|&(object, frame)| (self.part(object), frame));
        let earlier: Vec<(usize, f64)> =
            parts.clone().map(|((follower, lead), frame)| (lead, frame - follower.delay)).collect();
        self.inner.sample_at(&earlier, self.needs(columns), out);
        if !self.offsets() && !self.scaled() {
            return;
        }
        for (row, (((follower, _), frame), &(object, _))) in parts.zip(at).enumerate() {
            let (offset, change, factor) = self.off(follower, object, frame);
            let before = self.cuts(columns).then(|| out.pose(row));
            if offset != DVec3::ZERO || change != DVec3::ZERO {
                let turn = if self.turned { out.orientations.get(row).copied() } else { None };
                let turn = turn.unwrap_or(DQuat::IDENTITY);
                let offset = turn * offset;
                if let Some(position) = out.positions.get_mut(row) {
                    *position += offset;
                }
                if let Some(velocity) = out.velocities.get_mut(row) {
                    *velocity += turn * change;
                    if self.turned {
                        *velocity += out.spins[row].cross(offset);
                    }
                }
            }
            if let Some(scale) = out.scales.get_mut(row) {
                *scale *= factor;
            }
            if let Some(before) = before {
                out.cuts[row] = out.cuts[row].of_moved(before, out.pose(row));
            }
        }
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | if self.scaled() { Columns::SCALE } else { Columns::NONE }
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let (follower, lead) = self.part(object);
        let delay = follower.delay;
        let own = Frames { from: range.from - delay, to: range.to - delay };
        let found = self.inner.breaks(lead, own)?;
        let breaks = found.into_iter().map(|b| Break { frame: b.frame + delay, ..b }).collect();
        let Some(stance) = &self.stance else { return Ok(breaks) };
        let bends = stance.offset.iter().chain([&stance.grow]).flat_map(|part| part.bends(range.from, range.to));
        Ok(with_breaks(breaks, corners(bends)))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let leads = self.inner.len();
        let mut contacts = Vec::new();
        for (index, follower) in self.followers.iter().enumerate() {
            let own = Frames { from: range.from - follower.delay, to: range.to - follower.delay };
            contacts.extend(self.inner.contacts(own).into_iter().map(|contact| Contact {
                object: index * leads + contact.object,
                frame: contact.frame + follower.delay,
                ..contact
            }));
        }
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        if self.offsets() { carried(self, contacts) } else { contacts }
    }

    fn path(&self) -> Option<&Path> {
        self.inner.path()
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        self.inner.facing()
    }

    fn look(&self, object: usize) -> u64 {
        let (follower, lead) = self.part(object);
        let look = self.inner.look(lead);
        // With a stance over time nobody looks like another.
        let look = if self.stance.is_some() { random::bits(look, follower.rank.to_bits(), STANCE) } else { look };
        if follower.scale == 1.0 { look } else { random::bits(look, follower.scale.to_bits(), LOOK) }
    }

    fn kinds(&self) -> &[Kind] {
        self.inner.kinds()
    }

    fn kind(&self, object: usize) -> usize {
        self.inner.kind(self.part(object).1)
    }

    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        self.inner.symmetry(self.part(object).1)
    }
}
