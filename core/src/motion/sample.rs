use super::bent::Lying;
use super::walked::Step;
use crate::pose::Pose;
use glam::{DQuat, DVec3};
use std::ops::BitOr;

/// Which columns of a [`Sample`] are asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Columns(u16);

impl Columns {
    /// Nothing.
    pub const NONE: Self = Self(0);
    /// Positions.
    pub const POSITION: Self = Self(1);
    /// Orientations.
    pub const ORIENTATION: Self = Self(2);
    /// Scales.
    pub const SCALE: Self = Self(4);
    /// Whether a thing is there.
    pub const ALIVE: Self = Self(8);
    /// Velocities.
    pub const VELOCITY: Self = Self(16);
    /// Angular velocities.
    pub const SPIN: Self = Self(32);
    /// Directions of travel.
    pub const TRAVEL: Self = Self(64);
    /// Places on a path.
    pub const PLACE: Self = Self(128);
    /// Places on the scale of colours.
    pub const TINT: Self = Self(256);
    /// Brightness.
    pub const BRIGHTNESS: Self = Self(512);
    /// Where things are cut off.
    pub const CUT: Self = Self(1024);
    /// Which life a thing has, and how old it is.
    pub const LIFE: Self = Self(2048);
    /// Which clip a thing is in, and how far.
    pub const CLIP: Self = Self(4096);
    /// Where bent things lie.
    pub const BENT: Self = Self(8192);
    /// As of which frames dented things are dented.
    pub const DENTED: Self = Self(16384);
    /// Where walkers are on their way.
    pub const STEP: Self = Self(32768);
    /// What forms of things follow from that are other at each frame.
    pub const FORMS: Self = Self(8192 | 16384 | 32768);
    /// Everything a pose is made of, and whether it is there.
    pub const POSE: Self = Self(1 | 2 | 4 | 8);
    /// Where a thing is, how it is turned, and how large it is.
    pub const STANCE: Self = Self(1 | 2 | 4);
    /// Everything that says how a thing changes.
    pub const RATES: Self = Self(16 | 32 | 64 | 128);

    /// True when all of `other` are in it.
    pub const fn contain(self, other: Self) -> bool {
        self.0 & other.0 == other.0
    }

    /// True when any of `other` is in it.
    pub const fn touch(self, other: Self) -> bool {
        self.0 & other.0 != 0
    }

    /// Those that are in both.
    pub const fn and(self, other: Self) -> Self {
        Self(self.0 & other.0)
    }

    /// Without those of `other`.
    pub const fn without(self, other: Self) -> Self {
        Self(self.0 & !other.0)
    }
}

impl BitOr for Columns {
    type Output = Self;

    fn bitor(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }
}

/// Where a thing is on its path.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Place {
    /// Which strand.
    pub strand: usize,
    /// Arc length on it, metres.
    pub s: f64,
    /// Laps travelled, the whole ones included: the unwrapped phase.
    pub laps: f64,
    /// +1 along the strand, −1 against it.
    pub direction: f64,
    /// How fast `laps` grows, per frame.
    pub rate: f64,
    /// Metres beyond the strand's ends, below 0 before its start, where the way runs on straight there; none where
    /// it does not.
    pub beyond: Option<f64>,
}

impl Place {
    /// Metres from the strand's start, beyond its ends as well, so many frames later on a strand of a length.
    pub fn later(&self, frames: f64, length: f64) -> f64 {
        self.s + self.beyond.unwrap_or(0.0) + frames * self.rate.abs() * self.direction * length
    }
}

/// Where a thing is cut off: a plane in its own axes, before its scale. What lies beyond it is not seen.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Cut {
    /// Towards what is not seen, of any length; zero where nothing is cut off.
    pub normal: DVec3,
    /// A point x is not seen where `normal · x` is more than this.
    pub beyond: f64,
}

impl Cut {
    /// Along a plane in space that goes through `place`; seen is what lies on the side that `away` points to.
    pub fn new(place: DVec3, away: DVec3, pose: Pose) -> Self {
        Self {
            normal: pose.scale * (pose.orientation.inverse() * -away),
            beyond: away.dot(pose.position) - away.dot(place),
        }
    }

    /// Along the same plane in space, of a thing that stood as `before` and stands as `after`. What was of no size is not
    /// cut off.
    pub fn of_moved(self, before: Pose, after: Pose) -> Self {
        let unscaled = self.normal / before.scale;
        let unscaled = if unscaled.is_finite() { unscaled } else { DVec3::ZERO };
        let in_space = before.orientation * unscaled;
        Self {
            normal: after.scale * (after.orientation.inverse() * in_space),
            beyond: self.beyond + in_space.dot(before.position - after.position),
        }
    }
}

/// How old a thing is in a life of it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Age {
    /// The number of the birth within a loop.
    pub birth: usize,
    /// Frames since then, from 0 up to the whole life; those of the whole where it is over.
    pub frames: f64,
    /// Frames of the whole life.
    pub lasts: f64,
}

impl Age {
    /// How much of its life is over, 0 to 1.
    pub fn part(&self) -> f64 {
        if self.lasts > 0.0 { (self.frames / self.lasts).min(1.0) } else { 1.0 }
    }
}

/// Where a thing is in the clips of its model.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct ClipTime {
    /// From 0 for the first of its clips to their number − 1 for the last; between two it is a mixture of both.
    pub mix: f64,
    /// Part of the cycle, from 0 up to 1.
    pub phase: f64,
}

impl ClipTime {
    /// How far apart two are: parts of a cycle, the shorter way round, or of the way from clip to clip, whichever is more.
    pub fn apart(self, other: Self) -> f64 {
        let since = self.since(other);
        since.phase.abs().max(since.mix.abs())
    }

    /// How much further this one is than another, the shorter way round the cycle.
    pub fn since(self, other: Self) -> Self {
        let round = self.phase - other.phase;
        Self { mix: self.mix - other.mix, phase: round - round.round() }
    }

    /// Further by `part` times as much.
    pub fn later(self, much: Self, part: f64) -> Self {
        let phase = self.phase + part * much.phase;
        Self { mix: self.mix + part * much.mix, phase: phase - phase.floor() }
    }
}

/// Poses and more of many things: one vector per column, filled only when asked for.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Sample {
    /// Metres.
    pub positions: Vec<DVec3>,
    /// Unit quaternions.
    pub orientations: Vec<DQuat>,
    /// Factors along a thing's own axes.
    pub scales: Vec<DVec3>,
    /// Whether a thing is there.
    pub alive: Vec<bool>,
    /// Metres per frame.
    pub velocities: Vec<DVec3>,
    /// World axes, radians per frame.
    pub spins: Vec<DVec3>,
    /// Unit vectors; the last one is held while a thing rests, and zero when it never moved.
    pub travels: Vec<DVec3>,
    /// Places on the motion's path.
    pub places: Vec<Place>,
    /// Places on the scale of colours, 0 to 1.
    pub tints: Vec<f64>,
    /// Factors on how bright a thing is, at least 0.
    pub brightness: Vec<f64>,
    /// Where things are cut off.
    pub cuts: Vec<Cut>,
    /// How old things are; only of what begins anew.
    pub ages: Vec<Age>,
    /// Where things are in the clips of their models.
    pub clips: Vec<ClipTime>,
    /// Where things lie on the path that they are bent along.
    pub bents: Vec<Lying>,
    /// The frames as of which things are dented, whenever they are shown.
    pub dents: Vec<f64>,
    /// Where walkers are on their way.
    pub steps: Vec<Step>,
}

impl Sample {
    /// Makes the asked-for columns `rows` long and empties the others. Scales become 1, things are
    /// there, orientations are unturned; the rest is zero.
    pub fn reset(&mut self, rows: usize, columns: Columns) {
        fn column<T: Clone>(values: &mut Vec<T>, wanted: bool, rows: usize, value: T) {
            values.clear();
            if wanted {
                values.resize(rows, value);
            }
        }
        column(&mut self.positions, columns.contain(Columns::POSITION), rows, DVec3::ZERO);
        column(&mut self.orientations, columns.contain(Columns::ORIENTATION), rows, DQuat::IDENTITY);
        column(&mut self.scales, columns.contain(Columns::SCALE), rows, DVec3::ONE);
        column(&mut self.alive, columns.contain(Columns::ALIVE), rows, true);
        column(&mut self.velocities, columns.contain(Columns::VELOCITY), rows, DVec3::ZERO);
        column(&mut self.spins, columns.contain(Columns::SPIN), rows, DVec3::ZERO);
        column(&mut self.travels, columns.contain(Columns::TRAVEL), rows, DVec3::ZERO);
        column(&mut self.places, columns.contain(Columns::PLACE), rows, Place::default());
        column(&mut self.tints, columns.contain(Columns::TINT), rows, 0.0);
        column(&mut self.brightness, columns.contain(Columns::BRIGHTNESS), rows, 1.0);
        column(&mut self.cuts, columns.contain(Columns::CUT), rows, Cut::default());
        column(&mut self.ages, columns.contain(Columns::LIFE), rows, Age::default());
        column(&mut self.clips, columns.contain(Columns::CLIP), rows, ClipTime::default());
        column(&mut self.bents, columns.contain(Columns::BENT), rows, Lying::default());
        column(&mut self.steps, columns.contain(Columns::STEP), rows, Step::default());
        column(&mut self.dents, columns.contain(Columns::DENTED), rows, 0.0);
    }

    /// Keeps only these columns, of those that were asked for to make them.
    pub fn keep(&mut self, columns: Columns) {
        fn only<T>(values: &mut Vec<T>, wanted: bool) {
            if !wanted {
                values.clear();
            }
        }
        only(&mut self.positions, columns.contain(Columns::POSITION));
        only(&mut self.orientations, columns.contain(Columns::ORIENTATION));
        only(&mut self.scales, columns.contain(Columns::SCALE));
        only(&mut self.spins, columns.contain(Columns::SPIN));
        only(&mut self.velocities, columns.contain(Columns::VELOCITY));
        only(&mut self.travels, columns.contain(Columns::TRAVEL));
        only(&mut self.places, columns.contain(Columns::PLACE));
        only(&mut self.ages, columns.contain(Columns::LIFE));
    }

    /// Adds the rows of another sample with the same columns, and empties it.
    pub fn append(&mut self, other: &mut Self) {
        self.positions.append(&mut other.positions);
        self.orientations.append(&mut other.orientations);
        self.scales.append(&mut other.scales);
        self.alive.append(&mut other.alive);
        self.velocities.append(&mut other.velocities);
        self.spins.append(&mut other.spins);
        self.travels.append(&mut other.travels);
        self.places.append(&mut other.places);
        self.tints.append(&mut other.tints);
        self.brightness.append(&mut other.brightness);
        self.cuts.append(&mut other.cuts);
        self.ages.append(&mut other.ages);
        self.clips.append(&mut other.clips);
        self.bents.append(&mut other.bents);
        self.dents.append(&mut other.dents);
        self.steps.append(&mut other.steps);
    }

    /// The pose in a row; asks for position, orientation and scale.
    pub fn pose(&self, row: usize) -> Pose {
        Pose { position: self.positions[row], orientation: self.orientations[row], scale: self.scales[row] }
    }
}
