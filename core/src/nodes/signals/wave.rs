use super::{number, outcome, plain, schema};
use crate::fraction::Fraction;
use crate::graph::{Closing, Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema, Unit};
use crate::signal::{Wave, WaveShape};
use std::sync::Arc;

/// A wave.
pub struct WaveNode;

const SHAPES: &[&str] = &["sine", "triangle", "saw", "square", "pulse"];
const COUNTS: &[&str] = &["periods per loop", "frames per period"];

impl NodeType for WaveNode {
    fn schema(&self) -> Schema {
        schema(
            "wave",
            "Wave",
            "Goes up and down for ever, a whole number of times in the loop unless you ask otherwise.",
            vec![
                Param::choice("shape", "shape", Group::Form, SHAPES, "The form of one period."),
                Param::number(
                    "width",
                    "width",
                    Group::Form,
                    (Unit::None, 0.25, 0.0, 1.0),
                    "For which part of its period it is up.",
                )
                .only_when("shape", &["pulse"]),
                number("middle", "middle", 0.0, "What it goes up and down about."),
                number("amount", "amount", 1.0, "How far it goes to either side."),
                Param::choice("given", "length given as", Group::Time, COUNTS, "How the length of a period is set."),
                Param::whole(
                    "periods",
                    "periods",
                    Group::Time,
                    (1, 1, 100_000),
                    "How often it goes up and down in a loop.",
                )
                .only_when("given", &["periods per loop"]),
                Param::number(
                    "period",
                    "period",
                    Group::Time,
                    (Unit::Frames, 24.0, 0.01, 1e6),
                    "Frames from one up to the next.",
                )
                .only_when("given", &["frames per period"]),
                number("phase", "ahead", 0.0, "By which part of a period it is ahead."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let shape = match params.text("shape").as_str() {
            "triangle" => WaveShape::Triangle,
            "saw" => WaveShape::Saw,
            "square" => WaveShape::Pulse(0.5),
            "pulse" => WaveShape::Pulse(params.number("width")),
            _ => WaveShape::Sine,
        };
        let free = params.text("given") == COUNTS[1];
        let period = if free { params.number("period") } else { timing.frames / params.whole("periods") as f64 };
        let wave = Wave {
            shape,
            period,
            // Whole periods change nothing, and would leave less room for the part of one.
            phase: params.number("phase").rem_euclid(1.0),
            middle: params.number("middle"),
            amount: params.number("amount"),
        };
        let mut outcome = outcome(Arc::new(wave), context);
        outcome.facts.push(format!("{} frames a period", plain(period)));
        if free {
            let period = Fraction::near(period);
            outcome.offers = Some(Arc::new(move |_| vec![Closing::Period(period)]));
        }
        Ok(outcome)
    }
}
