use super::{outcome, schema, with_loops};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema, Values};
use crate::signal::Polynomial;
use std::sync::Arc;

/// A sum of powers.
pub struct PolynomialNode;

const UNITS: &[&str] = &["loops", "seconds", "frames"];
const POWERS_BEYOND: &[&str] = &["climbs", "every loop", "runs on"];
const MOST_POWERS: usize = 16;

impl NodeType for PolynomialNode {
    fn schema(&self) -> Schema {
        schema(
            "polynomial",
            "Polynomial",
            "A sum of powers of the time.",
            vec![
                Param::new(
                    "factors",
                    "factors",
                    Group::Form,
                    Values::Text { default: "0 1" },
                    "The factors of 1, t, t², t³ …, with spaces between.",
                ),
                Param::choice("unit", "time in", Group::Time, UNITS, "In what the time t is counted."),
                Param::choice(
                    "beyond",
                    "beyond",
                    Group::Time,
                    POWERS_BEYOND,
                    "What it does in the loops after this one.",
                ),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let coefficients = params.numbers("factors", 1e9)?;
        if coefficients.len() > MOST_POWERS {
            return Err(format!("{} factors are too many: use at most {MOST_POWERS}.", coefficients.len()));
        }
        let unit = match params.text("unit").as_str() {
            "seconds" => timing.fps,
            "frames" => 1.0,
            _ => timing.frames,
        };
        let polynomial = Arc::new(Polynomial { coefficients, unit });
        Ok(outcome(with_loops(polynomial, &params.text("beyond"), timing), context))
    }
}
