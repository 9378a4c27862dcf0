use super::{effect, frames, outcome};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Schema, choice};
use crate::signal::{Repeat, RepeatWay};
use std::sync::Arc;

/// A stretch of a signal again and again.
pub struct RepeatNode;

choice! {
    /// Whether it begins anew, runs back, or goes on from where it ended.
    pub enum Way {
        Again = "again",
        ThereAndBack = "there and back",
        Climbing = "climbing",
    }
}

choice! {
    /// How often it is repeated.
    pub enum Often {
        ForEver = "for ever",
        SomeTimes = "some times",
    }
}

fields! {
    /// What Repeat is told.
    pub struct RepeatFields {
        way: Way = Param::choice(
            "way",
            Group::Form,
            Way::WORDS,
            "Whether it begins anew, runs back, or goes on from where it ended.",
        ),
        from: f64 = frames("from", 0.0, -1e6, "The first frame of the stretch."),
        length: f64 = frames("length", 24.0, 0.0, "Frames of the stretch."),
        often: Often = Param::choice(
            "how often",
            Group::Time,
            Often::WORDS,
            "How often it is repeated.",
        ),
        before: i64 = count("before", "How often it comes before the stretch."),
        after: i64 = count("after", "How often it comes once more after the stretch."),
    }
}

const fn count(label: &'static str, help: &'static str) -> Param {
    Param::whole(label, Group::Time, (1, 0, 100_000), help).only_when("often", &["some times"])
}

impl Maker for RepeatNode {
    type Own = RepeatFields;

    fn schema(&self) -> Schema {
        effect("repeat", "Repeat", "Repeats a stretch of a signal, some times or for ever.", RepeatFields::params())
    }

    fn evaluate(&self, own: &RepeatFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.signal("signal")?;
        let length = own.length;
        if length < 1e-3 {
            return Err("A stretch of 0 frames repeats nothing: choose a longer one.".to_owned());
        }
        let ever = own.often == Often::ForEver;
        let times = |times: i64| if ever { f64::INFINITY } else { times as f64 };
        let way = match own.way {
            Way::ThereAndBack => RepeatWay::ThereAndBack,
            Way::Climbing => RepeatWay::Climbing,
            Way::Again => RepeatWay::Again,
        };
        let repeat = Repeat { inner, from: own.from, length, before: times(own.before), after: times(own.after), way };
        Ok(outcome(Arc::new(repeat), context))
    }
}
