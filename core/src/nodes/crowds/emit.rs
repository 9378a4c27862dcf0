//! Things that begin anew, again and again.

use crate::crowd::{Emitted, Origin, Sown};
use crate::graph::{Context, Maker, Outcome};
use crate::motion::{Birth, BirthPattern, Course, EachAnew, Frames, Lives, Motion, Reborn, lifetime, prepared};
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::signal::{Accumulated, Driven};
use crate::words::counted;
use glam::DVec3;
use std::sync::Arc;

/// Things that begin anew.
pub struct EmitNode;

choice! {
    /// When things are born.
    pub enum Births {
        ByRate = "by rate",
        Evenly = "evenly",
        AtRandom = "at random",
        AtOnce = "all at once",
        AtContacts = "at contacts",
    }
}

fields! {
    /// What Emit is told.
    pub struct EmitFields {
        births: Births = Param::choice("births", Group::Time, Births::WORDS, "When things are born."),
        rate: Driven = Param::number(
            "births a second",
            Group::Time,
            (Unit::None, 24.0, 0.0, 1e6),
            "How many are born in a second; one is wherever that adds up to a whole number.",
        )
        .only_when("births", &["by rate"])
        .over_time(),
        count: usize = Param::whole(
            "births a loop",
            Group::Time,
            (48, 0, MOST_BIRTHS as i64),
            "How many are born in each loop.",
        )
        .only_when("births", &["evenly", "at random", "all at once"]),
        at: f64 = Param::number("at frame", Group::Time, (Unit::Frames, 0.0, 0.0, 1e6), "The frame at which all are born.")
            .only_when("births", &["all at once"]),
        each: usize = Param::whole(
            "at each contact",
            Group::Time,
            (6, 0, 10_000),
            "How many are born wherever what is threaded to \"from\" touches something.",
        )
        .only_when("births", &["at contacts"]),
        life: f64 = Param::number(
            "life",
            Group::Time,
            (Unit::Frames, 36.0, 0.0, 1e6),
            "How many frames each is there from its birth on.",
        ),
        life_spread: f64 = Param::number(
            "life",
            Group::Spread,
            (Unit::None, 0.0, 0.0, 1.0),
            "By which part of it each life may be longer or shorter.",
        ),
        again: bool = Param::flag(
            "lives over seam",
            Group::Time,
            true,
            "Whether births repeat with the loop, so that what is born late lives on at its start; else all begins at frame 0.",
        ),
        grows: f64 = Param::number(
            "grows in",
            Group::Look,
            (Unit::Frames, 3.0, 0.0, 1e6),
            "Frames in which each grows to its size after its birth.",
        ),
        shrinks: f64 = Param::number(
            "shrinks in",
            Group::Look,
            (Unit::Frames, 8.0, 0.0, 1e6),
            "Frames in which each shrinks to nothing at the end of its life.",
        ),
        share: f64 = Param::number(
            "share of velocity",
            Group::Form,
            (Unit::None, 0.5, -10.0, 10.0),
            "The part of the velocity of what it is born at that each thing takes along.",
        ),
        slows: f64 = Param::number(
            "slowed by",
            Group::Form,
            (Unit::None, 1.0, 0.0, 1e3),
            "How much that part is slowed, per second: as much as it is fast.",
        ),
        turned: bool = Param::flag(
            "turned with it",
            Group::Form,
            false,
            "Whether what things do is turned as that is, at their birth, which they are born at; of a surface +y is away from it.",
        ),
        seed: u64 = Param::whole(
            "seed",
            Group::Spread,
            (1, 0, 1_000_000_000),
            "Another number gives another choice of all that is random.",
        ),
    }
}

/// Most births in a loop.
pub(super) const MOST_BIRTHS: usize = 1_000_000;

impl Maker for EmitNode {
    type Own = EmitFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "emit",
            title: "Emit",
            group: "Crowds",
            help: "Lets things begin anew again and again, as an emitter of particles does (sparks, fountains, trails): each birth does what a thing of the motion does from frame 0 on.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "What each does from its birth on: a thing of it, by turns."),
                Port::optional(
                    "from",
                    PortKind::Motion,
                    "Where things are born: at these, by turns, as they are then.",
                ),
                Port::optional(
                    "over",
                    PortKind::Surface,
                    "The surface over which things are born, scattered evenly, where no motion says it.",
                ),
            ],
            output: Some(PortKind::Motion),
            params: EmitFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &EmitFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (motion, timing) = (context.motion("motion")?, context.timing);
        if motion.lives().is_some() {
            return Err("What it is to begin anew with begins anew itself: place one Emit or Swarm in a row, not two."
                .to_owned());
        }
        let (lead, over) = (context.motion_if_any("from"), context.ground_if_any("over"));
        if motion.is_empty() || lead.as_ref().is_some_and(|lead| lead.is_empty()) {
            return Err(
                "There are no things that could begin anew: give what is threaded to it at least one.".to_owned()
            );
        }
        let (frames, places) = births(own, context, lead.as_ref())?;
        if frames.is_empty() {
            return Err(nothing(own));
        }
        let birth = |(i, &frame): (usize, &f64)| Birth {
            frame,
            lasts: lifetime(own.life, own.life_spread, i, own.seed),
            group: 0,
        };
        let sown = |ground| -> Arc<dyn Motion> {
            Arc::new(Sown::new(ground, frames.len(), own.seed, timing.space == Space::Flat))
        };
        let lead = lead.or_else(|| over.map(sown));
        let births = frames.iter().enumerate().map(birth).collect();
        let lives = lives(births, timing.frames, own.again)?;
        let course: Arc<dyn Course> = match lead {
            None => Arc::new(EachAnew(motion)),
            Some(lead) => {
                let (share, slows, turned) = (own.share, own.slows / timing.fps, own.turned);
                Arc::new(Emitted::new(motion, Origin { lead, at: places.map(Arc::new), share, slows, turned }))
            }
        };
        let facts = facts(&lives);
        let reborn: Arc<dyn Motion> = Arc::new(Reborn::new(course, &lives, (own.grows, own.shrinks)));
        Ok(Outcome { facts, ..Outcome::new(reborn) })
    }
}

/// A thing of the lead and how far off it.
type Places = Vec<(usize, DVec3)>;

/// Frames of births in the loop, and where each is at the lead where that is not by turns.
fn births(
    own: &EmitFields,
    context: &Context<'_>,
    lead: Option<&Arc<dyn Motion>>,
) -> Result<(Vec<f64>, Option<Places>), String> {
    let frames = context.timing.frames;
    let too_many = |count: usize| {
        format!("{count} births in a loop are too many: let at most {MOST_BIRTHS} be born, or take a shorter loop.")
    };
    let pattern = match own.births {
        Births::ByRate => {
            BirthPattern::Rate(Accumulated::new(own.rate.times(1.0 / context.timing.fps, context.timing.clock())))
        }
        Births::Evenly => BirthPattern::Evenly(own.count),
        Births::AtRandom => BirthPattern::AtRandom(own.count),
        Births::AtOnce if own.at >= frames => {
            return Err(format!("Frame {} is not in the loop of {frames} frames: choose one before its end.", own.at));
        }
        Births::AtOnce => BirthPattern::AtOnce(own.count, own.at),
        Births::AtContacts => {
            let Some(lead) = lead else {
                return Err(
                    "\"from\": not connected. Thread what touches something to it, or choose other births.".to_owned()
                );
            };
            let range = Frames { from: 0.0, to: frames };
            let lead = prepared(lead, range, context.cancel).map_err(|error| error.to_string())?;
            let mut contacts = lead.contacts(range);
            contacts.retain(|contact| (0.0..frames).contains(&contact.frame));
            if contacts.len().saturating_mul(own.each) > MOST_BIRTHS {
                return Err(too_many(contacts.len().saturating_mul(own.each)));
            }
            let each = || contacts.iter().flat_map(|contact| std::iter::repeat_n(contact, own.each));
            let places = each().map(|contact| (contact.object, contact.place - contact.middle)).collect();
            return Ok((each().map(|contact| contact.frame).collect(), Some(places)));
        }
    };
    let count = pattern.count(frames, MOST_BIRTHS);
    if count > MOST_BIRTHS {
        return Err(format!(
            "More than {MOST_BIRTHS} births in a loop are too many: let fewer be born in a second, or take a shorter loop."
        ));
    }
    Ok((pattern.frames(count, frames, own.seed), None))
}

fn nothing(own: &EmitFields) -> String {
    match own.births {
        Births::ByRate => "Nothing is born: the births a second are 0 all the time.",
        Births::AtContacts => {
            "Nothing is born: what is threaded to \"from\" touches nothing in the loop, or 0 are born each time."
        }
        Births::Evenly | Births::AtRandom | Births::AtOnce => "Nothing is born: the births in a loop are 0.",
    }
    .to_owned()
}

/// Lives of these births, if they are not too many and any is there at all.
pub(super) fn lives(births: Vec<Birth>, frames: f64, again: bool) -> Result<Lives, String> {
    if births.iter().all(|birth| birth.lasts <= 0.0) {
        return Err("Nothing is ever there: let things live for more than 0 frames.".to_owned());
    }
    Lives::within(births, frames, again, MOST_THINGS).map_err(|things| {
        format!(
            "So long a life takes {:.1} million things at a time, and {:.0} million is the most: let things live shorter, or let fewer be born.",
            things / 1e6,
            MOST_THINGS as f64 / 1e6
        )
    })
}

/// Most things that are there at a time.
const MOST_THINGS: usize = 10_000_000;

/// How many are born and are there.
pub(super) fn facts(lives: &Lives) -> Vec<String> {
    let (low, high) = lives.there();
    let there = if low == high { low.to_string() } else { format!("{low} … {high}") };
    vec![format!("{} a loop", counted(lives.births().len(), "birth")), format!("{there} there at a time")]
}
