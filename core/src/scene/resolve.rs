//! What the formulas, keys and signals of a node give at a moment.

use super::document::Node;
use super::keyed::keyed_of;
use super::values::{PARTS, Signals, formula_of};
use crate::formula::{Formula, Variable};
use crate::fraction::Fraction;
use crate::schema::{Drives, Param, Schema, Values};
use crate::signal::{Clock, Driven, Thing, moment, near};
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;

/// What is wrong with a parameter, and where in its text.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Mark {
    /// Name of the parameter.
    pub param: String,
    /// Which of three numbers; 0 for a single one.
    pub part: usize,
    /// The first character that is meant, from 0.
    pub at: usize,
    /// How many are meant.
    pub length: usize,
    /// One sentence.
    pub message: String,
}

/// All that is wrong, one sentence after another.
pub fn sentences(marks: &[Mark]) -> String {
    marks.iter().map(|mark| mark.message.as_str()).collect::<Vec<_>>().join(" ")
}

/// What the formulas, keys and signals of a node give.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Resolved {
    /// Numbers in their place, by parameter.
    pub values: BTreeMap<String, Value>,
    /// True when any of them may change from frame to frame.
    pub over_time: bool,
    /// True when there is any.
    pub any: bool,
    /// What leaves its range and is kept within it, in sentences; only when it was looked at thoroughly.
    pub warnings: Vec<String>,
}

/// Evaluates what is not a plain number in a checked node at a frame, for its first thing. With `thorough` every frame
/// of the loop is tried, so that a formula that fails anywhere is found here.
///
/// # Errors
/// Every formula that cannot be used, with its place.
pub fn resolve(
    schema: &Schema,
    node: &Node,
    signals: &Signals,
    clock: Clock,
    (frame, thorough): (f64, bool),
) -> Result<Resolved, Vec<Mark>> {
    let mut resolved = Resolved::default();
    let mut marks = Vec::new();
    for param in schema.params.iter().filter(|param| param.takes_formula()) {
        let value = node.params.get(param.name).cloned().unwrap_or_else(|| param.values.default());
        let (parts, ports): (Vec<&Value>, Vec<String>) = match (&param.values, &value) {
            (Values::Vector { .. }, Value::Array(list)) => {
                (list.iter().collect(), PARTS.iter().map(|part| format!("{}.{part}", param.name)).collect())
            }
            _ => (vec![&value], vec![param.name.to_owned()]),
        };
        let mut numbers = Vec::new();
        let mut any = false;
        for (part, (given, port)) in parts.into_iter().zip(&ports).enumerate() {
            let signal = signals.get(port).cloned();
            let signal = signal.or_else(|| Some(keyed_of(given)?.ok()?.signal(clock.frames)));
            if let Some(signal) = signal {
                let (least, most) = range_of(param);
                let driven = Driven::signal(signal, clock, least, most);
                if thorough && let Some(frame) = leaves(&driven, clock) {
                    let label = capital(param.label);
                    let text = format!("{label} leaves its range at frame {frame} and is kept from {least} to {most}.");
                    resolved.warnings.push(text);
                }
                (resolved.over_time, any) = (true, true);
                numbers.push(of_kind(param, driven.at(frame, Thing { index: 0, count: 1 })));
                continue;
            }
            let Some(Ok(text)) = formula_of(given) else {
                numbers.push(given.clone());
                continue;
            };
            any = true;
            match number(param, text, clock, frame, thorough) {
                Ok((number, over_time)) => {
                    resolved.over_time |= over_time;
                    numbers.push(number);
                }
                Err(mark) => marks.push(Mark { param: param.name.to_owned(), part, ..mark }),
            }
        }
        if !any {
            continue;
        }
        resolved.any = true;
        let value = if matches!(param.values, Values::Vector { .. }) {
            Value::from(numbers)
        } else {
            numbers.pop().unwrap_or_default()
        };
        resolved.values.insert(param.name.to_owned(), value);
    }
    if marks.is_empty() { Ok(resolved) } else { Err(marks) }
}

/// The range of a parameter's numbers.
const fn range_of(param: &Param) -> (f64, f64) {
    match &param.values {
        Values::Number { min, max, .. } | Values::Fraction { min, max, .. } => (*min, *max),
        Values::Whole { min, max, .. } => (*min as f64, *max as f64),
        _ => (-1e9, 1e9),
    }
}

/// A value as a parameter takes it.
fn of_kind(param: &Param, value: f64) -> Value {
    match &param.values {
        Values::Whole { .. } => Value::from(value.round() as i64),
        Values::Fraction { .. } => Value::from(Fraction::near(value).to_string()),
        _ => Value::from(value),
    }
}

/// The first frame of the loop at which a signal is not what it gives, since that is out of range.
fn leaves(driven: &Driven, clock: Clock) -> Option<f64> {
    let Driven::Signal(drive) = driven else { return None };
    clock.whole().into_iter().chain([clock.frames]).find(|frame| !drive.within(*frame))
}

fn number(param: &Param, text: &str, clock: Clock, frame: f64, thorough: bool) -> Result<(Value, bool), Mark> {
    let letters = text.chars().count();
    let wrong = |message: String| Mark { param: String::new(), part: 0, at: 0, length: letters.max(1), message };
    let formula = Formula::parse(text).map_err(|error| Mark {
        param: String::new(),
        part: 0,
        at: error.at,
        length: error.length,
        message: error.message,
    })?;
    let there: Vec<Variable> = Variable::ALL
        .into_iter()
        .filter(|variable| match param.drives {
            Drives::Fixed => false,
            Drives::OverTime => variable.of_time(),
            Drives::PerThing => variable.of_time() || variable.of_things(),
        })
        .collect();
    if let Some(asked) = formula.asks_beyond(&there) {
        let names: Vec<&str> = there.iter().map(|variable| variable.name()).collect();
        let may = if names.is_empty() {
            "it must be one number".to_owned()
        } else {
            format!("it may ask for {}", names.join(", "))
        };
        return Err(wrong(format!("{} cannot depend on {}: {may}.", capital(param.label), asked.name())));
    }
    let over_time = formula.uses().iter().any(|variable| variable.of_time());
    let (least, most) = range_of(param);
    if thorough {
        let (frames, between) = if over_time { (clock.whole(), clock.between()) } else { (vec![0.0], Vec::new()) };
        let driven = Driven::formula(formula.clone(), clock, f64::MIN, f64::MAX);
        if let Some((frame, _)) = driven.fails_at(&frames, 64).or_else(|| driven.fails_at(&between, 1)) {
            return Err(wrong(format!(
                "{} gives no number at frame {}: look for a root or a division there.",
                capital(param.label),
                near(frame)
            )));
        }
        let beyond =
            frames.iter().chain(&between).map(|frame| (*frame, driven.at(*frame, Thing { index: 0, count: 1 })));
        if let Some((frame, value)) = beyond.into_iter().find(|(_, value)| !(*value >= least && *value <= most)) {
            return Err(wrong(format!(
                "{} is {value:.6} at frame {}: keep it from {least} to {most}, as with clamp(x, {least}, {most}).",
                capital(param.label),
                near(frame)
            )));
        }
    }
    let value = formula.value(&moment(clock, frame, Thing { index: 0, count: 1 }));
    let value = if value.is_nan() { 0.0 } else { value }.clamp(least, most);
    Ok((of_kind(param, value), over_time))
}

fn capital(label: &str) -> String {
    let mut letters = label.chars();
    letters.next().into_iter().flat_map(char::to_uppercase).chain(letters).collect()
}
