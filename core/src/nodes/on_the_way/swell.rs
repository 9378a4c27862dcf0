use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::Swell;
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use std::sync::Arc;

/// Size and brightness over time.
pub struct SwellNode;

impl NodeType for SwellNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "swell",
            title: "Swell",
            group: "On the way",
            help: "Makes things larger and brighter over time; give the numbers keys, a formula or a signal.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Whose things swell.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::number("scale", "scale", Group::Form, (Unit::None, 1.0, 0.0, 1e4), "How many times as large.")
                    .per_thing(),
                Param::number(
                    "brightness",
                    "brightness",
                    Group::Look,
                    (Unit::None, 1.0, 0.0, 100.0),
                    "How many times as bright.",
                )
                .per_thing(),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let swell = Swell::new(context.motion("motion")?, params.driven("scale"), params.driven("brightness"));
        Ok(Outcome::new(Product::Motion(Arc::new(swell))))
    }
}
