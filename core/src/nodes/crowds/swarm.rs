//! Things that stream along a path, or fill it.

use super::emit::{MOST_BIRTHS, facts, lives};
use crate::crowd::{Filling, Fresh, From, Outlines, Room, Stream, Tube};
use crate::curve::Path;
use crate::graph::{Context, Maker, Outcome, Timing};
use crate::motion::{Birth, BirthPattern, Motion, Reborn, lifetime};
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, Values, choice};
use crate::signal::{Accumulated, Driven, Progression};
use crate::words::counted;
use std::sync::Arc;

/// Things that stream along a path, or fill it.
pub struct SwarmNode;

choice!(From { Start = "its start", End = "its end", Middle = "its middle" });
choice!(Room { Within = "within", Skin = "on the skin" });
choice!(Fresh { RunsIn = "run in", Grows = "grow" });
choice!(Outlines { Together = "together", InTurn = "one after another" });

choice! {
    /// What the swarm does.
    pub enum Does {
        Streams = "streams",
        Fills = "fills it",
    }
}

choice! {
    /// When things are born.
    pub enum Births {
        ByRate = "by rate",
        Evenly = "evenly",
        AtRandom = "at random",
    }
}

choice! {
    /// What is even.
    pub enum Even {
        AlongPath = "along the path",
        OwnWay = "own way",
    }
}

const STREAMS: &[&str] = &["streams"];
const FILLS: &[&str] = &["fills it"];

fields! {
    /// What Swarm is told.
    pub struct SwarmFields {
        does: Does = Param::choice("the swarm", Group::Form, Does::WORDS, "Whether things keep streaming, each with a life of its own, or fill the path as far as a number says."),
        from: From = Param::choice("enters at", Group::Form, From::WORDS, "Where things enter the path."),
        radius: f64 = Param::number("tube radius", Group::Form, (Unit::Metres, 0.2, 0.0, 1e4), "How far from the path things may be; 0 is right on it.")
            .role(Role::Tube { times: None, along: Some("along") }),
        along: Progression = Param::new(
            "radius along it",
            Group::Form,
            Values::Drawn { default: &[[0.0, 1.0], [1.0, 1.0]], min: 0.0, max: 10.0 },
            "A factor on the radius from the path's start to its end.",
        ),
        room: Room = Param::choice("in the tube", Group::Form, Room::WORDS, "Which part of the tube things are in."),
        swirl: f64 = Param::number(
            "swirl",
            Group::Form,
            (Unit::None, 0.0, -1e3, 1e3),
            "Turns about the path that things make for each metre along it.",
        )
        .only_in(Spaces::Deep),
        even: Even = Param::choice(
            "speed is even",
            Group::Form,
            Even::WORDS,
            "Along the path things outside a bend are quicker than those inside; on its own way each goes evenly.",
        ),
        births: Births = Param::choice("births", Group::Time, Births::WORDS, "When things are born.").only_when("does", STREAMS),
        rate: Driven = Param::number(
            "births a second",
            Group::Time,
            (Unit::None, 60.0, 0.0, 1e6),
            "How many are born in a second; one is wherever that adds up to a whole number.",
        )
        .only_when("births", &["by rate"])
        .over_time(),
        count: usize = Param::whole("births a loop", Group::Time, (200, 0, MOST_BIRTHS as i64), "How many are born in each loop.")
            .only_when("births", &["evenly", "at random"]),
        speed: Driven = Param::number("speed", Group::Time, (Unit::Speed, 2.0, 0.0, 1e4), "Metres that things travel in a second.")
            .only_when("does", STREAMS)
            .over_time(),
        life: f64 = Param::number(
            "life",
            Group::Time,
            (Unit::Frames, 0.0, 0.0, 1e6),
            "How many frames each is there at most; 0 until it is through.",
        )
        .only_when("does", STREAMS),
        again: bool = Param::flag(
            "lives over seam",
            Group::Time,
            true,
            "Whether births repeat with the loop, so that what is born late lives on at its start; else all begins at frame 0.",
        )
        .only_when("does", STREAMS),
        things: usize = Param::whole("things", Group::Time, (500, 1, 1_000_000), "How many there are when the path is full.")
            .only_when("does", FILLS),
        filled: Driven = Param::number(
            "filled",
            Group::Time,
            (Unit::None, 1.0, 0.0, 1e4),
            "How much of the path is filled: 1 is all of it; from there to 2 it empties again, and so on. Give it keys to let it grow, stand, and run back.",
        )
        .role(Role::Front { from: "from", end: From::End.word(), middle: From::Middle.word(), outlines: "outlines", turns: Outlines::InTurn.word() })
        .only_when("does", FILLS)
        .over_time(),
        fresh: Fresh = Param::choice("new ones", Group::Time, Fresh::WORDS, "Whether all run in from where they enter, or each is there as the front passes its place, and stays.")
            .only_when("does", FILLS),
        outlines: Outlines = Param::choice("outlines", Group::Time, Outlines::WORDS, "In which order several outlines are filled; together each is in proportion to its length.")
            .only_when("does", FILLS),
        edge: f64 = Param::number("soft edge", Group::Look, (Unit::Metres, 0.2, 0.0, 1e4), "Metres from where things come and go within which they are smaller; when the path is full all have their size.")
            .only_when("does", FILLS),
        grows: f64 = Param::number("grows in", Group::Look, (Unit::Frames, 4.0, 0.0, 1e6), "Frames in which each grows to its size after its birth.")
            .only_when("does", STREAMS),
        shrinks: f64 = Param::number(
            "shrinks in",
            Group::Look,
            (Unit::Frames, 6.0, 0.0, 1e6),
            "Frames in which each shrinks to nothing at the end of its life.",
        )
        .only_when("does", STREAMS),
        speed_spread: f64 = Param::number("speed", Group::Spread, (Unit::None, 0.0, 0.0, 0.95), "By which part of it each may be quicker or slower.")
            .only_when("does", STREAMS),
        life_spread: f64 = Param::number("life", Group::Spread, (Unit::None, 0.0, 0.0, 1.0), "By which part of it each life may be longer or shorter, where one is given.")
            .only_when("does", STREAMS),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives another choice of all that is random."),
    }
}

impl Maker for SwarmNode {
    type Own = SwarmFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "swarm",
            title: "Swarm",
            group: "Crowds",
            help: "Sends many things along a path, in a tube round it, as a stream of particles or until they fill it.",
            inputs: vec![Port::new("path", PortKind::Path, "What they go along.")],
            output: Some(PortKind::Motion),
            params: SwarmFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &SwarmFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (path, timing) = (context.path("path")?, context.timing);
        if path.at(0.0).length() <= 0.0 {
            return Err("The path has no length to go along: draw it longer.".to_owned());
        }
        let tube = Tube {
            radius: own.radius,
            along: own.along.clone(),
            room: own.room,
            swirl: if timing.space == Space::Flat { 0.0 } else { own.swirl },
            own_way: own.even == Even::OwnWay,
            flat: timing.space == Space::Flat,
            seed: own.seed,
        };
        match own.does {
            Does::Streams => streams(own, path, tube, timing),
            Does::Fills => Ok(fills(own, path, tube, timing)),
        }
    }
}

const SQUEEZED: &str = "The tube is wider than the tightest bend: things near the middle of that bend go as evenly as the path does, not on their own way. Make the tube narrower or the bend wider.";

fn streams(own: &SwarmFields, path: Path, tube: Tube, timing: Timing) -> Result<Outcome, String> {
    let frames = timing.frames;
    let pattern = match own.births {
        Births::ByRate => BirthPattern::Rate(Accumulated::new(own.rate.times(1.0 / timing.fps, timing.clock()))),
        Births::Evenly => BirthPattern::Evenly(own.count),
        Births::AtRandom => BirthPattern::AtRandom(own.count),
    };
    let count = pattern.count(frames, MOST_BIRTHS);
    if count > MOST_BIRTHS {
        return Err(format!(
            "More than {MOST_BIRTHS} births in a loop are too many: let fewer be born in a second, or take a shorter loop."
        ));
    }
    if count == 0 {
        return Err("Nothing is born: let more than 0 be born.".to_owned());
    }
    let speed = Accumulated::new(own.speed.times(1.0 / timing.fps, timing.clock()));
    let stream = Stream::new(path, tube, own.from, count, speed, own.speed_spread);
    let mut births = Vec::with_capacity(count);
    for (i, frame) in pattern.frames(count, frames, own.seed).into_iter().enumerate() {
        let through = stream.through(i, frame, frames);
        let given = if own.life > 0.0 { lifetime(own.life, own.life_spread, i, own.seed) } else { f64::INFINITY };
        let lasts = through.min(given);
        if !lasts.is_finite() {
            return Err(
                "Things never come through: let them be quicker, or give them a life of some frames.".to_owned()
            );
        }
        births.push(Birth { frame, lasts, group: 0 });
    }
    let lives = lives(births, frames, own.again)?;
    let mut facts = facts(&lives);
    let longest = lives.longest();
    facts.push(format!("{longest:.1} frames at most"));
    let warnings = if stream.squeezed() { vec![SQUEEZED.to_owned()] } else { Vec::new() };
    let reborn: Arc<dyn Motion> = Arc::new(Reborn::new(Arc::new(stream), &lives, (own.grows, own.shrinks)));
    Ok(Outcome { facts, warnings, ..Outcome::new(reborn) })
}

fn fills(own: &SwarmFields, path: Path, tube: Tube, timing: Timing) -> Outcome {
    let ways = (own.fresh, own.outlines);
    let filling = Filling::new((path, tube, own.from), own.things, own.filled.clone(), ways, own.edge, timing.frames);
    let warnings = if filling.squeezed() { vec![SQUEEZED.to_owned()] } else { Vec::new() };
    let facts = vec![format!("{} when full", counted(own.things, "thing"))];
    let filling: Arc<dyn Motion> = Arc::new(filling);
    Outcome { facts, warnings, ..Outcome::new(filling) }
}
