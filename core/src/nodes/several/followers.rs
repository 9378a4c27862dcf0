use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Delays, Dressed, Follower, Followers, Look, Motion, Stance};
use crate::nodes::out::output::KIND_THINGS;
use crate::scene::{Fields, Numbers, OwnLook, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, Values, choice};
use crate::signal::Driven;
use crate::words::counted;
use glam::DVec3;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Things behind a lead.
pub struct FollowersNode;

choice! {
    /// Whose axes the offset is in.
    pub enum Axes {
        LeadsAxes = "lead's axes",
        World = "world",
    }
}

choice! {
    /// How far behind they are.
    pub enum DelaysBy {
        Even = "even",
        Given = "given",
        Spread = "spread",
    }
}

fields! {
    /// What Followers is told.
    pub struct FollowersFields {
        followers: usize = Param::whole("followers", Group::Form, (8, 0, 10_000), "How many follow each lead."),
        lead: bool = Param::flag("with the lead", Group::Form, true, "Whether the lead itself is there."),
        offset: [Driven; 3] = Param::vector(
            "offset",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "How far each stands off the one before it.",
        )
        .per_thing(),
        axes: Axes = Param::choice("offset in", Group::Form, Axes::WORDS, "Whose axes the offset is in."),
        grow: Driven = Param::number(
            "grow each",
            Group::Form,
            (Unit::None, 1.0, 1e-3, 1e3),
            "How many times as large each is as the one before it.",
        )
        .per_thing(),
        nearer: f64 = Param::number(
            "nearer by",
            Group::Form,
            (Unit::Metres, 0.0, -1e4, 1e4),
            "How much nearer to the viewer each is than the one before it, so that it is drawn over it; negative: under it.",
        )
        .only_in(Spaces::Flat),
        delays: DelaysBy = Param::choice("delays", Group::Time, DelaysBy::WORDS, "How far behind they are."),
        delay: f64 = Param::number(
            "delay",
            Group::Time,
            (Unit::Frames, 6.0, -1e5, 1e5),
            "Frames that each is behind the one before it; negative goes ahead.",
        ),
        given: Numbers = Param::new(
            "frames behind",
            Group::Time,
            Values::Text { default: "4 8 16" },
            "Frames behind the lead, with spaces between; the last step goes on for more followers.",
        )
        .only_when("delays", &["given"]),
        own: BTreeMap<usize, f64> = Param::new(
            "own delays",
            Group::Spread,
            Values::PerThing { unit: Unit::Frames, min: -1e5, max: 1e5 },
            "Frames by which each is later than its turn; drag their ticks on the Dial.",
        )
        .role(Role::Delays),
        looks: BTreeMap<usize, OwnLook> = Param::new(
            "own looks",
            Group::Look,
            Values::Looks { things: KIND_THINGS },
            "What single followers are, their colour and their size, where it is not that of the lead.",
        )
        .role(Role::Looks),
        spread: f64 = Param::number(
            "delay",
            Group::Spread,
            (Unit::Frames, 3.0, 0.0, 1e5),
            "By how many frames each may be earlier or later.",
        )
        .only_when("delays", &["spread"]),
        seed: u64 = Param::whole(
            "seed",
            Group::Spread,
            (1, 0, 1_000_000_000),
            "Another number gives other delays.",
        )
        .only_when("delays", &["spread"]),
    }
}

impl Maker for FollowersNode {
    type Own = FollowersFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "followers",
            title: "Followers",
            group: "On the way",
            help: "Lets things follow every thing of a motion, each some frames behind.",
            inputs: vec![Port::new("motion", PortKind::Motion, "The lead.")],
            output: Some(PortKind::Motion),
            params: FollowersFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &FollowersFields, context: &Context<'_>) -> Result<Outcome, String> {
        let count = own.followers;
        let delay = own.delay;
        let delays = match own.delays {
            DelaysBy::Given => Delays::Given(own.given.within(1e5)?),
            DelaysBy::Spread => Delays::Spread(delay, own.spread, own.seed),
            DelaysBy::Even => Delays::Even(delay),
        };
        let flat = context.timing.space == Space::Flat;
        let ([x, y, z], grow) = (own.offset.clone(), own.grow.clone());
        let z = if flat { Driven::Fixed(own.nearer) } else { z };
        let stance = Stance { offset: [x, y, z], grow };
        let fixed = |driven: &Driven| driven.fixed();
        let [x, y, z] = stance.offset.each_ref().map(fixed);
        let still = x.zip(y).zip(z).zip(fixed(&stance.grow)).map(|(((x, y), z), grow)| (DVec3::new(x, y, z), grow));
        let (offset, grown) = still.unwrap_or((DVec3::ZERO, 1.0));
        let mut followers = Follower::line(count, &delays, offset, grown);
        if followers.iter().any(|follower| !follower.scale.is_finite() || follower.scale > 1e6) {
            return Err("The last followers would be too large: let each grow less, or use fewer.".to_owned());
        }
        if own.lead {
            followers.insert(0, Follower::LEAD);
        }
        for (rank, later) in own.own.iter().map(|(rank, later)| (*rank, *later)) {
            if let Some(follower) = followers.get_mut(rank) {
                follower.delay += later;
            }
        }
        if followers.is_empty() {
            return Err("Nobody is left: ask for at least one follower, or for the lead.".to_owned());
        }
        let lead = context.motion("motion")?;
        let leads = lead.len();
        let motion = Followers::new(lead, followers, own.axes == Axes::LeadsAxes);
        let motion: Arc<dyn Motion> = Arc::new(if still.is_some() { motion } else { motion.standing(stance) });
        let facts = vec![counted(motion.len(), "thing")];
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(dressed(&own.looks, motion, leads))) })
    }
}

/// With the looks of single followers; they are given by rank, so that they hold for every lead.
fn dressed(looks: &BTreeMap<usize, OwnLook>, motion: Arc<dyn Motion>, leads: usize) -> Arc<dyn Motion> {
    if looks.is_empty() {
        return motion;
    }
    let look = |own: OwnLook| Look { thing: own.thing, letter: own.letter, colour: own.colour, scale: own.scale };
    let by_object = looks.clone().into_iter().flat_map(|(rank, own)| {
        let look = look(own);
        (0..leads).map(move |lead| (rank.saturating_mul(leads).saturating_add(lead), look.clone()))
    });
    Arc::new(Dressed::new(motion, &by_object.collect()))
}
