use crate::curve::Curve;
use crate::graph::{Context, Maker, Outcome};
use crate::schema::{Port, PortKind, Schema};
use crate::words::sentence;

/// A path the other way round.
pub struct Reverse;

impl Maker for Reverse {
    type Own = ();

    fn schema(&self) -> Schema {
        Schema {
            name: "reverse",
            title: "Reverse",
            group: "Paths",
            help: "The same path from its end to its start.",
            inputs: vec![Port::new("path", PortKind::Path, "What is turned round.")],
            output: Some(PortKind::Path),
            params: vec![],
            uses_timing: false,
        }
    }

    fn evaluate(&self, (): &(), context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("path")?;
        let strands = curve.strands().iter().map(crate::curve::Strand::reversed).collect::<Result<_, _>>();
        Ok(Outcome::of_curve(strands.and_then(Curve::new).map_err(|error| sentence(&error.to_string()))?))
    }
}
