use super::{effect, frames, number, outcome};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Schema, choice};
use crate::signal::{Levels, Signal, Steps};
use std::sync::Arc;

/// A signal in steps.
pub struct StepsNode;

choice! {
    /// What is in steps.
    pub enum Way {
        EveryFewFrames = "every few frames",
        ToLevels = "to levels",
    }
}

fields! {
    /// What Steps is told.
    pub struct StepsFields {
        way: Way = Param::choice("steps", Group::Form, Way::WORDS, "What is in steps."),
        step: f64 = number("levels apart", 0.25, "From one value to the next.").only_when("way", &["to levels"]),
        every: f64 = frames("every", 4.0, 0.01, "Frames for which a value is held.")
            .only_when("way", &["every few frames"]),
    }
}

impl Maker for StepsNode {
    type Own = StepsFields;

    fn schema(&self) -> Schema {
        effect(
            "steps",
            "Steps",
            "Makes a signal jump: a new value only every few frames, or only certain values.",
            StepsFields::params(),
        )
    }

    fn evaluate(&self, own: &StepsFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.signal("signal")?;
        let signal: Arc<dyn Signal> = if own.way == Way::ToLevels {
            let step = own.step.abs();
            if step < 1e-9 {
                return Err("Levels that are 0 apart are no steps: choose how far apart they are.".to_owned());
            }
            Arc::new(Levels { inner, step })
        } else {
            Arc::new(Steps { inner, every: own.every })
        };
        Ok(outcome(signal, context))
    }
}
