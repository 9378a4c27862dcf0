use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::Swell;
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::signal::Driven;
use std::sync::Arc;

/// Size and brightness over time.
pub struct SwellNode;

fields! {
    /// What Swell is told.
    pub struct SwellFields {
        scale: Driven = Param::number("scale", Group::Form, (Unit::None, 1.0, 0.0, 1e4), "How many times as large.")
            .per_thing(),
        brightness: Driven = Param::number(
            "brightness",
            Group::Look,
            (Unit::None, 1.0, 0.0, 100.0),
            "How many times as bright.",
        )
        .per_thing(),
    }
}

impl Maker for SwellNode {
    type Own = SwellFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "swell",
            title: "Swell",
            group: "On the way",
            help: "Makes things larger and brighter over time; give the numbers keys, a formula or a signal.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Whose things swell.")],
            output: Some(PortKind::Motion),
            params: SwellFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &SwellFields, context: &Context<'_>) -> Result<Outcome, String> {
        let swell = Swell::new(context.motion("motion")?, own.scale.clone(), own.brightness.clone());
        Ok(Outcome::new(Product::Motion(Arc::new(swell))))
    }
}
