use crate::curve::{Placement, placed};
use crate::graph::{Context, Maker, Outcome};
use crate::nodes::paths::placing::{is_flat, level};
use crate::pose::from_degrees;
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use crate::words::sentence;
use glam::DVec3;

/// A path elsewhere.
pub struct MovePath;

fields! {
    /// What Move is told.
    pub struct MovePathFields {
        position: DVec3 = Param::vector("position", Group::Form, (Unit::Metres, [0.0; 3]), "How far it is moved.")
            .role(Role::Place),
        orientation: DVec3 = Param::vector(
            "orientation",
            Group::Form,
            (Unit::Degrees, [0.0; 3]),
            "How far it is turned about x, then y, then z.",
        ),
        scale: f64 = Param::number(
            "scale",
            Group::Form,
            (Unit::None, 1.0, 1e-3, 1e3),
            "How many times as large it becomes.",
        )
        .role(Role::Size),
        about: DVec3 = Param::vector(
            "about",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "The place about which it is turned and enlarged.",
        ),
    }
}

impl Maker for MovePath {
    type Own = MovePathFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "move",
            title: "Move",
            group: "Paths",
            help: "Moves, turns and enlarges a path; by numbers, or by its handles in the View.",
            inputs: vec![Port::new("path", PortKind::Path, "What is moved.")],
            output: Some(PortKind::Path),
            params: MovePathFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &MovePathFields, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("path")?;
        let turn = own.orientation;
        let orientation = from_degrees(if is_flat(context) { DVec3::Z * turn.z } else { turn });
        let (about, scale) = (level(context, own.about), own.scale);
        let position = about + level(context, own.position) - orientation * (about * scale);
        let made = placed(&curve, &Placement { position, orientation, scale });
        Ok(Outcome::of_curve(made.map_err(|error| sentence(&error.to_string()))?))
    }
}
