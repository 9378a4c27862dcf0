use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::HeadCount;
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use std::sync::Arc;

/// How many are there.
pub struct HeadCountNode;

impl NodeType for HeadCountNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "head-count",
            title: "Head count",
            group: "On the way",
            help: "Says how many of the things are there, which may change over time: a row that grows one by one.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Whose things are counted.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::number(
                    "count",
                    "how many",
                    Group::Time,
                    (Unit::None, 3.0, 0.0, 1e6),
                    "How many are there; what is beyond a whole number does not count.",
                )
                .over_time(),
                Param::choice(
                    "from",
                    "counted from",
                    Group::Time,
                    &["the first", "the last"],
                    "From which end they are counted.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.motion("motion")?);
        let all = inner.len();
        let counted = HeadCount::new(inner, params.driven("count"), params.text("from") == "the last");
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
