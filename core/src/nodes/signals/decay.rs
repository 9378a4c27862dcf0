use super::{frames, number, outcome, schema};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema};
use crate::signal::{Decay, Repeat, RepeatWay, Signal};
use std::sync::Arc;

/// A fall.
pub struct DecayNode;

impl NodeType for DecayNode {
    fn schema(&self) -> Schema {
        schema(
            "decay",
            "Decay",
            "Falls off quickly at first, then ever more slowly: by half of what is left again and again.",
            vec![
                number("from", "from", 1.0, "Its value before it falls."),
                number("to", "to", 0.0, "What it comes to in the end."),
                frames("start", "start", 0.0, -1e6, "The frame at which it begins to fall."),
                frames("half", "half in", 12.0, 0.01, "Frames in which it falls by half."),
                Param::flag("again", "every loop", Group::Time, true, "Whether it begins again in every loop."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let start = params.number("start");
        let inner: Arc<dyn Signal> = Arc::new(Decay {
            from: params.number("from"),
            to: params.number("to"),
            start,
            half: params.number("half"),
        });
        let again = Repeat {
            inner: inner.clone(),
            from: start,
            length: timing.frames,
            before: f64::INFINITY,
            after: f64::INFINITY,
            way: RepeatWay::Again,
        };
        Ok(outcome(if params.flag("again") { Arc::new(again) } else { inner }, context))
    }
}
