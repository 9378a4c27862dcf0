use crate::curve::{Between, Spacing, resampled};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::words::{counted, sentence};

/// Points at even distances.
pub struct Resample;

impl NodeType for Resample {
    fn schema(&self) -> Schema {
        Schema {
            name: "resample",
            title: "Resample",
            group: "Paths",
            help: "Puts new points on a path, exactly evenly by length.",
            inputs: vec![Port::new("path", PortKind::Path, "What is resampled.")],
            output: Some(PortKind::Path),
            params: vec![
                Param::choice("by", "points by", Group::Form, &["count", "distance"], "How many points there are."),
                Param::whole("count", "points", Group::Form, (24, 2, 100_000), "How many points each strand gets.")
                    .only_when("by", &["count"]),
                Param::number(
                    "distance",
                    "distance",
                    Group::Form,
                    (Unit::Metres, 0.25, 1e-4, 1e5),
                    "Metres from point to point, or a little less so that they come out even.",
                )
                .only_when("by", &["distance"]),
                Param::choice(
                    "joined",
                    "joined",
                    Group::Form,
                    &["smooth", "straight"],
                    "How the path runs from point to point.",
                ),
            ],
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, curve) = (&context.params, context.curve("path")?);
        let spacing = if params.text("by") == "distance" {
            Spacing::Distance(params.number("distance"))
        } else {
            Spacing::Count(params.whole("count").unsigned_abs() as usize)
        };
        let between = if params.text("joined") == "straight" { Between::Straight } else { Between::Smooth };
        let made = resampled(&curve, spacing, between).map_err(|error| sentence(&error.to_string()))?;
        let points: usize =
            made.strands().iter().map(|strand| strand.segments().len() + usize::from(!strand.closed())).sum();
        let mut outcome = Outcome::of_curve(made);
        outcome.facts.push(counted(points, "point"));
        Ok(outcome)
    }
}
