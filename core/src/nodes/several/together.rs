use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Motion, Moved, Moving, Together};
use crate::nodes::paths::placing::level;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use crate::signal::Driven;
use crate::words::counted;
use glam::DVec3;
use std::sync::Arc;

/// Several motions as one.
pub struct TogetherNode;

const PORTS: [&str; 6] = ["first", "second", "third", "fourth", "fifth", "sixth"];

fields! {
    /// What Together is told.
    pub struct TogetherFields {
        position: [Driven; 3] = Param::vector(
            "position",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "How far all of it is moved.",
        )
        .role(Role::Place)
        .over_time(),
        orientation: [Driven; 3] = Param::vector(
            "orientation",
            Group::Form,
            (Unit::Degrees, [0.0; 3]),
            "How far all of it is turned about x, then y, then z.",
        )
        .over_time(),
        scale: Driven = Param::number(
            "scale",
            Group::Form,
            (Unit::None, 1.0, 1e-3, 1e3),
            "How many times as large all of it is.",
        )
        .role(Role::Size)
        .over_time(),
        about: DVec3 = Param::vector(
            "about",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "The place about which it is turned and enlarged.",
        ),
    }
}

impl Maker for TogetherNode {
    type Own = TogetherFields;

    fn schema(&self) -> Schema {
        let port = |name| match name {
            "first" => Port::new(name, PortKind::Motion, "Whose things come first."),
            _ => Port::optional(name, PortKind::Motion, "Whose things come next."),
        };
        Schema {
            name: "together",
            title: "Together",
            group: "On the way",
            help: "Puts the things of several motions into one, which can be moved, turned and enlarged as one.",
            inputs: PORTS.map(port).into(),
            output: Some(PortKind::Motion),
            params: TogetherFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &TogetherFields, context: &Context<'_>) -> Result<Outcome, String> {
        let first = context.motion("first")?;
        let others = PORTS[1..].iter().filter_map(|port| context.motion(port).ok());
        let together = Together::new(std::iter::once(first).chain(others).collect());
        let facts = vec![counted(together.len(), "thing")];
        let ([x, y, mut z], [mut rx, mut ry, rz]) = (own.position.clone(), own.orientation.clone());
        if context.timing.space == Space::Flat {
            (z, rx, ry) = (Driven::Fixed(0.0), Driven::Fixed(0.0), Driven::Fixed(0.0));
        }
        let how = Moving {
            position: [x, y, z],
            orientation: [rx, ry, rz],
            scale: own.scale.clone(),
            about: level(context, own.about),
        };
        let all: Arc<dyn Motion> = Arc::new(together);
        let all = if how.is_none() { all } else { Arc::new(Moved::new(all, how)) };
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(all)) })
    }
}
