use crate::graph::{Context, Maker, Outcome, Own, Product};
use crate::motion::GRAVITY;
use crate::nodes::paths::placing::level;
use crate::physics::{Settle, SettleSetup, scattered};
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, PortKind, Role, Schema, Unit, choice};
use crate::signal::Driven;
use crate::signal::Thing;
use crate::words::counted;
use glam::DVec3;
use std::sync::Arc;

/// Things that rock until they lie still.
pub struct SettleNode;

choice! {
    /// Whether gravity says how often it rocks round, or you do.
    pub enum By {
        ByGravity = "by gravity",
        Given = "given",
    }
}

fields! {
    /// What Settle is told.
    pub struct SettleFields {
        at: [Driven; 3] = Param::vector(
            "place",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "Where the middle of its rim comes to lie.",
        )
        .role(Role::Place)
        .per_thing(),
        radius: f64 = Param::number(
            "rim",
            Group::Form,
            (Unit::Metres, 0.5, 1e-4, 1e4),
            "Radius of the rim on which it rocks.",
        )
        .role(Role::Size),
        middle: f64 = Param::number(
            "middle above rim",
            Group::Form,
            (Unit::Metres, 0.0, -1e4, 1e4),
            "How far the thing's own middle is above that of its rim, as for a bottle.",
        ),
        tilt: Driven = Param::number(
            "leans by",
            Group::Form,
            (Unit::Degrees, 30.0, 0.01, 89.0),
            "How far it leans at the start.",
        )
        .per_thing(),
        leans: Driven = Param::number(
            "leans towards",
            Group::Form,
            (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
            "To which side it leans at the start, counterclockwise seen from above.",
        )
        .per_thing(),
        ends: Driven = Param::number(
            "ends facing",
            Group::Form,
            (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
            "How it is turned when it lies still.",
        )
        .per_thing(),
        gravity: f64 = Param::number(
            "gravity",
            Group::Form,
            (Unit::Acceleration, GRAVITY, 1e-3, 1e7),
            "How strongly it is pulled down.",
        ),
        given: By = Param::choice(
            "rocks round",
            Group::Time,
            By::WORDS,
            "Whether gravity says how often it rocks round, or you do.",
        ),
        turns: f64 = Param::number(
            "times round",
            Group::Time,
            (Unit::None, 12.0, -10_000.0, 10_000.0),
            "How often the point that touches runs round; negative runs clockwise.",
        )
        .only_when("given", &["given"]),
        seconds: f64 = Param::number(
            "lies still after",
            Group::Time,
            (Unit::Seconds, 2.0, 0.01, 1e4),
            "Seconds until it lies still.",
        ),
        begin: f64 = Param::number(
            "let go at",
            Group::Time,
            (Unit::Frames, 0.0, -1e6, 1e6),
            "The frame at which the first is let go.",
        ),
        later: f64 = Param::number(
            "next after",
            Group::Time,
            (Unit::Frames, 0.0, -1e5, 1e5),
            "Frames from one to the next.",
        ),
        things: usize = Param::whole("things", Group::Form, (1, 1, 10_000), "How many there are."),
        place_spread: f64 = Param::number(
            "place",
            Group::Spread,
            (Unit::Metres, 0.0, 0.0, 1e5),
            "By how much each may lie off, to all sides.",
        ),
        tilt_spread: f64 = Param::number(
            "leaning",
            Group::Spread,
            (Unit::Degrees, 0.0, 0.0, 80.0),
            "By how much each may lean more or less.",
        ),
        time_spread: f64 = Param::number(
            "time",
            Group::Spread,
            (Unit::Seconds, 0.0, 0.0, 1e4),
            "By how much earlier or later each may lie still.",
        ),
        any_way: bool = Param::flag(
            "any direction",
            Group::Spread,
            false,
            "Whether each leans and faces its own way.",
        ),
        seed: u64 = Param::whole(
            "seed",
            Group::Spread,
            (1, 0, 1_000_000_000),
            "Another number gives another choice.",
        ),
    }
}

impl Maker for SettleNode {
    type Own = SettleFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "settle",
            title: "Settle",
            group: "Travel",
            help: "Lets plates, discs or bottles rock round their rim, ever flatter and quicker, until they lie still.",
            inputs: vec![],
            output: Some(PortKind::Motion),
            params: SettleFields::params(),
            uses_timing: true,
        }
    }

    fn sized_by(&self, _: &Own<'_, SettleFields>, _: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        Some((SettleFields::radius(), 0.5))
    }

    fn evaluate(&self, own: &SettleFields, context: &Context<'_>) -> Result<Outcome, String> {
        if context.timing.space == Space::Flat {
            return Err("What settles rocks about in space, and this scene is flat: make the scene deep.".to_owned());
        }
        let fps = context.timing.fps;
        let count = own.things;
        let seed = own.seed;
        let begin = own.begin;
        let setup = |index: usize| {
            let (thing, frame) = (Thing { index, count }, begin + own.later * index as f64);
            let at = |number: &Driven| number.at(frame, thing);
            let place = DVec3::from(own.at.each_ref().map(|part| part.at(frame, thing)));
            let scatter = scattered(seed, index as u64, false);
            let off = scatter.place.with_y(0.0) * own.place_spread;
            let round = if own.any_way { scatter.round() } else { [0.0; 2] };
            SettleSetup {
                place: level(context, place + off),
                radius: own.radius,
                middle: own.middle,
                tilt: (at(&own.tilt) + own.tilt_spread * scatter.late).clamp(0.01, 89.0).to_radians(),
                leans: at(&own.leans).to_radians() + round[0],
                ends: at(&own.ends).to_radians() + round[1],
                seconds: (own.seconds + own.time_spread * scatter.fast()).max(0.01),
                turns: (own.given == By::Given).then_some(own.turns),
                gravity: own.gravity,
                start_frame: frame,
                fps,
            }
        };
        let settle = Settle::new((0..count).map(setup).collect());
        let mut facts = vec![format!("{:.2} times round", settle.turns(0))];
        if own.given == By::Given {
            facts.push(format!("{:.2} times as quick as by gravity", settle.quicker(0)));
        }
        if count > 1 {
            facts.push(counted(count, "thing"));
        }
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(settle))) })
    }
}
