use crate::curve::{Placement, placed};
use crate::graph::{Context, NodeType, Outcome};
use crate::nodes::paths::placing::{is_flat, level};
use crate::pose::from_degrees;
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use crate::words::sentence;
use glam::DVec3;

/// A path elsewhere.
pub struct MovePath;

impl NodeType for MovePath {
    fn schema(&self) -> Schema {
        Schema {
            name: "move",
            title: "Move",
            group: "Paths",
            help: "Moves, turns and enlarges a path; by numbers, or by its handles in the View.",
            inputs: vec![Port::new("path", PortKind::Path, "What is moved.")],
            output: Some(PortKind::Path),
            params: vec![
                Param::vector("position", "position", Group::Form, (Unit::Metres, [0.0; 3]), "How far it is moved.")
                    .role(Role::Place),
                Param::vector(
                    "orientation",
                    "orientation",
                    Group::Form,
                    (Unit::Degrees, [0.0; 3]),
                    "How far it is turned about x, then y, then z.",
                ),
                Param::number(
                    "scale",
                    "scale",
                    Group::Form,
                    (Unit::None, 1.0, 1e-3, 1e3),
                    "How many times as large it becomes.",
                )
                .role(Role::Size),
                Param::vector(
                    "about",
                    "about",
                    Group::Form,
                    (Unit::Metres, [0.0; 3]),
                    "The place about which it is turned and enlarged.",
                ),
            ],
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, curve) = (&context.params, context.curve("path")?);
        let turn = params.vector("orientation");
        let orientation = from_degrees(if is_flat(context) { DVec3::Z * turn.z } else { turn });
        let (about, scale) = (level(context, params.vector("about")), params.number("scale"));
        let position = about + level(context, params.vector("position")) - orientation * (about * scale);
        let made = placed(&curve, &Placement { position, orientation, scale });
        Ok(Outcome::of_curve(made.map_err(|error| sentence(&error.to_string()))?))
    }
}
