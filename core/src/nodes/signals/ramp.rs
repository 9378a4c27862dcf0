use super::{frames, number, outcome, schema, with_loops};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Schema, choice};
use crate::signal::{Ramp, RepeatWay};
use std::sync::Arc;

/// From one value to another.
pub struct RampNode;

choice! {
    /// Whether it leaves and arrives softly.
    pub enum Shape {
        Even = "even",
        Soft = "soft",
    }
}

choice! {
    /// How long it takes.
    pub enum Over {
        TheLoop = "the loop",
        SomeFrames = "some frames",
    }
}

choice! {
    /// What it does in the loops after this one.
    pub enum Beyond {
        Climbs = "climbs",
        EveryLoop = "every loop",
        Holds = "holds",
    }
}

impl Beyond {
    const fn way(self) -> Option<RepeatWay> {
        match self {
            Self::Climbs => Some(RepeatWay::Climbing),
            Self::EveryLoop => Some(RepeatWay::Again),
            Self::Holds => None,
        }
    }
}

fields! {
    /// What Ramp is told.
    pub struct RampFields {
        from: f64 = number("from", 0.0, "Where it begins."),
        to: f64 = number("to", 1.0, "Where it ends."),
        shape: Shape = Param::choice(
            "shape",
            Group::Form,
            Shape::WORDS,
            "Whether it leaves and arrives softly.",
        ),
        over: Over = Param::choice("over", Group::Time, Over::WORDS, "How long it takes."),
        start: f64 = frames("start", 0.0, -1e6, "The frame at which it leaves.")
            .only_when("over", &["some frames"]),
        length: f64 = frames("length", 24.0, 0.0, "Frames until it is there.").only_when("over", &["some frames"]),
        beyond: Beyond = Param::choice("beyond", Group::Time, Beyond::WORDS, "What it does in the loops after this one."),
    }
}

impl Maker for RampNode {
    type Own = RampFields;

    fn schema(&self) -> Schema {
        schema("ramp", "Ramp", "Goes from one value to another.", RampFields::params())
    }

    fn evaluate(&self, own: &RampFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let some = own.over == Over::SomeFrames;
        let (start, length) = if some { (own.start, own.length) } else { (0.0, timing.frames) };
        let soft = own.shape == Shape::Soft;
        let ramp = Ramp { from: own.from, to: own.to, start, length, soft };
        Ok(outcome(with_loops(Arc::new(ramp), own.beyond.way(), timing), context))
    }
}
