use super::OUTPUT;
use crate::graph::{Context, NodeType, Outcome, Product};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit, Values};

/// What is handed off.
pub struct Output;

impl NodeType for Output {
    fn schema(&self) -> Schema {
        Schema {
            name: OUTPUT,
            title: "Output",
            group: "Out",
            help: "Names a motion that is handed off, and says how its things look here.",
            inputs: vec![Port { name: "motion", kind: PortKind::Motion, help: "What is handed off." }],
            output: None,
            params: vec![
                Param::new(
                    "thing",
                    "thing",
                    Group::Look,
                    Values::Choice { options: &["ball", "box", "arrow", "lantern", "puck"], default: "arrow" },
                    "How a thing is shown in the View.",
                ),
                Param::new(
                    "size",
                    "size",
                    Group::Look,
                    Values::Number { unit: Unit::Metres, default: 0.5, min: 1e-4, max: 1e4 },
                    "How large a thing is shown.",
                ),
            ],
            uses_timing: false,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        Ok(Outcome::new(Product::Motion(context.motion("motion")?)))
    }
}
