use crate::graph::{Context, NodeType, Outcome};
use crate::motion::{Frames, wake};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit, Values};
use crate::words::sentence;

/// The path that things leave.
pub struct Wake;

impl NodeType for Wake {
    fn schema(&self) -> Schema {
        Schema {
            name: "wake",
            title: "Wake",
            group: "Paths",
            help: "The path that a thing of a motion leaves from one frame to another.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What leaves it.")],
            output: Some(PortKind::Path),
            params: vec![
                Param::whole("thing", "thing", Group::Form, (0, 0, 999_999), "The number of the thing, from 0."),
                Param::flag("all", "all things", Group::Form, false, "Whether every thing leaves a strand of its own."),
                Param::number(
                    "from",
                    "from frame",
                    Group::Time,
                    (Unit::Frames, 0.0, -1e6, 1e6),
                    "The first frame that counts.",
                ),
                Param::choice("until", "until", Group::Time, &["loop's end", "a frame"], "Where it ends."),
                Param::new(
                    "to",
                    "to frame",
                    Group::Time,
                    Values::Number { unit: Unit::Frames, default: 120.0, min: -1e6, max: 1e6 },
                    "The last frame that counts.",
                )
                .only_when("until", &["a frame"]),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, motion) = (&context.params, context.motion("motion")?);
        let from = params.number("from");
        let to = if params.text("until") == "a frame" { params.number("to") } else { context.timing.frames };
        if to <= from {
            return Err("The last frame must lie after the first one: choose another.".to_owned());
        }
        let thing = params.whole("thing").unsigned_abs() as usize;
        let things = if params.flag("all") { 0..motion.len() } else { thing..thing + 1 };
        if things.end > motion.len() {
            return Err(format!("There is no thing {thing}: the motion has {}, counted from 0.", motion.len()));
        }
        let curve =
            wake(&motion, things, Frames { from, to }, context.cancel).map_err(|error| sentence(&error.to_string()))?;
        Ok(Outcome::of_curve(curve))
    }
}
