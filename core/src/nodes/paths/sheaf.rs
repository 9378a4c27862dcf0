use super::placing::{is_flat, level};
use crate::curve::{Spray, placed, sheaf, together};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, choice};
use crate::words::sentence;
use glam::DVec3;

/// Copies of a path.
pub struct Sheaf;

choice! {
    /// How the copies are put.
    pub enum Arranged {
        Regular = "regular",
        AtRandom = "at random",
    }
}

choice! {
    /// The axis about which each copy is turned further.
    pub enum About {
        Y = "y",
        X = "x",
        Z = "z",
    }
}

fields! {
    /// What Sheaf is told.
    pub struct SheafFields {
        copies: usize = Param::whole(
            "copies",
            Group::Form,
            (6, 1, 10_000),
            "How many there are; more of them leave the others as they are when they are random.",
        ),
        arranged: Arranged = Param::choice(
            "arranged",
            Group::Form,
            Arranged::WORDS,
            "How the copies are put.",
        ),
        about: DVec3 = Param::vector(
            "about",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "The place about which copies are turned and enlarged.",
        )
        .role(Role::Place),
        axis: About = Param::choice(
            "turned about",
            Group::Form,
            About::WORDS,
            "The axis about which each copy is turned further.",
        )
        .only_when("arranged", REGULAR)
        .only_in(Spaces::Deep),
        angle: f64 = Param::number(
            "turn each",
            Group::Form,
            (Unit::Degrees, 30.0, -36_000.0, 36_000.0),
            "How much further each copy is turned than the one before.",
        )
        .only_when("arranged", REGULAR),
        step: DVec3 = Param::vector(
            "step each",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "How far each copy is moved from the one before.",
        )
        .only_when("arranged", REGULAR),
        grow: f64 = Param::number(
            "grow each",
            Group::Form,
            (Unit::None, 1.0, 0.01, 100.0),
            "How many times as large each copy is as the one before.",
        )
        .only_when("arranged", REGULAR),
        scatter: DVec3 = Param::vector(
            "place",
            Group::Spread,
            (Unit::Metres, [0.0; 3]),
            "How far copies may lie off, to either side along each axis.",
        )
        .only_when("arranged", RANDOM),
        tilt: f64 = Param::number(
            "tilt",
            Group::Spread,
            (Unit::Degrees, 30.0, 0.0, 180.0),
            "How far copies may be tilted, any way; 180 is all orientations alike.",
        )
        .only_when("arranged", RANDOM)
        .only_in(Spaces::Deep),
        spin: f64 = Param::number(
            "turn",
            Group::Spread,
            (Unit::Degrees, 180.0, 0.0, 180.0),
            "How far copies may be turned about the upright axis, to either side.",
        )
        .only_when("arranged", RANDOM),
        vary: f64 = Param::number(
            "size",
            Group::Spread,
            (Unit::None, 0.0, 0.0, 0.9),
            "By which part copies may be smaller or larger.",
        )
        .only_when("arranged", RANDOM),
        seed: u64 = Param::whole(
            "seed",
            Group::Spread,
            (1, 0, 1_000_000_000),
            "Another number gives another choice.",
        )
        .only_when("arranged", RANDOM),
    }
}

const RANDOM: &[&str] = &["at random"];
const REGULAR: &[&str] = &["regular"];

impl Maker for Sheaf {
    type Own = SheafFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "sheaf",
            title: "Sheaf",
            group: "Paths",
            help: "Copies of a path, regular or random in place and orientation; each copy is a strand of its own.",
            inputs: vec![Port::new("path", PortKind::Path, "What is copied.")],
            output: Some(PortKind::Path),
            params: SheafFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &SheafFields, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("path")?;
        let copies = own.copies;
        let strands = copies * curve.strands().len();
        if strands > MOST_STRANDS {
            return Err(format!("{strands} strands are too many: use at most {MOST_STRANDS} in all."));
        }
        let flat = is_flat(context);
        let spray = if own.arranged == Arranged::AtRandom {
            Spray::Random {
                scatter: level(context, own.scatter),
                tilt: if flat { 0.0 } else { own.tilt.to_radians() },
                spin: own.spin.to_radians(),
                vary: own.vary,
                seed: own.seed,
            }
        } else {
            Spray::Regular { step: level(context, own.step), angle: own.angle.to_radians(), grow: own.grow }
        };
        let axis = match (flat, own.axis) {
            (true, _) | (_, About::Z) => glam::DVec3::Z,
            (_, About::X) => glam::DVec3::X,
            (_, About::Y) => glam::DVec3::Y,
        };
        let about = level(context, own.about);
        let placements = sheaf(copies, about, axis, &spray);
        let made = placements.iter().map(|placement| placed(&curve, placement));
        let made = made.collect::<Result<Vec<_>, _>>().and_then(together);
        Ok(Outcome::of_curve(made.map_err(|error| sentence(&error.to_string()))?))
    }
}

/// Most strands of a sheaf.
const MOST_STRANDS: usize = 20_000;
