use super::{effect, number, outcome};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::Schema;
use crate::signal::Limit;
use std::sync::Arc;

/// A signal between two values.
pub struct LimitNode;

fields! {
    /// What Limit is told.
    pub struct LimitFields {
        least: f64 = number("least", 0.0, "The least it may be."),
        most: f64 = number("most", 1.0, "The most it may be."),
    }
}

impl Maker for LimitNode {
    type Own = LimitFields;

    fn schema(&self) -> Schema {
        effect("limit", "Limit", "Keeps a signal between two values.", LimitFields::params())
    }

    fn evaluate(&self, own: &LimitFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.signal("signal")?;
        let (least, most) = (own.least, own.most);
        if least > most {
            return Err(format!("The least, {least}, is more than the most, {most}: change one of them."));
        }
        Ok(outcome(Arc::new(Limit { inner, least, most }), context))
    }
}
