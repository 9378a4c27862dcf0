use super::{frames, number, outcome, schema};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Schema};
use crate::signal::{Decay, Repeat, RepeatWay, Signal};
use std::sync::Arc;

/// A fall.
pub struct DecayNode;

fields! {
    /// What Decay is told.
    pub struct DecayFields {
        from: f64 = number("from", 1.0, "Its value before it falls."),
        to: f64 = number("to", 0.0, "What it comes to in the end."),
        start: f64 = frames("start", 0.0, -1e6, "The frame at which it begins to fall."),
        half: f64 = frames("half in", 12.0, 0.01, "Frames in which it falls by half."),
        again: bool = Param::flag("every loop", Group::Time, true, "Whether it begins again in every loop."),
    }
}

impl Maker for DecayNode {
    type Own = DecayFields;

    fn schema(&self) -> Schema {
        schema(
            "decay",
            "Decay",
            "Falls off quickly at first, then ever more slowly: by half of what is left again and again.",
            DecayFields::params(),
        )
    }

    fn evaluate(&self, own: &DecayFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let start = own.start;
        let inner: Arc<dyn Signal> = Arc::new(Decay { from: own.from, to: own.to, start, half: own.half });
        let again = Repeat {
            inner: inner.clone(),
            from: start,
            length: timing.frames,
            before: f64::INFINITY,
            after: f64::INFINITY,
            way: RepeatWay::Again,
        };
        Ok(outcome(if own.again { Arc::new(again) } else { inner }, context))
    }
}
