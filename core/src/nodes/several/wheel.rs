use crate::graph::{Context, Maker, Mend, Outcome, Product};
use crate::motion::{Wheel, bend, touch};
use crate::nodes::paths::placing::level;
use crate::pose::Axis;
use crate::scene::{Fields, fields};
use crate::schema::{AXIS_NAMES, Choice, Group, Param, Port, PortKind, Role, Schema, Unit, Values, choice};
use glam::DVec3;
use serde_json::json;
use std::f64::consts::TAU;
use std::sync::Arc;

/// A wheel that a path touches.
pub struct WheelNode;

/// How far a path may pass from the rim, as a part of the radius, and still touch it.
const SLACK: f64 = 1e-3;

choice! {
    /// How its size is set; by the bend it also stands in the middle of the arc that is nearest to its place.
    pub enum SizedBy {
        Radius = "radius",
        TeethAndPitch = "teeth and pitch",
        ByTheBend = "by the bend",
    }
}

fields! {
    /// What Wheel is told.
    pub struct WheelFields {
        at: DVec3 = Param::vector("middle", Group::Form, (Unit::Metres, [0.0; 3]), "Where its middle stands.")
            .role(Role::Place),
        given: SizedBy = Param::choice(
            "size given as",
            Group::Form,
            SizedBy::WORDS,
            "How its size is set; by the bend it also stands in the middle of the arc that is nearest to its place.",
        ),
        radius: f64 = Param::number(
            "radius",
            Group::Form,
            (Unit::Metres, 1.0, 1e-4, 1e5),
            "From its middle to where the path touches it.",
        )
        .only_when("given", &["radius"])
        .role(Role::Size),
        teeth: i64 = Param::whole("teeth", Group::Form, (24, 1, 100_000), "How many teeth it has.")
            .only_when("given", &["teeth and pitch"]),
        pitch: f64 = Param::number(
            "pitch",
            Group::Form,
            (Unit::Metres, 0.25, 1e-5, 1e5),
            "From one tooth to the next, along the path.",
        )
        .only_when("given", &["teeth and pitch"]),
        alike: i64 = Param::whole(
            "alike after",
            Group::Form,
            (1, 0, 100_000),
            "It looks the same after one of so many equal parts of a turn; 0 at any turn.",
        )
        .only_when("given", &["radius", "by the bend"]),
        axle: Axis = Param::new(
            "axle",
            Group::Look,
            Values::Choice { options: AXIS_NAMES, default: "+y" },
            "Which axis of the thing is its axle.",
        ),
    }
}

impl Maker for WheelNode {
    type Own = WheelFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "wheel",
            title: "Wheel",
            group: "On the way",
            help: "A wheel, pulley or cog at a path: it turns with what travels there, at the right ratio and the right way round.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What travels over it, on a path that touches it.")],
            output: Some(PortKind::Motion),
            params: WheelFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &WheelFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.motion("motion")?;
        let path = inner.path().ok_or("A wheel needs what travels on a path: thread a Ride or a Coast to it.")?;
        let curve = path.at(0.0);
        let place = level(context, own.at);
        let by_teeth = own.given == SizedBy::TeethAndPitch;
        let teeth = own.teeth;
        let bend = (own.given == SizedBy::ByTheBend)
            .then(|| bend(&curve, place).ok_or("No bend of the path is part of a circle: give it a radius instead."));
        let (centre, radius) = match bend.transpose()? {
            Some(bend) => bend,
            None if by_teeth => (place, teeth as f64 * own.pitch / TAU),
            None => (place, own.radius),
        };
        let found = touch(&curve, centre);
        let away = found.point.distance(centre);
        if inner.is_empty() || away < 1e-9 {
            return Err("The path runs through the middle of the wheel: move the wheel.".to_owned());
        }
        let order = if by_teeth { teeth } else { own.alike };
        let axle = own.axle.vector();
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
                let text = format!("pitch {:.4} → {pitch:.4} m", own.pitch);
                Mend::new(WheelFields::pitch(), json!(pitch), text)
            } else {
                Mend::new(WheelFields::radius(), json!(away), format!("radius {radius:.3} → {away:.3} m"))
            });
        }
        Ok(outcome)
    }
}
