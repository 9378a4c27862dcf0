use crate::curve::{Curve, CurveError};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::words::sentence;

/// A part of a path.
pub struct Trim;

fields! {
    /// What Trim is told.
    pub struct TrimFields {
        from: f64 = Param::number(
            "from",
            Group::Form,
            (Unit::Laps, 0.0, -1000.0, 1000.0),
            "Where the part begins, as a part of the whole length.",
        ),
        to: f64 = Param::number(
            "to",
            Group::Form,
            (Unit::Laps, 0.5, -1000.0, 1000.0),
            "Where it ends; before its beginning it runs the other way.",
        ),
    }
}

impl Maker for Trim {
    type Own = TrimFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "trim",
            title: "Trim",
            group: "Paths",
            help: "A part of a path; on a closed one it may run across the start.",
            inputs: vec![Port::new("path", PortKind::Path, "What is trimmed.")],
            output: Some(PortKind::Path),
            params: TrimFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &TrimFields, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("path")?;
        let (from, to) = (own.from, own.to);
        let strands = curve.strands().iter().map(|strand| strand.trimmed(from, to)).collect::<Result<_, _>>();
        let made = strands.and_then(Curve::new).map_err(|error| match error {
            CurveError::Empty | CurveError::NoLength => "Nothing is left of the path: choose another end.".to_owned(),
            other => sentence(&other.to_string()),
        })?;
        Ok(Outcome::of_curve(made))
    }
}
