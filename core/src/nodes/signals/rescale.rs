use super::{effect, number, outcome};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::Schema;
use crate::signal::Rescale;
use std::sync::Arc;

/// A signal in another range.
pub struct RescaleNode;

impl NodeType for RescaleNode {
    fn schema(&self) -> Schema {
        effect(
            "rescale",
            "Rescale",
            "Takes a signal from one range to another, evenly.",
            vec![
                number("low", "from low", 0.0, "A value of the signal."),
                number("high", "from high", 1.0, "Another value of it."),
                number("to-low", "to low", 0.0, "What the first becomes."),
                number("to-high", "to high", 1.0, "What the second becomes."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let (low, high) = (params.number("low"), params.number("high"));
        if (high - low).abs() < 1e-9 {
            return Err(format!("From low and from high are both {low}: choose two different values."));
        }
        let to = (params.number("to-low"), params.number("to-high"));
        Ok(outcome(Arc::new(Rescale::new(inner, (low, high), to)), context))
    }
}
