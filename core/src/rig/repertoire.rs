//! Clips that are gone through again and again, and mixed.

use super::{Clip, Local, Rig, box_corners};
use crate::pose::Axis;
use glam::DMat4;
use std::sync::Arc;

/// A clip that is gone through again and again.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Cycle {
    /// Which clip.
    pub clip: usize,
    /// Its last seconds, which are blended into its first: what it would do then it does at its start, less and less.
    /// At most half of it.
    pub blend: f64,
}

/// The clips of a model that a thing goes through, side by side: all of them are at the same part of their cycles, so that
/// feet and wings stay in step where they are mixed.
#[derive(Debug, Clone)]
pub struct Repertoire {
    model: Arc<(Rig, Vec<Clip>)>,
    cycles: Vec<Cycle>,
    /// Seconds of each, with what is blended away and without.
    spans: Vec<(f64, f64)>,
}

impl PartialEq for Repertoire {
    fn eq(&self, other: &Self) -> bool {
        let same = Arc::ptr_eq(&self.model, &other.model) || self.model == other.model;
        same && self.cycles == other.cycles
    }
}

/// A model whose clips are played, as a thing.
#[derive(Debug, Clone, PartialEq)]
pub struct Animated {
    /// Name of the file.
    pub file: String,
    /// The side of it that goes ahead.
    pub nose: Axis,
    /// The side of it that is up.
    pub top: Axis,
    /// What it plays.
    pub repertoire: Repertoire,
}

/// From 0 to 1 with slopes that are 0 at both ends.
fn smooth(x: f64) -> f64 {
    x * x * (3.0 - 2.0 * x)
}

/// Parts of a thing's size by which corners may miss each other and still be in one place.
const SAME: f64 = 1e-4;

impl Repertoire {
    /// At least one cycle.
    ///
    /// # Errors
    /// A sentence, where a clip is not there, moves a joint that is not there, or takes no time.
    pub fn new(model: Arc<(Rig, Vec<Clip>)>, cycles: Vec<Cycle>) -> Result<Self, String> {
        let mut spans = Vec::with_capacity(cycles.len());
        for cycle in &cycles {
            let clip = model.1.get(cycle.clip).ok_or("the clip is not in the model")?;
            if clip.last_joint().is_some_and(|joint| joint >= model.0.joints().len()) {
                return Err(format!("the clip \"{}\" moves a joint that is not there", clip.name));
            }
            let whole = ends_at(&model.0, clip);
            let period = whole - cycle.blend.clamp(0.0, 0.5 * whole);
            if period <= 0.0 {
                return Err(format!(
                    "the clip \"{}\" takes no time: export one that has more than one moment",
                    clip.name
                ));
            }
            spans.push((whole, period));
        }
        if cycles.is_empty() { Err("no clip is chosen".to_owned()) } else { Ok(Self { model, cycles, spans }) }
    }

    /// What has joints.
    pub fn rig(&self) -> &Rig {
        &self.model.0
    }

    /// The clips and how each is gone through.
    pub fn cycles(&self) -> impl Iterator<Item = (&Clip, Cycle)> {
        self.cycles.iter().map(|cycle| (&self.model.1[cycle.clip], *cycle))
    }

    /// Seconds that one of its cycles takes at the speed at which it was recorded.
    pub fn period(&self, cycle: usize) -> f64 {
        self.spans[cycle].1
    }

    /// Cycles a second of a mixture: 0 is the first clip, 1 the second, between them both.
    pub fn pace(&self, mix: f64) -> f64 {
        let (below, above, part) = self.between(mix);
        let (slow, quick) = (1.0 / self.period(below), 1.0 / self.period(above));
        slow + (quick - slow) * part
    }

    fn between(&self, mix: f64) -> (usize, usize, f64) {
        let mix = mix.clamp(0.0, (self.cycles.len() - 1) as f64);
        let below = mix.floor() as usize;
        (below, (below + 1).min(self.cycles.len() - 1), mix - below as f64)
    }

    fn cycle_at(&self, which: usize, phase: f64) -> Vec<Local> {
        let (whole, period) = self.spans[which];
        let (rig, clips) = &*self.model;
        let (clip, seconds) = (&clips[self.cycles[which].clip], phase * period);
        let locals = clip.locals(rig, seconds);
        let blend = whole - period;
        if !(blend > 0.0 && seconds < blend) {
            return locals;
        }
        let before = clip.locals(rig, period + seconds);
        let part = smooth(seconds / blend);
        before.iter().zip(&locals).map(|(before, after)| before.towards(after, part)).collect()
    }

    /// How joints lie in what they hang on: a mixture of clips from 0 for the first to their number − 1 for the last, at a
    /// part of the cycle of which only the fraction counts.
    pub fn locals(&self, mix: f64, phase: f64) -> Vec<Local> {
        let phase = phase - phase.floor();
        let (below, above, part) = self.between(mix);
        let first = self.cycle_at(below, phase);
        if part == 0.0 {
            return first;
        }
        let second = self.cycle_at(above, phase);
        first.iter().zip(&second).map(|(first, second)| first.towards(second, part)).collect()
    }

    /// Where joints are in the thing; as [`locals`](Self::locals).
    pub fn joints(&self, mix: f64, phase: f64, out: &mut Vec<DMat4>) {
        self.rig().placed(&self.locals(mix, phase), out);
    }

    /// Parts of the cycle at which some clip may bend or jump, rising, the first 0: before a jump a moment just before it as well.
    pub(super) fn kinks(&self) -> Vec<f64> {
        let mut kinks = vec![0.0];
        for (cycle, (clip, _)) in self.cycles().enumerate() {
            let (whole, period) = self.spans[cycle];
            let held = clip.held();
            let of_start = clip.times().into_iter().chain([whole - period]);
            // What is blended into the start has keys of the end there too.
            for time in of_start.flat_map(|time| [time, time - period]) {
                kinks.push(time / period);
                if held {
                    kinks.push((time / period).next_down());
                }
            }
        }
        kinks.retain(|kink| (0.0..1.0).contains(kink));
        kinks.sort_by(f64::total_cmp);
        kinks.dedup();
        kinks
    }

    /// By which part of its size a thing is not at the end of a cycle where it was at its start.
    pub fn gap(&self, cycle: usize) -> f64 {
        let rig = self.rig();
        apart(rig, &self.cycle_at(cycle, 1.0_f64.next_down()), &self.cycle_at(cycle, 0.0))
    }
}

/// Seconds after which a clip is where it began: where its last moments are all as its first, the first of them.
fn ends_at(rig: &Rig, clip: &Clip) -> f64 {
    let times = clip.times();
    let start = clip.locals(rig, 0.0);
    let still = times.iter().rev().take_while(|&&time| apart(rig, &clip.locals(rig, time), &start) <= SAME).count();
    // What never leaves where it began is as long as it is.
    if still == 0 || still >= times.len() { clip.seconds() } else { times[times.len() - still] }
}

/// By which part of the thing's size its joints, and the corners of the box around it that would hang on them, are apart.
fn apart(rig: &Rig, a: &[Local], b: &[Local]) -> f64 {
    let (mut one, mut other, mut rest) = (Vec::new(), Vec::new(), Vec::new());
    rig.placed(a, &mut one);
    rig.placed(b, &mut other);
    rig.placed(&rig.rest(), &mut rest);
    let far = (0..rest.len()).map(|joint| corners_apart(rig, &one[joint], &other[joint], &rest[joint]));
    far.fold(0.0, f64::max) / rig.size().max(f64::MIN_POSITIVE)
}

/// How far apart the corners of the box around a thing at rest are, carried by what takes `rest` to each of two places,
/// metres. Between them lies all that hangs there.
pub(super) fn corners_apart(rig: &Rig, a: &DMat4, b: &DMat4, rest: &DMat4) -> f64 {
    let back = if rest.determinant().abs() > 1e-30 { rest.inverse() } else { DMat4::IDENTITY };
    let corners = box_corners(rig.around()).map(|corner| back.transform_point3(corner));
    corners.iter().map(|at| a.transform_point3(*at).distance(b.transform_point3(*at))).fold(0.0, f64::max)
}
