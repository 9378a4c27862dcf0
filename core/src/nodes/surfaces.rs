//! The surfaces: each is a shape, a place and an orientation.

use super::paths::placing::level;
use crate::curve::{Curve, Placement, Segment, Strand, placed, profile};
use crate::graph::{Context, Maker, Outcome};
use crate::pose::from_degrees;
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use crate::surface::{Shape, Surface};
use crate::words::sentence;
use glam::DVec3;
use std::sync::Arc;

fn schema(name: &'static str, title: &'static str, help: &'static str, params: Vec<Param>) -> Schema {
    Schema {
        name,
        title,
        group: "Surfaces",
        help,
        inputs: vec![],
        output: Some(PortKind::Surface),
        params,
        uses_timing: false,
    }
    .remade_over_time()
}

fn length(label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(label, Group::Form, (Unit::Metres, default, 1e-4, 1e5), help).role(Role::Size)
}

fields! {
    /// Where a surface stands, and what it does to what touches it.
    pub struct Standing {
        at: DVec3 = Param::vector("place", Group::Form, (Unit::Metres, [0.0; 3]), "Where its middle is.")
            .role(Role::Place),
        orientation: DVec3 = Param::vector(
            "orientation",
            Group::Form,
            (Unit::Degrees, [0.0; 3]),
            "How far it is turned about x, then y, then z.",
        ),
        bounce: f64 = Param::number(
            "bounces",
            Group::Look,
            (Unit::None, 1.0, 0.0, 1000.0),
            "How many times as bouncy things are here as they are by themselves.",
        ),
        grip: f64 = Param::number(
            "grips",
            Group::Look,
            (Unit::None, 1.0, 0.0, 1000.0),
            "How many times as much friction things have here as they have by themselves.",
        ),
    }
}

impl Standing {
    fn surface(&self, context: &Context<'_>, shape: Shape) -> Outcome {
        let surface = Surface::new(Arc::new(shape), level(context, self.at), from_degrees(self.orientation));
        Outcome::new(Surface { bounce: self.bounce, grip: self.grip, ..surface })
    }
}

/// Without end.
pub struct Plane;

fields! {
    /// What Plane is told.
    pub struct PlaneFields {
        width: f64 = length("shown width", 8.0, "How wide it is drawn; it has no end."),
        depth: f64 = length("shown depth", 8.0, "How deep it is drawn; it has no end."),
        standing: Standing => Standing::params(),
    }
}

impl Maker for Plane {
    type Own = PlaneFields;

    fn schema(&self) -> Schema {
        schema("plane", "Plane", "A flat ground without end.", PlaneFields::params())
    }

    fn evaluate(&self, own: &PlaneFields, context: &Context<'_>) -> Result<Outcome, String> {
        Ok(own.standing.surface(context, Shape::Plane { width: own.width, depth: own.depth }))
    }
}

/// A ball.
pub struct Ball;

fields! {
    /// What Ball is told.
    pub struct BallFields {
        radius: f64 = length("radius", 1.0, "From its middle to its surface."),
        standing: Standing => Standing::params(),
    }
}

impl Maker for Ball {
    type Own = BallFields;

    fn schema(&self) -> Schema {
        schema("ball", "Ball", "A ball to press onto.", BallFields::params())
    }

    fn evaluate(&self, own: &BallFields, context: &Context<'_>) -> Result<Outcome, String> {
        Ok(own.standing.surface(context, Shape::Ball { radius: own.radius }))
    }
}

/// A box.
pub struct Cuboid;

fields! {
    /// What Box is told.
    pub struct CuboidFields {
        width: f64 = length("width", 2.0, "Along x."),
        height: f64 = length("height", 1.0, "Along y."),
        depth: f64 = length("depth", 2.0, "Along z."),
        standing: Standing => Standing::params(),
    }
}

impl Maker for Cuboid {
    type Own = CuboidFields;

    fn schema(&self) -> Schema {
        schema("box", "Box", "A box to press onto.", CuboidFields::params())
    }

    fn evaluate(&self, own: &CuboidFields, context: &Context<'_>) -> Result<Outcome, String> {
        let half = 0.5 * DVec3::new(own.width, own.height, own.depth);
        Ok(own.standing.surface(context, Shape::Box { half }))
    }
}

/// A ring.
pub struct Torus;

fields! {
    /// What Torus is told.
    pub struct TorusFields {
        radius: f64 = length("ring radius", 2.0, "From the middle of the ring to the middle of its tube."),
        tube: f64 = length("tube radius", 0.6, "How thick the tube is, from its middle."),
        standing: Standing => Standing::params(),
    }
}

impl Maker for Torus {
    type Own = TorusFields;

    fn schema(&self) -> Schema {
        schema("torus", "Torus", "An inflated ring, its axis upright.", TorusFields::params())
    }

    fn evaluate(&self, own: &TorusFields, context: &Context<'_>) -> Result<Outcome, String> {
        Ok(own.standing.surface(context, Shape::Torus { radius: own.radius, tube: own.tube }))
    }
}

/// A profile turned round an axis.
pub struct Lathe;

fields! {
    /// What Lathe is told.
    pub struct LatheFields {
        standing: Standing => Standing::params(),
    }
}

impl Maker for Lathe {
    type Own = LatheFields;

    fn schema(&self) -> Schema {
        let inputs = vec![Port::new(
            "profile",
            PortKind::Path,
            "What is turned: x counts as the distance from the axis, y as the height.",
        )];
        let help = "A profile path turned round the upright axis.";
        Schema { inputs, ..schema("lathe", "Lathe", help, LatheFields::params()) }
    }

    fn evaluate(&self, own: &LatheFields, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("profile")?;
        let strand = &curve.strands()[0];
        let profile = profile(strand)
            .ok_or("The profile has no length beside the axis: draw it beside the axis, in the front plane.")?;
        let mut outcome = own.standing.surface(context, Shape::Lathe(profile));
        if curve.strands().len() > 1 {
            outcome.warnings.push("Only the first strand of the profile is turned.".to_owned());
        }
        Ok(outcome)
    }
}

/// The edge of something round.
pub struct Rim;

fields! {
    /// What Rim is told.
    pub struct RimFields {
        height: f64 = Param::number(
            "height",
            Group::Form,
            (Unit::None, 0.5, 0.0, 1.0),
            "From 0, the lowest edge or the profile's start, to 1.",
        ),
        clearance: f64 = Param::number(
            "clearance",
            Group::Form,
            (Unit::Metres, 0.0, 0.0, 1e4),
            "How far outside it stays.",
        ),
    }
}

impl Maker for Rim {
    type Own = RimFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "rim",
            title: "Rim",
            group: "Paths",
            help: "A path round a surface, at a chosen height of it; round the edge of a plane or a box.",
            inputs: vec![Port::new("surface", PortKind::Surface, "What it goes round.")],
            output: Some(PortKind::Path),
            params: RimFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &RimFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (surface, height, clearance) = (context.surface("surface")?, own.height, own.clearance);
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
