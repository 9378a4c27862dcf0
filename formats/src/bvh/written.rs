//! Joint motion as a BVH file.

use super::{BvhError, MOST_JOINTS};
use glam::{DMat3, DQuat, DVec3};
use std::collections::BTreeSet;
use std::io::{self, Write};

/// A joint as it is written.
#[derive(Debug, Clone, PartialEq)]
pub struct Bone {
    /// Any text.
    pub name: String,
    /// What it hangs on, a joint before it; the first alone hangs on nothing.
    pub parent: Option<usize>,
    /// Where it ends if nothing hangs on it, in its own axes.
    pub end: DVec3,
}

/// How each joint lies in what it hangs on: how far off, and turned.
pub type Lying = Vec<(DVec3, DQuat)>;

/// Why there is no file.
#[derive(Debug, thiserror::Error)]
pub enum UnwrittenBvh {
    #[error(transparent)]
    Joints(#[from] BvhError),
    #[error("the file cannot be written: {0}")]
    Io(#[from] io::Error),
}

/// Metres within which a joint stays in its place: then only its turns are written.
const STAYS: f64 = 1e-7;
/// Signs of a name at most.
const LONGEST_NAME: usize = 100;
/// Sine of a turn about x from which on those about z and y are one.
const LOCKED: f64 = 1.0 - 1e-12;

/// Writes joints and how they lie at some frames, so many seconds apart. Turns are made about z, then x, then y, and go on from those
/// of the frame before. Where a joint that has a place of its own at each frame is at rest readers do not agree: its offset is 0.
///
/// # Errors
/// Where there are more joints than may be; where `out` does not take it.
pub fn write(bones: &[Bone], frames: &[Lying], seconds: f64, out: &mut dyn Write) -> Result<(), UnwrittenBvh> {
    if bones.len() > MOST_JOINTS {
        return Err(BvhError::TooManyJoints(bones.len()).into());
    }
    let stays = |joint: usize| frames.iter().all(|lying| lying[joint].0.distance(frames[0][joint].0) <= STAYS);
    let moves: Vec<bool> = (0..bones.len()).map(|joint| joint == 0 || !stays(joint)).collect();
    let mut below = vec![Vec::new(); bones.len()];
    for (joint, bone) in bones.iter().enumerate() {
        bone.parent.iter().for_each(|parent| below[*parent].push(joint));
    }
    let mut names = Names::default();
    let bare = Bare { bones, below: &below, moves: &moves, first: &frames[0] };
    writeln!(out, "HIERARCHY")?;
    let mut order = Vec::with_capacity(bones.len());
    bare.joint(0, 0, &mut names, &mut order, out)?;
    writeln!(out, "MOTION\nFrames: {}\nFrame Time: {seconds}", frames.len())?;
    let mut before = vec![DVec3::ZERO; bones.len()];
    for lying in frames {
        let mut line = String::new();
        for &joint in &order {
            let (place, turn) = lying[joint];
            let mut put = |number: String| {
                if !line.is_empty() {
                    line.push(' ');
                }
                line.push_str(&number);
            };
            if moves[joint] {
                place.to_array().into_iter().for_each(|x| put(format!("{x:.7}")));
            }
            before[joint] = turns(turn, before[joint]);
            let [x, y, z] = before[joint].to_array();
            [z, x, y].into_iter().for_each(|angle| put(format!("{angle:.6}")));
        }
        writeln!(out, "{line}")?;
    }
    Ok(out.flush()?)
}

/// Joints of a file whose motion comes after them.
struct Bare<'a> {
    bones: &'a [Bone],
    below: &'a [Vec<usize>],
    moves: &'a [bool],
    first: &'a Lying,
}

impl Bare<'_> {
    fn joint(
        &self,
        joint: usize,
        deep: usize,
        names: &mut Names,
        order: &mut Vec<usize>,
        out: &mut dyn Write,
    ) -> Result<(), UnwrittenBvh> {
        if deep > super::DEEPEST {
            return Err(BvhError::TooDeep.into());
        }
        order.push(joint);
        let (indent, kind) = ("  ".repeat(deep), if joint == 0 { "ROOT" } else { "JOINT" });
        let offset = |at: DVec3| format!("OFFSET {:.7} {:.7} {:.7}", at.x, at.y, at.z);
        let own = if self.moves[joint] { DVec3::ZERO } else { self.first[joint].0 };
        writeln!(out, "{indent}{kind} {}\n{indent}{{", names.name(&self.bones[joint].name))?;
        writeln!(out, "{indent}  {}", offset(own))?;
        let channels = if self.moves[joint] { "6 Xposition Yposition Zposition" } else { "3" };
        writeln!(out, "{indent}  CHANNELS {channels} Zrotation Xrotation Yrotation")?;
        if self.below[joint].is_empty() {
            writeln!(
                out,
                "{indent}  End Site\n{indent}  {{\n{indent}    {}\n{indent}  }}",
                offset(self.bones[joint].end)
            )?;
        }
        self.below[joint].iter().try_for_each(|below| self.joint(*below, deep + 1, names, order, out))?;
        Ok(writeln!(out, "{indent}}}")?)
    }
}

/// Names that are in use.
#[derive(Default)]
struct Names(BTreeSet<String>);

impl Names {
    /// One without spaces that no other joint has.
    fn name(&mut self, wanted: &str) -> String {
        let plain = |c: char| if c.is_whitespace() || c.is_control() || "{}".contains(c) { '_' } else { c };
        let mut name: String = wanted.chars().map(plain).take(LONGEST_NAME).collect();
        if name.is_empty() {
            name.push_str("joint");
        }
        let first = name.clone();
        let mut number = 1;
        while !self.0.insert(name.clone()) {
            number += 1;
            name = format!("{first}_{number}");
        }
        name
    }
}

/// Degrees about x, y and z of a turn that is made about z, then x, then y, those that lie nearest to some before.
fn turns(turn: DQuat, before: DVec3) -> DVec3 {
    let m = DMat3::from_quat(turn).transpose();
    // Rows of the matrix: m.y_axis.z is in the second row, third column.
    let sine = m.z_axis.y.clamp(-1.0, 1.0);
    let found = if sine.abs() > LOCKED {
        let z = libm::atan2(m.y_axis.x, m.x_axis.x);
        DVec3::new(libm::asin(sine), 0.0, z)
    } else {
        DVec3::new(libm::asin(sine), libm::atan2(-m.z_axis.x, m.z_axis.z), libm::atan2(-m.x_axis.y, m.y_axis.y))
    };
    let found = found.map(f64::to_degrees);
    // The same turn the other way over.
    let other = DVec3::new(180.0 - found.x, found.y + 180.0, found.z + 180.0);
    let near = |angles: DVec3| {
        DVec3::from_array(std::array::from_fn(|i| angles[i] + 360.0 * ((before[i] - angles[i]) / 360.0).round()))
    };
    let (a, b) = (near(found), near(other));
    if (b - before).length_squared() < (a - before).length_squared() { b } else { a }
}
