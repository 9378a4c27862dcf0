use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::Posed;
use crate::scene::Space;
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit};
use crate::signal::Driven;
use std::sync::Arc;

/// One thing that is posed by numbers.
pub struct PoseNode;

impl NodeType for PoseNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "pose",
            title: "Pose",
            group: "Travel",
            help: "One thing that stands where you put it, or moves by keys, formulas or signals; what is baked becomes this.",
            inputs: vec![],
            output: Some(PortKind::Motion),
            params: vec![
                Param::vector("at", "place", Group::Form, (Unit::Metres, [0.0; 3]), "Where it is.")
                    .role(Role::Place)
                    .over_time(),
                Param::vector(
                    "orientation",
                    "orientation",
                    Group::Form,
                    (Unit::Degrees, [0.0; 3]),
                    "How far it is turned about x, then y, then z.",
                )
                .over_time(),
                Param::number("scale", "scale", Group::Form, (Unit::None, 1.0, 0.0, 1e4), "How large it is.")
                    .over_time(),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let ([x, y, z], [a, b, c]) = (params.driven_vector("at"), params.driven_vector("orientation"));
        let none = || Driven::Fixed(0.0);
        let posed = if context.timing.space == Space::Flat {
            Posed::new([x, y, none()], [none(), none(), c], params.driven("scale"))
        } else {
            Posed::new([x, y, z], [a, b, c], params.driven("scale"))
        };
        Ok(Outcome::new(Product::Motion(Arc::new(posed))))
    }
}
