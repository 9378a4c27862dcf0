use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Mimic, Mimicry, Motion};
use crate::scene::Space;
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit, Values};
use crate::signal::Driven;
use crate::words::counted;
use std::sync::Arc;

/// A thing takes over what another does.
pub struct MimicNode;

const WHAT: &[&str] = &["position", "orientation", "scale"];
const AXES: &[&str] = &["world", "other's axes"];

impl NodeType for MimicNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "mimic",
            title: "Mimic",
            group: "On the way",
            help: "Lets things take over position, orientation or scale of others, wholly or in part.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "Who takes over."),
                Port::new(
                    "other",
                    PortKind::Motion,
                    "Whose doings are taken over: thing by thing, over again where they are fewer.",
                ),
            ],
            output: Some(PortKind::Motion),
            params: vec![
                Param::new(
                    "what",
                    "takes over",
                    Group::Form,
                    Values::Several { options: WHAT, default: &["orientation"] },
                    "What is taken over.",
                ),
                Param::vector(
                    "offset",
                    "offset",
                    Group::Form,
                    (Unit::Metres, [0.0; 3]),
                    "How far off the other's place.",
                )
                .per_thing(),
                Param::choice("axes", "offset in", Group::Form, AXES, "Whose axes the offset is in."),
                Param::number(
                    "amount",
                    "amount",
                    Group::Form,
                    (Unit::None, 1.0, 0.0, 1.0),
                    "How much is taken over, from 0 to 1.",
                )
                .per_thing(),
                Param::number(
                    "delay",
                    "delay",
                    Group::Time,
                    (Unit::Frames, 0.0, -1e5, 1e5),
                    "Frames behind the other; negative goes ahead.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, other) = (&context.params, context.motion("other")?);
        if other.is_empty() {
            return Err("There is nobody to take over from: give the other motion at least one thing.".to_owned());
        }
        let what = params.several("what");
        let takes = |word: &str| what.iter().any(|chosen| chosen == word);
        let [x, y, z] = params.driven_vector("offset");
        let z = if context.timing.space == Space::Flat { Driven::Fixed(0.0) } else { z };
        let how = Mimicry {
            position: takes("position"),
            orientation: takes("orientation"),
            scale: takes("scale"),
            offset: [x, y, z],
            turned: params.text("axes") == AXES[1],
            delay: params.number("delay"),
            amount: params.driven("amount"),
        };
        let mimic = Mimic::new(context.motion("motion")?, other, how);
        let mut outcome = Outcome::new(Product::Motion(Arc::new(mimic.clone())));
        outcome.facts = vec![counted(mimic.len(), "thing")];
        if what.is_empty() {
            outcome
                .warnings
                .push("Nothing is taken over: choose at least one of position, orientation and scale.".to_owned());
        }
        Ok(outcome)
    }
}
