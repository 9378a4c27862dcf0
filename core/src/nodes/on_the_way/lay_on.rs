use crate::graph::{Context, Maker, Outcome, Product};
use crate::physics::{Laid, Lying};
use crate::scene::{Fields, Space, fields};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use std::sync::Arc;

/// Things on a surface.
pub struct LayOnNode;

fields! {
    /// What Lay on is told.
    pub struct LayOnFields {
        clearance: f64 = Param::number("clearance", Group::Form, (Unit::Metres, 0.0, -1e4, 1e4), "How far off the surface things stay; negative goes inside."),
        turned: bool = Param::flag("turned with it", Group::Form, false, "Whether each is turned the shortest way so that its +y is away from the surface."),
    }
}

impl Maker for LayOnNode {
    type Own = LayOnFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "lay-on",
            title: "Lay on",
            group: "On the way",
            help: "Lays things on a surface, at each frame at the place of it that is nearest to where they would be.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "What lies on the surface."),
                Port::new("surface", PortKind::Surface, "What it lies on."),
            ],
            output: Some(PortKind::Motion),
            params: LayOnFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &LayOnFields, context: &Context<'_>) -> Result<Outcome, String> {
        let ground = context.ground_if_any("surface").ok_or("\"surface\": not connected. Thread a surface to it.")?;
        let flat = context.timing.space == Space::Flat;
        let how = Lying { ground, clearance: own.clearance, turned: own.turned, flat };
        Ok(Outcome::new(Product::Motion(Arc::new(Laid::new(context.motion("motion")?, how)))))
    }
}
