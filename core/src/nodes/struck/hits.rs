//! What nodes that listen to contacts share.

use crate::graph::{Context, Outcome, Product};
use crate::motion::{Blow, Frames, Hits, Rattle, Ringing, Whose};
use crate::nodes::paths::placing::level;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Spaces, Unit, Values, choice};
use crate::words::sentence;
use glam::DVec3;
use std::sync::Arc;

choice! {
    /// The axis about which it turns.
    pub enum HitAxis { Across = "across the hit", X = "x", Y = "y", Z = "z" }
}

choice! {
    /// Which contacts count.
    pub enum Counting { Own = "of its number", All = "of all" }
}

/// About which axis it turns.
pub(in crate::nodes) fn axis_param() -> Param {
    Param::choice("turns about", Group::Form, HitAxis::WORDS, "The axis about which it turns.").only_in(Spaces::Deep)
}

impl HitAxis {
    /// Nothing for the one across the hit.
    fn direction(self, context: &Context<'_>) -> Option<DVec3> {
        match self {
            _ if context.timing.space == Space::Flat => Some(DVec3::Z),
            Self::X => Some(DVec3::X),
            Self::Y => Some(DVec3::Y),
            Self::Z => Some(DVec3::Z),
            Self::Across => None,
        }
    }
}

/// How far it turns at first.
pub(in crate::nodes) fn turn_param(degrees: f64) -> Param {
    Param::number("turns by", Group::Form, (Unit::Degrees, degrees, -720.0, 720.0), "How far it turns at first.")
}

/// How far it is pushed at first.
pub(in crate::nodes) fn push_param(label: &'static str, metres: f64, help: &'static str) -> Param {
    Param::number(label, Group::Form, (Unit::Metres, metres, -1e4, 1e4), help)
}

/// The point that stays where it is.
pub(in crate::nodes) fn pivot_param() -> Param {
    Param::vector(
        "about",
        Group::Form,
        (Unit::Metres, [0.0; 3]),
        "The point of it that stays where it is when it turns, in its own axes.",
    )
}

fields! {
    /// How it swings, and which contacts count.
    pub struct Listening {
        swings: f64 = Param::number(
            "swings",
            Group::Form,
            (Unit::None, 1.0, 0.0, 1000.0),
            "How often it goes to and fro.",
        ),
        by_momentum: bool = Param::flag(
            "by the hit",
            Group::Form,
            false,
            "Whether harder hits do more: as much for each metre per second.",
        ),
        dies: f64 = Param::number("dies in", Group::Time, (Unit::Frames, 1.0, 0.1, 1e5), "Frames until it lies still."),
        whose: Counting = Param::choice(
            "hits",
            Group::Time,
            Counting::WORDS,
            "Whether the contacts of all count, or only those of the thing with its number.",
        ),
        looping: bool = Param::flag(
            "every loop",
            Group::Time,
            true,
            "Whether what happens in a loop happens in every one, so that it dies down over the seam.",
        ),
    }
}

impl Listening {
    /// What they declare, with so many swings that die in so many frames.
    pub(in crate::nodes) fn with(swings: f64, dies: f64) -> Vec<Param> {
        let mut params = Self::params();
        for param in &mut params {
            match (param.name, &mut param.values) {
                (name, Values::Number { default, .. }) if name == Self::swings() => *default = swings,
                (name, Values::Number { default, .. }) if name == Self::dies() => *default = dies,
                _ => {}
            }
        }
        params
    }
}

/// How a thing is struck: what the nodes whose things rattle are told.
pub(in crate::nodes) struct Struck<'a> {
    pub push: f64,
    /// Degrees.
    pub turn: f64,
    pub axis: HitAxis,
    pub pivot: DVec3,
    /// Straight away from where it was hit, and not the way of the blow.
    pub straight: bool,
    /// Its things are what hits.
    pub itself: bool,
    pub listening: &'a Listening,
}

/// A node's motion, rattling as its numbers say.
pub(in crate::nodes) fn rattled(struck: &Struck<'_>, context: &Context<'_>) -> Result<Outcome, String> {
    let (listening, motion) = (struck.listening, context.motion("motion")?);
    let blow = Blow {
        push: struck.push,
        turn: struck.turn.to_radians(),
        axis: struck.axis.direction(context),
        pivot: level(context, struck.pivot),
        by_momentum: listening.by_momentum,
        straight: struck.straight,
        itself: struck.itself,
    };
    let ringing = Ringing::new(listening.swings, listening.dies);
    let hits = hits_of(listening, context, motion.len(), ringing.frames())?;
    let (facts, warnings) = heard(&hits);
    let rattle = Rattle::new(motion, hits, blow, ringing);
    Ok(Outcome { facts, warnings, ..Outcome::new(Product::Motion(Arc::new(rattle))) })
}

/// The contacts that count for so many things: those at the port `hits`, or else of the motion itself.
fn hits_of(listening: &Listening, context: &Context<'_>, things: usize, dies: f64) -> Result<Hits, String> {
    let frames = context.timing.frames;
    let of = context.motion("hits").or_else(|_| context.motion("motion"))?;
    // One thing alone is hit by whatever hits.
    let all = listening.whose == Counting::All || things == 1 && of.len() > 1;
    let whose = if all { Whose::All } else { Whose::Own };
    let every = listening.looping.then_some(frames);
    let range = Frames { from: -frames - dies, to: 2.0 * frames };
    Hits::new(of, (whose, every), things, range, context.cancel).map_err(|error| sentence(&error.to_string()))
}

/// How many there are, and a warning where there is none.
fn heard(hits: &Hits) -> (Vec<String>, Vec<String>) {
    match hits.in_loop() {
        0 => (
            Vec::new(),
            vec![
                "Nothing is hit in the loop: let what hits come to a contact, such as with Launch or Stick.".to_owned(),
            ],
        ),
        1 => (vec!["1 hit in the loop".to_owned()], Vec::new()),
        count => (vec![format!("{count} hits in the loop")], Vec::new()),
    }
}
