use super::placing::{Lying, is_flat};
use crate::curve::{Curve, Figure, Plane};
use crate::graph::{Context, Maker, Outcome, Own};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, PortKind, Role, Schema, Spaces, Unit, choice};
use crate::words::sentence;

/// A figure with few numbers.
pub struct FigureNode;

choice! {
    /// What it is.
    pub enum Form {
        Circle = "circle",
        Line = "line",
        Arc = "arc",
        Ellipse = "ellipse",
        Polygon = "polygon",
        Star = "star",
        Helix = "helix",
        Spiral = "spiral",
        FigureEight = "figure eight",
        Belt = "belt",
    }
}

fields! {
    /// What Figure is told.
    pub struct FigureFields {
        figure: Form = Param::choice("figure", Group::Form, Form::WORDS, "What it is."),
        length: f64 = length("length", 4.0, "From end to end.").only_when("figure", &["line"]).role(Role::Size),
        radius: f64 = length("radius", 2.0, "From the middle to the line, or to its corners.")
            .only_when("figure", &["circle", "arc", "polygon", "star", "helix", "spiral", "belt"])
            .role(Role::Size),
        second_radius: f64 = length("second radius", 2.0, "Of the wheel on the right.")
            .only_when("figure", &["belt"])
            .role(Role::Size),
        apart: f64 = length("wheels apart", 8.0, "From the middle of one wheel to that of the other.")
            .only_when("figure", &["belt"])
            .role(Role::Size),
        end_radius: f64 = length("radius at end", 2.0, "What the radius has become where the line ends.")
            .only_when("figure", &["helix", "spiral"])
            .role(Role::Size),
        inner: f64 = length("inner radius", 1.0, "From the middle to the corners that lie between the points.")
            .only_when("figure", &["star"])
            .role(Role::Size),
        width: f64 = length("width", 4.0, "From its left to its right.")
            .only_when("figure", &["ellipse", "figure eight"])
            .role(Role::Size),
        height: f64 = length("height", 2.0, "From its lower to its upper side.")
            .only_when("figure", &["ellipse", "figure eight"])
            .role(Role::Size),
        begin: f64 = angle("begins at", 0.0, "Where the arc begins, counterclockwise from the right.")
            .only_when("figure", &["arc"]),
        sweep: f64 = angle("covers", 90.0, "How far the arc goes; negative goes clockwise.")
            .only_when("figure", &["arc"]),
        corners: usize = Param::whole("corners", Group::Form, (5, 2, 1000), "How many corners, or points of the star.")
            .only_when("figure", &["polygon", "star"]),
        rounding: f64 = length("rounding", 0.0, "Radius of the arcs in place of corners; less where sides are short.")
            .only_when("figure", &["polygon", "star"])
            .role(Role::Size),
        turns: f64 = Param::number(
            "turns",
            Group::Form,
            (Unit::None, 3.0, -1000.0, 1000.0),
            "How often it goes round; negative goes clockwise.",
        )
        .only_when("figure", &["helix", "spiral"]),
        rise: f64 = Param::number(
            "rise",
            Group::Form,
            (Unit::Metres, 3.0, -1e5, 1e5),
            "How far its end lies above its start.",
        )
        .only_when("figure", &["helix"])
        .only_in(Spaces::Deep)
        .role(Role::Size),
        lobes: usize = Param::whole("lobes", Group::Form, (2, 1, 64), "How many loops lie side by side.")
            .only_when("figure", &["figure eight"]),
        lying: Lying => Lying::on(Plane::Ground),
    }
}

const fn length(label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(label, Group::Form, (Unit::Metres, default, 0.0, 1e5), help)
}

const fn angle(label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(label, Group::Form, (Unit::Degrees, default, -36_000.0, 36_000.0), help)
}

impl Maker for FigureNode {
    type Own = FigureFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "figure",
            title: "Figure",
            group: "Paths",
            help: "A line, arc, circle, ellipse, polygon, star, helix, spiral, figure eight, or a belt round two wheels.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: FigureFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &FigureFields, context: &Context<'_>) -> Result<Outcome, String> {
        let corners = own.corners;
        let kind = own.figure;
        let figure = match kind {
            Form::Line => Figure::Line { length: own.length },
            Form::Arc => {
                Figure::Arc { radius: own.radius, start: own.begin.to_radians(), sweep: own.sweep.to_radians() }
            }
            Form::Ellipse => Figure::Ellipse { x: 0.5 * own.width, y: 0.5 * own.height },
            Form::Polygon => Figure::Polygon { sides: corners, radius: own.radius, rounding: own.rounding },
            Form::Star => Figure::Star { points: corners, outer: own.radius, inner: own.inner, rounding: own.rounding },
            Form::Helix | Form::Spiral => Figure::Helix {
                from: own.radius,
                to: own.end_radius,
                turns: own.turns,
                height: if kind == Form::Helix && !is_flat(context) { own.rise } else { 0.0 },
            },
            Form::Belt => {
                let (first, second, apart) = (own.radius, own.second_radius, own.apart);
                if apart <= (first - second).abs() {
                    return Err("One wheel lies within the other: put them further apart.".to_owned());
                }
                Figure::Belt { first, second, apart }
            }
            Form::FigureEight => Figure::Eight { width: own.width, height: own.height, lobes: own.lobes },
            Form::Circle => Figure::Circle { radius: own.radius },
        };
        let strand = figure
            .strand()
            .map_err(|_| sentence(&format!("the {} has no length: make its numbers larger than 0", kind.word())))?;
        Ok(Outcome::of_curve(own.lying.lay(context, &Curve::from(strand))?))
    }

    fn fitted_by(&self, own: &Own<'_, FigureFields>) -> Option<&'static str> {
        match own.figure {
            Form::Belt => Some(FigureFields::apart()),
            Form::Circle | Form::Arc | Form::Polygon | Form::Star => Some(FigureFields::radius()),
            Form::Line => Some(FigureFields::length()),
            Form::Ellipse | Form::FigureEight => Some(FigureFields::width()),
            Form::Helix | Form::Spiral => None,
        }
    }
}
