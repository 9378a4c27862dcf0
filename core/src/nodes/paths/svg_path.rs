use super::placing::{at_param, level, plane_param, turn_param};
use crate::curve::{Outline, Path, Placing, Plane, place};
use crate::graph::{Context, Maker, Outcome, PathProduct, curve_facts};
use crate::scene::{Fields, Point, fields};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit, Values};
use crate::words::sentence;
use glam::DVec3;

/// A path from an SVG file.
pub struct SvgPath;

fields! {
    /// What SVG path is told.
    pub struct SvgPathFields {
        file: String = Param::new("file", Group::Form, Values::Asset { media: "image/svg+xml" }, "The SVG file."),
        shape: String = Param::new(
            "shape",
            Group::Form,
            Values::Text { default: "" },
            "The id of one shape in the file; empty takes all.",
        ),
        scale: f64 = Param::new(
            "metres per unit",
            Group::Form,
            Values::Number { unit: Unit::Metres, default: 0.01, min: 1e-6, max: 1e4 },
            "How many metres one unit of the file becomes.",
        )
        .role(Role::Size),
        plane: Plane = plane_param(Plane::Ground),
        centred: bool = Param::new(
            "centred",
            Group::Form,
            Values::Flag { default: true },
            "Whether the drawing's middle comes to the place, or the file's origin.",
        ),
        at: DVec3 = at_param(),
        turn: f64 = turn_param(),
        moved: Vec<Point> = Param::new(
            "moved points",
            Group::Form,
            Values::MovedPoints,
            "Points that were dragged away from where the file has them.",
        ),
    }
}

impl Maker for SvgPath {
    type Own = SvgPathFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "svg-path",
            title: "SVG path",
            group: "Paths",
            help: "The outlines of an SVG file as a path; its points can still be moved.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: SvgPathFields::params(),
            uses_timing: false,
        }
    }

    fn evaluate(&self, own: &SvgPathFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (file, shape) = (&own.file, &own.shape);
        if file.is_empty() {
            return Err("SVG path needs a file: choose one in the Card.".to_owned());
        }
        let outlines = context.assets.outlines(file).map_err(|why| sentence(&why))?;
        let chosen: Vec<Outline> =
            outlines.iter().filter(|outline| shape.is_empty() || outline.id == *shape).cloned().collect();
        if chosen.is_empty() {
            let known: Vec<&str> =
                outlines.iter().map(|outline| outline.id.as_str()).filter(|id| !id.is_empty()).take(8).collect();
            return Err(format!(
                "\"{file}\" has no shape \"{shape}\": it has {}.",
                if known.is_empty() { "none with an id".to_owned() } else { known.join(", ") }
            ));
        }
        let at = level(context, own.at);
        let (scale, turn) = (own.scale, own.turn.to_radians());
        let placing = Placing { scale, plane: own.plane.laid(context), turn, centred: own.centred, at };
        let moved = own.moved.iter().map(|point| (point.id.clone(), level(context, point.point.position))).collect();
        let (curve, joints) = place(&chosen, &placing, &moved).map_err(|error| sentence(&error.to_string()))?;
        let facts = curve_facts(&curve);
        let product = PathProduct { path: Path::still(curve), joints, points_param: SvgPathFields::moved() };
        Ok(Outcome { facts, ..Outcome::new(product) })
    }
}
