use crate::graph::{Context, Mend, NodeType, Outcome, Product};
use crate::motion::{Wheel, bend, touch};
use crate::nodes::axis_of;
use crate::nodes::paths::placing::level;
use crate::pose::Axis;
use crate::schema::{AXIS_NAMES, Group, Param, Port, PortKind, Role, Schema, Unit, Values};
use serde_json::json;
use std::f64::consts::TAU;
use std::sync::Arc;

/// A wheel that a path touches.
pub struct WheelNode;

const SIZES: &[&str] = &["radius", "teeth and pitch", BEND];
const BEND: &str = "by the bend";
/// How far a path may pass from the rim, as a part of the radius, and still touch it.
const SLACK: f64 = 1e-3;

impl NodeType for WheelNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "wheel",
            title: "Wheel",
            group: "On the way",
            help: "A wheel, pulley or cog at a path: it turns with what travels there, at the right ratio and the right way round.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What travels over it, on a path that touches it.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::vector("at", "middle", Group::Form, (Unit::Metres, [0.0; 3]), "Where its middle stands.")
                    .role(Role::Place),
                Param::choice(
                    "given",
                    "size given as",
                    Group::Form,
                    SIZES,
                    "How its size is set; by the bend it also stands in the middle of the arc that is nearest to its place.",
                ),
                Param::number(
                    "radius",
                    "radius",
                    Group::Form,
                    (Unit::Metres, 1.0, 1e-4, 1e5),
                    "From its middle to where the path touches it.",
                )
                .only_when("given", &["radius"])
                .role(Role::Size),
                Param::whole("teeth", "teeth", Group::Form, (24, 1, 100_000), "How many teeth it has.")
                    .only_when("given", &["teeth and pitch"]),
                Param::number(
                    "pitch",
                    "pitch",
                    Group::Form,
                    (Unit::Metres, 0.25, 1e-5, 1e5),
                    "From one tooth to the next, along the path.",
                )
                .only_when("given", &["teeth and pitch"]),
                Param::whole(
                    "alike",
                    "alike after",
                    Group::Form,
                    (1, 0, 100_000),
                    "It looks the same after one of so many equal parts of a turn; 0 at any turn.",
                )
                .only_when("given", &["radius", BEND]),
                Param::new(
                    "axle",
                    "axle",
                    Group::Look,
                    Values::Choice { options: AXIS_NAMES, default: "+y" },
                    "Which axis of the thing is its axle.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.motion("motion")?);
        let path = inner.path().ok_or("A wheel needs what travels on a path: thread a Ride or a Coast to it.")?;
        let curve = path.at(0.0);
        let (place, given) = (level(context, params.vector("at")), params.text("given"));
        let by_teeth = given == SIZES[1];
        let teeth = params.whole("teeth");
        let bend = (given == BEND)
            .then(|| bend(&curve, place).ok_or("No bend of the path is part of a circle: give it a radius instead."));
        let (centre, radius) = match bend.transpose()? {
            Some(bend) => bend,
            None if by_teeth => (place, teeth as f64 * params.number("pitch") / TAU),
            None => (place, params.number("radius")),
        };
        let found = touch(&curve, centre);
        let away = found.point.distance(centre);
        if inner.is_empty() || away < 1e-9 {
            return Err("The path runs through the middle of the wheel: move the wheel.".to_owned());
        }
        let order = if by_teeth { teeth } else { params.whole("alike") };
        let axle = axis_of(params, "axle", Axis::PlusY).vector();
        let length = curve.strands()[found.strand].length();
        let order = u32::try_from(order).unwrap_or(1);
        let wheel = Wheel::new(inner.clone(), (centre, radius), &found, length, (axle, order));
        let mut outcome = Outcome::new(Product::Motion(Arc::new(wheel)));
        outcome.facts = vec![format!("{:.3} turns a lap", length / (TAU * radius)), format!("radius {radius:.3} m")];
        if (away - radius).abs() > SLACK * radius {
            let side = if away > radius { "outside" } else { "inside" };
            outcome.warnings.push(format!(
                "The path does not touch it: it passes {:.3} m {side} its rim. Move it, or change its size.",
                (away - radius).abs()
            ));
            outcome.mends.push(if by_teeth {
                let pitch = TAU * away / teeth as f64;
                let text = format!("pitch {:.4} → {pitch:.4} m", params.number("pitch"));
                Mend::new("pitch", json!(pitch), text)
            } else {
                Mend::new("radius", json!(away), format!("radius {radius:.3} → {away:.3} m"))
            });
        }
        Ok(outcome)
    }
}
