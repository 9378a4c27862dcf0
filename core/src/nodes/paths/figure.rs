use super::placing::{self, is_flat, lay};
use crate::curve::{Curve, Figure};
use crate::graph::{Context, NodeType, Outcome};
use crate::scene::Params;
use crate::schema::{Group, Param, PortKind, Role, Schema, Spaces, Unit};
use crate::words::sentence;

/// A figure with few numbers.
pub struct FigureNode;

const FIGURES: &[&str] =
    &["circle", "line", "arc", "ellipse", "polygon", "star", "helix", "spiral", "figure eight", "belt"];

impl NodeType for FigureNode {
    fn schema(&self) -> Schema {
        let length = |name, label, default, help| {
            Param::number(name, label, Group::Form, (Unit::Metres, default, 0.0, 1e5), help)
        };
        let angle = |name, label, default, help| {
            Param::number(name, label, Group::Form, (Unit::Degrees, default, -36_000.0, 36_000.0), help)
        };
        let mut params = vec![
            Param::choice("figure", "figure", Group::Form, FIGURES, "What it is."),
            length("length", "length", 4.0, "From end to end.").only_when("figure", &["line"]).role(Role::Size),
            length("radius", "radius", 2.0, "From the middle to the line, or to its corners.")
                .only_when("figure", &["circle", "arc", "polygon", "star", "helix", "spiral", "belt"])
                .role(Role::Size),
            length("second-radius", "second radius", 2.0, "Of the wheel on the right.")
                .only_when("figure", &["belt"])
                .role(Role::Size),
            length("apart", "wheels apart", 8.0, "From the middle of one wheel to that of the other.")
                .only_when("figure", &["belt"])
                .role(Role::Size),
            length("end-radius", "radius at end", 2.0, "What the radius has become where the line ends.")
                .only_when("figure", &["helix", "spiral"])
                .role(Role::Size),
            length("inner", "inner radius", 1.0, "From the middle to the corners that lie between the points.")
                .only_when("figure", &["star"])
                .role(Role::Size),
            length("width", "width", 4.0, "From its left to its right.")
                .only_when("figure", &["ellipse", "figure eight"])
                .role(Role::Size),
            length("height", "height", 2.0, "From its lower to its upper side.")
                .only_when("figure", &["ellipse", "figure eight"])
                .role(Role::Size),
            angle("begin", "begins at", 0.0, "Where the arc begins, counterclockwise from the right.")
                .only_when("figure", &["arc"]),
            angle("sweep", "covers", 90.0, "How far the arc goes; negative goes clockwise.")
                .only_when("figure", &["arc"]),
            Param::whole("corners", "corners", Group::Form, (5, 2, 1000), "How many corners, or points of the star.")
                .only_when("figure", &["polygon", "star"]),
            length("rounding", "rounding", 0.0, "Radius of the arcs in place of corners; less where sides are short.")
                .only_when("figure", &["polygon", "star"])
                .role(Role::Size),
            Param::number(
                "turns",
                "turns",
                Group::Form,
                (Unit::None, 3.0, -1000.0, 1000.0),
                "How often it goes round; negative goes clockwise.",
            )
            .only_when("figure", &["helix", "spiral"]),
            Param::number(
                "rise",
                "rise",
                Group::Form,
                (Unit::Metres, 3.0, -1e5, 1e5),
                "How far its end lies above its start.",
            )
            .only_when("figure", &["helix"])
            .only_in(Spaces::Deep)
            .role(Role::Size),
            Param::whole("lobes", "lobes", Group::Form, (2, 1, 64), "How many loops lie side by side.")
                .only_when("figure", &["figure eight"]),
        ];
        params.extend(placing::params("ground"));
        Schema {
            name: "figure",
            title: "Figure",
            group: "Paths",
            help: "A line, arc, circle, ellipse, polygon, star, helix, spiral, figure eight, or a belt round two wheels.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params,
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let number = |name: &str| params.number(name);
        let corners = params.whole("corners").unsigned_abs() as usize;
        let kind = params.text("figure");
        let figure = match kind.as_str() {
            "line" => Figure::Line { length: number("length") },
            "arc" => Figure::Arc {
                radius: number("radius"),
                start: number("begin").to_radians(),
                sweep: number("sweep").to_radians(),
            },
            "ellipse" => Figure::Ellipse { x: 0.5 * number("width"), y: 0.5 * number("height") },
            "polygon" => Figure::Polygon { sides: corners, radius: number("radius"), rounding: number("rounding") },
            "star" => Figure::Star {
                points: corners,
                outer: number("radius"),
                inner: number("inner"),
                rounding: number("rounding"),
            },
            "helix" | "spiral" => Figure::Helix {
                from: number("radius"),
                to: number("end-radius"),
                turns: number("turns"),
                height: if kind == "helix" && !is_flat(context) { number("rise") } else { 0.0 },
            },
            "belt" => {
                let (first, second, apart) = (number("radius"), number("second-radius"), number("apart"));
                if apart <= (first - second).abs() {
                    return Err("One wheel lies within the other: put them further apart.".to_owned());
                }
                Figure::Belt { first, second, apart }
            }
            "figure eight" => Figure::Eight {
                width: number("width"),
                height: number("height"),
                lobes: params.whole("lobes").unsigned_abs() as usize,
            },
            _ => Figure::Circle { radius: number("radius") },
        };
        let strand = figure
            .strand()
            .map_err(|_| sentence(&format!("the {kind} has no length: make its numbers larger than 0")))?;
        Ok(Outcome::of_curve(lay(context, &Curve::from(strand))?))
    }

    fn fitted_by(&self, params: &Params<'_>) -> Option<&'static str> {
        match params.text("figure").as_str() {
            "belt" => Some("apart"),
            "circle" | "arc" | "polygon" | "star" => Some("radius"),
            "line" => Some("length"),
            "ellipse" | "figure eight" => Some("width"),
            _ => None,
        }
    }
}
