use super::{frames, number, outcome, schema};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Schema};
use crate::signal::NoiseSignal;
use std::sync::Arc;

/// Smooth random values.
pub struct NoiseNode;

fields! {
    /// What Noise is told.
    pub struct NoiseFields {
        middle: f64 = number("middle", 0.0, "What it wanders about."),
        amount: f64 = number("amount", 1.0, "How far it goes to either side at most, on average within ten humps."),
        octaves: u32 = Param::whole(
            "octaves",
            Group::Form,
            (2, 1, 8),
            "How many layers, each finer than the one before it.",
        ),
        period: f64 = frames(
            "period",
            24.0,
            0.1,
            "Frames from one hump to the next, about; a loop has a whole number of humps.",
        ),
        start: f64 = frames("ahead", 0.0, -1e6, "Frames by which it is ahead."),
        looping: bool = Param::flag("loops", Group::Time, true, "Whether its end runs into its beginning."),
        seed: u64 = Param::whole(
            "seed",
            Group::Spread,
            (1, 0, 1_000_000_000),
            "Another number gives other values.",
        ),
    }
}

impl Maker for NoiseNode {
    type Own = NoiseFields;

    fn schema(&self) -> Schema {
        schema("noise", "Noise", "Smooth random values; they loop unless you ask otherwise.", NoiseFields::params())
    }

    fn evaluate(&self, own: &NoiseFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let noise = NoiseSignal::new(
            (own.middle, own.amount),
            (own.period, own.start),
            own.octaves,
            own.seed,
            own.looping.then_some(timing.frames),
        );
        Ok(outcome(Arc::new(noise), context))
    }
}
