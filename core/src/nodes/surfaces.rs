//! The surfaces: each is a shape, a place and an orientation.

use super::paths::placing::level;
use crate::curve::{Curve, Placement, Segment, Strand, placed, profile};
use crate::graph::{Context, NodeType, Outcome};
use crate::pose::from_degrees;
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use crate::surface::{Shape, Surface};
use crate::words::sentence;
use glam::DVec3;
use std::sync::Arc;

fn schema(name: &'static str, title: &'static str, help: &'static str, inputs: Vec<Port>, form: Vec<Param>) -> Schema {
    let mut params = form;
    params.extend([
        Param::vector("at", "place", Group::Form, (Unit::Metres, [0.0; 3]), "Where its middle is.").role(Role::Place),
        Param::vector(
            "orientation",
            "orientation",
            Group::Form,
            (Unit::Degrees, [0.0; 3]),
            "How far it is turned about x, then y, then z.",
        ),
        Param::number(
            "bounce",
            "bounces",
            Group::Look,
            (Unit::None, 1.0, 0.0, 1000.0),
            "How many times as bouncy things are here as they are by themselves.",
        ),
        Param::number(
            "grip",
            "grips",
            Group::Look,
            (Unit::None, 1.0, 0.0, 1000.0),
            "How many times as much friction things have here as they have by themselves.",
        ),
    ]);
    Schema { name, title, group: "Surfaces", help, inputs, output: Some(PortKind::Surface), params, uses_timing: false }
        .remade_over_time()
}

fn length(name: &'static str, label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(name, label, Group::Form, (Unit::Metres, default, 1e-4, 1e5), help).role(Role::Size)
}

fn surface(context: &Context<'_>, shape: Shape) -> Outcome {
    let position = level(context, context.params.vector("at"));
    let surface = Surface::new(Arc::new(shape), position, from_degrees(context.params.vector("orientation")));
    Outcome::new(Surface { bounce: context.params.number("bounce"), grip: context.params.number("grip"), ..surface })
}

/// Without end.
pub struct Plane;

impl NodeType for Plane {
    fn schema(&self) -> Schema {
        let form = vec![
            length("width", "shown width", 8.0, "How wide it is drawn; it has no end."),
            length("depth", "shown depth", 8.0, "How deep it is drawn; it has no end."),
        ];
        schema("plane", "Plane", "A flat ground without end.", vec![], form)
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let number = |name| context.params.number(name);
        Ok(surface(context, Shape::Plane { width: number("width"), depth: number("depth") }))
    }
}

/// A ball.
pub struct Ball;

impl NodeType for Ball {
    fn schema(&self) -> Schema {
        schema(
            "ball",
            "Ball",
            "A ball to press onto.",
            vec![],
            vec![length("radius", "radius", 1.0, "From its middle to its surface.")],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        Ok(surface(context, Shape::Ball { radius: context.params.number("radius") }))
    }
}

/// A box.
pub struct Cuboid;

impl NodeType for Cuboid {
    fn schema(&self) -> Schema {
        let form = vec![
            length("width", "width", 2.0, "Along x."),
            length("height", "height", 1.0, "Along y."),
            length("depth", "depth", 2.0, "Along z."),
        ];
        schema("box", "Box", "A box to press onto.", vec![], form)
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let number = |name| context.params.number(name);
        Ok(surface(context, Shape::Box { half: 0.5 * DVec3::new(number("width"), number("height"), number("depth")) }))
    }
}

/// A ring.
pub struct Torus;

impl NodeType for Torus {
    fn schema(&self) -> Schema {
        let form = vec![
            length("radius", "ring radius", 2.0, "From the middle of the ring to the middle of its tube."),
            length("tube", "tube radius", 0.6, "How thick the tube is, from its middle."),
        ];
        schema("torus", "Torus", "An inflated ring, its axis upright.", vec![], form)
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let number = |name| context.params.number(name);
        Ok(surface(context, Shape::Torus { radius: number("radius"), tube: number("tube") }))
    }
}

/// A profile turned round an axis.
pub struct Lathe;

impl NodeType for Lathe {
    fn schema(&self) -> Schema {
        let inputs = vec![Port::new(
            "profile",
            PortKind::Path,
            "What is turned: x counts as the distance from the axis, y as the height.",
        )];
        schema("lathe", "Lathe", "A profile path turned round the upright axis.", inputs, vec![])
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("profile")?;
        let strand = &curve.strands()[0];
        let profile = profile(strand)
            .ok_or("The profile has no length beside the axis: draw it beside the axis, in the front plane.")?;
        let mut outcome = surface(context, Shape::Lathe(profile));
        if curve.strands().len() > 1 {
            outcome.warnings.push("Only the first strand of the profile is turned.".to_owned());
        }
        Ok(outcome)
    }
}

/// The edge of something round.
pub struct Rim;

impl NodeType for Rim {
    fn schema(&self) -> Schema {
        Schema {
            name: "rim",
            title: "Rim",
            group: "Paths",
            help: "A path round a surface, at a chosen height of it; round the edge of a plane or a box.",
            inputs: vec![Port::new("surface", PortKind::Surface, "What it goes round.")],
            output: Some(PortKind::Path),
            params: vec![
                Param::number(
                    "height",
                    "height",
                    Group::Form,
                    (Unit::None, 0.5, 0.0, 1.0),
                    "From 0, the lowest edge or the profile's start, to 1.",
                ),
                Param::number(
                    "clearance",
                    "clearance",
                    Group::Form,
                    (Unit::Metres, 0.0, 0.0, 1e4),
                    "How far outside it stays.",
                ),
            ],
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (surface, height, clearance) =
            (context.surface("surface")?, context.params.number("height"), context.params.number("clearance"));
        let segments = match surface.shape.rim(height) {
            crate::surface::Rim::Circle { radius, y } => {
                vec![Segment::circle(DVec3::Y * y, radius + clearance, DVec3::X, DVec3::NEG_Z)]
            }
            crate::surface::Rim::Rectangle { x, z, y } => {
                let (x, z) = (x + clearance, z + clearance);
                let corners = [(x, z), (x, -z), (-x, -z), (-x, z)].map(|(x, z)| DVec3::new(x, y, z));
                (0..4).map(|i| Segment::Line { from: corners[i], to: corners[(i + 1) % 4] }).collect()
            }
        };
        let round =
            Strand::new(segments, true).map_err(|_| "The rim has no length here: choose another height.".to_owned())?;
        let placement = Placement { position: surface.position, orientation: surface.orientation, scale: 1.0 };
        Ok(Outcome::of_curve(placed(&Curve::from(round), &placement).map_err(|error| sentence(&error.to_string()))?))
    }
}
