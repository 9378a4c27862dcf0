//! Joint motion in BVH files: read, drawn as a binary glTF model of its bones, and written.
//!
//! Such a file names joints, how far each is from the one that it hangs on, and for each frame a number for each channel.
//! Turns are made in the order in which their channels stand; a position stands for the offset along its axis. It says
//! nothing of units.

mod drawn;
mod words;
mod written;

pub use drawn::drawn;
pub use written::{Bone, Lying, UnwrittenBvh, write};

use glam::{DQuat, DVec3};
use words::Words;

/// Most joints of one file, ends of chains among them.
pub const MOST_JOINTS: usize = 512;
/// Bytes that such a file has at most: 10,000 frames of 100 joints fit in.
pub const LARGEST: usize = 40 << 20;
/// Most joints in one chain.
const DEEPEST: usize = 200;

/// Why a BVH file cannot be used.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum BvhError {
    #[error("line {line}: \"{found}\" stands where {wanted} is expected")]
    Unexpected { line: usize, found: String, wanted: &'static str },
    #[error("it ends where {0} is expected: export it again")]
    CutOff(&'static str),
    #[error("line {line}: \"{found}\" is no channel: use Xposition to Zposition and Xrotation to Zrotation")]
    Channel { line: usize, found: String },
    #[error("there are {0} joints or more in it, and {MOST_JOINTS} is the most: leave some out")]
    TooManyJoints(usize),
    #[error("joints hang on each other more than {DEEPEST} deep: leave some out")]
    TooDeep,
    #[error("there is no frame of motion in it: export it with its motion")]
    NoFrames,
    #[error("it says {frames} frames of {channels} numbers each, and holds {found} numbers: export it again")]
    Count { frames: usize, channels: usize, found: usize },
    #[error("all its joints lie in one place: export it with the lengths of its bones")]
    NoBones,
}

/// One number of a joint.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Channel {
    /// Along an axis, 0 to 2.
    Position(usize),
    /// About an axis, degrees.
    Rotation(usize),
}

/// A joint, or the end of a chain.
#[derive(Debug, Clone, PartialEq)]
pub struct Joint {
    /// Empty for ends of chains.
    pub name: String,
    /// What it hangs on, a joint before it.
    pub parent: Option<usize>,
    /// How far from that, in the file's own unit.
    pub offset: DVec3,
    /// What is said of it for each frame, in order.
    pub channels: Vec<Channel>,
}

/// What a BVH file says.
#[derive(Debug, Clone, PartialEq)]
pub struct Skeleton {
    /// In the file's order.
    pub joints: Vec<Joint>,
    /// From one frame to the next, positive.
    pub seconds: f64,
    /// Frame by frame, joint by joint.
    numbers: Vec<f64>,
    /// Numbers of a frame.
    width: usize,
}

/// True where bytes begin as such a file does.
pub fn is(bytes: &[u8]) -> bool {
    let start = &bytes[..bytes.len().min(200)];
    let start = start.strip_prefix("\u{feff}".as_bytes()).unwrap_or(start);
    start.trim_ascii_start().get(..9).is_some_and(|word| word.eq_ignore_ascii_case(b"hierarchy"))
}

/// Reads a BVH file.
///
/// # Errors
/// What is wrong, and in which line; too many joints; numbers that are not as many as frames and channels.
pub fn read(text: &str) -> Result<Skeleton, BvhError> {
    let mut words = Words::of(text);
    let mut joints = Vec::new();
    words.keyword("HIERARCHY", "HIERARCHY")?;
    words.keyword("ROOT", "ROOT")?;
    loop {
        joint(&mut words, None, 0, &mut joints)?;
        if words.is_next("MOTION") {
            break;
        }
        words.keyword("ROOT", "MOTION")?;
    }
    words.keyword("MOTION", "MOTION")?;
    words.keyword("Frames:", "Frames:")?;
    let frames = words.whole("the number of frames")?;
    words.keyword("Frame", "Frame Time:")?;
    words.keyword("Time:", "Frame Time:")?;
    let seconds = words.number("the seconds of a frame")?;
    if frames == 0 {
        return Err(BvhError::NoFrames);
    }
    if seconds <= 0.0 {
        return Err(words.unexpected("more than 0 seconds"));
    }
    let width: usize = joints.iter().map(|joint: &Joint| joint.channels.len()).sum();
    let mut numbers = Vec::new();
    while !words.over() {
        numbers.push(words.number("a number")?);
    }
    if frames.checked_mul(width) != Some(numbers.len()) {
        return Err(BvhError::Count { frames, channels: width, found: numbers.len() });
    }
    Ok(Skeleton { joints, seconds, numbers, width })
}

/// A joint and all that hangs on it, from its name on.
fn joint(words: &mut Words<'_>, parent: Option<usize>, deep: usize, joints: &mut Vec<Joint>) -> Result<(), BvhError> {
    if deep > DEEPEST {
        return Err(BvhError::TooDeep);
    }
    // A name may hold spaces.
    let name = words.name()?;
    let own = begun(words, name, parent, joints)?;
    words.keyword("CHANNELS", "CHANNELS")?;
    for _ in 0..words.whole("the number of channels")? {
        let channel = words.channel()?;
        joints[own].channels.push(channel);
    }
    loop {
        if words.is_next("}") {
            return words.keyword("}", "}");
        }
        if words.is_next("End") {
            words.keyword("End", "End Site")?;
            words.name()?;
            begun(words, String::new(), Some(own), joints)?;
            words.keyword("}", "}")?;
        } else {
            words.keyword("JOINT", "JOINT, End Site or }")?;
            joint(words, Some(own), deep + 1, joints)?;
        }
    }
}

/// What all joints begin with: how far they are from what they hang on.
fn begun(
    words: &mut Words<'_>,
    name: String,
    parent: Option<usize>,
    joints: &mut Vec<Joint>,
) -> Result<usize, BvhError> {
    words.keyword("{", "{")?;
    words.keyword("OFFSET", "OFFSET")?;
    let mut offset = DVec3::ZERO;
    for axis in 0..3 {
        offset[axis] = words.number("a number of the offset")?;
    }
    if joints.len() == MOST_JOINTS {
        return Err(BvhError::TooManyJoints(MOST_JOINTS + 1));
    }
    joints.push(Joint { name, parent, offset, channels: Vec::new() });
    Ok(joints.len() - 1)
}

impl Skeleton {
    /// At least 1.
    pub fn frames(&self) -> usize {
        // What has no channels stands as long as it says, in one frame.
        self.numbers.len().checked_div(self.width).unwrap_or(1)
    }

    /// How each joint lies in what it hangs on at a frame: how far off, and turned.
    pub fn at(&self, frame: usize) -> impl Iterator<Item = (DVec3, DQuat)> + '_ {
        let mut next = frame * self.width;
        self.joints.iter().map(move |joint| {
            let (mut off, mut turn) = (joint.offset, DQuat::IDENTITY);
            for channel in &joint.channels {
                let number = self.numbers[next];
                next += 1;
                match *channel {
                    Channel::Position(axis) => off[axis] = number,
                    Channel::Rotation(axis) => {
                        let half = 0.5 * number.to_radians();
                        let way = DVec3::AXES[axis] * libm::sin(half);
                        turn *= DQuat::from_xyzw(way.x, way.y, way.z, libm::cos(half));
                    }
                }
            }
            (off, turn.normalize())
        })
    }
}
