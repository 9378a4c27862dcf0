use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Shudder, Shuddering};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use std::sync::Arc;

/// Forward and back along the way.
pub struct ShudderNode;

impl NodeType for ShudderNode {
    fn schema(&self) -> Schema {
        let part = |name, label, help| {
            Param::number(name, label, Group::Look, (Unit::None, 0.0, -10.0, 10.0), help).per_thing()
        };
        Schema {
            name: "shudder",
            title: "Shudder",
            group: "On the way",
            help: "Shakes things forward and back along their way, by an amount that may change; one after another adds up.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is shaken.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::number(
                    "amount",
                    "amount",
                    Group::Form,
                    (Unit::Metres, 0.1, -1e4, 1e4),
                    "How far ahead and back; give it a signal to let it die down.",
                )
                .per_thing(),
                Param::choice(
                    "shape",
                    "shape",
                    Group::Form,
                    &["jumps", "swings"],
                    "How it gets from one side to the other.",
                ),
                Param::number(
                    "every",
                    "every",
                    Group::Time,
                    (Unit::Frames, 1.0, 0.05, 1e5),
                    "Frames from one side to the other.",
                ),
                Param::number(
                    "start",
                    "first ahead",
                    Group::Time,
                    (Unit::Frames, 0.0, -1e5, 1e5),
                    "A frame at which it is ahead; let layers differ.",
                ),
                part("scale", "scale", "By which part of its size it is larger ahead and smaller back."),
                part("brightness", "brightness", "By which part it is brighter ahead and darker back."),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let how = Shuddering {
            amount: params.driven("amount"),
            scale: params.driven("scale"),
            brightness: params.driven("brightness"),
            every: params.number("every"),
            start: params.number("start"),
            soft: params.text("shape") == "swings",
        };
        let mut outcome = Outcome::new(Product::Motion(Arc::new(Shudder::new(context.motion("motion")?, how))));
        let sides = context.timing.frames / params.number("every");
        let pairs = 0.5 * sides;
        if (pairs - pairs.round()).abs() > 1e-9 {
            outcome.facts.push(format!("{sides:.2} sides a loop: an even number closes"));
        }
        Ok(outcome)
    }
}
