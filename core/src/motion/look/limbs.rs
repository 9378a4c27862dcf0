//! Joints that things are moved by, as they lie in what they hang on: what files need that hold them.

use super::form::Own;
use crate::motion::{Bend, Columns, Kind, Sample, Walk};
use crate::rig::{Animated, Local, Rig};
use glam::{DMat4, DVec3};
use std::sync::Arc;

/// What moves the joints of a kind of things.
#[derive(Debug, Clone)]
pub enum Limbs {
    /// A chain along a path: no joint hangs on another.
    Bent(Own<Bend>),
    /// Steps along a path.
    Walked(Own<Walk>),
    /// Clips of a model.
    Played(Arc<Animated>),
}

impl Limbs {
    /// Of a kind of things; nothing where they have none.
    pub fn of(kind: &Kind) -> Option<Self> {
        match (&kind.bent, &kind.walked, &kind.animated) {
            (Some(bend), ..) => Some(Self::Bent(bend.clone())),
            (_, Some(walk), _) => Some(Self::Walked(walk.clone())),
            (.., Some(animated)) => Some(Self::Played(animated.clone())),
            _ => None,
        }
    }

    /// What they follow from.
    pub const fn columns(&self) -> Columns {
        match self {
            Self::Bent(_) => Columns::BENT,
            Self::Walked(_) => Columns::STEP,
            Self::Played(_) => Columns::CLIP,
        }
    }

    fn rig(&self) -> Option<&Rig> {
        match self {
            Self::Bent(_) => None,
            Self::Walked(walk) => Some(walk.gait().rig()),
            Self::Played(animated) => Some(animated.repertoire.rig()),
        }
    }

    /// The joint that each hangs on: of a model every node of its file is a joint, by its number.
    pub fn parents(&self) -> Vec<Option<usize>> {
        match (self, self.rig()) {
            (Self::Bent(bend), _) => vec![None; bend.joints()],
            (_, Some(rig)) => rig.joints().iter().map(|joint| joint.parent).collect(),
            (_, None) => Vec::new(),
        }
    }

    /// All joints, each after the one that it hangs on.
    pub fn order(&self) -> Vec<usize> {
        let parents = self.parents();
        let mut order: Vec<usize> = (0..parents.len()).filter(|&joint| parents[joint].is_none()).collect();
        let mut below = vec![Vec::new(); parents.len()];
        for (joint, parent) in parents.iter().enumerate() {
            parent.iter().for_each(|parent| below[*parent].push(joint));
        }
        let mut next = 0;
        while let Some(&joint) = order.get(next) {
            order.extend(&below[joint]);
            next += 1;
        }
        order
    }

    /// Joints on which corners hang, each with the box in its axes around them, by its least and its largest corner. Where a
    /// corner hangs on several, it is in the box of each.
    pub fn held(&self) -> Vec<(usize, [DVec3; 2])> {
        let Self::Bent(bend) = self else { return self.rig().map_or_else(Vec::new, Rig::held) };
        let apart = bend.length() / (bend.joints() - 1) as f64;
        let [low, _, high, _] = bend.form().corners();
        let around = [DVec3::new(-apart, low.x, low.y), DVec3::new(apart, high.x, high.y)];
        (0..bend.joints()).map(|joint| (joint, around)).collect()
    }

    /// How its joints lie in what they hang on, in a row of a sample with [`columns`](Self::columns): of what is bent or walks in
    /// metres, of a model's clips as the file has them.
    pub fn locals(&self, sample: &Sample, row: usize, out: &mut Vec<Local>) {
        out.clear();
        match self {
            Self::Bent(bend) => bend.chain(&sample.bents[row], out),
            Self::Played(animated) => {
                let at = sample.clips[row];
                *out = animated.repertoire.locals(at.mix, at.phase);
            }
            Self::Walked(walk) => {
                let joints = walk.joints(&sample.steps[row]);
                let parents = walk.gait().rig().joints().iter().map(|joint| joint.parent);
                out.extend(joints.iter().zip(parents).map(|(joint, parent)| {
                    let above = parent.map_or(DMat4::IDENTITY, |parent| joints[parent]);
                    let flat = above.determinant().abs() < f64::MIN_POSITIVE;
                    let own = if flat { DMat4::IDENTITY } else { above.inverse() * *joint };
                    let (scale, rotation, translation) = own.to_scale_rotation_translation();
                    Local { translation, rotation: rotation.normalize(), scale }
                }));
            }
        }
    }
}
