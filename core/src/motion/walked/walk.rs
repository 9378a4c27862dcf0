//! A walk along a path.

use crate::curve::{Curve, Path, Strand};
use crate::motion::Place;
use crate::pose::{Pose, basis};
use crate::remembered::Remembered;
use crate::rig::{Foot, Gait, Way};
use glam::{DMat4, DVec3};
use std::fmt::{Debug, Formatter};
use std::sync::Arc;

/// Where a walker is on its path.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Step {
    /// Real-valued frame, of a path that moves.
    pub frame: f64,
    /// Which strand.
    pub strand: usize,
    /// Metres along it, beyond its ends as well.
    pub s: f64,
    /// +1 along the strand, −1 against it.
    pub ahead: f64,
    /// The part of the cycle, whole ones included.
    pub phase: f64,
}

/// How things walk along a path.
pub struct Walk {
    /// Name of the file in the scene.
    file: String,
    gait: Gait,
    path: Path,
    /// How many cycles there are on each strand a whole number of times; any part of one where it is 0.
    whole: u32,
    /// Whether feet are held.
    holds: bool,
    made: Remembered<Arc<Curve>>,
}

impl Debug for Walk {
    fn fmt(&self, out: &mut Formatter<'_>) -> std::fmt::Result {
        write!(out, "{:?}, {:?}", self.file, self.gait.span())
    }
}

/// The path of a walker, from where it is.
struct From<'a> {
    strand: &'a Strand,
    s: f64,
    ahead: f64,
}

impl Way for From<'_> {
    fn at(&self, gone: f64) -> Pose {
        let s = self.s + self.ahead * gone;
        let on = self.strand.normalise(s);
        let here = self.strand.at_normalised(on);
        let beyond = if self.strand.closed() { 0.0 } else { s - on };
        // It stands upright, also where the path climbs.
        let ahead = (here.tangent * self.ahead).with_y(0.0).try_normalize().unwrap_or(DVec3::X);
        let orientation = basis(ahead, DVec3::Y).normalize();
        Pose { position: here.point + here.tangent * beyond, orientation, scale: DVec3::ONE }
    }
}

impl Walk {
    /// Along a path whose strands have some length, by a recording from a file. On each there are whole times `whole` cycles,
    /// or, where that is 0, as many and parts of one as come of their length; feet are held or not.
    pub fn new((file, gait): (String, Gait), path: Path, (whole, holds): (u32, bool)) -> Self {
        Self { file, gait, path, whole, holds, made: Remembered::default() }
    }

    /// Name of the file in the scene.
    pub fn file(&self) -> &str {
        &self.file
    }

    /// What is walked by.
    pub const fn gait(&self) -> &Gait {
        &self.gait
    }

    /// The path that is walked along.
    pub const fn path(&self) -> &Path {
        &self.path
    }

    fn curve(&self, frame: f64) -> Arc<Curve> {
        let frame = if self.path.unmoving().is_some() { 0.0 } else { frame };
        self.made.at(frame, || self.path.at(frame))
    }

    /// Metres of a cycle on a strand of a length: what comes nearest to its own.
    pub fn stride_on(&self, length: f64) -> f64 {
        let (own, whole) = (self.gait.stride(), f64::from(self.whole));
        if self.whole == 0 { own } else { length / ((length / own / whole).round().max(1.0) * whole) }
    }

    /// Where a thing is, so many frames after it was at a place, at a frame; so many cycles ahead.
    pub fn step(&self, frame: f64, (place, later): (&Place, f64), ahead: f64) -> Step {
        let curve = self.curve(frame);
        let strand = place.strand % curve.strands().len();
        let length = curve.strands()[strand].length();
        // Whole laps count, as it goes on and on.
        let gone =
            place.laps * length + place.beyond.unwrap_or(0.0) + place.later(later, length) - place.later(0.0, length);
        let phase = ahead + place.direction * gone / self.stride_on(length);
        Step { frame, strand, s: place.later(later, length), ahead: place.direction, phase }
    }

    fn on<T>(&self, step: &Step, work: impl FnOnce(&From<'_>, f64) -> T) -> T {
        let curve = self.curve(step.frame);
        let strand = &curve.strands()[step.strand % curve.strands().len()];
        work(&From { strand, s: step.s, ahead: step.ahead }, self.stride_on(strand.length()))
    }

    /// Where a walker stands, and how it is turned.
    pub fn pose(&self, step: &Step) -> Pose {
        self.on(step, |way, _| way.at(0.0))
    }

    /// Where its joints are in it.
    pub fn joints(&self, step: &Step) -> Vec<DMat4> {
        if !self.holds {
            return self.gait.joints(step.phase);
        }
        self.on(step, |way, stride| self.gait.held(way, (0.0, step.phase), stride))
    }

    /// Lines from each joint that walks to those that hang on it, in the walker.
    pub fn limbs(&self, step: &Step) -> Vec<Vec<DVec3>> {
        let (joints, rig) = (self.joints(step), self.gait.rig());
        let limb = |joint: usize| {
            let parent = rig.joints()[joint].parent.filter(|&parent| rig.hangs(parent, self.gait.root()))?;
            Some([parent, joint].map(|joint| joints[joint].w_axis.truncate()).to_vec())
        };
        (0..joints.len()).filter_map(limb).collect()
    }

    /// How many bones corners hang on.
    pub fn bones(&self) -> usize {
        self.gait.rig().bones().len()
    }

    /// What brings corners that hang on each of its bones where they are in it.
    pub fn carried(&self, step: &Step) -> Vec<DMat4> {
        self.gait.rig().carried(&self.joints(step)).collect()
    }

    /// The most metres that a foot slips from so far on along a strand at a frame, held as it is or not.
    pub fn slips(&self, foot: &Foot, (frame, strand, s): (f64, usize, f64), holds: bool) -> f64 {
        let step = Step { frame, strand, s, ahead: 1.0, phase: 0.0 };
        self.on(&step, |way, stride| self.gait.slips(way, foot, (0.0, stride), holds))
    }
}
