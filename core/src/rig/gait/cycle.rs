//! The cycle of a recording: from which moment to which it comes back to where it was, but for how far it has travelled.

use crate::rig::{Clip, Rig};
use glam::{DMat4, DQuat, DVec3};
use std::f64::consts::TAU;

/// Moments of a recording that are compared at most, and joints.
const MOST_MOMENTS: usize = 3000;
const MOST_JOINTS: usize = 40;
/// Seconds of a cycle, at least and at most.
const SHORTEST: f64 = 0.25;
const LONGEST: f64 = 4.0;
/// Part of how much joints move at all by which poses may differ that are one.
const ALIKE: f64 = 0.35;
/// And the part within which they are the same.
const SAME: f64 = 0.06;
/// A shorter cycle is taken where it comes back so nearly as well as the best.
const AS_GOOD: f64 = 1.25;

/// From one moment to another it is a cycle; the second is the first of the next.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Span {
    /// Seconds.
    pub from: f64,
    /// Seconds, after `from`.
    pub to: f64,
}

/// What a recording looks like at even moments, wherever it has gone and turned to.
pub struct Looks {
    /// Seconds between moments.
    step: f64,
    /// Places of joints, metres, moment after moment: beside the one that travels, turned so that it goes one way.
    places: Vec<DVec3>,
    joints: usize,
}

/// Where joints are at a moment.
pub(super) fn placed(rig: &Rig, clip: &Clip, seconds: f64) -> Vec<DMat4> {
    let mut joints = Vec::new();
    rig.placed(&clip.locals(rig, seconds), &mut joints);
    joints
}

impl Looks {
    /// Of a clip whose joint `root` travels, with this way up.
    pub fn of(rig: &Rig, clip: &Clip, (root, up): (usize, DVec3)) -> Self {
        let times = clip.times();
        let moments = times.len().clamp(2, MOST_MOMENTS);
        let step = clip.seconds() / (moments - 1) as f64;
        // What does not go along with it, as the floor, is none of it.
        let all: Vec<usize> = (0..rig.joints().len()).filter(|&joint| rig.hangs(joint, root)).collect();
        let chosen: Vec<usize> = all.iter().copied().step_by(all.len().div_ceil(MOST_JOINTS)).collect();
        let mut places = Vec::with_capacity(moments * chosen.len());
        for moment in 0..moments {
            let joints = placed(rig, clip, step * moment as f64);
            let back = heading(&joints[root], up).inverse();
            let middle = joints[root].w_axis.truncate();
            // How high it is counts; where it is does not.
            let middle = middle - up * middle.dot(up);
            places.extend(chosen.iter().map(|&joint| back * (joints[joint].w_axis.truncate() - middle)));
        }
        Self { step, places, joints: chosen.len() }
    }

    fn moments(&self) -> usize {
        self.places.len() / self.joints
    }

    fn at(&self, moment: usize) -> &[DVec3] {
        &self.places[moment * self.joints..][..self.joints]
    }

    /// How far apart two moments are: the mean square of the distances of joints and of how they go on.
    fn apart(&self, a: usize, b: usize) -> f64 {
        let square = |a: usize, b: usize| {
            let both = self.at(a).iter().zip(self.at(b));
            both.map(|(a, b)| a.distance_squared(*b)).sum::<f64>() / self.joints as f64
        };
        let last = self.moments() - 1;
        // A doubled last moment has nothing after it.
        let goes_on = |moment: usize| {
            let (before, after) = (moment.saturating_sub(1), (moment + 1).min(last));
            (before, after, (after - before).max(1) as f64)
        };
        let ((a0, a1, da), (b0, b1, db)) = (goes_on(a), goes_on(b));
        let steps = (0..self.joints).map(|joint| {
            let way = |from: usize, to: usize, over: f64| (self.at(to)[joint] - self.at(from)[joint]) / over;
            way(a0, a1, da).distance_squared(way(b0, b1, db))
        });
        square(a, b) + steps.sum::<f64>() / self.joints as f64
    }

    /// Mean square of how far joints are from where they are on average.
    fn moves(&self) -> f64 {
        let moments = self.moments() as f64;
        let of = |joint: usize| {
            let all = || (0..self.moments()).map(|moment| self.at(moment)[joint]);
            let mean = all().sum::<DVec3>() / moments;
            all().map(|place| place.distance_squared(mean)).sum::<f64>() / moments
        };
        (0..self.joints).map(of).sum::<f64>() / self.joints as f64
    }

    /// How well it comes back after so many moments, at best, and from which moment on.
    fn comes_back(&self, after: usize) -> (f64, usize) {
        let ends = self.moments() - after;
        let from = (0..ends).map(|moment| (self.apart(moment, moment + after), moment));
        from.min_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or((f64::MAX, 0))
    }

    /// How far it is at even moments of the recording, at most so many, from where it is at one, seconds: parts of how far joints
    /// move at all, 0 where it is the same.
    pub fn away_from(&self, seconds: f64, most: usize) -> Vec<f32> {
        let (last, moves) = (self.moments() - 1, self.moves().max(f64::MIN_POSITIVE));
        let here = ((seconds / self.step).round() as usize).min(last);
        let count = self.moments().min(most);
        let at = |i: usize| libm::round(last as f64 * i as f64 / (count - 1) as f64) as usize;
        (0..count).map(|i| libm::sqrt(self.apart(here, at(i)) / moves) as f32).collect()
    }

    /// The cycle, if it comes back at all.
    pub fn cycle(&self) -> Option<Span> {
        let moments = self.moments();
        let first = ((SHORTEST / self.step).ceil() as usize).max(2);
        let last = ((LONGEST / self.step).floor() as usize).min(moments - 1);
        let found: Vec<(usize, f64, usize)> = (first..=last)
            .map(|after| {
                let (apart, from) = self.comes_back(after);
                (after, apart, from)
            })
            .collect();
        let moves = self.moves();
        let least = found.iter().map(|(_, apart, _)| *apart).fold(f64::MAX, f64::min);
        if least > ALIKE * ALIKE * moves {
            return None;
        }
        // Two cycles come back as well as one: the shortest that does, where it does so best.
        let good = |apart: f64| apart <= (least * AS_GOOD * AS_GOOD).max(SAME * SAME * moves);
        let begins = found.iter().position(|(_, apart, _)| good(*apart))?;
        let run = found[begins..].iter().take_while(|(_, apart, _)| good(*apart));
        let (after, _, from) = *run.min_by(|a, b| a.1.total_cmp(&b.1))?;
        Some(Span { from: self.step * from as f64, to: self.step * (from + after) as f64 })
    }
}

/// The turn about `up` that takes +x, or where that is up +z, to where a joint is turned.
pub(super) fn heading(joint: &DMat4, up: DVec3) -> DQuat {
    let side = if up.x.abs() > 0.9 { DVec3::Z } else { DVec3::X };
    let flat = |v: DVec3| (v - up * v.dot(up)).normalize_or_zero();
    let (from, to) = (flat(side), flat(joint.transform_vector3(side)));
    if from == DVec3::ZERO || to == DVec3::ZERO {
        return DQuat::IDENTITY;
    }
    let angle = libm::atan2(from.cross(to).dot(up), from.dot(to));
    DQuat::from_axis_angle(up, angle.rem_euclid(TAU))
}
