use super::{number, outcome, plain, schema};
use crate::fraction::Fraction;
use crate::graph::{Closing, Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Schema, Unit, choice};
use crate::signal::{Wave, WaveShape};
use std::sync::Arc;

/// A wave.
pub struct WaveNode;

choice! {
    /// The form of one period.
    pub enum Shape {
        Sine = "sine",
        Triangle = "triangle",
        Saw = "saw",
        Square = "square",
        Pulse = "pulse",
    }
}

choice! {
    /// How the length of a period is set.
    pub enum Counted {
        PeriodsPerLoop = "periods per loop",
        FramesPerPeriod = "frames per period",
    }
}

fields! {
    /// What Wave is told.
    pub struct WaveFields {
        shape: Shape = Param::choice("shape", Group::Form, Shape::WORDS, "The form of one period."),
        width: f64 = Param::number(
            "width",
            Group::Form,
            (Unit::None, 0.25, 0.0, 1.0),
            "For which part of its period it is up.",
        )
        .only_when("shape", &["pulse"]),
        middle: f64 = number("middle", 0.0, "What it goes up and down about."),
        amount: f64 = number("amount", 1.0, "How far it goes to either side."),
        given: Counted = Param::choice("length given as", Group::Time, Counted::WORDS, "How the length of a period is set."),
        periods: i64 = Param::whole(
            "periods",
            Group::Time,
            (1, 1, 100_000),
            "How often it goes up and down in a loop.",
        )
        .only_when("given", &["periods per loop"]),
        period: f64 = Param::number(
            "period",
            Group::Time,
            (Unit::Frames, 24.0, 0.01, 1e6),
            "Frames from one up to the next.",
        )
        .only_when("given", &["frames per period"]),
        phase: f64 = number("ahead", 0.0, "By which part of a period it is ahead."),
    }
}

impl Maker for WaveNode {
    type Own = WaveFields;

    fn schema(&self) -> Schema {
        schema(
            "wave",
            "Wave",
            "Goes up and down for ever, a whole number of times in the loop unless you ask otherwise.",
            WaveFields::params(),
        )
    }

    fn evaluate(&self, own: &WaveFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let shape = match own.shape {
            Shape::Sine => WaveShape::Sine,
            Shape::Triangle => WaveShape::Triangle,
            Shape::Saw => WaveShape::Saw,
            Shape::Square => WaveShape::Pulse(0.5),
            Shape::Pulse => WaveShape::Pulse(own.width),
        };
        let free = own.given == Counted::FramesPerPeriod;
        let period = if free { own.period } else { timing.frames / own.periods as f64 };
        let wave = Wave {
            shape,
            period,
            // Whole periods change nothing, and would leave less room for the part of one.
            phase: own.phase.rem_euclid(1.0),
            middle: own.middle,
            amount: own.amount,
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
