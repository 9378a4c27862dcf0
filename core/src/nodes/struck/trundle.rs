use crate::curve::UpRule;
use crate::graph::{Context, Maker, Mend, Outcome, Own, Product};
use crate::physics::{Prism, Roller, Trundle, Trundling};
use crate::pose::Axis;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, Values, choice};
use glam::DVec3;
use serde_json::json;
use std::f64::consts::TAU;
use std::sync::Arc;

/// Things that roll along a path.
pub struct TrundleNode;

choice! {
    /// What it rolls as.
    pub enum Shape {
        Ball = "ball",
        Cylinder = "cylinder",
        Prism = "prism",
        Box = "box",
    }
}

choice! {
    /// Where up along the path comes from.
    pub enum Axes {
        FromTheWorld = "from the world",
        Steady = "steady",
    }
}

fields! {
    /// What Trundle is told.
    pub struct TrundleFields {
        shape: Shape = Param::choice("rolls as", Group::Form, Shape::WORDS, "What it rolls as."),
        radius: f64 = length("radius", 0.5, "Of the ball or cylinder.").only_when("shape", &["ball", "cylinder"]),
        sides: usize = Param::whole("sides", Group::Form, (6, 3, 1000), "How many sides the prism has.")
            .only_when("shape", &["prism"]),
        side: f64 = length("side", 0.5, "How wide each side of the prism is.").only_when("shape", &["prism"]),
        width: f64 = length("width", 1.0, "How wide the box is where it lies first.").only_when("shape", &["box"]),
        height: f64 = length("height", 0.6, "How high the box is then.").only_when("shape", &["box"]),
        weight: f64 = Param::number(
            "weight",
            Group::Form,
            (Unit::None, 0.0, 0.0, 100.0),
            "How much quicker it falls than it comes over an edge; 0 for evenly.",
        )
        .only_when("shape", &["prism", "box"]),
        under: bool = Param::flag("below the path", Group::Form, false, "Whether the path is over it, as a ceiling."),
        axes: Axes = Param::choice("up", Group::Form, Axes::WORDS, "Where up along the path comes from.")
            .only_in(Spaces::Deep),
        closing: bool = Param::flag(
            "whole turns only",
            Group::Form,
            false,
            "Turns it a little more or less, so that it has turned wholly after a lap; it then slides by as much.",
        )
        .only_when("shape", &["ball", "cylinder"]),
        nose: Axis = axis("nose", Axis::PlusX, "The side of the thing that goes ahead when it has not rolled yet."),
        top: Axis = axis("top", Axis::PlusY, "The side of it that is up then."),
    }
}

const fn length(label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(label, Group::Form, (Unit::Metres, default, 1e-4, 1e5), help).role(Role::Size)
}

fn axis(label: &'static str, default: Axis, help: &'static str) -> Param {
    Param::new(label, Group::Look, Values::Choice { options: Axis::WORDS, default: default.word() }, help)
}

impl Maker for TrundleNode {
    type Own = TrundleFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "trundle",
            title: "Trundle",
            group: "On the way",
            help: "Lets what travels on a path roll along it on the ground without sliding: round things, or prisms edge over edge.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What travels on the path that is the ground.")],
            output: Some(PortKind::Motion),
            params: TrundleFields::params(),
            uses_timing: true,
        }
    }

    fn sized_by(&self, own: &Own<'_, TrundleFields>, _: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        matches!(own.shape, Shape::Ball | Shape::Cylinder).then_some((TrundleFields::radius(), 0.5))
    }

    fn evaluate(&self, own: &TrundleFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.motion("motion")?;
        let path = inner.path().ok_or("It needs what travels on a path: thread a Ride or a Coast to it.")?.clone();
        let curve = path.at(0.0);
        let strand = &curve.strands()[0];
        let flat = context.timing.space == Space::Flat;
        let axes = if flat { (Axis::PlusX, Axis::PlusY) } else { (own.nose, own.top) };
        if axes.0.parallel_to(axes.1) {
            return Err("Nose and top lie on one line: choose another axis for one of them.".to_owned());
        }
        let roller = roller(own);
        let rounds = strand.length() / roller.round();
        let mut outcome = Outcome::new(Product::Motion(inner.clone()));
        outcome.facts.push(format!("{rounds:.3} turns a lap"));
        let mut correction = 0.0;
        if let (Roller::Round { .. }, true) = (&roller, own.closing) {
            let whole = rounds.round().max(1.0);
            correction = TAU * (whole - rounds);
            outcome.facts.push(format!("slides by {:.3} % of the way", 100.0 * (whole / rounds - 1.0).abs()));
        }
        if strand.closed() && correction == 0.0 {
            outcome.mends = mends(own, &roller, strand.length());
            if !outcome.mends.is_empty() {
                outcome.facts.push("not whole: it looks otherwise after a lap".to_owned());
            }
        }
        let up = if flat {
            UpRule::Towards(DVec3::Z)
        } else if own.axes == Axes::Steady {
            UpRule::Steady
        } else {
            UpRule::Towards(DVec3::Y)
        };
        let how = Trundling { roller, under: own.under, up, flat, axes, correction };
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

fn roller(own: &TrundleFields) -> Roller {
    let weight = own.weight;
    match own.shape {
        Shape::Prism => {
            let sides = own.sides.max(3);
            Roller::Prism(Prism::regular(sides, own.side, weight))
        }
        Shape::Box => Roller::Prism(Prism::cuboid(own.width, own.height, weight)),
        Shape::Ball | Shape::Cylinder => Roller::Round { radius: own.radius },
    }
}

/// Sizes with which it has turned by whole sides, or wholly, after a lap of so many metres.
fn mends(own: &TrundleFields, roller: &Roller, length: f64) -> Vec<Mend> {
    let (name, now, parts) = match own.shape {
        Shape::Prism => (TrundleFields::side(), own.side, own.sides as f64),
        Shape::Box => return Vec::new(),
        Shape::Ball | Shape::Cylinder => (TrundleFields::radius(), own.radius, 1.0),
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
