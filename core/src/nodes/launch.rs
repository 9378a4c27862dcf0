use crate::graph::{Context, NodeType, Outcome, Product, Timing};
use crate::physics::{Bounds, Launch, LaunchSetup, Side};
use crate::scene::{Params, Space};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit, Values};
use glam::DVec3;
use std::sync::Arc;

/// One thing that is thrown.
pub struct LaunchNode;

const PICTURE: &str = "picture edge";
const BOX: &str = "box";
const SIDES: &[&str] = &[
    Side::Left.name(),
    Side::Right.name(),
    Side::Bottom.name(),
    Side::Top.name(),
    Side::Back.name(),
    Side::Front.name(),
];
const FLOOR: &[&str] = &[Side::Bottom.name()];

impl NodeType for LaunchNode {
    fn schema(&self) -> Schema {
        let number = |unit, default, min, max| Values::Number { unit, default, min, max };
        let vector = |unit, default| Values::Vector { unit, default };
        Schema {
            name: "launch",
            title: "Launch",
            group: "Travel",
            help: "Throws a thing and lets it bounce off chosen sides; pull the tip in the View to aim.",
            inputs: vec![],
            output: Some(PortKind::Motion),
            params: vec![
                Param::new("start", "start", Group::Form, vector(Unit::Metres, [0.0, 1.0, 0.0]), "Where it is let go.")
                    .role(Role::Place),
                Param::new(
                    "velocity",
                    "throw",
                    Group::Form,
                    vector(Unit::Speed, [3.0, 4.0, 0.0]),
                    "How fast it is let go; pull the tip in the View.",
                )
                .role(Role::Aim { from: "start" }),
                Param::new(
                    "size",
                    "thing's radius",
                    Group::Form,
                    number(Unit::Metres, 0.0, 0.0, 1e4),
                    "How far its middle stays from a side.",
                ),
                Param::new(
                    "off",
                    "bounces off",
                    Group::Form,
                    Values::Choice { options: &[PICTURE, BOX], default: BOX },
                    "Whose sides it may bounce off.",
                ),
                Param::new(
                    "middle",
                    "box middle",
                    Group::Form,
                    vector(Unit::Metres, [0.0, 2.5, 0.0]),
                    "The middle of the box.",
                )
                .only_when("off", &[BOX]),
                Param::new(
                    "extent",
                    "box size",
                    Group::Form,
                    vector(Unit::Metres, [10.0, 5.0, 10.0]),
                    "The box from side to side.",
                )
                .only_when("off", &[BOX]),
                Param::new(
                    "sides",
                    "sides",
                    Group::Form,
                    Values::Several { options: SIDES, default: FLOOR },
                    "The sides that stop it; it leaves through the others.",
                ),
                Param::new(
                    "bounciness",
                    "bounciness",
                    Group::Form,
                    number(Unit::None, 0.8, 0.0, 1.0),
                    "Speed after a bounce by speed before it, straight off the side.",
                ),
                Param::new(
                    "friction",
                    "friction",
                    Group::Form,
                    number(Unit::None, 0.0, 0.0, 100.0),
                    "How much a side slows it along the side, in bounces and when it slides.",
                ),
                Param::new(
                    "gravity",
                    "gravity",
                    Group::Form,
                    number(Unit::Acceleration, 9.81, -1e4, 1e4),
                    "Downward pull; 0 for straight flight.",
                ),
                Param::new(
                    "begin",
                    "let go at",
                    Group::Time,
                    number(Unit::Frames, 0.0, -1e6, 1e6),
                    "The frame at which it is let go; it waits before.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let setup = setup(&context.params, &context.timing)?;
        let outside = !setup.bounds.contains(setup.start);
        let launch = Launch::solve(setup, 2.0 * context.timing.frames);
        let mut warnings = Vec::new();
        if outside {
            warnings.push("It starts outside the sides it should bounce off: move the start inside.".to_owned());
        }
        if let Some(frame) = launch.capped() {
            warnings.push(format!(
                "From frame {frame:.1} on it bounces too often to be followed and is held: lower the bounciness."
            ));
        }
        let speed = launch.setup().velocity.length();
        Ok(Outcome {
            warnings,
            facts: vec![format!("let go at {speed:.2} m/s")],
            ..Outcome::new(Product::Motion(Arc::new(launch)))
        })
    }
}

fn setup(params: &Params<'_>, timing: &Timing) -> Result<LaunchSetup, String> {
    let flat = timing.space == Space::Flat;
    let level = |v: DVec3| if flat { v.with_z(0.0) } else { v };
    let size = params.number("size");
    let (middle, half) = if params.text("off") == PICTURE {
        (DVec3::ZERO, DVec3::new(timing.picture.width / 2.0, timing.picture.height / 2.0, f64::INFINITY))
    } else {
        let half = params.vector("extent") * 0.5;
        (level(params.vector("middle")), if flat { half.with_z(f64::INFINITY) } else { half })
    };
    let half = half - DVec3::splat(size);
    if half.min_element() <= 0.0 {
        return Err("The thing does not fit between the sides: make it smaller or the box larger.".to_owned());
    }
    let chosen = params.several("sides");
    Ok(LaunchSetup {
        start: level(params.vector("start")),
        velocity: level(params.vector("velocity")),
        gravity: params.number("gravity"),
        bounds: Bounds { min: middle - half, max: middle + half },
        sides: Side::ALL.into_iter().filter(|side| chosen.iter().any(|name| name == side.name())).collect(),
        bounciness: params.number("bounciness"),
        friction: params.number("friction"),
        start_frame: params.number("begin"),
        fps: timing.fps,
    })
}
