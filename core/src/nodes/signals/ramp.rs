use super::{frames, number, outcome, schema, with_loops};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema};
use crate::signal::Ramp;
use std::sync::Arc;

/// From one value to another.
pub struct RampNode;

const LOOPS: &[&str] = &["climbs", "every loop", "holds"];

impl NodeType for RampNode {
    fn schema(&self) -> Schema {
        schema(
            "ramp",
            "Ramp",
            "Goes from one value to another.",
            vec![
                number("from", "from", 0.0, "Where it begins."),
                number("to", "to", 1.0, "Where it ends."),
                Param::choice(
                    "shape",
                    "shape",
                    Group::Form,
                    &["even", "soft"],
                    "Whether it leaves and arrives softly.",
                ),
                Param::choice("over", "over", Group::Time, &["the loop", "some frames"], "How long it takes."),
                frames("start", "start", 0.0, -1e6, "The frame at which it leaves.")
                    .only_when("over", &["some frames"]),
                frames("length", "length", 24.0, 0.0, "Frames until it is there.").only_when("over", &["some frames"]),
                Param::choice("beyond", "beyond", Group::Time, LOOPS, "What it does in the loops after this one."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let some = params.text("over") == "some frames";
        let (start, length) =
            if some { (params.number("start"), params.number("length")) } else { (0.0, timing.frames) };
        let soft = params.text("shape") == "soft";
        let ramp = Ramp { from: params.number("from"), to: params.number("to"), start, length, soft };
        Ok(outcome(with_loops(Arc::new(ramp), &params.text("beyond"), timing), context))
    }
}
