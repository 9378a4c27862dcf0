use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::Posed;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit};
use crate::signal::Driven;
use std::sync::Arc;

/// One thing that is posed by numbers.
pub struct PoseNode;

fields! {
    /// What Pose is told.
    pub struct PoseFields {
        at: [Driven; 3] = Param::vector("place", Group::Form, (Unit::Metres, [0.0; 3]), "Where it is.")
            .role(Role::Place)
            .over_time(),
        orientation: [Driven; 3] = Param::vector(
            "orientation",
            Group::Form,
            (Unit::Degrees, [0.0; 3]),
            "How far it is turned about x, then y, then z.",
        )
        .over_time(),
        scale: Driven = Param::number("scale", Group::Form, (Unit::None, 1.0, 0.0, 1e4), "How large it is.")
            .over_time(),
    }
}

impl Maker for PoseNode {
    type Own = PoseFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "pose",
            title: "Pose",
            group: "Travel",
            help: "One thing that stands where you put it, or moves by keys, formulas or signals; what is baked becomes this.",
            inputs: vec![],
            output: Some(PortKind::Motion),
            params: PoseFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &PoseFields, context: &Context<'_>) -> Result<Outcome, String> {
        let ([x, y, z], [a, b, c]) = (own.at.clone(), own.orientation.clone());
        let none = || Driven::Fixed(0.0);
        let posed = if context.timing.space == Space::Flat {
            Posed::new([x, y, none()], [none(), none(), c], own.scale.clone())
        } else {
            Posed::new([x, y, z], [a, b, c], own.scale.clone())
        };
        Ok(Outcome::new(Product::Motion(Arc::new(posed))))
    }
}
