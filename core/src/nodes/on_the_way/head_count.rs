use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::HeadCount;
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::signal::Driven;
use std::sync::Arc;

/// How many are there.
pub struct HeadCountNode;

choice! {
    /// From which end they are counted.
    pub enum From {
        TheFirst = "the first",
        TheLast = "the last",
    }
}

fields! {
    /// What Head count is told.
    pub struct HeadCountFields {
        count: Driven = Param::number(
            "how many",
            Group::Time,
            (Unit::None, 3.0, 0.0, 1e6),
            "How many are there; what is beyond a whole number does not count.",
        )
        .over_time(),
        from: From = Param::choice(
            "counted from",
            Group::Time,
            From::WORDS,
            "From which end they are counted.",
        ),
    }
}

impl Maker for HeadCountNode {
    type Own = HeadCountFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "head-count",
            title: "Head count",
            group: "On the way",
            help: "Says how many of the things are there, which may change over time: a row that grows one by one.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Whose things are counted.")],
            output: Some(PortKind::Motion),
            params: HeadCountFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &HeadCountFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.motion("motion")?;
        let all = inner.len();
        let counted = HeadCount::new(inner, own.count.clone(), own.from == From::TheLast);
        let frames = 0..=context.timing.frames as usize;
        let (low, high) = frames.fold((usize::MAX, 0), |(low, high), frame| {
            let there = counted.at(frame as f64);
            (low.min(there), high.max(there))
        });
        let there = if low == high { low.to_string() } else { format!("{low} … {high}") };
        let facts = vec![format!("{there} of {all} there")];
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(counted))) })
    }
}
