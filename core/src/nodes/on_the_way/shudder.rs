use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Shudder, Shuddering};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::signal::Driven;
use std::sync::Arc;

/// Forward and back along the way.
pub struct ShudderNode;

choice! {
    /// How it gets from one side to the other.
    pub enum Shape {
        Jumps = "jumps",
        Swings = "swings",
    }
}

fields! {
    /// What Shudder is told.
    pub struct ShudderFields {
        amount: Driven = Param::number(
            "amount",
            Group::Form,
            (Unit::Metres, 0.1, -1e4, 1e4),
            "How far ahead and back; give it a signal to let it die down.",
        )
        .per_thing(),
        shape: Shape = Param::choice(
            "shape",
            Group::Form,
            Shape::WORDS,
            "How it gets from one side to the other.",
        ),
        every: f64 = Param::number(
            "every",
            Group::Time,
            (Unit::Frames, 1.0, 0.05, 1e5),
            "Frames from one side to the other.",
        ),
        start: f64 = Param::number(
            "first ahead",
            Group::Time,
            (Unit::Frames, 0.0, -1e5, 1e5),
            "A frame at which it is ahead; let layers differ.",
        ),
        scale: Driven = part("scale", "By which part of its size it is larger ahead and smaller back."),
        brightness: Driven = part("brightness", "By which part it is brighter ahead and darker back."),
    }
}

fn part(label: &'static str, help: &'static str) -> Param {
    Param::number(label, Group::Look, (Unit::None, 0.0, -10.0, 10.0), help).per_thing()
}

impl Maker for ShudderNode {
    type Own = ShudderFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "shudder",
            title: "Shudder",
            group: "On the way",
            help: "Shakes things forward and back along their way, by an amount that may change; one after another adds up.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is shaken.")],
            output: Some(PortKind::Motion),
            params: ShudderFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &ShudderFields, context: &Context<'_>) -> Result<Outcome, String> {
        let how = Shuddering {
            amount: own.amount.clone(),
            scale: own.scale.clone(),
            brightness: own.brightness.clone(),
            every: own.every,
            start: own.start,
            soft: own.shape == Shape::Swings,
        };
        let mut outcome = Outcome::new(Product::Motion(Arc::new(Shudder::new(context.motion("motion")?, how))));
        let sides = context.timing.frames / own.every;
        let pairs = 0.5 * sides;
        if (pairs - pairs.round()).abs() > 1e-9 {
            outcome.facts.push(format!("{sides:.2} sides a loop: an even number closes"));
        }
        Ok(outcome)
    }
}
