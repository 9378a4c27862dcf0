use super::{outcome, schema};
use crate::formula::{Formula, Variable};
use crate::graph::{Context, Maker, Outcome, Timing};
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Schema, Unit, Values};
use crate::signal::{FormulaSignal, near};
use std::sync::Arc;

/// A formula of the time.
pub struct FormulaNode;

fields! {
    /// What Formula is told.
    pub struct FormulaFields {
        formula: String = Param::new(
            "formula",
            Group::Form,
            Values::Formula { unit: Unit::None, default: "sin(tau * loop)" },
            "May use frame, time and loop.",
        ),
    }
}

impl Maker for FormulaNode {
    type Own = FormulaFields;

    fn schema(&self) -> Schema {
        schema("formula", "Formula", "What a formula of the time gives.", FormulaFields::params())
    }

    fn evaluate(&self, own: &FormulaFields, context: &Context<'_>) -> Result<Outcome, String> {
        let signal = formula(own, context.timing)?;
        Ok(outcome(Arc::new(signal), context))
    }
}

fn formula(own: &FormulaFields, timing: Timing) -> Result<FormulaSignal, String> {
    let formula = Formula::parse(&own.formula).map_err(|error| format!("In the formula: {}", error.message))?;
    if let Some(asked) = formula.asks_beyond(&[Variable::Frame, Variable::Time, Variable::Loop]) {
        return Err(format!("A signal is the same for all things: {} means nothing here.", asked.name()));
    }
    let signal = FormulaSignal::new(formula, timing.clock());
    let whole = (0..=timing.frames as usize).map(|frame| frame as f64);
    match whole.chain(timing.clock().between()).find(|frame| !signal.gives_a_number(*frame)) {
        Some(frame) => {
            Err(format!("The formula gives no number at frame {}: look for a root or a division there.", near(frame)))
        }
        None => Ok(signal),
    }
}
