use crate::curve::{PressWay, pressed};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::words::sentence;
use glam::DVec3;

/// A path laid on a surface.
pub struct PressOnto;

choice! {
    /// Where on the surface a place of the path goes.
    pub enum Way {
        NearestPlace = "nearest place",
        AlongADirection = "along a direction",
    }
}

fields! {
    /// What Press onto is told.
    pub struct PressOntoFields {
        way: Way = Param::choice(
            "way",
            Group::Form,
            Way::WORDS,
            "Where on the surface a place of the path goes.",
        ),
        direction: DVec3 = Param::vector(
            "direction",
            Group::Form,
            (Unit::None, [0.0, -1.0, 0.0]),
            "The way in which it is pressed.",
        )
        .only_when("way", &["along a direction"]),
        clearance: f64 = Param::number(
            "clearance",
            Group::Form,
            (Unit::Metres, 0.0, -1e4, 1e4),
            "How far off the surface it stays; negative goes inside.",
        ),
    }
}

impl Maker for PressOnto {
    type Own = PressOntoFields;

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
            params: PressOntoFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &PressOntoFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (curve, surface) = (context.curve("path")?, context.surface("surface")?);
        let way = if own.way == Way::AlongADirection {
            let direction = own.direction.try_normalize();
            PressWay::Along(direction.ok_or("The direction has no length: give it a number other than 0.")?)
        } else {
            PressWay::Nearest
        };
        let (made, missed) =
            pressed(&curve, &surface, way, own.clearance).map_err(|error| sentence(&error.to_string()))?;
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
