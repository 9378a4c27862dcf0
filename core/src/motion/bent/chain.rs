//! The chain of joints of what is bent along a path.

use super::banking::{Banking, Lean};
use super::form::BentForm;
use super::lying::Lying;
use crate::curve::{AxesTable, Curve, Path};
use crate::motion::FaceUp;
use crate::pose::{Pose, basis, turned};
use crate::remembered::Remembered;
use crate::rig::Local;
use crate::signal::Progression;
use glam::{DVec2, DVec3};
use std::fmt::{Debug, Formatter, Result};
use std::sync::Arc;

/// Angle in radians by which the direction turns at most between nodes of the axes.
const AXES_STEP: f64 = 0.01;
/// Most joints of a thing: an odd number, so that one is in its middle.
const MOST_JOINTS: usize = 1025;
/// Places along a path at which what joints miss is measured, about.
const MEASURED: usize = 600;
/// Frames at which a path that moves is measured.
const MOMENTS: usize = 7;
/// Parts of the way between two joints at which what they miss is measured.
const BETWEEN: [f64; 3] = [0.25, 0.5, 0.75];
/// Joints for each width of a thing along a path with corners.
const CORNERS: f64 = 8.0;
/// What joints may miss between the places that are measured.
const RESERVE: f64 = 0.8;

/// A path with its axes at a frame.
#[derive(Clone)]
struct Laid {
    curve: Arc<Curve>,
    axes: Arc<Vec<AxesTable>>,
    /// Of each strand, where it leans.
    leans: Arc<Vec<Lean>>,
}

/// How cross-sections stand along a path, beside its axes.
#[derive(Debug, Clone)]
pub struct Sections {
    /// Degrees of roll, clockwise as seen from behind.
    pub roll: Progression,
    /// A factor on the cross-section, at least 0.
    pub size: Progression,
    /// How they lean into bends, if they do.
    pub banking: Option<Banking>,
}

/// A thing that is bent along a path, and by how many joints.
pub struct Bend {
    form: BentForm,
    /// Metres at rest.
    length: f64,
    path: Path,
    up: FaceUp,
    sections: Sections,
    joints: usize,
    /// Most that its joints miss, metres.
    missed: f64,
    made: Remembered<Laid>,
}

impl Debug for Bend {
    fn fmt(&self, out: &mut Formatter<'_>) -> Result {
        write!(out, "{:?} by {} joints", self.form, self.joints)
    }
}

/// Where a path bends too tightly for what is bent along it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tight {
    /// Which strand.
    pub strand: usize,
    /// Metres along it.
    pub s: f64,
    /// The radius of the bend there, metres; 0 at a corner.
    pub radius: f64,
    /// How far the thing reaches towards the middle of the bend, metres: more than the radius.
    pub reach: f64,
    /// True at a corner of the path.
    pub corner: bool,
}

impl Bend {
    /// Of a thing `length` metres long, above 0, that lies on at most `span` metres of a path with some length. It has so
    /// many joints that no corner of it is off by more than `tolerance` of its width, or the most there may be; frames are
    /// those of the loop.
    pub fn new(
        (form, length): (BentForm, f64),
        (path, up): (Path, FaceUp),
        sections: Sections,
        (span, tolerance, frames): (f64, f64, f64),
    ) -> Self {
        let made = Remembered::default();
        let mut bend = Self { form, length, path, up, sections, joints: 3, missed: 0.0, made };
        if bend.corners() > 0 {
            // Across a corner no number of joints is exact: they are near enough to each other to show it.
            bend.join(CORNERS * span / bend.form.width());
        }
        let wanted = RESERVE * tolerance * bend.form.width();
        bend.missed = bend.misses(span, frames);
        // What is missed goes with the square of how far joints are apart.
        while bend.missed > wanted && bend.joints < MOST_JOINTS {
            let more = libm::sqrt(bend.missed / wanted).clamp(1.1, 8.0);
            bend.join((bend.joints - 1) as f64 * more);
            bend.missed = bend.misses(span, frames);
        }
        bend.missed /= RESERVE;
        bend
    }

    /// With at least so many spaces between its joints, where there may be: one of few numbers, so that they seldom change while
    /// a path is dragged.
    fn join(&mut self, spaces: f64) {
        let spaces = spaces.min(MOST_JOINTS as f64).ceil() as usize;
        let spaces = spaces.next_multiple_of((spaces.next_power_of_two() / 8).max(2));
        self.joints = (spaces + 1).clamp(self.joints, MOST_JOINTS);
    }

    /// How many corners its path has at frame 0.
    pub fn corners(&self) -> usize {
        self.laid(0.0).curve.strands().iter().map(|strand| strand.corners().len()).sum()
    }

    /// What is bent.
    pub const fn form(&self) -> &BentForm {
        &self.form
    }

    /// Metres that it is long at rest.
    pub const fn length(&self) -> f64 {
        self.length
    }

    /// How many joints it has, evenly along its length: an odd number.
    pub const fn joints(&self) -> usize {
        self.joints
    }

    /// Most by which a corner of it may be off what the path says, metres, but for corners of the path.
    pub const fn missed(&self) -> f64 {
        self.missed
    }

    /// Metres of a strand of its path at a frame.
    pub fn metres(&self, frame: f64, strand: usize) -> f64 {
        let laid = self.laid(frame);
        laid.curve.strands()[strand % laid.curve.strands().len()].length()
    }

    fn laid(&self, frame: f64) -> Laid {
        let still = self.path.unmoving().is_some() && !self.up.moves();
        let frame = if still { 0.0 } else { frame };
        self.made.at(frame, || {
            let curve = self.path.at(frame);
            let axes = self.up.along_at(&curve, frame, AXES_STEP);
            let lean = |banking: &Banking| {
                let both = curve.strands().iter().zip(&axes);
                both.map(|(strand, axes)| Lean::of(banking, strand, axes)).collect()
            };
            let leans = self.sections.banking.as_ref().map_or_else(Vec::new, lean);
            Laid { axes: Arc::new(axes), leans: Arc::new(leans), curve }
        })
    }

    /// Where the middle of it is and how it is turned there, wholly bent.
    pub fn middle(&self, lying: &Lying) -> Pose {
        let section = self.section(&self.laid(lying.frame), lying, lying.at(0.5));
        Pose { position: section.translation, orientation: section.rotation, scale: DVec3::ONE }
    }

    /// Its joints, from tail to head, as they lie in its middle: x is along it, scale along x is how much it is stretched.
    pub fn chain(&self, lying: &Lying, out: &mut Vec<Local>) {
        let (laid, spaces) = (self.laid(lying.frame), self.joints - 1);
        let middle = spaces / 2;
        let home = self.section(&laid, lying, lying.at(0.5));
        let back = home.rotation.inverse();
        out.clear();
        out.extend((0..=spaces).map(|i| {
            let section = self.section(&laid, lying, lying.at(i as f64 / spaces as f64));
            let translation = back * (section.translation - home.translation);
            Local { translation, rotation: back * section.rotation, ..section }
        }));
        if lying.strength < 1.0 {
            let rest = DVec3::X * (self.length / spaces as f64);
            let bent = out.clone();
            for i in middle + 1..=spaces {
                out[i] = stepped(&out[i - 1], (&bent[i - 1], &bent[i]), rest, lying.strength);
            }
            for i in (0..middle).rev() {
                out[i] = stepped(&out[i + 1], (&bent[i + 1], &bent[i]), -rest, lying.strength);
            }
            out[middle].scale = DVec3::ONE.lerp(bent[middle].scale, lying.strength);
        }
    }

    /// Where the middle of its cross-section is at so many places, at least two, evenly among its joints, in space.
    pub fn spine(&self, lying: &Lying, places: usize) -> Vec<DVec3> {
        let (middle, mut joints) = (self.middle(lying), Vec::new());
        self.chain(lying, &mut joints);
        let joint = |i: usize| (i * (joints.len() - 1)) / (places - 1);
        (0..places).map(|i| middle.position + middle.orientation * joints[joint(i)].translation).collect()
    }

    /// How the cross-section lies at so many metres along the strand, in space.
    fn section(&self, laid: &Laid, lying: &Lying, s: f64) -> Local {
        let strand = lying.strand % laid.curve.strands().len();
        let stretch = (lying.to - lying.from).abs() / self.length;
        self.standing(laid, strand, (s, lying.direction()), (lying.roll, stretch))
    }

    fn standing(&self, laid: &Laid, index: usize, (s, direction): (f64, f64), (roll, stretch): (f64, f64)) -> Local {
        let strand = &laid.curve.strands()[index];
        let on = strand.normalise(s);
        let mut here = strand.at_normalised(on);
        let mut up = laid.axes[index].up(on, here.point, here.tangent);
        if let Some(lean) = laid.leans.get(index) {
            up = lean.leant(on, (up, here.tangent));
        }
        if !strand.closed() {
            here.point += here.tangent * (s - on);
        }
        let part = on / strand.length();
        let along = here.tangent * direction;
        let up = turned(up, along, roll + self.sections.roll.at(part).to_radians());
        let size = self.sections.size.at(part);
        Local {
            translation: here.point,
            rotation: basis(along, up).normalize(),
            scale: DVec3::new(stretch, size, size),
        }
    }

    /// Most by which corners between joints are off what the path says, metres.
    fn misses(&self, span: f64, frames: f64) -> f64 {
        self.moments(frames).flat_map(|frame| self.looked(frame, span)).fold(0.0, f64::max)
    }

    fn moments(&self, frames: f64) -> impl Iterator<Item = f64> + use<> {
        let still = self.path.unmoving().is_some() && !self.up.moves();
        let count = if still { 1 } else { MOMENTS };
        (0..count).map(move |i| frames * i as f64 / count as f64)
    }

    fn looked(&self, frame: f64, span: f64) -> Vec<f64> {
        let laid = self.laid(frame);
        let (apart, corners) = (span / (self.joints - 1) as f64, self.form.corners());
        let mut all = Vec::new();
        for (index, strand) in laid.curve.strands().iter().enumerate() {
            let looks = ((2.0 * strand.length() / apart).ceil() as usize).clamp(4, MEASURED);
            let stand = |s: f64| self.standing(&laid, index, (s, 1.0), (0.0, span / self.length));
            // Beyond the ends of an open one it goes straight on.
            let (from, over) = if strand.closed() { (0.0, strand.length()) } else { (-apart, strand.length() + apart) };
            for i in 0..looks {
                let s = from + over * i as f64 / looks as f64;
                let near = |corner: f64| corner > s - apart && corner < s + 2.0 * apart;
                let round = if strand.closed() { strand.length() } else { 0.0 };
                if strand.corners().iter().any(|&corner| near(corner) || near(corner + round)) {
                    continue;
                }
                let (before, after) = (stand(s), stand(s + apart));
                for part in BETWEEN {
                    let exact = stand(s + part * apart);
                    let x = part * self.length / (self.joints - 1) as f64;
                    let rest = self.length / (self.joints - 1) as f64;
                    for corner in corners {
                        let carried = placed(&before, x, corner).lerp(placed(&after, x - rest, corner), part);
                        all.push(carried.distance(placed(&exact, 0.0, corner)));
                    }
                }
            }
        }
        all
    }

    /// Where its path bends most tightly for it, if that is too tightly: its inside would turn over.
    pub fn tight(&self, frames: f64) -> Option<Tight> {
        let mut found: Option<Tight> = None;
        for frame in self.moments(frames) {
            let laid = self.laid(frame);
            for (index, strand) in laid.curve.strands().iter().enumerate() {
                let step = strand.length() / (4 * MEASURED) as f64;
                for i in 0..4 * MEASURED {
                    let s = (i as f64 + 0.5) * step;
                    let ends = [strand.at(s - 0.5 * step), strand.at(s + 0.5 * step)];
                    let bend = (ends[1].tangent - ends[0].tangent) / step;
                    let here = self.standing(&laid, index, (s, 1.0), (0.0, 1.0));
                    let inward = here.rotation.inverse() * bend.normalize_or_zero();
                    let reaches = |corner: &DVec2| corner.dot(DVec2::new(inward.y, inward.z)) * here.scale.y;
                    let reach = self.form.corners().iter().map(reaches).fold(0.0, f64::max);
                    let more = |known: &Tight| reach * bend.length() > known.reach / known.radius;
                    if reach * bend.length() > 1.0 && found.as_ref().is_none_or(more) {
                        let round = if strand.closed() { strand.length() } else { 0.0 };
                        let beside = |corner: &&f64| [0.0, round].iter().any(|lap| (*corner + lap - s).abs() <= step);
                        let at = strand.corners().iter().find(beside);
                        let (s, corner) = (at.copied().unwrap_or(s), at.is_some());
                        let radius = if corner { 0.0 } else { 1.0 / bend.length() };
                        found = Some(Tight { strand: index, s, radius, reach, corner });
                    }
                }
            }
        }
        found
    }
}

/// Where a corner of a cross-section is whose joint lies so, `x` metres ahead of the joint at rest.
fn placed(joint: &Local, x: f64, corner: DVec2) -> DVec3 {
    joint.translation + joint.rotation * (joint.scale * DVec3::new(x, corner.x, corner.y))
}

/// The next joint after one that lies so, where between two others that are bent it is as they say, and at rest `rest` away.
fn stepped(last: &Local, (from, to): (&Local, &Local), rest: DVec3, strength: f64) -> Local {
    let back = from.rotation.inverse();
    let at_rest = Local { translation: rest, ..Local::IDENTITY };
    let rotation = (back * to.rotation).normalize();
    let bent = Local { translation: back * (to.translation - from.translation), rotation, ..*to };
    let step = at_rest.towards(&bent, strength);
    Local {
        translation: last.translation + last.rotation * step.translation,
        rotation: (last.rotation * step.rotation).normalize(),
        ..step
    }
}
