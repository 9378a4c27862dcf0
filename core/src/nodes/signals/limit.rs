use super::{effect, number, outcome};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::Schema;
use crate::signal::Limit;
use std::sync::Arc;

/// A signal between two values.
pub struct LimitNode;

impl NodeType for LimitNode {
    fn schema(&self) -> Schema {
        effect(
            "limit",
            "Limit",
            "Keeps a signal between two values.",
            vec![
                number("least", "least", 0.0, "The least it may be."),
                number("most", "most", 1.0, "The most it may be."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let (least, most) = (params.number("least"), params.number("most"));
        if least > most {
            return Err(format!("The least, {least}, is more than the most, {most}: change one of them."));
        }
        Ok(outcome(Arc::new(Limit { inner, least, most }), context))
    }
}
