use crate::graph::{Context, NodeType, Outcome, PathProduct, curve_facts};
use crate::motion::{Frames, TetherEnd, prepared, tether};
use crate::nodes::paths::placing::level;
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use crate::words::sentence;

/// A line between points of things.
pub struct TetherNode;

impl NodeType for TetherNode {
    fn schema(&self) -> Schema {
        let thing =
            |name, label| Param::whole(name, label, Group::Form, (0, 0, 999_999), "The number of the thing, from 0.");
        let point = |name, label| {
            Param::vector(
                name,
                label,
                Group::Form,
                (Unit::Metres, [0.0; 3]),
                "Where on the thing it is held, in the thing's own axes.",
            )
        };
        Schema {
            name: "tether",
            title: "Tether",
            group: "On the way",
            help: "A line from a point of one thing to a point of another, or to a fixed place; straight, or hanging.",
            inputs: vec![
                Port::new("from", PortKind::Motion, "What holds one end."),
                Port::optional("to", PortKind::Motion, "What holds the other end; without it that is a fixed place."),
            ],
            output: Some(PortKind::Path),
            params: vec![
                thing("thing", "from thing"),
                point("point", "held at"),
                thing("other", "to thing"),
                point("other-point", "other end at"),
                Param::vector(
                    "place",
                    "fixed place",
                    Group::Form,
                    (Unit::Metres, [0.0, 3.0, 0.0]),
                    "Where the other end is while nothing is threaded to it.",
                )
                .role(Role::Place),
                Param::number(
                    "length",
                    "length",
                    Group::Form,
                    (Unit::Metres, 0.0, 0.0, 1e5),
                    "How long the line is; where it is longer than the way it hangs, with 0 it is straight.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        // A little beyond the loop on both sides, where things are asked how they begin and end.
        let range = Frames { from: -1.0, to: context.timing.frames + 1.0 };
        let end = |port: &str, thing: &str, point: &str| -> Result<TetherEnd, String> {
            let motion = context.motion(port)?;
            let object = params.whole(thing).unsigned_abs() as usize;
            if object >= motion.len() {
                return Err(format!("There is no thing {object}: the motion has {}, counted from 0.", motion.len()));
            }
            let motion = prepared(&motion, range, context.cancel).map_err(|error| sentence(&error.to_string()))?;
            Ok(TetherEnd::Thing { motion, object, point: level(context, params.vector(point)) })
        };
        let from = end("from", "thing", "point")?;
        let to = if context.motion("to").is_ok() {
            end("to", "other", "other-point")?
        } else {
            TetherEnd::Place(level(context, params.vector("place")))
        };
        let path = tether(from, to, params.number("length"));
        let mut outcome = Outcome::new(PathProduct { path: path.clone(), joints: Vec::new(), points_param: "" });
        outcome.facts = curve_facts(&path.at(0.0));
        let frames = 0..=context.timing.frames.min(2000.0) as usize;
        let (low, high) = frames.fold((f64::MAX, 0.0_f64), |(low, high), frame| {
            let length = path.at(frame as f64).length();
            (low.min(length), high.max(length))
        });
        outcome.facts.push(format!("{low:.2} … {high:.2} m over the loop"));
        if params.number("length") > 0.0 && high > params.number("length") * (1.0 + 1e-6) {
            outcome
                .warnings
                .push(format!("The line is too short: the way is up to {high:.2} m, so it is drawn longer there."));
        }
        Ok(outcome)
    }
}
