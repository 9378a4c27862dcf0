use super::{effect, number, outcome};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::Schema;
use crate::signal::Rescale;
use std::sync::Arc;

/// A signal in another range.
pub struct RescaleNode;

fields! {
    /// What Rescale is told.
    pub struct RescaleFields {
        low: f64 = number("from low", 0.0, "A value of the signal."),
        high: f64 = number("from high", 1.0, "Another value of it."),
        to_low: f64 = number("to low", 0.0, "What the first becomes."),
        to_high: f64 = number("to high", 1.0, "What the second becomes."),
    }
}

impl Maker for RescaleNode {
    type Own = RescaleFields;

    fn schema(&self) -> Schema {
        effect("rescale", "Rescale", "Takes a signal from one range to another, evenly.", RescaleFields::params())
    }

    fn evaluate(&self, own: &RescaleFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.signal("signal")?;
        let (low, high) = (own.low, own.high);
        if (high - low).abs() < 1e-9 {
            return Err(format!("From low and from high are both {low}: choose two different values."));
        }
        let to = (own.to_low, own.to_high);
        Ok(outcome(Arc::new(Rescale::new(inner, (low, high), to)), context))
    }
}
