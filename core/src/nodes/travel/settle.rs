use crate::graph::{Context, NodeType, Outcome, Product};
use crate::nodes::paths::placing::level;
use crate::physics::{Settle, SettleSetup, scattered};
use crate::scene::{Params, Space};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit};
use crate::signal::Thing;
use crate::words::counted;
use glam::DVec3;
use std::sync::Arc;

/// Things that rock until they lie still.
pub struct SettleNode;

const TURNS: &[&str] = &["by gravity", "given"];

impl NodeType for SettleNode {
    fn schema(&self) -> Schema {
        let number = Param::number;
        Schema {
            name: "settle",
            title: "Settle",
            group: "Travel",
            help: "Lets plates, discs or bottles rock round their rim, ever flatter and quicker, until they lie still.",
            inputs: vec![],
            output: Some(PortKind::Motion),
            params: vec![
                Param::vector(
                    "at",
                    "place",
                    Group::Form,
                    (Unit::Metres, [0.0; 3]),
                    "Where the middle of its rim comes to lie.",
                )
                .role(Role::Place)
                .per_thing(),
                number(
                    "radius",
                    "rim",
                    Group::Form,
                    (Unit::Metres, 0.5, 1e-4, 1e4),
                    "Radius of the rim on which it rocks.",
                )
                .role(Role::Size),
                number(
                    "middle",
                    "middle above rim",
                    Group::Form,
                    (Unit::Metres, 0.0, -1e4, 1e4),
                    "How far the thing's own middle is above that of its rim, as for a bottle.",
                ),
                number(
                    "tilt",
                    "leans by",
                    Group::Form,
                    (Unit::Degrees, 30.0, 0.01, 89.0),
                    "How far it leans at the start.",
                )
                .per_thing(),
                number(
                    "leans",
                    "leans towards",
                    Group::Form,
                    (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
                    "To which side it leans at the start, counterclockwise seen from above.",
                )
                .per_thing(),
                number(
                    "ends",
                    "ends facing",
                    Group::Form,
                    (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
                    "How it is turned when it lies still.",
                )
                .per_thing(),
                number(
                    "gravity",
                    "gravity",
                    Group::Form,
                    (Unit::Acceleration, 9.81, 1e-3, 1e7),
                    "How strongly it is pulled down.",
                ),
                Param::choice(
                    "given",
                    "rocks round",
                    Group::Time,
                    TURNS,
                    "Whether gravity says how often it rocks round, or you do.",
                ),
                number(
                    "turns",
                    "times round",
                    Group::Time,
                    (Unit::None, 12.0, -10_000.0, 10_000.0),
                    "How often the point that touches runs round; negative runs clockwise.",
                )
                .only_when("given", &["given"]),
                number(
                    "seconds",
                    "lies still after",
                    Group::Time,
                    (Unit::Seconds, 2.0, 0.01, 1e4),
                    "Seconds until it lies still.",
                ),
                number(
                    "begin",
                    "let go at",
                    Group::Time,
                    (Unit::Frames, 0.0, -1e6, 1e6),
                    "The frame at which the first is let go.",
                ),
                number(
                    "later",
                    "next after",
                    Group::Time,
                    (Unit::Frames, 0.0, -1e5, 1e5),
                    "Frames from one to the next.",
                ),
                Param::whole("things", "things", Group::Form, (1, 1, 10_000), "How many there are."),
                number(
                    "place-spread",
                    "place",
                    Group::Spread,
                    (Unit::Metres, 0.0, 0.0, 1e5),
                    "By how much each may lie off, to all sides.",
                ),
                number(
                    "tilt-spread",
                    "leaning",
                    Group::Spread,
                    (Unit::Degrees, 0.0, 0.0, 80.0),
                    "By how much each may lean more or less.",
                ),
                number(
                    "time-spread",
                    "time",
                    Group::Spread,
                    (Unit::Seconds, 0.0, 0.0, 1e4),
                    "By how much earlier or later each may lie still.",
                ),
                Param::flag(
                    "any-way",
                    "any direction",
                    Group::Spread,
                    false,
                    "Whether each leans and faces its own way.",
                ),
                Param::whole(
                    "seed",
                    "seed",
                    Group::Spread,
                    (1, 0, 1_000_000_000),
                    "Another number gives another choice.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn sized_by(&self, _: &Params<'_>, _: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        Some(("radius", 0.5))
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        if context.timing.space == Space::Flat {
            return Err("What settles rocks about in space, and this scene is flat: make the scene deep.".to_owned());
        }
        let (params, fps) = (&context.params, context.timing.fps);
        let count = usize::try_from(params.whole("things")).unwrap_or(1).max(1);
        let seed = params.whole("seed").unsigned_abs();
        let begin = params.number("begin");
        let setup = |index: usize| {
            let (thing, frame) = (Thing { index, count }, begin + params.number("later") * index as f64);
            let at = |name| params.driven(name).at(frame, thing);
            let place = DVec3::from(params.driven_vector("at").map(|part| part.at(frame, thing)));
            let scatter = scattered(seed, index as u64, false);
            let off = scatter.place.with_y(0.0) * params.number("place-spread");
            let round = if params.flag("any-way") { scatter.round() } else { [0.0; 2] };
            SettleSetup {
                place: level(context, place + off),
                radius: params.number("radius"),
                middle: params.number("middle"),
                tilt: (at("tilt") + params.number("tilt-spread") * scatter.late).clamp(0.01, 89.0).to_radians(),
                leans: at("leans").to_radians() + round[0],
                ends: at("ends").to_radians() + round[1],
                seconds: (params.number("seconds") + params.number("time-spread") * scatter.fast()).max(0.01),
                turns: (params.text("given") == TURNS[1]).then(|| params.number("turns")),
                gravity: params.number("gravity"),
                start_frame: frame,
                fps,
            }
        };
        let settle = Settle::new((0..count).map(setup).collect());
        let mut facts = vec![format!("{:.2} times round", settle.turns(0))];
        if params.text("given") == TURNS[1] {
            facts.push(format!("{:.2} times as quick as by gravity", settle.quicker(0)));
        }
        if count > 1 {
            facts.push(counted(count, "thing"));
        }
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(settle))) })
    }
}
