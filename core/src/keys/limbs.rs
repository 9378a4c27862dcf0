//! Keys of the joints of a thing.

use super::bake::{Keying, ON_STEP};
use super::channel::{Channel, Interpolation, Key};
use super::curved::{curved, rates};
use super::thin::thinned;
use crate::motion::{Cancel, Frames, Limbs, Motion, MotionError, Sample};
use crate::pose::{angle_between, nearer};
use crate::rig::{Local, box_corners, turned_towards};
use glam::{DMat4, DQuat, DVec3};

/// The keys of a joint in what it hangs on.
#[derive(Debug, Clone, PartialEq)]
pub struct JointKeys {
    /// Where it is there.
    pub translation: Channel<3>,
    /// x, y, z, w: between straight keys evenly along the shorter arc, between cubic ones to be normalised.
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
/// Times the tolerance up to which nothing is looked at more closely, where keys go straight, and where they are cubic.
const NEAR: f64 = 0.5;
const COARSE: f64 = 1.0;

/// A moment, and how joints lie just before and from there on.
#[derive(Debug, Clone)]
pub(super) struct Look {
    pub frame: f64,
    pub left: Vec<Local>,
    pub right: Vec<Local>,
    pub broken: bool,
}

impl Look {
    /// The frames of both of its sides.
    pub fn sides(&self) -> [f64; 2] {
        if self.broken { [self.frame - BESIDE, self.frame + BESIDE * 1e-3] } else { [self.frame; 2] }
    }
}

/// A thing whose joints are looked at.
pub(super) struct Looker<'a> {
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
    /// How its joints lie at frames.
    pub fn at(&self, frames: &[f64]) -> Vec<Vec<Local>> {
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

    /// Looks at frames that are smooth, where there is no look yet.
    fn look_at(&self, looks: &mut Vec<Look>, frames: &[f64]) {
        let known = |frame: &f64| looks.iter().any(|look| (look.frame - frame).abs() <= 2.0 * BESIDE);
        let frames: Vec<f64> = frames.iter().copied().filter(|frame| !known(frame)).collect();
        let new = frames.iter().zip(self.at(&frames));
        looks.extend(new.map(|(&frame, here)| Look { frame, left: here.clone(), right: here, broken: false }));
        looks.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        aligned(looks);
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

impl Keying {
    /// The keys of the joints of a thing of a prepared motion; `metres` are one of the units in which
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
        let looker = Looker { order: limbs.order(), motion, object, limbs, parents, corners, metres };
        let wanted = match self {
            Self::Within { metres, .. } => metres,
            Self::Straight { metres, .. } => {
                let mut looks = first_looks(&looker, range, 1.0)?;
                closer(&looker, &mut looks, NEAR * metres, cancel)?;
                aligned(&mut looks);
                return Ok(Measure::new(&looker, &looks, range).of(straight(&looks, None)));
            }
            Self::Every(step) => {
                let mut looks = first_looks(&looker, range, step)?;
                aligned(&mut looks);
                let keys = straight(&looks, None);
                return Ok(Measure::new(&looker, &looks, range).of(keys));
            }
        };
        let mut looks = first_looks(&looker, range, 0.5)?;
        closer(&looker, &mut looks, COARSE * wanted, cancel)?;
        aligned(&mut looks);
        let measure = Measure::new(&looker, &looks, range);
        let reaches = looker.reaches(&looks[0].right);
        let share = wanted / looker.depth() as f64;
        let liberty = |round: i32| {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            Ok(Liberty { far: share * libm::exp2(f64::from(MOST_LIBERTY - round)), reaches: &reaches, metres })
        };
        for round in 0..ROUNDS {
            let made = measure.of(curved(&looks, &rates(&looker, &looks), liberty(round)?));
            if made.off.0 <= wanted {
                return Ok(made);
            }
            looker.look_at(&mut looks, &measure.missed(&made, wanted));
        }
        // What bends everywhere goes straight from key to key.
        closer(&looker, &mut looks, NEAR * wanted, cancel)?;
        aligned(&mut looks);
        for round in 0..ROUNDS {
            let made = measure.of(straight(&looks, Some(liberty(round)?)));
            if made.off.0 <= wanted {
                return Ok(made);
            }
        }
        Ok(measure.of(straight(&looks, None)))
    }
}

/// What keys of joints are compared with.
struct Measure<'a> {
    looker: &'a Looker<'a>,
    frames: Vec<f64>,
    exact: Vec<Vec<Local>>,
}

impl<'a> Measure<'a> {
    fn new(looker: &'a Looker<'a>, looks: &[Look], range: Frames) -> Self {
        let within = (0..).map(|i| range.from + f64::from(i) / LOOKS).take_while(|frame| *frame < range.to);
        let before = looks.iter().filter(|look| look.broken).map(|look| look.frame - BESIDE);
        let all = within.chain(before).chain([range.to - BESIDE]);
        let frames: Vec<f64> = all.filter(|frame| range.holds(*frame)).collect();
        Self { looker, exact: looker.at(&frames), frames }
    }

    /// How far keys are off, each with its frame.
    fn each(&self, joints: &[JointKeys]) -> impl Iterator<Item = (f64, f64)> {
        self.frames.iter().zip(&self.exact).map(move |(&frame, exact)| {
            let keyed: Vec<Local> = joints.iter().map(|keys| keys.at(frame)).collect();
            (self.looker.apart(&keyed, exact), frame)
        })
    }

    /// Keys with the most that they are off.
    fn of(&self, joints: Vec<JointKeys>) -> LimbKeys {
        let off = super::largest_error(self.each(&joints));
        LimbKeys { joints, off }
    }

    /// Where they are off by more than they should be.
    fn missed(&self, keys: &LimbKeys, wanted: f64) -> Vec<f64> {
        self.each(&keys.joints).filter(|(off, _)| *off > wanted).map(|(_, frame)| frame).collect()
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

/// A turn by keys of turns.
pub(super) fn turn_at(channel: &Channel<4>, frame: f64) -> DQuat {
    if channel.interpolation == Interpolation::Cubic {
        let turn = DQuat::from_array(channel.at(frame).0);
        return if turn.length_squared() > 1e-24 { turn.normalize() } else { DQuat::IDENTITY };
    }
    let after = channel.keys.partition_point(|key| key.frame <= frame);
    let Some(before) = after.checked_sub(1) else { return DQuat::from_array(channel.keys[0].value) };
    let from = &channel.keys[before];
    channel.keys.get(after).map_or_else(
        || DQuat::from_array(from.value),
        |to| turn_between(&from.value, &to.value, (frame - from.frame) / (to.frame - from.frame)),
    )
}

/// A turn at a part of the way from one to another, evenly along the shorter arc.
pub(super) fn turn_between(from: &[f64; 4], to: &[f64; 4], part: f64) -> DQuat {
    turned_towards(DQuat::from_array(*from), DQuat::from_array(*to), part)
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

/// More looks where joints that go straight from one to the next have corners off by more than the tolerance.
fn closer(looker: &Looker<'_>, looks: &mut Vec<Look>, tolerance: f64, cancel: &Cancel) -> Result<(), MotionError> {
    let mut open: Vec<(Look, Look)> = looks.windows(2).map(|pair| (pair[0].clone(), pair[1].clone())).collect();
    while !open.is_empty() && looks.len() < MOST_LOOKS {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        let middles: Vec<f64> = open.iter().map(|(a, b)| 0.5 * (a.frame + b.frame)).collect();
        let mut next = Vec::new();
        for (((a, b), frame), here) in open.into_iter().zip(&middles).zip(looker.at(&middles)) {
            let between: Vec<Local> = a.right.iter().zip(&b.left).map(|(a, b)| a.towards(b, 0.5)).collect();
            if b.frame - a.frame <= NARROW || looker.apart(&between, &here) <= tolerance {
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

/// What single joints may be off.
#[derive(Clone, Copy)]
pub(super) struct Liberty<'a> {
    /// Metres, of a turn, a way and a size together.
    far: f64,
    /// How far each reaches, metres.
    reaches: &'a [f64],
    /// Metres that are one of their units.
    metres: f64,
}

impl Liberty<'_> {
    /// How far a joint may be off in its units, and in its turn and size.
    pub fn of(&self, joint: usize) -> (f64, f64) {
        let third = self.far / 3.0;
        (third / self.metres, third / self.reaches[joint].max(third))
    }
}

pub(super) fn apart(a: &[f64; 3], b: &[f64; 3]) -> f64 {
    DVec3::from(*a).distance(DVec3::from(*b))
}

pub(super) fn turned(a: &[f64; 4], b: &[f64; 4]) -> f64 {
    let unit = |turn: &[f64; 4]| DQuat::from_array(*turn).normalize();
    angle_between(unit(a), unit(b))
}

/// The keys of all joints, straight from one to the next; of those within a liberty as few as keep to it.
fn straight(looks: &[Look], liberty: Option<Liberty<'_>>) -> Vec<JointKeys> {
    let along = |a: &[f64; 3], b: &[f64; 3], part: f64| DVec3::from(*a).lerp(DVec3::from(*b), part).to_array();
    let even = |a: &[f64; 4], b: &[f64; 4], part: f64| turn_between(a, b, part).to_array();
    let one = |joint: usize| {
        let (way, turn) = liberty.map_or((0.0, 0.0), |liberty| liberty.of(joint));
        JointKeys {
            translation: thinned(&points(looks, joint, |local| local.translation.to_array()), way, (&apart, &along)),
            rotation: thinned(&points(looks, joint, |local| local.rotation.to_array()), turn, (&turned, &even)),
            scale: thinned(&points(looks, joint, |local| local.scale.to_array()), turn, (&apart, &along)),
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
