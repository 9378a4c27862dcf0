use super::{outcome, schema};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::signal::{Blend, Product, Signal, Sum};
use std::sync::Arc;

/// Two signals in one.
pub struct CombineNode;

impl NodeType for CombineNode {
    fn schema(&self) -> Schema {
        let inputs = vec![
            Port::new("first", PortKind::Signal, "One of the two."),
            Port::new("second", PortKind::Signal, "The other one."),
        ];
        let params = vec![
            Param::choice("way", "way", Group::Form, &["add", "multiply", "blend"], "What is made of the two."),
            Param::number("amount", "amount", Group::Form, (Unit::None, 0.5, -100.0, 100.0), "How much of the second.")
                .only_when("way", &["blend"]),
        ];
        Schema { inputs, ..schema("combine", "Combine", "Adds, multiplies or blends two signals.", params) }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (first, second) = (context.signal("first")?, context.signal("second")?);
        let signal: Arc<dyn Signal> = match context.params.text("way").as_str() {
            "multiply" => Arc::new(Product(first, second)),
            "blend" => Arc::new(Blend { first, second, amount: context.params.number("amount") }),
            _ => Arc::new(Sum(first, second)),
        };
        Ok(outcome(signal, context))
    }
}
