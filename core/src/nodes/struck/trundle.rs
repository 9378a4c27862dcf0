use crate::curve::UpRule;
use crate::graph::{Context, Mend, NodeType, Outcome, Product};
use crate::nodes::axis_of;
use crate::physics::{Prism, Roller, Trundle, Trundling};
use crate::pose::Axis;
use crate::scene::{Params, Space};
use crate::schema::{AXIS_NAMES, Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, Values};
use glam::DVec3;
use serde_json::json;
use std::f64::consts::TAU;
use std::sync::Arc;

/// Things that roll along a path.
pub struct TrundleNode;

const SHAPES: &[&str] = &["ball", "cylinder", "prism", "box"];

impl NodeType for TrundleNode {
    fn schema(&self) -> Schema {
        let length = |name, label, default, help| {
            Param::number(name, label, Group::Form, (Unit::Metres, default, 1e-4, 1e5), help).role(Role::Size)
        };
        let axis = |name, label, default, help| {
            Param::new(name, label, Group::Look, Values::Choice { options: AXIS_NAMES, default }, help)
        };
        Schema {
            name: "trundle",
            title: "Trundle",
            group: "On the way",
            help: "Lets what travels on a path roll along it on the ground without sliding: round things, or prisms edge over edge.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What travels on the path that is the ground.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::choice("shape", "rolls as", Group::Form, SHAPES, "What it rolls as."),
                length("radius", "radius", 0.5, "Of the ball or cylinder.").only_when("shape", &["ball", "cylinder"]),
                Param::whole("sides", "sides", Group::Form, (6, 3, 1000), "How many sides the prism has.")
                    .only_when("shape", &["prism"]),
                length("side", "side", 0.5, "How wide each side of the prism is.").only_when("shape", &["prism"]),
                length("width", "width", 1.0, "How wide the box is where it lies first.").only_when("shape", &["box"]),
                length("height", "height", 0.6, "How high the box is then.").only_when("shape", &["box"]),
                Param::number(
                    "weight",
                    "weight",
                    Group::Form,
                    (Unit::None, 0.0, 0.0, 100.0),
                    "How much quicker it falls than it comes over an edge; 0 for evenly.",
                )
                .only_when("shape", &["prism", "box"]),
                Param::flag("under", "below the path", Group::Form, false, "Whether the path is over it, as a ceiling."),
                Param::choice("axes", "up", Group::Form, &["from the world", "steady"], "Where up along the path comes from.")
                    .only_in(Spaces::Deep),
                Param::flag(
                    "closing",
                    "whole turns only",
                    Group::Form,
                    false,
                    "Turns it a little more or less, so that it has turned wholly after a lap; it then slides by as much.",
                )
                .only_when("shape", &["ball", "cylinder"]),
                axis("nose", "nose", "+x", "The side of the thing that goes ahead when it has not rolled yet."),
                axis("top", "top", "+y", "The side of it that is up then."),
            ],
            uses_timing: true,
        }
    }

    fn sized_by(&self, params: &Params<'_>, _: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        ["ball", "cylinder"].contains(&params.text("shape").as_str()).then_some(("radius", 0.5))
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.motion("motion")?);
        let path = inner.path().ok_or("It needs what travels on a path: thread a Ride or a Coast to it.")?.clone();
        let curve = path.at(0.0);
        let strand = &curve.strands()[0];
        let flat = context.timing.space == Space::Flat;
        let axes = if flat {
            (Axis::PlusX, Axis::PlusY)
        } else {
            (axis_of(params, "nose", Axis::PlusX), axis_of(params, "top", Axis::PlusY))
        };
        if axes.0.parallel_to(axes.1) {
            return Err("Nose and top lie on one line: choose another axis for one of them.".to_owned());
        }
        let roller = roller(params);
        let rounds = strand.length() / roller.round();
        let mut outcome = Outcome::new(Product::Motion(inner.clone()));
        outcome.facts.push(format!("{rounds:.3} turns a lap"));
        let mut correction = 0.0;
        if let (Roller::Round { .. }, true) = (&roller, params.flag("closing")) {
            let whole = rounds.round().max(1.0);
            correction = TAU * (whole - rounds);
            outcome.facts.push(format!("slides by {:.3} % of the way", 100.0 * (whole / rounds - 1.0).abs()));
        }
        if strand.closed() && correction == 0.0 {
            outcome.mends = mends(params, &roller, strand.length());
            if !outcome.mends.is_empty() {
                outcome.facts.push("not whole: it looks otherwise after a lap".to_owned());
            }
        }
        let up = if flat {
            UpRule::Towards(DVec3::Z)
        } else if params.text("axes") == "steady" {
            UpRule::Steady
        } else {
            UpRule::Towards(DVec3::Y)
        };
        let how = Trundling { roller, under: params.flag("under"), up, flat, axes, correction };
        let trundle = Trundle::new(inner, &path, how, context.timing.fps);
        if let Some((object, frame)) = trundle.rests_on_edge(context.timing.frames) {
            let name = object + 1;
            outcome.warnings.push(format!(
                "Thing {name} stands still on an edge at frame {frame:.0}: let it stop after whole sides, or change its size or its start."
            ));
        }
        outcome.product = Product::Motion(Arc::new(trundle));
        if path.unmoving().is_none() {
            outcome.warnings.push("The path moves: it rolls on it as it is at frame 0.".to_owned());
        }
        Ok(outcome)
    }
}

fn roller(params: &Params<'_>) -> Roller {
    let weight = params.number("weight");
    match params.text("shape").as_str() {
        "prism" => {
            let sides = usize::try_from(params.whole("sides")).unwrap_or(3).max(3);
            Roller::Prism(Prism::regular(sides, params.number("side"), weight))
        }
        "box" => Roller::Prism(Prism::cuboid(params.number("width"), params.number("height"), weight)),
        _ => Roller::Round { radius: params.number("radius") },
    }
}

/// Sizes with which it has turned by whole sides, or wholly, after a lap of so many metres.
fn mends(params: &Params<'_>, roller: &Roller, length: f64) -> Vec<Mend> {
    let (name, now, parts) = match (params.text("shape").as_str(), roller) {
        ("prism", _) => ("side", params.number("side"), params.whole("sides") as f64),
        ("box", _) => return Vec::new(),
        _ => ("radius", params.number("radius"), 1.0),
    };
    // Sides that it comes over in a lap, or whole turns.
    let count = length / roller.round() * parts;
    if (count - count.round()).abs() < 1e-9 {
        return Vec::new();
    }
    let mend = |whole: f64| {
        let to = now * count / whole;
        let what = if parts == 1.0 { "turns" } else { "sides" };
        Mend::new(name, json!(to), format!("{name} {now:.4} → {to:.4} m ({whole} {what} a lap)"))
    };
    [count.floor(), count.ceil()].into_iter().filter(|whole| *whole >= 1.0).map(mend).collect()
}
