//! Keys of the joints of a thing.

use super::bake::{Keying, ON_STEP};
use super::channel::{Channel, Interpolation, Key};
use super::thin::thinned;
use crate::motion::{Cancel, Frames, Limbs, Motion, MotionError, Sample};
use crate::pose::{angle_between, nearer};
use crate::rig::{Local, box_corners};
use glam::{DMat4, DQuat, DVec3};

/// The keys of a joint in what it hangs on.
#[derive(Debug, Clone, PartialEq)]
pub struct JointKeys {
    /// Where it is there.
    pub translation: Channel<3>,
    /// x, y, z, w; between keys evenly along the shorter arc.
    pub rotation: Channel<4>,
    /// Factors along its own axes.
    pub scale: Channel<3>,
}

/// The keys of the joints of a thing.
#[derive(Debug, Clone, PartialEq)]
pub struct LimbKeys {
    /// In the order of its [`Limbs`].
    pub joints: Vec<JointKeys>,
    /// Most that a corner is off which hangs on them, metres, and its frame: looked at by the boxes around what hangs on each,
    /// which hold all corners.
    pub off: (f64, f64),
}

/// Looks within a frame at which keys are compared.
const LOOKS: f64 = 4.0;
/// Frames beside a break at which its sides are looked at.
const BESIDE: f64 = 1e-6;
/// Frames between two looks, in few keys, where much happens.
const NARROW: f64 = 1.0 / 64.0;
/// Looks at a thing's joints at most.
const MOST_LOOKS: usize = 100_000;
/// Rounds of fewer and fewer liberties for single joints until the whole keeps within the tolerance.
const ROUNDS: i32 = 6;
/// What a joint misses seldom adds up with what those above it miss: at first each may miss so many times its share, as a power
/// of two.
const MOST_LIBERTY: i32 = 3;
/// The part of the tolerance up to which nothing is looked at more closely.
const NEAR: f64 = 0.5;

/// A moment, and how joints lie just before and from there on.
#[derive(Debug, Clone)]
struct Look {
    frame: f64,
    left: Vec<Local>,
    right: Vec<Local>,
    broken: bool,
}

/// A thing whose joints are looked at.
struct Looker<'a> {
    motion: &'a dyn Motion,
    object: usize,
    limbs: &'a Limbs,
    parents: Vec<Option<usize>>,
    /// All joints, each after the one that it hangs on.
    order: Vec<usize>,
    /// Corners that stand for all others, each with its joint.
    corners: Vec<(usize, DVec3)>,
    /// Metres that are one of theirs.
    metres: f64,
}

impl Looker<'_> {
    fn at(&self, frames: &[f64]) -> Vec<Vec<Local>> {
        let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (self.object, frame)).collect();
        let mut sample = Sample::default();
        self.motion.sample_at(&at, self.limbs.columns(), &mut sample);
        let row = |row| {
            let mut locals = Vec::new();
            self.limbs.locals(&sample, row, &mut locals);
            locals
        };
        (0..at.len()).map(row).collect()
    }

    fn placed(&self, locals: &[Local]) -> Vec<DMat4> {
        let mut placed = vec![DMat4::IDENTITY; locals.len()];
        for &joint in &self.order {
            let own = locals[joint].matrix();
            placed[joint] = self.parents[joint].map_or(own, |parent| placed[parent] * own);
        }
        placed
    }

    /// How far apart corners are that hang on joints that lie so, metres.
    fn apart(&self, a: &[Local], b: &[Local]) -> f64 {
        let (a, b) = (self.placed(a), self.placed(b));
        let far =
            |(joint, at): &(usize, DVec3)| a[*joint].transform_point3(*at).distance(b[*joint].transform_point3(*at));
        self.metres * self.corners.iter().map(far).fold(0.0, f64::max)
    }

    /// Metres that a corner moves at most where a joint turns by a radian or is larger by its own size.
    fn reaches(&self, rest: &[Local]) -> Vec<f64> {
        let placed = self.placed(rest);
        let mut reach = vec![0.0_f64; rest.len()];
        for (joint, at) in &self.corners {
            let place = placed[*joint].transform_point3(*at);
            let mut above = Some(*joint);
            while let Some(joint) = above {
                reach[joint] = reach[joint].max(placed[joint].w_axis.truncate().distance(place));
                above = self.parents[joint];
            }
        }
        reach.iter().map(|reach| reach * self.metres).collect()
    }

    fn depth(&self) -> usize {
        let mut depth = vec![1; self.parents.len()];
        self.order.iter().for_each(|&joint| depth[joint] = self.parents[joint].map_or(1, |parent| depth[parent] + 1));
        depth.into_iter().max().unwrap_or(1)
    }
}

/// All joints, each after the one that it hangs on.
fn ordered(parents: &[Option<usize>]) -> Vec<usize> {
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

impl Keying {
    /// The keys of the joints of a thing of a prepared motion, straight from key to key; `metres` are one of the units in which
    /// what hangs on them is written. Few keys keep corners within the metres of the keying, as far as looks within
    /// frames show it.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn limbs(
        self,
        (motion, object): (&dyn Motion, usize),
        (limbs, metres): (&Limbs, f64),
        range: Frames,
        cancel: &Cancel,
    ) -> Result<LimbKeys, MotionError> {
        let parents = limbs.parents();
        let corners = limbs.held().iter().flat_map(|(joint, held)| box_corners(*held).map(|at| (*joint, at))).collect();
        let looker = Looker { order: ordered(&parents), motion, object, limbs, parents, corners, metres };
        let step = if let Self::Every(step) = self { step } else { 1.0 };
        let mut looks = first_looks(&looker, range, step)?;
        if let Self::Within { metres, .. } = self {
            closer(&looker, &mut looks, metres, cancel)?;
        }
        aligned(&mut looks);
        let frames: Vec<f64> =
            (0..).map(|i| range.from + f64::from(i) / LOOKS).take_while(|frame| *frame < range.to).collect();
        let before = looks.iter().filter(|look| look.broken).map(|look| look.frame - BESIDE);
        let frames: Vec<f64> = frames.into_iter().chain(before).chain([range.to - BESIDE]).collect();
        let frames: Vec<f64> = frames.into_iter().filter(|frame| range.holds(*frame)).collect();
        let exact = looker.at(&frames);
        let measured = |joints: Vec<JointKeys>| {
            let off = frames.iter().zip(&exact).map(|(&frame, exact)| {
                let keyed: Vec<Local> = joints.iter().map(|keys| keys.at(frame)).collect();
                (looker.apart(&keyed, exact), frame)
            });
            let off = super::largest_error(off);
            LimbKeys { joints, off }
        };
        let Self::Within { metres: wanted, .. } = self else {
            return Ok(measured(keyed(&looks, None)));
        };
        let reaches = looker.reaches(&looks[0].right);
        let share = wanted / looker.depth() as f64;
        for round in 0..ROUNDS {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            let liberty = share * libm::exp2(f64::from(MOST_LIBERTY - round));
            let made = measured(keyed(&looks, Some((liberty, &reaches, metres))));
            if made.off.0 <= wanted {
                return Ok(made);
            }
        }
        Ok(measured(keyed(&looks, None)))
    }
}

impl JointKeys {
    /// How the joint lies at a frame by its keys.
    pub fn at(&self, frame: f64) -> Local {
        Local {
            translation: DVec3::from(self.translation.at(frame).0),
            rotation: turn_at(&self.rotation, frame),
            scale: DVec3::from(self.scale.at(frame).0),
        }
    }
}

fn turn_at(channel: &Channel<4>, frame: f64) -> DQuat {
    let after = channel.keys.partition_point(|key| key.frame <= frame);
    let turn = |key: &Key<4>| DQuat::from_array(key.value);
    let Some(before) = after.checked_sub(1) else { return turn(&channel.keys[0]) };
    let from = &channel.keys[before];
    channel
        .keys
        .get(after)
        .map_or_else(|| turn(from), |to| between(turn(from), turn(to), (frame - from.frame) / (to.frame - from.frame)))
}

fn between(from: DQuat, to: DQuat, part: f64) -> DQuat {
    let turned = |rotation| Local { rotation, ..Local::IDENTITY };
    turned(from).towards(&turned(to), part).rotation
}

fn first_looks(looker: &Looker<'_>, range: Frames, step: f64) -> Result<Vec<Look>, MotionError> {
    let steps = ((range.to - range.from + ON_STEP) / step).floor() as usize;
    let breaks = looker.motion.breaks(looker.object, range)?;
    let inside = |frame: &f64| *frame > range.from + BESIDE && *frame < range.to - BESIDE;
    let mut breaks: Vec<f64> = breaks.iter().map(|of| of.frame).filter(inside).collect();
    breaks.sort_by(f64::total_cmp);
    breaks.dedup_by(|later, earlier| *later - *earlier < 2.0 * BESIDE);
    let mut frames: Vec<(f64, bool)> = breaks.iter().map(|frame| (*frame, true)).collect();
    let regular = (0..=steps).map(|i| range.from + i as f64 * step).filter(|frame| {
        let after = breaks.partition_point(|at| at < frame);
        let near = |i: usize| breaks.get(i).is_some_and(|at| (at - frame).abs() < 2.0 * BESIDE);
        !near(after) && !after.checked_sub(1).is_some_and(near)
    });
    frames.extend(regular.map(|frame| (frame, false)));
    if frames.iter().all(|(frame, _)| range.to - frame > ON_STEP) {
        frames.push((range.to, false));
    }
    frames.sort_by(|a, b| a.0.total_cmp(&b.0));
    if frames.len() > MOST_LOOKS {
        return Err(MotionError::TooMuch(format!(
            "Joints would be looked at {} times: choose a larger step or fewer frames.",
            frames.len()
        )));
    }
    // What comes at the very end may belong to what would come after it.
    let last = frames.len() - 1;
    let lefts: Vec<f64> = frames
        .iter()
        .enumerate()
        .map(
            |(i, (frame, broken))| {
                if *broken || i == last && frame - BESIDE > range.from { frame - BESIDE } else { *frame }
            },
        )
        .collect();
    let rights: Vec<f64> =
        frames.iter().map(|(frame, broken)| if *broken { frame + BESIDE * 1e-3 } else { *frame }).collect();
    let (lefts, rights) = (looker.at(&lefts), looker.at(&rights));
    let both = lefts.into_iter().zip(rights);
    let look =
        |((frame, broken), (left, right)): ((f64, bool), (Vec<Local>, Vec<Local>))| Look { frame, left, right, broken };
    let mut looks: Vec<Look> = frames.into_iter().zip(both).map(look).collect();
    let end = &mut looks[last];
    end.right.clone_from(&end.left);
    Ok(looks)
}

/// More looks where joints that go straight from one to the next have corners off by more than half of the tolerance.
fn closer(looker: &Looker<'_>, looks: &mut Vec<Look>, tolerance: f64, cancel: &Cancel) -> Result<(), MotionError> {
    let mut open: Vec<(Look, Look)> = looks.windows(2).map(|pair| (pair[0].clone(), pair[1].clone())).collect();
    while !open.is_empty() && looks.len() < MOST_LOOKS {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        let middles: Vec<f64> = open.iter().map(|(a, b)| 0.5 * (a.frame + b.frame)).collect();
        let mut next = Vec::new();
        for (((a, b), frame), here) in open.into_iter().zip(&middles).zip(looker.at(&middles)) {
            let straight: Vec<Local> = a.right.iter().zip(&b.left).map(|(a, b)| a.towards(b, 0.5)).collect();
            if b.frame - a.frame <= NARROW || looker.apart(&straight, &here) <= NEAR * tolerance {
                continue;
            }
            let middle = Look { frame: *frame, left: here.clone(), right: here, broken: false };
            looks.push(middle.clone());
            next.extend([(a, middle.clone()), (middle, b)]);
        }
        open = next;
    }
    looks.sort_by(|a, b| a.frame.total_cmp(&b.frame));
    Ok(())
}

/// Chooses the sign of each turn so that neighbours lie on one side.
fn aligned(looks: &mut [Look]) {
    let mut last: Vec<DQuat> = Vec::new();
    for look in looks {
        for side in [&mut look.left, &mut look.right] {
            for (i, local) in side.iter_mut().enumerate() {
                local.rotation = last.get(i).map_or(local.rotation, |last| nearer(local.rotation, *last));
            }
            last = side.iter().map(|local| local.rotation).collect();
        }
    }
}

/// What single joints may be off: metres in all, how far each reaches, and metres that are one of their units.
type Liberty<'a> = (f64, &'a [f64], f64);

/// The keys of all joints; of those within a liberty as few as keep to it.
fn keyed(looks: &[Look], liberty: Option<Liberty<'_>>) -> Vec<JointKeys> {
    let apart = |a: &[f64; 3], b: &[f64; 3]| DVec3::from(*a).distance(DVec3::from(*b));
    let turned = |a: &[f64; 4], b: &[f64; 4]| angle_between(DQuat::from_array(*a), DQuat::from_array(*b));
    let straight = |a: &[f64; 3], b: &[f64; 3], part: f64| DVec3::from(*a).lerp(DVec3::from(*b), part).to_array();
    let even =
        |a: &[f64; 4], b: &[f64; 4], part: f64| between(DQuat::from_array(*a), DQuat::from_array(*b), part).to_array();
    let one = |joint: usize| {
        // A turn, a way and a size each take a third.
        let (way, turn) = liberty.map_or((0.0, 0.0), |(far, reaches, metres)| {
            let third = far / 3.0;
            (third / metres, third / reaches[joint].max(third))
        });
        JointKeys {
            translation: thinned(&points(looks, joint, |local| local.translation.to_array()), way, (&apart, &straight)),
            rotation: thinned(&points(looks, joint, |local| local.rotation.to_array()), turn, (&turned, &even)),
            scale: thinned(&points(looks, joint, |local| local.scale.to_array()), turn, (&apart, &straight)),
        }
    };
    (0..looks[0].right.len()).map(one).collect()
}

/// What a joint has at all looks: a frame, what is there just before, and from there on.
fn points<const N: usize>(looks: &[Look], joint: usize, read: impl Fn(&Local) -> [f64; N]) -> Channel<N> {
    let mut keys: Vec<Key<N>> = Vec::with_capacity(looks.len());
    for (i, look) in looks.iter().enumerate() {
        let key = |value| Key { frame: look.frame, value, slope_in: [0.0; N], slope_out: [0.0; N] };
        let (left, right) = (read(&look.left[joint]), read(&look.right[joint]));
        if look.broken && i > 0 && i + 1 < looks.len() && left != right {
            keys.push(key(left));
        }
        keys.push(key(if i + 1 == looks.len() { left } else { right }));
    }
    Channel { interpolation: Interpolation::Linear, keys }
}
