//! Motions: functions of time that give a pose for every thing, and what reads and wraps them.
//!
//! ```
//! use glam::DVec3;
//! use std::sync::Arc;
//! use zickzack_core::curve::{Curve, Path, Segment, Strand};
//! use zickzack_core::fraction::Fraction;
//! use zickzack_core::motion::{Columns, FaceTravel, FaceUp, Motion, Ride, Sample};
//! use zickzack_core::pose::Axis;
//!
//! let round = Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Z)], true)?;
//! let ride: Arc<dyn Motion> = Arc::new(Ride::new(Path::still(Curve::from(round)), 3, Fraction::whole(1).unwrap(), 48.0));
//! let facing = FaceTravel::new(ride, Axis::PlusX, Axis::PlusY, FaceUp::Towards(DVec3::Y));
//! // Any frame is asked for by itself, and between whole ones too.
//! let mut sample = Sample::default();
//! facing.sample(12.5, Columns::POSE | Columns::VELOCITY, &mut sample);
//! for (turn, velocity) in sample.orientations.iter().zip(&sample.velocities) {
//!     assert!((*turn * DVec3::X).distance(velocity.normalize()) < 1e-9, "its nose leads");
//! }
//! # Ok::<(), zickzack_core::curve::CurveError>(())
//! ```

mod bent;
mod contact;
mod dented;
mod layer;
mod life;
mod look;
mod read;
mod record;
mod sample;
mod source;
mod walked;

/// Earth's, metres per second squared: where nobody says otherwise.
pub const GRAVITY: f64 = 9.81;

pub use bent::{Banking, Bend, BentAlong, BentForm, Cloth, Lying, Placing, Reach, Sections, Strip, StripEnd, Tight};
pub use contact::Contact;
pub use contact::attach::Attached;
pub(crate) use contact::carried;
pub use contact::hits::{Hits, Whose};
pub use contact::ringing::Ringing;
pub use contact::since::{Since, Stretch};
pub use contact::stick::{Stick, Sticking};
pub use dented::{Dented, Dents, Grain, Hollow, Pressing, Several};
pub use layer::face_travel::{FaceTravel, spins};
pub use layer::face_up::FaceUp;
pub use layer::followers::{Delays, Follower, Followers, Stance};
pub use layer::head_count::HeadCount;
pub use layer::mimic::{Mimic, Mimicry};
pub use layer::moved::{Moved, Moving};
pub use layer::pivot::Pivoted;
pub use layer::rattle::{Blow, Rattle};
pub use layer::retime::{Retimed, Timing};
pub use layer::shudder::{Shudder, Shuddering};
pub use layer::steered::{Bank, Steered, Steering};
pub use layer::swell::Swell;
pub use layer::together::Together;
pub use layer::two_shots::{Apartness, TwoShots};
pub use layer::waver::{Waver, Wavering};
pub use layer::{Below, Layer, Layered, Rows, Touched, Who, who_needs};
pub use life::births::{Pattern as BirthPattern, lifetime};
pub use life::lives::{Birth, Life, Lives};
pub use life::reborn::{Course, EachAnew, Moment, Reborn};
pub use look::clipped::{Clipped, Clips, MixedBy, PlayedBy, Playing};
pub use look::dressed::{Dressed, Look};
pub use look::form::{Own, form_numbers, formed_numbers};
pub use look::graded::{Graded, GradedBy};
pub use look::kinds::{Kind, Kinds, Symmetry, Tint};
pub use look::lettered::{Glyph, Letters, Standing};
pub use look::limbs::Limbs;
pub use look::looks::WithLooks;
pub use read::block::{BlockColumn, BlockColumnName, BlockLayout, NumberType, fill_poses};
pub use read::compare::{Apart, largest_distance};
pub use read::trace::{Channel as TraceChannel, trace};
pub use read::wake::wake;
pub use record::recording::{Kept, Recording, Row};
pub use record::simulated::{Earlier, Progress, Simulated, Stand, Take, record};
pub use sample::{Age, ClipTime, Columns, Cut, Place, Sample};
pub use source::links::Links;
pub use source::posed::Posed;
pub use source::ride::{Ride, RideEnd, RideOffset};
pub use source::seats::{Pace, RideSpacing, Seat, Sharing};
pub use source::tether::{TetherEnd, hanging, tether};
pub use source::wheel::{Touch, Wheel, bend, touch};

pub use walked::{Step, Walk, WalkAlong};

pub use crate::work::{Cancel, MotionError};

use crate::curve::Path;
use crate::pose::Axis;
use std::ops::Range;
use std::sync::Arc;

/// What a motion does outside the frames that it was made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outside {
    /// Defined by the same rule at every frame.
    RunsOn,
    /// Stays as it was at the nearer end.
    Holds,
    /// Repeats.
    Periodic,
}

/// The frames that a motion was made for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Extent {
    /// First frame.
    pub from: f64,
    /// Last frame.
    pub to: f64,
    /// What it does before and after.
    pub outside: Outside,
}

/// A stretch of frames, both ends included.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Frames {
    /// First frame.
    pub from: f64,
    /// Last frame, not before the first.
    pub to: f64,
}

impl Frames {
    /// Widened by `margin` frames on both sides.
    pub fn widened(self, margin: f64) -> Self {
        Self { from: self.from - margin, to: self.to + margin }
    }

    /// True when `frame` lies in it.
    pub fn holds(self, frame: f64) -> bool {
        frame >= self.from && frame <= self.to
    }
}

/// A frame at which a thing's motion is not smooth.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Break {
    /// Real-valued frame.
    pub frame: f64,
    /// What happens there.
    pub kind: BreakKind,
}

/// How a motion is not smooth.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BreakKind {
    /// The thing begins anew: nothing of what was before counts.
    Anew,
    /// The position jumps.
    Jump,
    /// The velocity changes at once: a corner of the path, a start, a stop.
    Corner,
    /// The velocity changes at once because something was touched.
    Contact,
}

impl BreakKind {
    /// Where several fall on one frame, the one with the lowest rank counts.
    pub const fn rank(self) -> u8 {
        match self {
            Self::Anew => 0,
            Self::Jump => 1,
            Self::Contact => 2,
            Self::Corner => 3,
        }
    }

    /// True where the position may jump.
    pub const fn is_jump(self) -> bool {
        matches!(self, Self::Anew | Self::Jump)
    }
}

/// Breaks with others among them, in order of frames.
pub(crate) fn with_breaks(mut breaks: Vec<Break>, others: impl IntoIterator<Item = Break>) -> Vec<Break> {
    breaks.extend(others);
    breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.kind.rank().cmp(&b.kind.rank())));
    breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
    breaks
}

/// Corners where what drives something bends.
pub(crate) fn corners(bends: impl IntoIterator<Item = f64>) -> impl Iterator<Item = Break> {
    bends.into_iter().map(|frame| Break { frame, kind: BreakKind::Corner })
}

/// Most breaks of one thing that are looked for at once.
pub const MOST_BREAKS: usize = 200_000;

/// A function of time that gives a pose for every thing.
pub trait Motion: Send + Sync {
    /// How many things it moves.
    fn len(&self) -> usize;

    /// True when it moves nothing.
    fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The frames it was made for.
    fn extent(&self) -> Extent;

    /// Metres per frame below which the way a thing moves says nothing: a thousandth of the size of what is simulated
    /// step by step, and never quite rests.
    fn still_below(&self) -> f64 {
        0.0
    }

    /// Does once what sampling in `range` needs, such as filters with a history. Gives what to sample
    /// in its place, or `None` when it is ready as it stands.
    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let _ = (range, cancel);
        Ok(None)
    }

    /// Samples things at frames of their own: one row per entry of `at`, an (object, frame) pair with
    /// object < `len()` and a finite frame. Columns that were not asked for are left empty.
    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample);

    /// The columns of a pose that may differ from what [`Sample::reset`] puts there; others need not be
    /// asked for.
    fn varies(&self) -> Columns {
        Columns::POSE
    }

    /// Samples some things, all at one frame, row 0 being the first of them. Gives the same bits as
    /// [`sample_at`](Self::sample_at).
    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        let at: Vec<(usize, f64)> = objects.map(|object| (object, frame)).collect();
        self.sample_at(&at, columns, out);
    }

    /// Samples all things at one frame, row i being object i.
    fn sample(&self, frame: f64, columns: Columns, out: &mut Sample) {
        self.sample_range(frame, 0..self.len(), columns, out);
    }

    /// Where within `range` a thing's motion is not smooth, in order of frames; `TooMuch` beyond
    /// [`MOST_BREAKS`].
    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError>;

    /// Contacts within `range`, in order of frames.
    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let _ = range;
        Vec::new()
    }

    /// The path that [`Place`] columns speak of, when there is one.
    fn path(&self) -> Option<&Path> {
        None
    }

    /// The axes of a thing that point ahead and up, where something turns them so.
    fn facing(&self) -> Option<(Axis, Axis)> {
        None
    }

    /// Things with the same look may trade places at the seam.
    fn look(&self, object: usize) -> u64 {
        let _ = object;
        0
    }

    /// The kinds that things are of; none where all are the same.
    fn kinds(&self) -> &[Kind] {
        &[]
    }

    /// Which of [`kinds`](Self::kinds) a thing is.
    fn kind(&self, object: usize) -> usize {
        let _ = object;
        0
    }

    /// The turns after which a thing looks the same, but for whole ones.
    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        let _ = object;
        None
    }

    /// The lives that its things have one after another, where they begin anew: then it has the column
    /// [`LIFE`](Columns::LIFE).
    fn lives(&self) -> Option<&Lives> {
        None
    }

    /// The thing that has, so many frames earlier, the part that this one has, where the motion knows it: then the seam
    /// compares these two and looks for no others.
    fn partner(&self, object: usize, frames: f64) -> Option<usize> {
        let lives = self.lives().filter(|lives| lives.again() && lives.period() == frames)?;
        Some(lives.partner(object, 1))
    }

    /// The same motion with its lives shared out anew, so that each thing only has those of births that are in one
    /// group, given by birth; `None` where it has no lives, or where things have something of their own in all of theirs.
    fn shared_by(&self, group: &[u32]) -> Option<Arc<dyn Motion>> {
        let _ = group;
        None
    }
}

/// What a motion that wraps `self.inner` leaves as it is.
macro_rules! as_inner {
    ($($what:ident),*) => { $(as_inner!(@ $what);)* };
    (@ len) => { fn len(&self) -> usize { self.inner.len() } };
    (@ extent) => {
        fn extent(&self) -> Extent { self.inner.extent() }
        fn still_below(&self) -> f64 { self.inner.still_below() }
    };
    (@ breaks) => {
        fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
            self.inner.breaks(object, range)
        }
    };
    (@ contacts) => { fn contacts(&self, range: Frames) -> Vec<Contact> { self.inner.contacts(range) } };
    (@ path) => { fn path(&self) -> Option<&Path> { self.inner.path() } };
    (@ facing) => { fn facing(&self) -> Option<(Axis, Axis)> { self.inner.facing() } };
    (@ lives) => {
        fn lives(&self) -> Option<&$crate::motion::Lives> { self.inner.lives() }
        fn partner(&self, object: usize, frames: f64) -> Option<usize> { self.inner.partner(object, frames) }
    };
    (@ shared) => {
        fn shared_by(&self, group: &[u32]) -> Option<Arc<dyn Motion>> {
            Some(Arc::new(Self { inner: self.inner.shared_by(group)?, ..self.clone() }))
        }
    };
    (@ looks) => {
        fn look(&self, object: usize) -> u64 { self.inner.look(object) }
        fn kinds(&self) -> &[$crate::motion::Kind] { self.inner.kinds() }
        fn kind(&self, object: usize) -> usize { self.inner.kind(object) }
        fn symmetry(&self, object: usize) -> Option<$crate::motion::Symmetry> { self.inner.symmetry(object) }
    };
}
pub(crate) use as_inner;

/// `motion` made ready for `range`.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn prepared(motion: &Arc<dyn Motion>, range: Frames, cancel: &Cancel) -> Result<Arc<dyn Motion>, MotionError> {
    Ok(motion.prepare(range, cancel)?.unwrap_or_else(|| motion.clone()))
}
