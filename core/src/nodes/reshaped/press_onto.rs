use crate::curve::{PressWay, pressed};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::words::sentence;

/// A path laid on a surface.
pub struct PressOnto;

impl NodeType for PressOnto {
    fn schema(&self) -> Schema {
        Schema {
            name: "press-onto",
            title: "Press onto",
            group: "Paths",
            help: "Lays a path on a surface, at the nearest place or along a direction.",
            inputs: vec![
                Port::new("path", PortKind::Path, "What is pressed."),
                Port::new("surface", PortKind::Surface, "What it is pressed onto."),
            ],
            output: Some(PortKind::Path),
            params: vec![
                Param::choice(
                    "way",
                    "way",
                    Group::Form,
                    &["nearest place", "along a direction"],
                    "Where on the surface a place of the path goes.",
                ),
                Param::vector(
                    "direction",
                    "direction",
                    Group::Form,
                    (Unit::None, [0.0, -1.0, 0.0]),
                    "The way in which it is pressed.",
                )
                .only_when("way", &["along a direction"]),
                Param::number(
                    "clearance",
                    "clearance",
                    Group::Form,
                    (Unit::Metres, 0.0, -1e4, 1e4),
                    "How far off the surface it stays; negative goes inside.",
                ),
            ],
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, curve, surface) = (&context.params, context.curve("path")?, context.surface("surface")?);
        let way = if params.text("way") == "along a direction" {
            let direction = params.vector("direction").try_normalize();
            PressWay::Along(direction.ok_or("The direction has no length: give it a number other than 0.")?)
        } else {
            PressWay::Nearest
        };
        let (made, missed) =
            pressed(&curve, &surface, way, params.number("clearance")).map_err(|error| sentence(&error.to_string()))?;
        if missed >= 1.0 {
            return Err(
                "The whole path misses the surface in this direction: turn the direction, or move one of them."
                    .to_owned(),
            );
        }
        let mut outcome = Outcome::of_curve(made);
        if missed > 0.0 {
            let part = (missed * 100.0).ceil();
            outcome.warnings.push(format!("{part} % of the path miss the surface and stay where they are: turn the direction, or move one of them."));
        }
        Ok(outcome)
    }
}
