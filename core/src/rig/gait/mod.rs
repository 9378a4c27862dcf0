//! A recording of walking as steps on the spot: its travel taken out, its end run into its start, its feet found.

mod cycle;
mod feet;
mod hold;

pub use cycle::Span;
pub use feet::Foot;
pub use hold::Way;

use super::{Clip, Local, Rig};
use crate::pose::basis;
use cycle::{Looks, heading, placed};
use glam::{DMat3, DMat4, DQuat, DVec3};
use std::sync::Arc;

/// A recording that is walked by.
#[derive(Debug, Clone)]
pub struct Gait {
    model: Arc<(Rig, Vec<Clip>)>,
    clip: usize,
    span: Span,
    /// The joint that travels.
    root: usize,
    /// Seconds at the end that are bent towards the start.
    overlap: f64,
    /// How far it travels in a cycle, in the file's axes, metres as they are written.
    travel: DVec3,
    /// Takes the file's axes into those of the walker: x ahead, y up, its ground at 0, its middle in the origin.
    fit: Fit,
    feet: Vec<Foot>,
    /// Radians by which it turns in a cycle.
    turns: f64,
    /// How far it is at even moments of the recording from where the cycle begins.
    apart: Vec<f32>,
}

/// Why a recording cannot be walked by.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum GaitError {
    /// Nothing comes back to where it was.
    #[error("no cycle is found in it, as nothing comes back to where it was")]
    NoCycle,
    /// It does not travel in its cycle.
    #[error("it walks on the spot: it does not travel in its cycle, so that nobody knows how long a step is")]
    OnTheSpot,
    /// All of it lies in one height.
    #[error("it has no height: choose the side of it that is up, or walk it as tall as it was recorded")]
    Flat,
    /// Nothing of it moves from place to place.
    #[error("it has no joints that move: it is no recording of a walk")]
    Still,
    /// The clip has no length.
    #[error("the clip \"{0}\" has one moment only: export it whole")]
    OneMoment(String),
    /// What the clip says is not in the model.
    #[error("the clip \"{0}\" moves a joint that is not there")]
    NoJoint(String),
    /// There is no such clip.
    #[error("the clip is not in the model")]
    NoClip,
}

/// How a model lies in its thing.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fit {
    turn: DQuat,
    scale: f64,
    origin: DVec3,
}

impl Fit {
    /// Takes a place in the file's axes there.
    pub fn matrix(&self) -> DMat4 {
        DMat4::from_scale(DVec3::splat(self.scale))
            * DMat4::from_quat(self.turn)
            * DMat4::from_translation(-self.origin)
    }
}

/// How a recording is taken.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Taken {
    /// Which clip.
    pub clip: usize,
    /// The side of it that is up.
    pub up: DVec3,
    /// The cycle, where it is not to be found.
    pub span: Option<Span>,
    /// Part of the cycle at its end that is bent towards its start, 0 to a half.
    pub overlap: f64,
    /// Metres that it is tall; as it is written where there is none.
    pub tall: Option<f64>,
}

/// Moments of a cycle that are looked at.
const MOMENTS: usize = 96;
/// Moments of a recording that are looked at for what moves at all, and the part of its size from which on something does.
const LOOKED: usize = 17;
const MOVES: f64 = 1e-4;
/// Moments at which it is told how far it is from the start of its cycle, at most.
const TOLD: usize = 300;
/// Part of its size below which what it travels is nothing.
const STAYS: f64 = 0.02;

impl Gait {
    /// # Errors
    /// Where nothing travels, no cycle is found, or the clip is none.
    pub fn new(model: Arc<(Rig, Vec<Clip>)>, taken: Taken) -> Result<Self, GaitError> {
        let (rig, clips) = &*model;
        let clip = clips.get(taken.clip).ok_or(GaitError::NoClip)?;
        if clip.last_joint().is_some_and(|joint| joint >= rig.joints().len()) {
            return Err(GaitError::NoJoint(clip.name.clone()));
        }
        if clip.seconds() <= 0.0 {
            return Err(GaitError::OneMoment(clip.name.clone()));
        }
        let root = travels(rig, clip).ok_or(GaitError::Still)?;
        let looks = Looks::of(rig, clip, (root, taken.up));
        let span = match taken.span {
            Some(span) => span,
            None => looks.cycle().ok_or(GaitError::NoCycle)?,
        };
        let flat = |v: DVec3| v - taken.up * v.dot(taken.up);
        let ends = [span.from, span.to].map(|seconds| placed(rig, clip, seconds));
        let [from, to] = ends.each_ref().map(|joints| joints[root].w_axis.truncate());
        let travel = to - from;
        let whole = flat(travel);
        if whole.length() < STAYS * rig.size() {
            return Err(GaitError::OnTheSpot);
        }
        let turned = heading(&ends[0][root], taken.up).inverse() * heading(&ends[1][root], taken.up);
        let turns = 2.0 * libm::atan2(turned.xyz().dot(taken.up), turned.w);
        let ahead = whole.normalize();
        let turn = basis(ahead, taken.up).conjugate();
        let mut gait = Self {
            clip: taken.clip,
            span,
            root,
            overlap: taken.overlap.clamp(0.0, 0.5) * (span.to - span.from),
            travel,
            fit: Fit { turn, scale: 1.0, origin: DVec3::ZERO },
            feet: Vec::new(),
            turns: (turns + std::f64::consts::PI).rem_euclid(std::f64::consts::TAU) - std::f64::consts::PI,
            apart: looks.away_from(span.from, TOLD),
            model: model.clone(),
        };
        let poses: Vec<Vec<DMat4>> = (0..MOMENTS).map(|i| gait.joints(i as f64 / MOMENTS as f64)).collect();
        let walks: Vec<usize> = (0..rig.joints().len()).filter(|&joint| rig.hangs(joint, root)).collect();
        let (mut low, mut high) = (f64::MAX, f64::MIN);
        for y in poses.iter().flat_map(|joints| walks.iter().map(|&joint| joints[joint].w_axis.y)) {
            (low, high) = (low.min(y), high.max(y));
        }
        let middle = poses.iter().map(|joints| joints[root].w_axis.truncate()).sum::<DVec3>() / MOMENTS as f64;
        // Back in the file's axes, since that is where it is taken from.
        gait.fit.origin = turn.inverse() * DVec3::new(middle.x, low, middle.z);
        if taken.tall.is_some() && high - low < STAYS * rig.size() {
            return Err(GaitError::Flat);
        }
        gait.fit.scale = taken.tall.map_or(1.0, |tall| tall / (high - low));
        gait.feet = feet::found(&gait);
        Ok(gait)
    }

    /// What has joints.
    pub fn rig(&self) -> &Rig {
        &self.model.0
    }

    /// Its cycle in the clip.
    pub const fn span(&self) -> Span {
        self.span
    }

    /// Seconds of the whole recording.
    pub fn recorded(&self) -> f64 {
        self.model.1[self.clip].seconds()
    }

    /// How far it is at even moments of the recording, the first and the last among them, from where its cycle begins: parts of how
    /// far joints move at all, 0 where it is the same.
    pub fn apart(&self) -> &[f32] {
        &self.apart
    }

    /// Seconds that a cycle takes as it was recorded.
    pub fn seconds(&self) -> f64 {
        self.span.to - self.span.from
    }

    /// Metres that it goes in a cycle.
    pub fn stride(&self) -> f64 {
        (self.fit.turn * self.travel).with_y(0.0).length() * self.fit.scale
    }

    /// Radians by which it turns in a cycle as it was recorded.
    pub const fn turns(&self) -> f64 {
        self.turns
    }

    /// The joint that travels; what hangs on it walks.
    pub const fn root(&self) -> usize {
        self.root
    }

    /// Its feet.
    pub fn feet(&self) -> &[Foot] {
        &self.feet
    }

    /// How joints lie in what they hang on at a part of the cycle, of which only the fraction counts, without the travel.
    pub fn locals(&self, phase: f64) -> Vec<Local> {
        let phase = phase - phase.floor();
        let mut locals = self.on_the_spot(phase);
        let before_end = (1.0 - phase) * self.seconds();
        if before_end < self.overlap {
            let part = smooth(1.0 - before_end / self.overlap);
            let (start, end) = (self.on_the_spot(0.0), self.on_the_spot(1.0));
            for ((local, start), end) in locals.iter_mut().zip(&start).zip(&end) {
                let fixed = Local { rotation: end.rotation.inverse() * start.rotation, ..Local::IDENTITY };
                let turn = Local::IDENTITY.towards(&fixed, part).rotation;
                local.rotation = (local.rotation * turn).normalize();
                local.translation += (start.translation - end.translation) * part;
                local.scale += (start.scale - end.scale) * part;
            }
        }
        locals
    }

    /// As recorded, but for the travel: what the one that travels has gone on evenly is taken off.
    fn on_the_spot(&self, phase: f64) -> Vec<Local> {
        let (rig, clips) = &*self.model;
        let mut locals = clips[self.clip].locals(rig, self.span.from + phase * self.seconds());
        let mut joints = Vec::new();
        rig.placed(&locals, &mut joints);
        let parent = rig.joints()[self.root].parent.map_or(DMat4::IDENTITY, |parent| joints[parent]);
        locals[self.root].translation -= parent.inverse().transform_vector3(self.travel * phase);
        locals
    }

    /// Where joints are in the walker at a part of the cycle: x ahead, y up.
    pub fn joints(&self, phase: f64) -> Vec<DMat4> {
        let mut joints = Vec::new();
        self.rig().placed(&self.locals(phase), &mut joints);
        let fit = self.fit.matrix();
        joints.iter_mut().for_each(|joint| *joint = fit * *joint);
        joints
    }

    /// By which part of its size its end is off its start, before that is bent away.
    pub fn gap(&self) -> f64 {
        let places = |phase: f64| {
            let mut joints = Vec::new();
            self.rig().placed(&self.on_the_spot(phase), &mut joints);
            joints
        };
        let (start, end) = (places(0.0), places(1.0));
        let far = start.iter().zip(&end).enumerate().filter(|(joint, _)| self.rig().hangs(*joint, self.root));
        let far = far.map(|(_, (a, b))| a.w_axis.distance(b.w_axis));
        far.fold(0.0, f64::max) / self.rig().size().max(f64::MIN_POSITIVE)
    }
}

/// The joint that carries the whole: of those that move from place to place on what does not, the one on which most hangs.
fn travels(rig: &Rig, clip: &Clip) -> Option<usize> {
    let poses: Vec<Vec<DMat4>> =
        (0..LOOKED).map(|i| placed(rig, clip, clip.seconds() * i as f64 / (LOOKED - 1) as f64)).collect();
    let goes = |joint: usize| {
        let place = |pose: &Vec<DMat4>| pose[joint].w_axis.truncate();
        poses.iter().any(|pose| place(pose).distance(place(&poses[0])) > MOVES * rig.size())
    };
    let carries = |joint: &usize| goes(*joint) && !rig.joints()[*joint].parent.is_some_and(goes);
    let hang = |on: usize| (0..rig.joints().len()).filter(|&joint| rig.hangs(joint, on)).count();
    (0..rig.joints().len()).filter(carries).max_by_key(|&joint| (hang(joint), usize::MAX - joint))
}

/// From 0 to 1 with slopes that are 0 at both ends.
pub(super) fn smooth(x: f64) -> f64 {
    x * x * (3.0 - 2.0 * x)
}

/// The turn of a matrix whose axes may be scaled.
pub(super) fn turn_of(matrix: &DMat4) -> DQuat {
    let axes = [matrix.x_axis, matrix.y_axis, matrix.z_axis].map(|axis| axis.truncate().normalize_or_zero());
    DQuat::from_mat3(&DMat3::from_cols(axes[0], axes[1], axes[2])).normalize()
}
