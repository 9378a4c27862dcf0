use super::{effect, frames, number, outcome};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema};
use crate::signal::{Levels, Signal, Steps};
use std::sync::Arc;

/// A signal in steps.
pub struct StepsNode;

impl NodeType for StepsNode {
    fn schema(&self) -> Schema {
        effect(
            "steps",
            "Steps",
            "Makes a signal jump: a new value only every few frames, or only certain values.",
            vec![
                Param::choice("way", "steps", Group::Form, &["every few frames", "to levels"], "What is in steps."),
                number("step", "levels apart", 0.25, "From one value to the next.").only_when("way", &["to levels"]),
                frames("every", "every", 4.0, 0.01, "Frames for which a value is held.")
                    .only_when("way", &["every few frames"]),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let signal: Arc<dyn Signal> = if params.text("way") == "to levels" {
            let step = params.number("step").abs();
            if step < 1e-9 {
                return Err("Levels that are 0 apart are no steps: choose how far apart they are.".to_owned());
            }
            Arc::new(Levels { inner, step })
        } else {
            Arc::new(Steps { inner, every: params.number("every") })
        };
        Ok(outcome(signal, context))
    }
}
