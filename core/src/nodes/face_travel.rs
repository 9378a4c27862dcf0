use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{FaceTravel, FaceUp};
use crate::pose::Axis;
use crate::scene::Space;
use crate::schema::{AXIS_NAMES, Group, Param, Port, PortKind, Schema, Spaces, Values};
use glam::DVec3;
use std::sync::Arc;

/// Turns things the way they travel.
pub struct FaceTravelNode;

const STEADY: &str = "steady";

impl NodeType for FaceTravelNode {
    fn schema(&self) -> Schema {
        let axis = |default| Values::Choice { options: AXIS_NAMES, default };
        Schema {
            name: "face-travel",
            title: "Face travel",
            group: "On the way",
            help: "Turns things so that their nose leads; at rest they keep the way they faced.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is turned.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::new("nose", "nose", Group::Form, axis("+x"), "The axis of the thing that points ahead."),
                Param::new("top", "top", Group::Form, axis("+y"), "The axis of the thing that points up.")
                    .only_in(Spaces::Deep),
                Param::new(
                    "up",
                    "up from",
                    Group::Form,
                    Values::Choice { options: &["world", STEADY], default: "world" },
                    "World keeps the top upright; steady turns as little as can be, and closes over a lap.",
                )
                .only_in(Spaces::Deep),
            ],
            uses_timing: false,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let flat = context.timing.space == Space::Flat;
        let axis = |name: &str, or: Axis| Axis::from_name(&context.params.text(name)).unwrap_or(or);
        let nose = axis("nose", Axis::PlusX);
        let top = if flat { Axis::PlusZ } else { axis("top", Axis::PlusY) };
        if nose.parallel_to(top) {
            return Err(match flat {
                true => "In a flat scene the nose must be an x or a y axis: choose another nose.".to_owned(),
                false => "Nose and top lie on one line: choose another axis for one of them.".to_owned(),
            });
        }
        let up = match (flat, context.params.text("up") == STEADY) {
            (true, _) => FaceUp::Towards(DVec3::Z),
            (false, true) => FaceUp::Steady,
            (false, false) => FaceUp::Towards(DVec3::Y),
        };
        let motion = FaceTravel::new(context.motion("motion")?, nose, top, up);
        let facts = match motion.half_turns() {
            0 => Vec::new(),
            turns => vec![format!("{turns} half turns where the path runs upright")],
        };
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(motion))) })
    }
}
