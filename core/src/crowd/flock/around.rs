//! What is round a flock besides itself: a path, leaders, things that go their own way, surfaces.

use super::rules::{Bird, Level, Wishes};
use crate::curve::Curve;
use crate::motion::{Columns, Motion, Sample};
use crate::surface::Surface;
use glam::{DVec3, Vec3};
use std::ops::Range;
use std::sync::Arc;

/// Sizes of a thing in space: where its numbers begin, and how many metres a size is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Measure {
    /// Metres.
    pub origin: DVec3,
    /// Metres, above 0.
    pub size: f64,
}

impl Measure {
    /// A place in sizes.
    pub fn place(&self, place: DVec3) -> Vec3 {
        ((place - self.origin) / self.size).as_vec3()
    }

    /// A place in metres.
    pub fn back(&self, place: Vec3) -> DVec3 {
        self.origin + place.as_dvec3() * self.size
    }
}

/// A path as points with the ways along it, each strand from end to end.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Way {
    points: Vec<Vec3>,
    tangents: Vec<Vec3>,
    strands: Vec<(Range<u32>, bool)>,
}

/// Points of a strand for each size that it is long.
const POINTS: f64 = 2.0;
/// Most points of all strands together.
const MOST_POINTS: f64 = 20_000.0;
/// Points by which a thing may get on in a step.
const STRIDE: u32 = 64;

impl Way {
    /// Of a curve; as many points whenever it is as long and has as many strands.
    pub fn of(curve: &Curve, measure: &Measure) -> Self {
        let strands = curve.strands();
        let whole: f64 = strands.iter().map(|strand| strand.length()).sum();
        let wanted = (POINTS * whole / measure.size).clamp(64.0, MOST_POINTS);
        let mut way = Self::default();
        for strand in strands {
            let count = (wanted * strand.length() / whole).ceil().max(8.0) as u32;
            let from = way.points.len() as u32;
            // Of a closed one the end is its start, which is there.
            let spaces = if strand.closed() { count } else { count - 1 };
            for i in 0..count {
                let on = strand.at_normalised(strand.length() * (f64::from(i) / f64::from(spaces)).min(1.0));
                way.points.push(measure.place(on.point));
                way.tangents.push(on.tangent.as_vec3());
            }
            way.strands.push((from..from + count, strand.closed()));
        }
        way
    }

    /// Numbers that say which it is.
    pub fn numbers(&self) -> impl Iterator<Item = f32> + '_ {
        self.points.iter().chain(&self.tangents).flat_map(|v| v.to_array())
    }

    /// The point nearest to a place, of all.
    pub fn mark(&self, place: Vec3) -> u32 {
        let near = |(i, point): (usize, &Vec3)| (point.distance_squared(place), i as u32);
        let nearer = |a: (f32, u32), b: (f32, u32)| if b.0 < a.0 { b } else { a };
        self.points.iter().enumerate().map(near).fold((f32::INFINITY, 0), nearer).1
    }

    /// The point nearest to a place that is found from a mark on along its strand, and whether the strand ends there.
    pub fn onward(&self, mark: u32, place: Vec3) -> (u32, bool) {
        let last = self.points.len() as u32 - 1;
        let mark = mark.min(last);
        let Some((range, closed)) = self.strands.iter().find(|(range, _)| range.contains(&mark)) else {
            return (mark, false);
        };
        let count = range.end - range.start;
        let next = |at: u32, ahead: bool| {
            let i = at - range.start;
            match (ahead, closed) {
                (true, true) => Some(range.start + (i + 1) % count),
                (false, true) => Some(range.start + (i + count - 1) % count),
                (true, false) => (i + 1 < count).then_some(at + 1),
                (false, false) => (i > 0).then(|| at - 1),
            }
        };
        let far = |at: u32| self.points[at as usize].distance_squared(place);
        for ahead in [true, false] {
            let mut at = mark;
            for _ in 0..STRIDE {
                match next(at, ahead) {
                    Some(on) if far(on) < far(at) => at = on,
                    _ => break,
                }
            }
            if at != mark {
                return (at, !closed && at == range.end - 1);
            }
        }
        (mark, !closed && mark == range.end - 1)
    }

    /// What a bird wishes of its velocity because of the path, with a tube so many sizes wide round it.
    pub fn wish(&self, bird: &Bird, ends: bool, (tube, ease): (f32, f32), wishes: &Wishes) -> Vec3 {
        let (point, along) = (self.points[bird.mark as usize], self.tangents[bird.mark as usize]);
        let mut to = point - bird.place;
        let mut wish = Vec3::ZERO;
        if !ends {
            to -= along * to.dot(along);
            wish += (along * ease - bird.velocity) * wishes.along;
        }
        let distance = to.length();
        let beyond = distance - tube;
        if beyond > 0.0 {
            wish += to / distance * ((beyond / SOFT).min(1.0) * wishes.pull * ease);
        }
        if distance > 0.0 {
            wish += to.cross(along) / distance * (wishes.swirl * ease);
        }
        wish
    }
}

/// Sizes over which a pull grows to its full strength.
const SOFT: f32 = 2.0;

/// A leader.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Lead {
    /// Sizes.
    pub place: Vec3,
    /// Sizes per second.
    pub velocity: Vec3,
    /// Where it goes: a unit vector, or nothing where it stands still.
    pub heading: Vec3,
    /// Whether it is there at all.
    pub there: bool,
}

/// How leaders are followed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Chase {
    /// Each its own leader in turn, or whichever is nearest.
    pub in_turn: bool,
    /// Beyond so many sizes nobody follows; ∞ for any distance.
    pub reach: f32,
    /// Sizes behind it where they want to be.
    pub behind: f32,
    /// Whether they may get past it.
    pub overtakes: bool,
}

impl Chase {
    /// The leader of a thing.
    pub fn whom<'a>(&self, me: usize, place: Vec3, leads: &'a [Lead]) -> Option<(usize, &'a Lead)> {
        let (which, lead) = if self.in_turn {
            let which = me % leads.len().max(1);
            (which, leads.get(which)?)
        } else {
            let squared = |lead: &Lead| lead.place.distance_squared(place);
            let there = leads.iter().enumerate().filter(|(_, lead)| lead.there);
            there.min_by(|(_, a), (_, b)| squared(a).total_cmp(&squared(b)))?
        };
        (lead.there && lead.place.distance(place) <= self.reach).then_some((which, lead))
    }

    /// What a bird wishes of its velocity because of its leader.
    pub fn wish(&self, bird: &Bird, lead: &Lead, (ease, most): (f32, f32), wishes: &Wishes) -> Vec3 {
        let to = lead.place - lead.heading * self.behind - bird.place;
        // It would be there in a second, and goes with it then.
        let wanted = (lead.velocity + to).clamp_length_max(most);
        let mut wish = (wanted - bird.velocity) * wishes.pull;
        let aside = (to - lead.heading * to.dot(lead.heading)).normalize_or_zero();
        wish += aside.cross(lead.heading) * (wishes.swirl * ease);
        wish
    }

    /// The way that leads past a leader and how far a thing at `place`, which is behind it, may go that way while the leader
    /// gets from `before` to `after`; nothing for what is not right behind it.
    pub fn barrier(&self, place: Vec3, before: &Lead, after: &Lead) -> Option<(Vec3, f32)> {
        if self.overtakes || !after.there || after.heading == Vec3::ZERO {
            return None;
        }
        let from = place - before.place;
        let near = from.length() <= self.behind.max(1.0) * NEAR;
        let behind = from.dot(before.heading) <= 0.0;
        (near && behind).then(|| (after.heading, (after.place - place).dot(after.heading)))
    }
}

/// How many times as far off as it wants to be behind its leader a thing may be to be held back by it.
const NEAR: f32 = 2.0;

/// The leaders of a motion at a frame.
pub fn leads(motion: &dyn Motion, frame: f64, fps: f64, measure: &Measure, level: Level) -> Vec<Lead> {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL | Columns::ALIVE, &mut sample);
    let one = |i: usize| Lead {
        place: measure.place(sample.positions[i]),
        velocity: level.of((sample.velocities[i] * (fps / measure.size)).as_vec3()),
        heading: level.of(sample.travels[i].as_vec3()).normalize_or_zero(),
        there: sample.alive[i],
    };
    (0..motion.len()).map(one).collect()
}

/// The places of what goes its own way at a frame.
pub fn places(motion: &dyn Motion, frame: f64, measure: &Measure) -> Vec<Vec3> {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSITION | Columns::ALIVE, &mut sample);
    (0..motion.len()).filter(|i| sample.alive[*i]).map(|i| measure.place(sample.positions[i])).collect()
}

/// A surface that things keep on one side of.
#[derive(Debug, Clone)]
pub struct Side {
    /// It stands.
    pub surface: Surface,
    /// True where they keep within it, false where they keep out of it.
    pub within: bool,
}

impl Side {
    /// How far a thing is from touching it, sizes, below 0 where it is on the wrong side; and the way off it.
    pub fn clear(&self, place: Vec3, measure: &Measure) -> (f32, Vec3) {
        let (distance, away) = self.surface.distance(measure.back(place));
        let sign = if self.within { -1.0 } else { 1.0 };
        ((distance * sign / measure.size - 0.5) as f32, (away * sign).as_vec3())
    }
}

/// Everything round a flock in one step, besides the surfaces.
#[derive(Debug, Clone, Default)]
pub struct Around {
    /// The path at the end of the step.
    pub way: Option<Arc<Way>>,
    /// The leaders before the step and after it, as many.
    pub leads: [Vec<Lead>; 2],
    /// What goes its own way, before the step.
    pub others: Vec<Vec3>,
}
