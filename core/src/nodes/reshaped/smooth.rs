use crate::curve::{Smoothing, fitted, smoothed};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::words::sentence;

/// A path without small kinks.
pub struct Smooth;

choice! {
    /// Rounding its points keeps their number; fitting takes as few curves as come near enough.
    pub enum Way {
        RoundItsPoints = "round its points",
        FitFewCurves = "fit few curves",
    }
}

fields! {
    /// What Smooth is told.
    pub struct SmoothFields {
        way: Way = Param::choice(
            "way",
            Group::Form,
            Way::WORDS,
            "Rounding its points keeps their number; fitting takes as few curves as come near enough.",
        ),
        amount: f64 = Param::number(
            "amount",
            Group::Form,
            (Unit::None, 0.5, 0.0, 1.0),
            "0 goes through the points, 1 cuts every corner as far as it can be cut.",
        )
        .only_when("way", &["round its points"]),
        rounds: usize = Param::whole(
            "rounds",
            Group::Form,
            (0, 0, 100),
            "How often points are drawn towards their neighbours first.",
        )
        .only_when("way", &["round its points"]),
        tolerance: f64 = Param::number(
            "tolerance",
            Group::Form,
            (Unit::Metres, 0.02, 1e-6, 1e4),
            "How far the curves may be off the path.",
        )
        .only_when("way", &["fit few curves"]),
        keep: f64 = Param::number(
            "keep corners",
            Group::Form,
            (Unit::Degrees, 60.0, 0.0, 180.0),
            "Corners that turn by more than this stay as they are.",
        ),
    }
}

impl Maker for Smooth {
    type Own = SmoothFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "smooth",
            title: "Smooth",
            group: "Paths",
            help: "Takes small kinks out of a path; sharp corners stay.",
            inputs: vec![Port::new("path", PortKind::Path, "What is made smooth.")],
            output: Some(PortKind::Path),
            params: SmoothFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &SmoothFields, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("path")?;
        let keep = own.keep.to_radians();
        let made = if own.way == Way::FitFewCurves {
            fitted(&curve, own.tolerance, keep)
        } else {
            let rounds = own.rounds;
            smoothed(&curve, &Smoothing { keep, rounds, amount: own.amount })
        }
        .map_err(|error| sentence(&error.to_string()))?;
        let pieces: usize = made.strands().iter().map(|strand| strand.segments().len()).sum();
        let mut outcome = Outcome::of_curve(made);
        outcome.facts.push(format!("{pieces} curves"));
        Ok(outcome)
    }
}
