use super::placing::{is_flat, level};
use crate::curve::{Spray, placed, sheaf, together};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Spaces, Unit};
use crate::words::sentence;

/// Copies of a path.
pub struct Sheaf;

impl NodeType for Sheaf {
    fn schema(&self) -> Schema {
        let random: &[&str] = &["at random"];
        let regular: &[&str] = &["regular"];
        Schema {
            name: "sheaf",
            title: "Sheaf",
            group: "Paths",
            help: "Copies of a path, regular or random in place and orientation; each copy is a strand of its own.",
            inputs: vec![Port::new("path", PortKind::Path, "What is copied.")],
            output: Some(PortKind::Path),
            params: vec![
                Param::whole(
                    "copies",
                    "copies",
                    Group::Form,
                    (6, 1, 10_000),
                    "How many there are; more of them leave the others as they are when they are random.",
                ),
                Param::choice(
                    "arranged",
                    "arranged",
                    Group::Form,
                    &["regular", "at random"],
                    "How the copies are put.",
                ),
                Param::vector(
                    "about",
                    "about",
                    Group::Form,
                    (Unit::Metres, [0.0; 3]),
                    "The place about which copies are turned and enlarged.",
                )
                .role(Role::Place),
                Param::choice(
                    "axis",
                    "turned about",
                    Group::Form,
                    &["y", "x", "z"],
                    "The axis about which each copy is turned further.",
                )
                .only_when("arranged", regular)
                .only_in(Spaces::Deep),
                Param::number(
                    "angle",
                    "turn each",
                    Group::Form,
                    (Unit::Degrees, 30.0, -36_000.0, 36_000.0),
                    "How much further each copy is turned than the one before.",
                )
                .only_when("arranged", regular),
                Param::vector(
                    "step",
                    "step each",
                    Group::Form,
                    (Unit::Metres, [0.0; 3]),
                    "How far each copy is moved from the one before.",
                )
                .only_when("arranged", regular),
                Param::number(
                    "grow",
                    "grow each",
                    Group::Form,
                    (Unit::None, 1.0, 0.01, 100.0),
                    "How many times as large each copy is as the one before.",
                )
                .only_when("arranged", regular),
                Param::vector(
                    "scatter",
                    "place",
                    Group::Spread,
                    (Unit::Metres, [0.0; 3]),
                    "How far copies may lie off, to either side along each axis.",
                )
                .only_when("arranged", random),
                Param::number(
                    "tilt",
                    "tilt",
                    Group::Spread,
                    (Unit::Degrees, 30.0, 0.0, 180.0),
                    "How far copies may be tilted, any way; 180 is all orientations alike.",
                )
                .only_when("arranged", random)
                .only_in(Spaces::Deep),
                Param::number(
                    "spin",
                    "turn",
                    Group::Spread,
                    (Unit::Degrees, 180.0, 0.0, 180.0),
                    "How far copies may be turned about the upright axis, to either side.",
                )
                .only_when("arranged", random),
                Param::number(
                    "vary",
                    "size",
                    Group::Spread,
                    (Unit::None, 0.0, 0.0, 0.9),
                    "By which part copies may be smaller or larger.",
                )
                .only_when("arranged", random),
                Param::whole(
                    "seed",
                    "seed",
                    Group::Spread,
                    (1, 0, 1_000_000_000),
                    "Another number gives another choice.",
                )
                .only_when("arranged", random),
            ],
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, curve) = (&context.params, context.curve("path")?);
        let copies = params.whole("copies").unsigned_abs() as usize;
        let strands = copies * curve.strands().len();
        if strands > MOST_STRANDS {
            return Err(format!("{strands} strands are too many: use at most {MOST_STRANDS} in all."));
        }
        let flat = is_flat(context);
        let degrees = |name: &str| params.number(name).to_radians();
        let spray = if params.text("arranged") == "at random" {
            Spray::Random {
                scatter: level(context, params.vector("scatter")),
                tilt: if flat { 0.0 } else { degrees("tilt") },
                spin: degrees("spin"),
                vary: params.number("vary"),
                seed: params.whole("seed").unsigned_abs(),
            }
        } else {
            Spray::Regular {
                step: level(context, params.vector("step")),
                angle: degrees("angle"),
                grow: params.number("grow"),
            }
        };
        let axis = match (flat, params.text("axis").as_str()) {
            (true, _) | (_, "z") => glam::DVec3::Z,
            (_, "x") => glam::DVec3::X,
            _ => glam::DVec3::Y,
        };
        let about = level(context, params.vector("about"));
        let placements = sheaf(copies, about, axis, &spray);
        let made = placements.iter().map(|placement| placed(&curve, placement));
        let made = made.collect::<Result<Vec<_>, _>>().and_then(together);
        Ok(Outcome::of_curve(made.map_err(|error| sentence(&error.to_string()))?))
    }
}

/// Most strands of a sheaf.
const MOST_STRANDS: usize = 20_000;
