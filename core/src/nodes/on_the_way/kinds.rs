use crate::graph::{Context, NodeType, Outcome, Product, Timing};
use crate::motion::{Kind, Kinds, Tint};
use crate::nodes::axis_of;
use crate::nodes::out::output::KIND_THINGS;
use crate::pose::Axis;
use crate::scene::Params;
use crate::schema::{AXIS_NAMES, Group, Param, Port, PortKind, Schema, Unit, Values};
use std::sync::Arc;

/// What the things of a crowd are.
pub struct KindsNode;

const DEALT: &[&str] = &["by chance", "exactly"];
const COLOURINGS: &[&str] = &["kind", "number", "phase", "speed", "age", "a number over time"];
const SCALED: &[&str] = &["number", "phase", "speed", "age", "a number over time"];

impl NodeType for KindsNode {
    fn schema(&self) -> Schema {
        let colour = |name, label, default, help| {
            Param::new(name, label, Group::Look, Values::Colour { default }, help).only_when("colouring", SCALED)
        };
        Schema {
            name: "kinds",
            title: "Kinds",
            group: "On the way",
            help: "Says what the things of a crowd are: kinds by weight, sizes, colours.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Whose things they are.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::new(
                    "kinds",
                    "kinds",
                    Group::Look,
                    Values::Kinds { things: KIND_THINGS },
                    "What things may be, and how often; without any all are as the Output says.",
                ),
                Param::choice(
                    "dealt",
                    "shared",
                    Group::Look,
                    DEALT,
                    "Exactly: as many of each kind as its weight says; by chance things keep their kind when there are more.",
                ),
                Param::choice("colouring", "colour by", Group::Look, COLOURINGS, "What a thing's colour follows."),
                colour("first", "first colour", "#f2d398", "Where the scale of colours begins."),
                colour("last", "last colour", "#c8421a", "Where it ends."),
                Param::number(
                    "fast",
                    "last from",
                    Group::Look,
                    (Unit::Speed, 4.0, 1e-3, 1e5),
                    "From this speed on things have the last colour.",
                )
                .only_when("colouring", &["speed"]),
                Param::number(
                    "old",
                    "last from",
                    Group::Look,
                    (Unit::Frames, 120.0, 1.0, 1e6),
                    "So many frames after the start of its path a thing has the last colour.",
                )
                .only_when("colouring", &["age"]),
                Param::number(
                    "share",
                    "way to last",
                    Group::Look,
                    (Unit::None, 0.0, 0.0, 1.0),
                    "How far a thing's colour is on its way from the first to the last; give it keys, a formula or a signal.",
                )
                .only_when("colouring", &["a number over time"])
                .per_thing(),
                Param::new(
                    "axis",
                    "alike about",
                    Group::Look,
                    Values::Choice { options: AXIS_NAMES, default: Axis::PlusY.name() },
                    "The axis about which a kind's symmetry counts.",
                ),
                Param::number(
                    "spread",
                    "size",
                    Group::Spread,
                    (Unit::None, 0.0, 0.0, 0.95),
                    "By which part of its size each may be larger or smaller.",
                ),
                Param::whole(
                    "seed",
                    "seed",
                    Group::Spread,
                    (1, 0, 1_000_000_000),
                    "Another number gives another choice of kinds and sizes.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let tint = tint(params, context.timing);
        let (first, last) = (params.text("first"), params.text("last"));
        let mut kinds: Vec<Kind> = params
            .kinds("kinds")
            .into_iter()
            .map(|kind| Kind {
                weight: kind.weight,
                scale: kind.scale,
                symmetry: kind.symmetry,
                thing: kind.thing,
                letter: kind.letter,
                colour: if tint.is_some() { first.clone() } else { kind.colour },
                last: if tint.is_some() { last.clone() } else { String::new() },
            })
            .collect();
        if kinds.is_empty() {
            let coloured = Kind { colour: first, last, ..Kind::PLAIN };
            kinds.push(if tint.is_some() { coloured } else { Kind::PLAIN });
        }
        if kinds.iter().all(|kind| kind.weight == 0.0) {
            return Err("All weights are 0, so that no kind can be chosen: give at least one a weight.".to_owned());
        }
        let motion = context.motion("motion")?;
        let count = kinds.len();
        let exactly = params.text("dealt") == DEALT[1];
        let spread = (params.number("spread"), params.whole("seed").unsigned_abs(), exactly);
        let kinds = Kinds::new(motion, kinds, spread, axis_of(params, "axis", Axis::PlusY), tint);
        let facts = if count > 1 { vec![format!("{} of each", counted(&kinds))] } else { Vec::new() };
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(kinds))) })
    }
}

fn tint(params: &Params<'_>, timing: Timing) -> Option<Tint> {
    Some(match params.text("colouring").as_str() {
        "number" => Tint::Index,
        "phase" => Tint::Phase { frames: timing.frames },
        "speed" => Tint::Speed { full: params.number("fast") / timing.fps },
        "age" => Tint::Age { full: params.number("old") },
        "a number over time" => Tint::Given(params.driven("share")),
        _ => return None,
    })
}

fn counted(kinds: &Kinds) -> String {
    kinds.layer().counts().iter().map(ToString::to_string).collect::<Vec<_>>().join(" · ")
}
