use super::{frames, number, outcome, schema};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema};
use crate::signal::NoiseSignal;
use std::sync::Arc;

/// Smooth random values.
pub struct NoiseNode;

impl NodeType for NoiseNode {
    fn schema(&self) -> Schema {
        schema(
            "noise",
            "Noise",
            "Smooth random values; they loop unless you ask otherwise.",
            vec![
                number("middle", "middle", 0.0, "What it wanders about."),
                number("amount", "amount", 1.0, "How far it goes to either side at most, on average within ten humps."),
                Param::whole(
                    "octaves",
                    "octaves",
                    Group::Form,
                    (2, 1, 8),
                    "How many layers, each finer than the one before it.",
                ),
                frames(
                    "period",
                    "period",
                    24.0,
                    0.1,
                    "Frames from one hump to the next, about; a loop has a whole number of humps.",
                ),
                frames("start", "ahead", 0.0, -1e6, "Frames by which it is ahead."),
                Param::flag("looping", "loops", Group::Time, true, "Whether its end runs into its beginning."),
                Param::whole(
                    "seed",
                    "seed",
                    Group::Spread,
                    (1, 0, 1_000_000_000),
                    "Another number gives other values.",
                ),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let noise = NoiseSignal::new(
            (params.number("middle"), params.number("amount")),
            (params.number("period"), params.number("start")),
            u32::try_from(params.whole("octaves")).unwrap_or(1),
            params.whole("seed").unsigned_abs(),
            params.flag("looping").then_some(timing.frames),
        );
        Ok(outcome(Arc::new(noise), context))
    }
}
