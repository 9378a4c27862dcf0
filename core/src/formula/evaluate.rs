//! Evaluation in blocks: each step is computed for many values before the next one is looked at, so
//! that what it costs to know which step it is counts little.

use super::Variable;
use super::functions::{FUNCTIONS, Function};

/// A sign between two numbers; yes is 1, no is 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Binary {
    Add,
    Subtract,
    Multiply,
    Divide,
    Less,
    More,
    LessOrEqual,
    MoreOrEqual,
    Equal,
    Unequal,
    Most,
}

/// One thing to compute from what earlier steps gave, by their numbers.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Step {
    Number(f64),
    Variable(Variable),
    Minus(usize),
    Copy(usize),
    Two(Binary, usize, usize),
    /// The function's number in the list, and what it takes.
    Call(usize, [usize; 3]),
    Select(usize, usize, usize),
}

impl Step {
    pub(super) const fn variable(&self) -> Option<Variable> {
        match self {
            Self::Variable(variable) => Some(*variable),
            _ => None,
        }
    }
}

/// The values of a variable.
#[derive(Debug, Clone, Copy)]
enum Column<'a> {
    /// The same for all.
    One(f64),
    /// One for each.
    Each(&'a [f64]),
}

/// What the variables are.
#[derive(Debug, Clone, Copy)]
pub struct Inputs<'a> {
    columns: [Column<'a>; Variable::ALL.len()],
}

impl Default for Inputs<'_> {
    fn default() -> Self {
        Self { columns: [Column::One(0.0); Variable::ALL.len()] }
    }
}

impl<'a> Inputs<'a> {
    /// With a variable that is the same for all values.
    pub fn with(mut self, variable: Variable, value: f64) -> Self {
        self.columns[variable as usize] = Column::One(value);
        self
    }

    /// With a value of a variable for each value that is computed; as many as will be asked for.
    pub fn with_each(mut self, variable: Variable, values: &'a [f64]) -> Self {
        self.columns[variable as usize] = Column::Each(values);
        self
    }
}

/// Room for what the steps give; can be used again.
#[derive(Debug, Clone, Default)]
pub struct Workspace {
    values: Vec<f64>,
}

/// Values computed at a time: what the steps of a formula give for so many stays in the nearest cache.
const BLOCK: usize = 128;

pub(super) fn run(steps: &[Step], inputs: &Inputs<'_>, workspace: &mut Workspace, out: &mut [f64]) {
    let block = BLOCK.min(out.len());
    workspace.values.resize(steps.len() * block, 0.0);
    let mut filled = 0;
    for (index, out) in out.chunks_mut(block.max(1)).enumerate() {
        for (number, step) in steps.iter().enumerate() {
            // Numbers stay what they are from block to block; the last block may be shorter.
            if index > 0 && filled == block && matches!(step, Step::Number(_)) {
                continue;
            }
            let (before, here) = workspace.values.split_at_mut(number * block);
            let given = |step: usize| &before[step * block..step * block + out.len()];
            one(step, inputs, index * block, &given, &mut here[..out.len()]);
        }
        filled = out.len();
        let last = (steps.len() - 1) * block;
        out.copy_from_slice(&workspace.values[last..last + filled]);
    }
}

fn one<'b>(step: &Step, inputs: &Inputs<'_>, first: usize, given: &impl Fn(usize) -> &'b [f64], out: &mut [f64]) {
    match *step {
        Step::Number(value) => out.fill(value),
        Step::Variable(variable) => match inputs.columns[variable as usize] {
            Column::One(value) => out.fill(value),
            Column::Each(values) => out.copy_from_slice(&values[first..first + out.len()]),
        },
        Step::Minus(a) => each(out, given(a), |a| -a),
        Step::Copy(a) => out.copy_from_slice(given(a)),
        Step::Two(binary, a, b) => two(binary, out, given(a), given(b)),
        Step::Call(function, [a, b, c]) => match FUNCTIONS[function].1 {
            Function::One(f) => each(out, given(a), f),
            Function::Two(f) => pairs(out, given(a), given(b), f),
            Function::Three(f) => {
                let (a, b, c) = (given(a), given(b), given(c));
                for (out, ((a, b), c)) in out.iter_mut().zip(a.iter().zip(b).zip(c)) {
                    *out = f(*a, *b, *c);
                }
            }
        },
        Step::Select(condition, yes, no) => {
            let (condition, yes, no) = (given(condition), given(yes), given(no));
            for (out, ((condition, yes), no)) in out.iter_mut().zip(condition.iter().zip(yes).zip(no)) {
                *out = if *condition == 0.0 { *no } else { *yes };
            }
        }
    }
}

#[inline(always)]
fn each(out: &mut [f64], a: &[f64], f: impl Fn(f64) -> f64) {
    for (out, a) in out.iter_mut().zip(a) {
        *out = f(*a);
    }
}

#[inline(always)]
fn pairs(out: &mut [f64], a: &[f64], b: &[f64], f: impl Fn(f64, f64) -> f64) {
    for (out, (a, b)) in out.iter_mut().zip(a.iter().zip(b)) {
        *out = f(*a, *b);
    }
}

fn two(binary: Binary, out: &mut [f64], a: &[f64], b: &[f64]) {
    let flag = |yes: bool| if yes { 1.0 } else { 0.0 };
    match binary {
        Binary::Add => pairs(out, a, b, |a, b| a + b),
        Binary::Subtract => pairs(out, a, b, |a, b| a - b),
        Binary::Multiply => pairs(out, a, b, |a, b| a * b),
        Binary::Divide => pairs(out, a, b, |a, b| a / b),
        Binary::Less => pairs(out, a, b, |a, b| flag(a < b)),
        Binary::More => pairs(out, a, b, |a, b| flag(a > b)),
        Binary::LessOrEqual => pairs(out, a, b, |a, b| flag(a <= b)),
        Binary::MoreOrEqual => pairs(out, a, b, |a, b| flag(a >= b)),
        Binary::Equal => pairs(out, a, b, |a, b| flag(a == b)),
        Binary::Unequal => pairs(out, a, b, |a, b| flag(a != b)),
        Binary::Most => pairs(out, a, b, |a, b| if a < b { b } else { a }),
    }
}
