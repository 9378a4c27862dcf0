//! Things with joints: what hangs on which, the clips that move them, and how a clip is gone through again and again.
//!
//! ```
//! use glam::{DQuat, DVec3};
//! use std::sync::Arc;
//! use zickzack_core::rig::{Clip, Cycle, Joint, Keyed, Local, Repertoire, Rig, Steps, Track, Values};
//!
//! // A wing that is lifted a metre and comes down again.
//! let rest = Local { translation: DVec3::X, ..Local::IDENTITY };
//! let rig = Rig::new(vec![Joint { parent: None, rest }], vec![], [DVec3::ZERO, DVec3::ONE])?;
//! let lift = Values::Translation(Keyed::new(vec![0.0, 1.0, 2.0], vec![DVec3::X, DVec3::X + DVec3::Y, DVec3::X], Steps::Straight)?);
//! let clip = Clip::new("lift", vec![Track { joint: 0, values: lift }]);
//! let played = Repertoire::new(Arc::new((rig, vec![clip])), vec![Cycle { clip: 0, blend: 0.0 }])?;
//! assert_eq!(played.period(0), 2.0);
//! let mut joints = Vec::new();
//! played.joints(0.0, 0.25, &mut joints);
//! assert!(joints[0].transform_point3(DVec3::ZERO).distance(DVec3::new(1.0, 0.5, 0.0)) < 1e-12);
//! # Ok::<(), String>(())
//! ```

mod clip;
mod gait;
mod repertoire;
mod table;

pub use clip::{Clip, Keyed, Steps, Track, Values, turned_towards};
pub use gait::{Fit, Foot, Gait, GaitError, Span, Taken, Way};
pub use repertoire::{Animated, Cycle, Repertoire};
pub use table::PoseTable;

use glam::{DMat4, DQuat, DVec3};

/// How a joint lies in what it hangs on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Local {
    /// Metres.
    pub translation: DVec3,
    /// A unit quaternion.
    pub rotation: DQuat,
    /// Factors along the joint's own axes.
    pub scale: DVec3,
}

impl Local {
    /// As what it hangs on.
    pub const IDENTITY: Self = Self { translation: DVec3::ZERO, rotation: DQuat::IDENTITY, scale: DVec3::ONE };

    /// Scale first, then the turn, then the way.
    pub fn matrix(&self) -> DMat4 {
        DMat4::from_scale_rotation_translation(self.scale, self.rotation, self.translation)
    }

    /// On the way from this one to another, by a part from 0 to 1; turns take the shorter way, evenly.
    pub fn towards(&self, other: &Self, part: f64) -> Self {
        Self {
            translation: self.translation.lerp(other.translation, part),
            rotation: turned_towards(self.rotation, other.rotation, part),
            scale: self.scale.lerp(other.scale, part),
        }
    }
}

/// A joint.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Joint {
    /// The joint that it hangs on.
    pub parent: Option<usize>,
    /// How it lies there at rest.
    pub rest: Local,
}

/// What corners of a mesh hang on: a joint, and how they lay when they were bound to it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bone {
    /// Which joint.
    pub joint: usize,
    /// Takes a corner as it is written into the joint's axes.
    pub inverse: DMat4,
}

/// All eight corners of a box, by its least and its largest.
pub fn box_corners([low, high]: [DVec3; 2]) -> [DVec3; 8] {
    std::array::from_fn(|i| {
        let pick = |axis: usize| if i >> axis & 1 == 0 { low[axis] } else { high[axis] };
        DVec3::new(pick(0), pick(1), pick(2))
    })
}

/// Joints of a thing, and what hangs on them.
#[derive(Debug, Clone, PartialEq)]
pub struct Rig {
    joints: Vec<Joint>,
    bones: Vec<Bone>,
    /// All joints, each after the one that it hangs on.
    order: Vec<usize>,
    /// Corners of the box around the thing at rest.
    around: [DVec3; 2],
    /// Of each bone, the box in its joint's axes around all corners that hang on it, where some do; where it is known.
    held: Option<Vec<Option<[DVec3; 2]>>>,
}

impl Rig {
    /// Of joints and bones, with the least and the largest corner of the thing at rest, metres.
    ///
    /// # Errors
    /// A sentence, where a joint hangs on itself or on none that is there, a bone on none, or a number is none.
    pub fn new(joints: Vec<Joint>, bones: Vec<Bone>, around: [DVec3; 2]) -> Result<Self, String> {
        let there = |joint: usize| joint < joints.len();
        if !joints.iter().filter_map(|joint| joint.parent).chain(bones.iter().map(|bone| bone.joint)).all(there) {
            return Err("a joint of it is missing".to_owned());
        }
        let finite = |joint: &Joint| {
            joint.rest.translation.is_finite() && joint.rest.rotation.is_normalized() && joint.rest.scale.is_finite()
        };
        if !(joints.iter().all(finite) && bones.iter().all(|bone| bone.inverse.is_finite())) {
            return Err("a joint of it lies nowhere".to_owned());
        }
        if !around.iter().all(|corner| corner.is_finite()) || around[0].cmpgt(around[1]).any() {
            return Err("it has no size".to_owned());
        }
        let mut below = vec![Vec::new(); joints.len()];
        for (index, joint) in joints.iter().enumerate() {
            if let Some(parent) = joint.parent {
                below[parent].push(index);
            }
        }
        let mut order: Vec<usize> = (0..joints.len()).filter(|&joint| joints[joint].parent.is_none()).collect();
        let mut next = 0;
        while let Some(&joint) = order.get(next) {
            order.extend(&below[joint]);
            next += 1;
        }
        if order.len() < joints.len() {
            return Err("its joints hang on each other in a circle".to_owned());
        }
        Ok(Self { joints, bones, order, around, held: None })
    }

    /// With the box around all corners that hang on each bone, in its joint's axes; nothing of those on which none do.
    #[must_use]
    pub fn holding(mut self, held: Vec<Option<[DVec3; 2]>>) -> Self {
        self.held = Some(held);
        self
    }

    /// Joints on which corners hang, each with the box in its axes around them. Where that is not known, all may hang on each.
    pub fn held(&self) -> Vec<(usize, [DVec3; 2])> {
        if let Some(held) = &self.held {
            let known = self.bones.iter().zip(held);
            return known.filter_map(|(bone, held)| Some((bone.joint, (*held)?))).collect();
        }
        let mut placed = Vec::new();
        self.placed(&self.rest(), &mut placed);
        let all = |bone: &Bone| {
            let back = placed[bone.joint].inverse();
            let own = box_corners(self.around).map(|corner| back.transform_point3(corner));
            let (first, rest) = (own[0], &own[1..]);
            let grown = |[low, high]: [DVec3; 2], at: &DVec3| [low.min(*at), high.max(*at)];
            (bone.joint, rest.iter().fold([first; 2], grown))
        };
        self.bones.iter().map(all).collect()
    }

    /// Its joints.
    pub fn joints(&self) -> &[Joint] {
        &self.joints
    }

    /// Whether a joint is another one, or hangs on it.
    pub fn hangs(&self, mut joint: usize, on: usize) -> bool {
        while joint != on {
            match self.joints[joint].parent {
                Some(parent) => joint = parent,
                None => return false,
            }
        }
        true
    }

    /// What corners hang on.
    pub fn bones(&self) -> &[Bone] {
        &self.bones
    }

    /// The least and the largest corner of the thing at rest, metres.
    pub const fn around(&self) -> [DVec3; 2] {
        self.around
    }

    /// Metres along the longest side of the box around the thing at rest.
    pub fn size(&self) -> f64 {
        (self.around[1] - self.around[0]).max_element()
    }

    /// All joints at rest.
    pub fn rest(&self) -> Vec<Local> {
        self.joints.iter().map(|joint| joint.rest).collect()
    }

    /// Where joints that lie so in what they hang on are in the thing.
    pub fn placed(&self, locals: &[Local], out: &mut Vec<DMat4>) {
        out.clear();
        out.resize(self.joints.len(), DMat4::IDENTITY);
        for &joint in &self.order {
            let own = locals[joint].matrix();
            out[joint] = self.joints[joint].parent.map_or(own, |parent| out[parent] * own);
        }
    }

    /// What brings corners that hang on each bone where they are, with the joints there.
    pub fn carried<'a>(&'a self, joints: &'a [DMat4]) -> impl Iterator<Item = DMat4> + 'a {
        self.bones.iter().map(|bone| joints[bone.joint] * bone.inverse)
    }
}
