use crate::graph::{Context, Maker, Outcome, Product, Timing};
use crate::motion::{Kind, Kinds, Tint};
use crate::nodes::out::output::KIND_THINGS;
use crate::pose::Axis;
use crate::scene::{Fields, fields};
use crate::schema::{AXIS_NAMES, Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::signal::Driven;
use std::sync::Arc;

/// What the things of a crowd are.
pub struct KindsNode;

const NO_OTHER_LIVES: &str = "What comes before this node gives things a look by their number, so that lives cannot be shared out by kind: place Kinds right after what things begin anew in.";

const SCALED: &[&str] = &["number", "phase", "speed", "age", "a number over time"];

choice! {
    /// Exactly: as many of each kind as its weight says; by chance things keep their kind when there are more.
    pub enum Dealt {
        ByChance = "by chance",
        Exactly = "exactly",
    }
}

choice! {
    /// What a thing's colour follows.
    pub enum Colouring {
        Kind = "kind",
        Number = "number",
        Phase = "phase",
        Speed = "speed",
        Age = "age",
        ANumberOverTime = "a number over time",
    }
}

fields! {
    /// What Kinds is told.
    pub struct KindsFields {
        kinds: Vec<crate::scene::Kind> = Param::new(
            "kinds",
            Group::Look,
            Values::Kinds { things: KIND_THINGS },
            "What things may be, and how often; without any all are as the Output says.",
        ),
        dealt: Dealt = Param::choice(
            "shared",
            Group::Look,
            Dealt::WORDS,
            "Exactly: as many of each kind as its weight says; by chance things keep their kind when there are more.",
        ),
        colouring: Colouring = Param::choice("colour by", Group::Look, Colouring::WORDS, "What a thing's colour follows."),
        first: String = colour("first colour", "#f2d398", "Where the scale of colours begins."),
        last: String = colour("last colour", "#c8421a", "Where it ends."),
        fast: f64 = Param::number(
            "last from",
            Group::Look,
            (Unit::Speed, 4.0, 1e-3, 1e5),
            "From this speed on things have the last colour.",
        )
        .only_when("colouring", &["speed"]),
        old: f64 = Param::number(
            "last from",
            Group::Look,
            (Unit::Frames, 120.0, 1.0, 1e6),
            "So many frames after the start of its path a thing has the last colour.",
        )
        .only_when("colouring", &["age"]),
        share: Driven = Param::number(
            "way to last",
            Group::Look,
            (Unit::None, 0.0, 0.0, 1.0),
            "How far a thing's colour is on its way from the first to the last; give it keys, a formula or a signal.",
        )
        .only_when("colouring", &["a number over time"])
        .per_thing(),
        axis: Axis = Param::new(
            "alike about",
            Group::Look,
            Values::Choice { options: AXIS_NAMES, default: Axis::PlusY.name() },
            "The axis about which a kind's symmetry counts.",
        ),
        spread: f64 = Param::number(
            "size",
            Group::Spread,
            (Unit::None, 0.0, 0.0, 0.95),
            "By which part of its size each may be larger or smaller.",
        ),
        seed: u64 = Param::whole(
            "seed",
            Group::Spread,
            (1, 0, 1_000_000_000),
            "Another number gives another choice of kinds and sizes.",
        ),
    }
}

fn colour(label: &'static str, default: &'static str, help: &'static str) -> Param {
    Param::new(label, Group::Look, Values::Colour { default }, help).only_when("colouring", SCALED)
}

impl Maker for KindsNode {
    type Own = KindsFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "kinds",
            title: "Kinds",
            group: "On the way",
            help: "Says what the things of a crowd are: kinds by weight, sizes, colours.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Whose things they are.")],
            output: Some(PortKind::Motion),
            params: KindsFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &KindsFields, context: &Context<'_>) -> Result<Outcome, String> {
        let tint = tint(own, context.timing);
        let (first, last) = (own.first.clone(), own.last.clone());
        let mut kinds: Vec<Kind> = own
            .kinds
            .iter()
            .cloned()
            .map(|kind| Kind {
                weight: kind.weight,
                scale: kind.scale,
                symmetry: kind.symmetry,
                thing: kind.thing,
                letter: kind.letter,
                colour: if tint.is_some() { first.clone() } else { kind.colour },
                last: if tint.is_some() { last.clone() } else { String::new() },
                animated: None,
                bent: None,
                dented: None,
                walked: None,
                glyph: None,
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
        let exactly = own.dealt == Dealt::Exactly;
        let spread = (own.spread, own.seed, exactly);
        let kinds = Kinds::new(motion, kinds, spread, own.axis, tint).ok_or(NO_OTHER_LIVES)?;
        let facts = if count > 1 { vec![format!("{} of each", counted(&kinds))] } else { Vec::new() };
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(kinds))) })
    }
}

fn tint(own: &KindsFields, timing: Timing) -> Option<Tint> {
    Some(match own.colouring {
        Colouring::Number => Tint::Index,
        Colouring::Phase => Tint::Phase { frames: timing.frames },
        Colouring::Speed => Tint::Speed { full: own.fast / timing.fps },
        Colouring::Age => Tint::Age { full: own.old },
        Colouring::ANumberOverTime => Tint::Given(own.share.clone()),
        Colouring::Kind => return None,
    })
}

fn counted(kinds: &Kinds) -> String {
    kinds.layer().counts().iter().map(ToString::to_string).collect::<Vec<_>>().join(" · ")
}
