use super::{effect, frames, number, outcome};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema};
use crate::signal::Span;
use std::sync::Arc;

/// A signal for a while.
pub struct SpanNode;

impl NodeType for SpanNode {
    fn schema(&self) -> Schema {
        effect(
            "span",
            "Span",
            "Confines a signal to some frames, with soft ends; outside it is one fixed value.",
            vec![
                number("outside", "outside", 0.0, "The value outside."),
                frames("from", "from", 0.0, -1e6, "The first frame at which the signal counts."),
                frames(
                    "to",
                    "to",
                    60.0,
                    -1e6,
                    "The frame from which on it no longer counts; before from it runs across the seam.",
                ),
                frames("fade", "fade", 6.0, 0.0, "Frames over which it comes and goes."),
                Param::flag("again", "every loop", Group::Time, true, "Whether it comes again in every loop."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner, loops) = (&context.params, context.signal("signal")?, context.timing.frames);
        let (from, to) = (params.number("from"), params.number("to"));
        let again = params.flag("again");
        if to < from && !again {
            return Err(format!(
                "It ends at frame {to}, before it begins at frame {from}: let it end later, or come every loop."
            ));
        }
        // Across the seam it ends in the next loop.
        let length = if to < from {
            to - from + ((from - to) / loops).ceil() * loops
        } else {
            (to - from).min(if again { loops } else { f64::MAX })
        };
        let every = again.then_some(loops);
        let span = Span { inner, from, length, fade: params.number("fade"), outside: params.number("outside"), every };
        let mut outcome = outcome(Arc::new(span), context);
        outcome.span = Some((from, from + length.max(0.0)));
        if length <= 0.0 {
            outcome.warnings.push("It begins and ends at the same frame, so nothing of the signal is left.".to_owned());
        }
        Ok(outcome)
    }
}
