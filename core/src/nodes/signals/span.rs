use super::{effect, frames, number, outcome};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Schema};
use crate::signal::Span;
use std::sync::Arc;

/// A signal for a while.
pub struct SpanNode;

fields! {
    /// What Span is told.
    pub struct SpanFields {
        outside: f64 = number("outside", 0.0, "The value outside."),
        from: f64 = frames("from", 0.0, -1e6, "The first frame at which the signal counts."),
        to: f64 = frames(
            "to",
            60.0,
            -1e6,
            "The frame from which on it no longer counts; before from it runs across the seam.",
        ),
        fade: f64 = frames("fade", 6.0, 0.0, "Frames over which it comes and goes."),
        again: bool = Param::flag("every loop", Group::Time, true, "Whether it comes again in every loop."),
    }
}

impl Maker for SpanNode {
    type Own = SpanFields;

    fn schema(&self) -> Schema {
        effect(
            "span",
            "Span",
            "Confines a signal to some frames, with soft ends; outside it is one fixed value.",
            SpanFields::params(),
        )
    }

    fn evaluate(&self, own: &SpanFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (inner, loops) = (context.signal("signal")?, context.timing.frames);
        let (from, to) = (own.from, own.to);
        let again = own.again;
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
        let span = Span { inner, from, length, fade: own.fade, outside: own.outside, every };
        let mut outcome = outcome(Arc::new(span), context);
        outcome.span = Some((from, from + length.max(0.0)));
        if length <= 0.0 {
            outcome.warnings.push("It begins and ends at the same frame, so nothing of the signal is left.".to_owned());
        }
        Ok(outcome)
    }
}
