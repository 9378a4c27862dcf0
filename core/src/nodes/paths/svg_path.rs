use super::placing::{self, level, plane};
use crate::curve::{Outline, Path, Placing, place};
use crate::graph::{Context, NodeType, Outcome, PathProduct, curve_facts};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit, Values};
use crate::words::sentence;

/// A path from an SVG file.
pub struct SvgPath;

impl NodeType for SvgPath {
    fn schema(&self) -> Schema {
        let [laid_on, place, turn] = placing::params("ground");
        Schema {
            name: "svg-path",
            title: "SVG path",
            group: "Paths",
            help: "The outlines of an SVG file as a path; its points can still be moved.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: vec![
                Param::new("file", "file", Group::Form, Values::Asset { media: "image/svg+xml" }, "The SVG file."),
                Param::new(
                    "shape",
                    "shape",
                    Group::Form,
                    Values::Text { default: "" },
                    "The id of one shape in the file; empty takes all.",
                ),
                Param::new(
                    "scale",
                    "metres per unit",
                    Group::Form,
                    Values::Number { unit: Unit::Metres, default: 0.01, min: 1e-6, max: 1e4 },
                    "How many metres one unit of the file becomes.",
                )
                .role(Role::Size),
                laid_on,
                Param::new(
                    "centred",
                    "centred",
                    Group::Form,
                    Values::Flag { default: true },
                    "Whether the drawing's middle comes to the place, or the file's origin.",
                ),
                place,
                turn,
                Param::new(
                    "moved",
                    "moved points",
                    Group::Form,
                    Values::MovedPoints,
                    "Points that were dragged away from where the file has them.",
                ),
            ],
            uses_timing: false,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let file = params.text("file");
        if file.is_empty() {
            return Err("SVG path needs a file: choose one in the Card.".to_owned());
        }
        let outlines = context.assets.outlines(&file).map_err(|why| sentence(&why))?;
        let shape = params.text("shape");
        let chosen: Vec<Outline> =
            outlines.iter().filter(|outline| shape.is_empty() || outline.id == shape).cloned().collect();
        if chosen.is_empty() {
            let known: Vec<&str> =
                outlines.iter().map(|outline| outline.id.as_str()).filter(|id| !id.is_empty()).take(8).collect();
            return Err(format!(
                "\"{file}\" has no shape \"{shape}\": it has {}.",
                if known.is_empty() { "none with an id".to_owned() } else { known.join(", ") }
            ));
        }
        let at = level(context, params.vector("at"));
        let (scale, turn) = (params.number("scale"), params.number("turn").to_radians());
        let placing = Placing { scale, plane: plane(context), turn, centred: params.flag("centred"), at };
        let moved =
            params.points("moved").into_iter().map(|point| (point.id, level(context, point.point.position))).collect();
        let (curve, joints) = place(&chosen, &placing, &moved).map_err(|error| sentence(&error.to_string()))?;
        let facts = curve_facts(&curve);
        let product = PathProduct { path: Path::still(curve), joints, points_param: "moved" };
        Ok(Outcome { facts, ..Outcome::new(product) })
    }
}
