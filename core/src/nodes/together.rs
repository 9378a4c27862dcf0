use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Motion, Together};
use crate::schema::{Port, PortKind, Schema};
use std::sync::Arc;

/// Several motions as one.
pub struct TogetherNode;

const PORTS: [&str; 6] = ["first", "second", "third", "fourth", "fifth", "sixth"];

impl NodeType for TogetherNode {
    fn schema(&self) -> Schema {
        let port = |name| match name {
            "first" => Port::new(name, PortKind::Motion, "Whose things come first."),
            _ => Port::optional(name, PortKind::Motion, "Whose things come next."),
        };
        Schema {
            name: "together",
            title: "Together",
            group: "On the way",
            help: "Puts the things of several motions into one.",
            inputs: PORTS.map(port).into(),
            output: Some(PortKind::Motion),
            params: Vec::new(),
            uses_timing: false,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let first = context.motion("first")?;
        let others = PORTS[1..].iter().filter_map(|port| context.motion(port).ok());
        let together = Together::new(std::iter::once(first).chain(others).collect());
        let facts = vec![format!("{} things", together.len())];
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(together))) })
    }
}
