use super::{outcome, schema};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::signal::{Blend, Product, Signal, Sum};
use std::sync::Arc;

/// Two signals in one.
pub struct CombineNode;

choice! {
    /// What is made of the two.
    pub enum Way {
        Add = "add",
        Multiply = "multiply",
        Blend = "blend",
    }
}

fields! {
    /// What Combine is told.
    pub struct CombineFields {
        way: Way = Param::choice("way", Group::Form, Way::WORDS, "What is made of the two."),
        amount: f64 = Param::number("amount", Group::Form, (Unit::None, 0.5, -100.0, 100.0), "How much of the second.")
            .only_when("way", &["blend"]),
    }
}

impl Maker for CombineNode {
    type Own = CombineFields;

    fn schema(&self) -> Schema {
        let inputs = vec![
            Port::new("first", PortKind::Signal, "One of the two."),
            Port::new("second", PortKind::Signal, "The other one."),
        ];
        let params = CombineFields::params();
        Schema { inputs, ..schema("combine", "Combine", "Adds, multiplies or blends two signals.", params) }
    }

    fn evaluate(&self, own: &CombineFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (first, second) = (context.signal("first")?, context.signal("second")?);
        let signal: Arc<dyn Signal> = match own.way {
            Way::Multiply => Arc::new(Product(first, second)),
            Way::Blend => Arc::new(Blend { first, second, amount: own.amount }),
            Way::Add => Arc::new(Sum(first, second)),
        };
        Ok(outcome(signal, context))
    }
}
