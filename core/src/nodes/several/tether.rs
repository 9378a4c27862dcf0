use crate::graph::{Context, Maker, Outcome, PathProduct, curve_facts};
use crate::motion::{Frames, TetherEnd, prepared, tether};
use crate::nodes::paths::placing::level;
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use crate::words::sentence;
use glam::DVec3;

/// A line between points of things.
pub struct TetherNode;

fields! {
    /// What Tether is told.
    pub struct TetherFields {
        thing: usize = thing("from thing"),
        point: DVec3 = point("held at"),
        other: usize = thing("to thing"),
        other_point: DVec3 = point("other end at"),
        place: DVec3 = Param::vector(
            "fixed place",
            Group::Form,
            (Unit::Metres, [0.0, 3.0, 0.0]),
            "Where the other end is while nothing is threaded to it.",
        )
        .role(Role::Place),
        length: f64 = Param::number(
            "length",
            Group::Form,
            (Unit::Metres, 0.0, 0.0, 1e5),
            "How long the line is; where it is longer than the way it hangs, with 0 it is straight.",
        ),
    }
}

const fn thing(label: &'static str) -> Param {
    Param::whole(label, Group::Form, (0, 0, 999_999), "The number of the thing, from 0.")
}

const fn point(label: &'static str) -> Param {
    Param::vector(
        label,
        Group::Form,
        (Unit::Metres, [0.0; 3]),
        "Where on the thing it is held, in the thing's own axes.",
    )
}

impl Maker for TetherNode {
    type Own = TetherFields;

    fn schema(&self) -> Schema {
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
            params: TetherFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &TetherFields, context: &Context<'_>) -> Result<Outcome, String> {
        // A little beyond the loop on both sides, where things are asked how they begin and end.
        let range = Frames { from: -1.0, to: context.timing.frames + 1.0 };
        let end = |port: &str, object: usize, point: DVec3| -> Result<TetherEnd, String> {
            let motion = context.motion(port)?;
            if object >= motion.len() {
                return Err(format!("There is no thing {object}: the motion has {}, counted from 0.", motion.len()));
            }
            let motion = prepared(&motion, range, context.cancel).map_err(|error| sentence(&error.to_string()))?;
            Ok(TetherEnd::Thing { motion, object, point: level(context, point) })
        };
        let from = end("from", own.thing, own.point)?;
        let to = if context.motion("to").is_ok() {
            end("to", own.other, own.other_point)?
        } else {
            TetherEnd::Place(level(context, own.place))
        };
        let path = tether(from, to, own.length);
        let mut outcome = Outcome::new(PathProduct { path: path.clone(), joints: Vec::new(), points_param: "" });
        outcome.facts = curve_facts(&path.at(0.0));
        let frames = 0..=context.timing.frames.min(2000.0) as usize;
        let (low, high) = frames.fold((f64::MAX, 0.0_f64), |(low, high), frame| {
            let length = path.at(frame as f64).length();
            (low.min(length), high.max(length))
        });
        outcome.facts.push(format!("{low:.2} … {high:.2} m over the loop"));
        if own.length > 0.0 && high > own.length * (1.0 + 1e-6) {
            outcome
                .warnings
                .push(format!("The line is too short: the way is up to {high:.2} m, so it is drawn longer there."));
        }
        Ok(outcome)
    }
}
