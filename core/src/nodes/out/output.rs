use crate::graph::OUTPUT;
use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::Pivoted;
use crate::nodes::paths::placing::level;
use crate::schema::{AXIS_NAMES, Group, Param, Port, PortKind, Role, Schema, Unit, Values};
use glam::DVec3;
use std::sync::Arc;

/// What is handed off.
pub struct Output;

/// How things may be shown.
const THINGS: &[&str] = &[
    "ball", "box", "cone", "capsule", "plate", "ring", "arrow", "lantern", "boat", "puck", "club", "barrel", "peg",
    "letter", MODEL,
];
/// What shows a model of one's own, and the parameter that says so.
pub(in crate::nodes) const MODEL: &str = "own model";
pub(in crate::nodes) const THING: &str = "thing";
/// Metres that a thing is large where nothing is said.
pub(in crate::nodes) const SIZE: f64 = 0.5;
const OWN_MODEL: &[&str] = &[MODEL];
/// What kinds of a crowd may be shown as: all but a model of one's own, the last.
pub const KIND_THINGS: &[&str] = THINGS.split_at(THINGS.len() - 1).0;

impl NodeType for Output {
    fn schema(&self) -> Schema {
        Schema {
            name: OUTPUT,
            title: "Output",
            group: "Out",
            help: "Names a motion that is handed off, and says how its things look here.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is handed off.")],
            output: None,
            params: vec![
                Param::new(
                    THING,
                    "thing",
                    Group::Look,
                    Values::Choice { options: THINGS, default: "arrow" },
                    "How a thing is shown in the View.",
                ),
                Param::new(
                    "letter",
                    "letter",
                    Group::Look,
                    Values::Text { default: "Z" },
                    "The letter that a thing is; only its first sign counts.",
                )
                .only_when(THING, &["letter"]),
                Param::new(
                    "model",
                    "file",
                    Group::Look,
                    Values::Asset { media: "model/gltf-binary" },
                    "A binary glTF file that is shown as it is.",
                )
                .only_when(THING, OWN_MODEL),
                Param::new(
                    "nose",
                    "model's nose",
                    Group::Look,
                    Values::Choice { options: AXIS_NAMES, default: "+x" },
                    "The side of the model that goes ahead; click an arrow on it in the View.",
                )
                .only_when(THING, OWN_MODEL),
                Param::new(
                    "top",
                    "model's top",
                    Group::Look,
                    Values::Choice { options: AXIS_NAMES, default: "+y" },
                    "The side of the model that is up; click an arrow on it in the View.",
                )
                .only_when(THING, OWN_MODEL),
                Param::new(
                    "size",
                    "size",
                    Group::Look,
                    Values::Number { unit: Unit::Metres, default: SIZE, min: 1e-4, max: 1e4 },
                    "How large a thing is shown, from end to end.",
                )
                .role(Role::Size),
                Param::vector(
                    "pivot",
                    "pivot",
                    Group::Look,
                    (Unit::Sizes, [0.0; 3]),
                    "The point of a thing that is carried, in sizes from its middle; click a point of its box in the View.",
                )
                .role(Role::Pivot),
            ],
            uses_timing: false,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let (motion, pivot) =
            (context.motion("motion")?, level(context, params.vector("pivot")) * params.number("size"));
        let motion = if pivot == DVec3::ZERO { motion } else { Arc::new(Pivoted::new(motion, pivot)) };
        let mut outcome = Outcome::new(Product::Motion(motion));
        if params.text(THING) == MODEL {
            let same_line = |a: &str, b: &str| a.chars().last() == b.chars().last();
            if params.text("model").is_empty() {
                outcome.warnings.push("No model is chosen yet: bring in a binary glTF file in the Card.".to_owned());
            } else if same_line(&params.text("nose"), &params.text("top")) {
                outcome.warnings.push("The model's nose and top lie on one line: choose two that do not.".to_owned());
            }
        }
        Ok(outcome)
    }
}
