//! What is done to signals.

use super::signals::{frames, number, outcome, schema};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::signal::{Blend, Levels, Limit, Product, Repeat, RepeatWay, Rescale, Signal, Span, Steps, Sum};
use std::sync::Arc;

fn effect(name: &'static str, title: &'static str, help: &'static str, params: Vec<Param>) -> Schema {
    let inputs = vec![Port::new("signal", PortKind::Signal, "What it is done to.")];
    Schema { inputs, ..schema(name, title, help, params) }
}

/// A signal in steps.
pub struct StepsNode;

impl NodeType for StepsNode {
    fn schema(&self) -> Schema {
        effect(
            "steps",
            "Steps",
            "Makes a signal jump: a new value only every few frames, or only certain values.",
            vec![
                Param::choice("way", "steps", Group::Form, &["every few frames", "to levels"], "What is in steps."),
                number("step", "levels apart", 0.25, "From one value to the next.").only_when("way", &["to levels"]),
                frames("every", "every", 4.0, 0.01, "Frames for which a value is held.")
                    .only_when("way", &["every few frames"]),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let signal: Arc<dyn Signal> = if params.text("way") == "to levels" {
            let step = params.number("step").abs();
            if step < 1e-9 {
                return Err("Levels that are 0 apart are no steps: choose how far apart they are.".to_owned());
            }
            Arc::new(Levels { inner, step })
        } else {
            Arc::new(Steps { inner, every: params.number("every") })
        };
        Ok(outcome(signal, context.timing))
    }
}

/// A stretch of a signal again and again.
pub struct RepeatNode;

impl NodeType for RepeatNode {
    fn schema(&self) -> Schema {
        let count = |name, label, help| {
            Param::whole(name, label, Group::Time, (1, 0, 100_000), help).only_when("often", &["some times"])
        };
        effect(
            "repeat",
            "Repeat",
            "Repeats a stretch of a signal, some times or for ever.",
            vec![
                Param::choice(
                    "way",
                    "way",
                    Group::Form,
                    &["again", "there and back", "climbing"],
                    "Whether it begins anew, runs back, or goes on from where it ended.",
                ),
                frames("from", "from", 0.0, -1e6, "The first frame of the stretch."),
                frames("length", "length", 24.0, 0.0, "Frames of the stretch."),
                Param::choice(
                    "often",
                    "how often",
                    Group::Time,
                    &["for ever", "some times"],
                    "How often it is repeated.",
                ),
                count("before", "before", "How often it comes before the stretch."),
                count("after", "after", "How often it comes once more after the stretch."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let length = params.number("length");
        if length < 1e-3 {
            return Err("A stretch of 0 frames repeats nothing: choose a longer one.".to_owned());
        }
        let ever = params.text("often") == "for ever";
        let times = |name: &str| if ever { f64::INFINITY } else { params.whole(name) as f64 };
        let way = match params.text("way").as_str() {
            "there and back" => RepeatWay::ThereAndBack,
            "climbing" => RepeatWay::Climbing,
            _ => RepeatWay::Again,
        };
        let repeat =
            Repeat { inner, from: params.number("from"), length, before: times("before"), after: times("after"), way };
        Ok(outcome(Arc::new(repeat), context.timing))
    }
}

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
        let mut outcome = outcome(Arc::new(span), context.timing);
        if length <= 0.0 {
            outcome.warnings.push("It begins and ends at the same frame, so nothing of the signal is left.".to_owned());
        }
        Ok(outcome)
    }
}

/// Two signals in one.
pub struct CombineNode;

impl NodeType for CombineNode {
    fn schema(&self) -> Schema {
        let inputs = vec![
            Port::new("first", PortKind::Signal, "One of the two."),
            Port::new("second", PortKind::Signal, "The other one."),
        ];
        let params = vec![
            Param::choice("way", "way", Group::Form, &["add", "multiply", "blend"], "What is made of the two."),
            Param::number("amount", "amount", Group::Form, (Unit::None, 0.5, -100.0, 100.0), "How much of the second.")
                .only_when("way", &["blend"]),
        ];
        Schema { inputs, ..schema("combine", "Combine", "Adds, multiplies or blends two signals.", params) }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (first, second) = (context.signal("first")?, context.signal("second")?);
        let signal: Arc<dyn Signal> = match context.params.text("way").as_str() {
            "multiply" => Arc::new(Product(first, second)),
            "blend" => Arc::new(Blend { first, second, amount: context.params.number("amount") }),
            _ => Arc::new(Sum(first, second)),
        };
        Ok(outcome(signal, context.timing))
    }
}

/// A signal in another range.
pub struct RescaleNode;

impl NodeType for RescaleNode {
    fn schema(&self) -> Schema {
        effect(
            "rescale",
            "Rescale",
            "Takes a signal from one range to another, evenly.",
            vec![
                number("low", "from low", 0.0, "A value of the signal."),
                number("high", "from high", 1.0, "Another value of it."),
                number("to-low", "to low", 0.0, "What the first becomes."),
                number("to-high", "to high", 1.0, "What the second becomes."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let (low, high) = (params.number("low"), params.number("high"));
        if (high - low).abs() < 1e-9 {
            return Err(format!("From low and from high are both {low}: choose two different values."));
        }
        let to = (params.number("to-low"), params.number("to-high"));
        Ok(outcome(Arc::new(Rescale::new(inner, (low, high), to)), context.timing))
    }
}

/// A signal between two values.
pub struct LimitNode;

impl NodeType for LimitNode {
    fn schema(&self) -> Schema {
        effect(
            "limit",
            "Limit",
            "Keeps a signal between two values.",
            vec![
                number("least", "least", 0.0, "The least it may be."),
                number("most", "most", 1.0, "The most it may be."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let (least, most) = (params.number("least"), params.number("most"));
        if least > most {
            return Err(format!("The least, {least}, is more than the most, {most}: change one of them."));
        }
        Ok(outcome(Arc::new(Limit { inner, least, most }), context.timing))
    }
}
