//! What nodes that listen to contacts share.

use crate::graph::{Context, Outcome, Product};
use crate::motion::{Blow, Frames, Hits, Rattle, Ringing, Whose};
use crate::nodes::paths::placing::level;
use crate::scene::Space;
use crate::schema::{Group, Param, Spaces, Unit};
use crate::words::sentence;
use glam::DVec3;
use std::sync::Arc;

const AXES: &[&str] = &["across the hit", "x", "y", "z"];
const WHOSE: &[&str] = &["of its number", "of all"];

/// About which axis it turns.
pub(in crate::nodes) fn axis_param() -> Param {
    Param::choice("axis", "turns about", Group::Form, AXES, "The axis about which it turns.").only_in(Spaces::Deep)
}

/// The axis that is chosen; nothing for the one across the hit.
pub(in crate::nodes) fn axis(context: &Context<'_>) -> Option<DVec3> {
    if context.timing.space == Space::Flat {
        return Some(DVec3::Z);
    }
    match context.params.text("axis").as_str() {
        "x" => Some(DVec3::X),
        "y" => Some(DVec3::Y),
        "z" => Some(DVec3::Z),
        _ => None,
    }
}

/// How far it turns at first.
pub(in crate::nodes) fn turn_param(degrees: f64) -> Param {
    Param::number(
        "turn",
        "turns by",
        Group::Form,
        (Unit::Degrees, degrees, -720.0, 720.0),
        "How far it turns at first.",
    )
}

/// How far it is pushed at first.
pub(in crate::nodes) fn push_param(label: &'static str, metres: f64, help: &'static str) -> Param {
    Param::number("push", label, Group::Form, (Unit::Metres, metres, -1e4, 1e4), help)
}

const STRAIGHT: &str = "straight in";

/// Which way it is pushed.
pub(in crate::nodes) fn way_param() -> Param {
    Param::choice(
        "way",
        "which way",
        Group::Form,
        &[STRAIGHT, "as it was hit"],
        "Straight away from where it was hit, or the way of the blow, which may go along it.",
    )
}

/// The point that stays where it is.
pub(in crate::nodes) fn pivot_param() -> Param {
    Param::vector(
        "pivot",
        "about",
        Group::Form,
        (Unit::Metres, [0.0; 3]),
        "The point of it that stays where it is when it turns, in its own axes.",
    )
}

/// A node's motion, rattling as its numbers say; `itself` where its things are what hits.
pub(in crate::nodes) fn rattled(context: &Context<'_>, itself: bool) -> Result<Outcome, String> {
    let (params, motion) = (&context.params, context.motion("motion")?);
    let blow = Blow {
        push: params.number("push"),
        turn: params.number("turn").to_radians(),
        axis: axis(context),
        pivot: level(context, params.vector("pivot")),
        by_momentum: params.flag("by-momentum"),
        straight: !itself && params.text("way") == STRAIGHT,
        itself,
    };
    let ringing = Ringing::new(params.number("swings"), params.number("dies"));
    let hits = hits_of(context, motion.len(), ringing.frames())?;
    let (facts, warnings) = heard(&hits);
    let rattle = Rattle::new(motion, hits, blow, ringing);
    Ok(Outcome { facts, warnings, ..Outcome::new(Product::Motion(Arc::new(rattle))) })
}

/// Swings and the frames in which they die, and which contacts count.
pub(in crate::nodes) fn listening((swings, dies): (f64, f64)) -> [Param; 5] {
    [
        Param::number(
            "swings",
            "swings",
            Group::Form,
            (Unit::None, swings, 0.0, 1000.0),
            "How often it goes to and fro.",
        ),
        Param::flag(
            "by-momentum",
            "by the hit",
            Group::Form,
            false,
            "Whether harder hits do more: as much for each metre per second.",
        ),
        Param::number("dies", "dies in", Group::Time, (Unit::Frames, dies, 0.1, 1e5), "Frames until it lies still."),
        Param::choice(
            "whose",
            "hits",
            Group::Time,
            WHOSE,
            "Whether the contacts of all count, or only those of the thing with its number.",
        ),
        Param::flag(
            "looping",
            "every loop",
            Group::Time,
            true,
            "Whether what happens in a loop happens in every one, so that it dies down over the seam.",
        ),
    ]
}

/// The contacts that count for so many things: those at the port `hits`, or else of the motion itself.
fn hits_of(context: &Context<'_>, things: usize, dies: f64) -> Result<Hits, String> {
    let (params, frames) = (&context.params, context.timing.frames);
    let of = context.motion("hits").or_else(|_| context.motion("motion"))?;
    // One thing alone is hit by whatever hits.
    let whose = if params.text("whose") == WHOSE[1] || things == 1 && of.len() > 1 { Whose::All } else { Whose::Own };
    let every = params.flag("looping").then_some(frames);
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
