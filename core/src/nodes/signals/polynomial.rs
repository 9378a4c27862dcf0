use super::{outcome, schema, with_loops};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, Numbers, fields};
use crate::schema::{Choice, Group, Param, Schema, Values, choice};
use crate::signal::{Polynomial, RepeatWay};
use std::sync::Arc;

/// A sum of powers.
pub struct PolynomialNode;

const MOST_POWERS: usize = 16;

choice! {
    /// In what the time t is counted.
    pub enum Counted {
        Loops = "loops",
        Seconds = "seconds",
        Frames = "frames",
    }
}

choice! {
    /// What it does in the loops after this one.
    pub enum Beyond {
        Climbs = "climbs",
        EveryLoop = "every loop",
        RunsOn = "runs on",
    }
}

impl Beyond {
    const fn way(self) -> Option<RepeatWay> {
        match self {
            Self::Climbs => Some(RepeatWay::Climbing),
            Self::EveryLoop => Some(RepeatWay::Again),
            Self::RunsOn => None,
        }
    }
}

fields! {
    /// What Polynomial is told.
    pub struct PolynomialFields {
        factors: Numbers = Param::new(
            "factors",
            Group::Form,
            Values::Text { default: "0 1" },
            "The factors of 1, t, t², t³ …, with spaces between.",
        ),
        unit: Counted = Param::choice("time in", Group::Time, Counted::WORDS, "In what the time t is counted."),
        beyond: Beyond = Param::choice(
            "beyond",
            Group::Time,
            Beyond::WORDS,
            "What it does in the loops after this one.",
        ),
    }
}

impl Maker for PolynomialNode {
    type Own = PolynomialFields;

    fn schema(&self) -> Schema {
        schema("polynomial", "Polynomial", "A sum of powers of the time.", PolynomialFields::params())
    }

    fn evaluate(&self, own: &PolynomialFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let coefficients = own.factors.within(1e9)?;
        if coefficients.len() > MOST_POWERS {
            return Err(format!("{} factors are too many: use at most {MOST_POWERS}.", coefficients.len()));
        }
        let unit = match own.unit {
            Counted::Seconds => timing.fps,
            Counted::Frames => 1.0,
            Counted::Loops => timing.frames,
        };
        let polynomial = Arc::new(Polynomial { coefficients, unit });
        Ok(outcome(with_loops(polynomial, own.beyond.way(), timing), context))
    }
}
