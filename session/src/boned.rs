//! The joints of a thing as BVH.

use crate::hand_off::{HandOff, HandOffError};
use glam::{DMat4, DQuat, DVec3};
use std::io::Write;
use zickzack_core::motion::{Cancel, Columns, Frames, Limbs, MotionError, Sample};
use zickzack_core::nodes::Form;
use zickzack_formats::bvh::{self, Bone, Lying};

/// Most numbers of one file, six for each joint and frame.
const MOST_NUMBERS: f64 = 2e7;
/// Most joints of a chain.
const MOST_OF_A_CHAIN: usize = 100;
/// The end of what nothing hangs on, where nothing is known of how large it is: metres.
const SHORT: f64 = 0.01;

impl HandOff<'_> {
    /// Whether the things of an Output, by its number, have joints that a BVH file would hold.
    ///
    /// # Errors
    /// Where its motion cannot be looked at.
    pub fn has_joints(&self, output: usize, range: Frames, cancel: &Cancel) -> Result<bool, HandOffError> {
        let dressed = self.dress(output, (range, 1.0), cancel)?;
        Ok(dressed.forms.iter().any(|form| matches!(form, Form::Jointed(_))))
    }

    /// Writes a BVH file of the joints of one thing, by the numbers of its Output and its own, at every `step` frames; frames count
    /// from 0, both ends included. The thing itself is the root; places in metres.
    ///
    /// # Errors
    /// Where the thing has no joints, its motion cannot be looked at, or `out` does not take what is written.
    pub fn write_bvh(
        &self,
        (output, object): (usize, usize),
        (range, step): (Frames, f64),
        mut out: impl Write,
        cancel: &Cancel,
    ) -> Result<(), HandOffError> {
        let (name, motion) = &self.outputs()[output];
        let dressed = self.dress(output, (range, step), cancel)?;
        let missing = |why: &str| HandOffError::Missing { output: name.clone(), why: why.to_owned() };
        if object >= motion.len() {
            return Err(missing(&format!("there is no thing {}: it has {}", object + 1, motion.len())));
        }
        let Form::Jointed(jointed) = &dressed.forms[dressed.kind(object)] else {
            return Err(missing(&format!(
                "thing {} has no joints; BVH holds what walks, is bent or plays clips, other forms of file hold the rest",
                object + 1
            )));
        };
        let limbs = &jointed.limbs;
        let hangs = limbs.parents();
        let (order, parents) = hung(limbs);
        let frames = ((range.to - range.from + 1e-9) / step).floor() + 1.0;
        if (6 * parents.len()) as f64 * frames > MOST_NUMBERS {
            return Err(MotionError::TooMuch(format!(
                "{} joints at {frames:.0} frames are more than a BVH file takes: choose fewer frames or a larger step.",
                parents.len(),
            ))
            .into());
        }
        let names = match (&jointed.file, limbs) {
            (Some(file), Limbs::Walked(_) | Limbs::Played(_)) => {
                let model = dressed.model(self.session(), file)?;
                zickzack_formats::animated::names(&model).map_err(|error| missing(&error.to_string()))?
            }
            _ => Vec::new(),
        };
        let mut sample = Sample::default();
        let mut moments: Vec<Lying> = Vec::with_capacity(frames as usize);
        for frame in (0..frames as u64).map(|i| range.from + i as f64 * step) {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled.into());
            }
            cancel.reach(moments.len() as f64 / frames);
            dressed.ready.sample_at(&[(object, frame)], Columns::POSE | limbs.columns(), &mut sample);
            let (pose, place) = (sample.pose(0), jointed.place);
            let stands = DMat4::from_scale_rotation_translation(pose.scale, pose.orientation, pose.position);
            let lies = DMat4::from_scale_rotation_translation(DVec3::splat(place.scale), place.turn, place.at);
            let mut locals = Vec::new();
            limbs.locals(&sample, 0, &mut locals);
            // As they stand in space, what is larger with its place alone.
            let mut placed = vec![DMat4::IDENTITY; locals.len()];
            for &joint in &order {
                let above = hangs[joint].map_or(stands * lies, |parent| placed[parent]);
                placed[joint] = above * locals[joint].matrix();
            }
            let spot = |matrix: &DMat4| -> (DVec3, DQuat) {
                let (_, turn, at) = matrix.to_scale_rotation_translation();
                (at, turn.normalize())
            };
            let root = (pose.position, pose.orientation);
            let spots: Vec<(DVec3, DQuat)> =
                std::iter::once(root).chain(order.iter().map(|joint| spot(&placed[*joint]))).collect();
            let lying = |(i, (at, turn)): (usize, &(DVec3, DQuat))| match parents[i] {
                None => (*at, *turn),
                Some(parent) => {
                    let (above, turned) = spots[parent];
                    (turned.inverse() * (*at - above), turned.inverse() * *turn)
                }
            };
            moments.push(spots.iter().enumerate().map(lying).collect());
        }
        let held = limbs.held();
        let end = |joint: usize| {
            let around = held.iter().find(|(own, _)| *own == joint).map(|(_, [low, high])| 0.5 * (*low + *high));
            around.filter(|at| at.length() > 0.0).map_or(DVec3::X * SHORT, |at| at * jointed.place.scale)
        };
        let root = Bone { name: format!("{name} {}", object + 1), parent: None, end: DVec3::X * SHORT };
        let bone = |(i, joint): (usize, &usize)| Bone {
            name: names.get(*joint).cloned().unwrap_or_else(|| format!("joint_{}", joint + 1)),
            parent: parents[i + 1],
            end: end(*joint),
        };
        let bones: Vec<Bone> = std::iter::once(root).chain(order.iter().enumerate().map(bone)).collect();
        let seconds = step / self.session().scene.fps.value();
        Ok(bvh::write(&bones, &moments, seconds, &mut out)?)
    }

    /// The number of the only Output whose things have joints: of it a BVH file holds one.
    ///
    /// # Errors
    /// A sentence where there is none, or several.
    pub fn one_with_joints(&self, range: Frames, cancel: &Cancel) -> Result<usize, HandOffError> {
        let mut found = Vec::new();
        for output in 0..self.outputs().len() {
            if self.has_joints(output, range, cancel)? {
                found.push(output);
            }
        }
        let names: Vec<&str> = found.iter().map(|output| self.outputs()[*output].0.as_str()).collect();
        match found[..] {
            [one] => Ok(one),
            [] => Err(HandOffError::Joints(
                "No Output has things with joints: BVH holds what walks, is bent or plays clips.".to_owned(),
            )),
            _ => Err(HandOffError::Joints(format!(
                "A BVH file holds one thing, and \"{}\" have joints: say which Output.",
                names.join("\" and \"")
            ))),
        }
    }
}

/// Joints that are written, each after the one that it hangs on, and for the thing and each of them what it hangs on there. Of a chain
/// each hangs on the one before.
fn hung(limbs: &Limbs) -> (Vec<usize>, Vec<Option<usize>>) {
    let (order, parents) = (limbs.order(), limbs.parents());
    let of_thing = std::iter::once(None);
    if matches!(limbs, Limbs::Bent(_)) {
        // What is finely bent has more than readers take: some of them, evenly along it.
        let (last, each) = (order.len() - 1, order.len().div_ceil(MOST_OF_A_CHAIN));
        let order: Vec<usize> = (0..last).step_by(each).chain([last]).collect();
        let above = of_thing.chain((0..order.len()).map(Some)).collect();
        return (order, above);
    }
    let mut at = vec![0; order.len()];
    order.iter().enumerate().for_each(|(i, joint)| at[*joint] = i + 1);
    let above =
        of_thing.chain(order.iter().map(|joint| Some(parents[*joint].map_or(0, |parent| at[parent])))).collect();
    (order, above)
}
