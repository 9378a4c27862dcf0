use crate::graph::OUTPUT;
use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::Pivoted;
use crate::nodes::paths::placing::level;
use crate::pose::Axis;
use crate::scene::{Fields, fields};
use crate::schema::{AXIS_NAMES, Choice, Group, Param, Port, PortKind, Role, Schema, Unit, Values, choice};
use glam::DVec3;
use std::sync::Arc;

/// What is handed off.
pub struct Output;

choice! {
    /// How a thing may be shown.
    pub enum Shown {
        Ball = "ball",
        Box = "box",
        Cone = "cone",
        Capsule = "capsule",
        Plate = "plate",
        Ring = "ring",
        Arrow = "arrow",
        Lantern = "lantern",
        Boat = "boat",
        Puck = "puck",
        Club = "club",
        Barrel = "barrel",
        Peg = "peg",
        Letter = "letter",
        OwnModel = MODEL,
    }
}

/// What shows a model of one's own, and the parameter that says so.
pub(in crate::nodes) const MODEL: &str = "own model";
pub(in crate::nodes) const THING: &str = OutputFields::thing();
/// Metres that a thing is large where nothing is said.
pub(in crate::nodes) const SIZE: f64 = 0.5;
const OWN_MODEL: &[&str] = &[MODEL];
/// What kinds of a crowd may be shown as: all but a model of one's own, the last.
pub const KIND_THINGS: &[&str] = Shown::WORDS.split_at(Shown::WORDS.len() - 1).0;

fields! {
    /// What an Output is told.
    pub struct OutputFields {
        thing: Shown = Param::new(
            "thing",
            Group::Look,
            Values::Choice { options: Shown::WORDS, default: "arrow" },
            "How a thing is shown in the View.",
        ),
        letter: String = Param::new(
            "letter",
            Group::Look,
            Values::Text { default: "Z" },
            "The letter that a thing is; only its first sign counts.",
        )
        .only_when(THING, &["letter"]),
        model: String = Param::new(
            "file",
            Group::Look,
            Values::Asset { media: "model/gltf-binary" },
            "A binary glTF file that is shown as it is.",
        )
        .only_when(THING, OWN_MODEL),
        nose: Axis = Param::new(
            "model's nose",
            Group::Look,
            Values::Choice { options: AXIS_NAMES, default: "+x" },
            "The side of the model that goes ahead; click an arrow on it in the View.",
        )
        .only_when(THING, OWN_MODEL),
        top: Axis = Param::new(
            "model's top",
            Group::Look,
            Values::Choice { options: AXIS_NAMES, default: "+y" },
            "The side of the model that is up; click an arrow on it in the View.",
        )
        .only_when(THING, OWN_MODEL),
        size: f64 = Param::new(
            "size",
            Group::Look,
            Values::Number { unit: Unit::Metres, default: SIZE, min: 1e-4, max: 1e4 },
            "How large a thing is shown, from end to end.",
        )
        .role(Role::Size),
        pivot: DVec3 = Param::vector(
            "pivot",
            Group::Look,
            (Unit::Sizes, [0.0; 3]),
            "The point of a thing that is carried, in sizes from its middle; click a point of its box in the View.",
        )
        .role(Role::Pivot),
    }
}

impl Maker for Output {
    type Own = OutputFields;

    fn schema(&self) -> Schema {
        Schema {
            name: OUTPUT,
            title: "Output",
            group: "Out",
            help: "Names a motion that is handed off, and says how its things look here.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is handed off.")],
            output: None,
            params: OutputFields::params(),
            uses_timing: false,
        }
    }

    fn evaluate(&self, own: &OutputFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (motion, pivot) = (context.motion("motion")?, level(context, own.pivot) * own.size);
        let motion = if pivot == DVec3::ZERO { motion } else { Arc::new(Pivoted::new(motion, pivot)) };
        let mut outcome = Outcome::new(Product::Motion(motion));
        if own.thing == Shown::OwnModel {
            if own.model.is_empty() {
                outcome.warnings.push("No model is chosen yet: bring in a binary glTF file in the Card.".to_owned());
            } else if own.nose.parallel_to(own.top) {
                outcome.warnings.push("The model's nose and top lie on one line: choose two that do not.".to_owned());
            }
        }
        Ok(outcome)
    }
}
