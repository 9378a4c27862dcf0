//! What a file of keys cannot say of a motion.

use crate::curve::Strand;
use crate::motion::{Cancel, Columns, Cut, Frames, Motion, MotionError, Sample, prepared};
use crate::work::OF_A_FILE;
use std::sync::Arc;

/// A form of file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileForm {
    /// CSV of poses.
    Table,
    /// CSV of contacts.
    Contacts,
    /// GLB.
    Model,
    /// USD as text.
    Stage,
    /// The same packed with its pictures.
    Package,
    /// BVH of the joints of one thing.
    Joints,
}

impl FileForm {
    /// True of USD, packed or not.
    pub const fn is_stage(self) -> bool {
        matches!(self, Self::Stage | Self::Package)
    }

    /// True of what has keys, which may be reduced.
    pub const fn has_keys(self) -> bool {
        self.is_stage() || matches!(self, Self::Model)
    }

    /// The word for it.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Table => "csv",
            Self::Contacts => "contacts",
            Self::Model => "glb",
            Self::Stage => "usda",
            Self::Package => "usdz",
            Self::Joints => "bvh",
        }
    }

    /// The form that a word is for.
    pub fn of_word(word: &str) -> Option<Self> {
        let all = [Self::Table, Self::Contacts, Self::Model, Self::Stage, Self::Package, Self::Joints];
        all.into_iter().find(|form| form.word() == word)
    }

    /// The ending of its files, without a dot.
    pub const fn ending(self) -> &'static str {
        if matches!(self, Self::Contacts) { Self::Table.word() } else { self.word() }
    }
}

/// What a motion has at its whole frames that goes into a file or not, in words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Beyond {
    /// Some thing is not there at some time.
    pub presence: bool,
    /// Things are of several kinds.
    pub kinds: bool,
    /// Things have colours between two, by something of theirs.
    pub colours: bool,
    /// Colours of things change over time.
    pub recolouring: bool,
    /// Things are brighter or darker at times.
    pub brightness: bool,
    /// Things are cut off at times.
    pub cuts: bool,
    /// The path that things are on has other strands at other frames.
    pub strands: bool,
    /// Things are bent along a path.
    pub bends: bool,
    /// Things are dented.
    pub dents: bool,
    /// Things walk.
    pub walks: bool,
}

impl Beyond {
    /// Of a motion within a range. Errors as of preparing it.
    ///
    /// # Errors
    /// As of preparing it.
    pub fn of(motion: &Arc<dyn Motion>, range: Frames, cancel: &Cancel) -> Result<Self, MotionError> {
        cancel.within(OF_A_FILE, |cancel| Self::found(motion, range, cancel))
    }

    fn found(motion: &Arc<dyn Motion>, range: Frames, cancel: &Cancel) -> Result<Self, MotionError> {
        let ready = prepared(motion, range.widened(1.0), cancel)?;
        let columns = Columns::ALIVE | Columns::TINT | Columns::BRIGHTNESS | Columns::CUT;
        let bends = ready.kinds().iter().any(|kind| kind.bent.is_some());
        let dents = ready.kinds().iter().any(|kind| kind.dented.is_some());
        let walks = ready.kinds().iter().any(|kind| kind.walked.is_some());
        let kinds = ready.kinds().len() > 1 || ready.kinds().iter().any(|kind| kind.glyph.is_some());
        let mut found = Self { kinds, bends, dents, walks, ..Self::default() };
        let moving = ready.path().filter(|path| path.unmoving().is_none());
        let strands = |frame: f64| moving.map(|path| path.at(frame).strands().iter().map(Strand::closed).collect());
        let at_start: Option<Vec<bool>> = strands(range.from);
        let (mut sample, mut first) = (Sample::default(), Vec::new());
        for frame in range.from.ceil() as i64..=range.to.floor() as i64 {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            ready.sample(frame as f64, columns, &mut sample);
            found.strands |= strands(frame as f64) != at_start;
            found.presence |= sample.alive.iter().any(|alive| !alive);
            found.colours |= sample.tints.iter().any(|tint| *tint != 0.0);
            if first.is_empty() {
                first.clone_from(&sample.tints);
            }
            found.recolouring |= sample.tints != first;
            found.brightness |= sample.brightness.iter().any(|bright| *bright != 1.0);
            found.cuts |= sample.cuts.iter().any(|cut| *cut != Cut::default());
        }
        Ok(found)
    }

    /// What of it a file does not say.
    pub fn left_out(self, file: FileForm) -> Vec<&'static str> {
        if file == FileForm::Contacts {
            return vec!["where things are, but for what they touch"];
        }
        if file == FileForm::Joints {
            return vec!["other things", "what hangs on joints", "when it is there", "how large joints are"];
        }
        let table = file == FileForm::Table;
        let model = file == FileForm::Model;
        let all = [
            (model && self.recolouring, "how their colours change"),
            (model && self.brightness, "their brightness"),
            (!table && self.cuts, "where they are cut off"),
            (!table && self.strands, "the path that they are on, which has other strands at other frames"),
            (table && self.bends, "what is bent"),
            (table && self.dents, "what is dented"),
            (table && self.walks, "what walks"),
        ];
        all.into_iter().filter(|(is, _)| *is).map(|(_, word)| word).collect()
    }
}
