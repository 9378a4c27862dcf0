//! Formulas for numbers: the function names and rules of GLSL, every number a float.
//!
//! A kept crate parses; what is parsed is checked once and put in the order in which it is computed,
//! and then evaluated for whole blocks of values at a time.

mod evaluate;
mod functions;
mod parse;

pub use evaluate::{Inputs, Workspace};
pub use functions::{FUNCTIONS, Function};
pub use parse::MOST_LETTERS;

use crate::work::spend;
use evaluate::Step;

/// What a formula may ask for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Variable {
    /// The real-valued frame.
    Frame,
    /// Seconds.
    Time,
    /// From 0 up to 1 through the loop.
    Loop,
    /// From 0 to 1 along a path.
    Along,
    /// The thing's number, from 0.
    Index,
    /// How many things there are.
    Count,
    /// From 0 up to 1, the same for a thing at all times.
    Dice,
}

impl Variable {
    /// All of them, in the order in which they are listed.
    pub const ALL: [Self; 7] = [Self::Frame, Self::Time, Self::Loop, Self::Along, Self::Index, Self::Count, Self::Dice];

    /// Its name in formulas.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Frame => "frame",
            Self::Time => "time",
            Self::Loop => "loop",
            Self::Along => "along",
            Self::Index => "index",
            Self::Count => "count",
            Self::Dice => "dice",
        }
    }

    /// True for those that change from frame to frame.
    pub const fn of_time(self) -> bool {
        matches!(self, Self::Frame | Self::Time | Self::Loop)
    }

    /// True for those that differ from thing to thing.
    pub const fn of_things(self) -> bool {
        matches!(self, Self::Index | Self::Count | Self::Dice)
    }
}

/// Why a text is not a formula, and where.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct FormulaError {
    /// One sentence.
    pub message: String,
    /// The first letter that is wrong, counted from 0 in characters.
    pub at: usize,
    /// How many characters are meant, at least 1.
    pub length: usize,
}

/// A checked formula, ready to be evaluated.
#[derive(Debug, Clone, PartialEq)]
pub struct Formula {
    steps: Vec<Step>,
    uses: Vec<Variable>,
}

/// Steps for a value that count as a look.
const STEPS_OF_A_LOOK: u64 = 8;

impl Formula {
    /// Reads a text of at most [`MOST_LETTERS`] characters.
    ///
    /// # Errors
    /// What is wrong with the text, and where in it.
    pub fn parse(text: &str) -> Result<Self, FormulaError> {
        let steps = parse::parse(text)?;
        let mut uses: Vec<Variable> = steps.iter().filter_map(Step::variable).collect();
        uses.sort_unstable();
        uses.dedup();
        Ok(Self { steps, uses })
    }

    /// What it asks for, each once.
    pub fn uses(&self) -> &[Variable] {
        &self.uses
    }

    /// The variables that it asks for and that are not there.
    pub fn asks_beyond(&self, there: &[Variable]) -> Option<Variable> {
        self.uses.iter().copied().find(|variable| !there.contains(variable))
    }

    /// Evaluates it for `out.len()` values at once. What a column of `inputs` does not hold counts as 0.
    pub fn evaluate(&self, inputs: &Inputs<'_>, workspace: &mut Workspace, out: &mut [f64]) {
        if spend(1 + (self.steps.len() * out.len()) as u64 / STEPS_OF_A_LOOK) {
            evaluate::run(&self.steps, inputs, workspace, out);
        } else {
            out.fill(0.0);
        }
    }

    /// Evaluates it once.
    pub fn value(&self, inputs: &Inputs<'_>) -> f64 {
        let mut out = [0.0];
        self.evaluate(inputs, &mut Workspace::default(), &mut out);
        out[0]
    }
}
