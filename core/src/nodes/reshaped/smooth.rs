use crate::curve::{Smoothing, fitted, smoothed};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::words::sentence;

/// A path without small kinks.
pub struct Smooth;

impl NodeType for Smooth {
    fn schema(&self) -> Schema {
        let rounded: &[&str] = &["round its points"];
        Schema {
            name: "smooth",
            title: "Smooth",
            group: "Paths",
            help: "Takes small kinks out of a path; sharp corners stay.",
            inputs: vec![Port::new("path", PortKind::Path, "What is made smooth.")],
            output: Some(PortKind::Path),
            params: vec![
                Param::choice(
                    "way",
                    "way",
                    Group::Form,
                    &["round its points", "fit few curves"],
                    "Rounding its points keeps their number; fitting takes as few curves as come near enough.",
                ),
                Param::number(
                    "amount",
                    "amount",
                    Group::Form,
                    (Unit::None, 0.5, 0.0, 1.0),
                    "0 goes through the points, 1 cuts every corner as far as it can be cut.",
                )
                .only_when("way", rounded),
                Param::whole(
                    "rounds",
                    "rounds",
                    Group::Form,
                    (0, 0, 100),
                    "How often points are drawn towards their neighbours first.",
                )
                .only_when("way", rounded),
                Param::number(
                    "tolerance",
                    "tolerance",
                    Group::Form,
                    (Unit::Metres, 0.02, 1e-6, 1e4),
                    "How far the curves may be off the path.",
                )
                .only_when("way", &["fit few curves"]),
                Param::number(
                    "keep",
                    "keep corners",
                    Group::Form,
                    (Unit::Degrees, 60.0, 0.0, 180.0),
                    "Corners that turn by more than this stay as they are.",
                ),
            ],
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, curve) = (&context.params, context.curve("path")?);
        let keep = params.number("keep").to_radians();
        let made = if params.text("way") == "fit few curves" {
            fitted(&curve, params.number("tolerance"), keep)
        } else {
            let rounds = params.whole("rounds").unsigned_abs() as usize;
            smoothed(&curve, &Smoothing { keep, rounds, amount: params.number("amount") })
        }
        .map_err(|error| sentence(&error.to_string()))?;
        let pieces: usize = made.strands().iter().map(|strand| strand.segments().len()).sum();
        let mut outcome = Outcome::of_curve(made);
        outcome.facts.push(format!("{pieces} curves"));
        Ok(outcome)
    }
}
