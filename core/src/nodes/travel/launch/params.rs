//! What can be said of a throw.

use crate::physics::Side;
use crate::schema::{Group, Param, Role, Spaces, Unit, Values};

pub(super) const PICTURE: &str = "picture edge";
pub(super) const BOX: &str = "box";
pub(super) const SIDES: &[&str] = &[
    Side::Left.name(),
    Side::Right.name(),
    Side::Bottom.name(),
    Side::Top.name(),
    Side::Back.name(),
    Side::Front.name(),
];
const FLOOR: &[&str] = &[Side::Bottom.name()];
pub(super) const BY_THROW: &str = "its throw";
pub(super) const BY_TIME: &str = "landing and time";
pub(super) const BY_HEIGHT: &str = "landing and height";
pub(super) const BY_SLOPE: &str = "landing and slope";
pub(super) const BY_SPEED: &str = "landing and speed";
const AIMS: &[&str] = &[BY_THROW, BY_TIME, BY_HEIGHT, BY_SLOPE, BY_SPEED];
const LANDS: &[&str] = &[BY_TIME, BY_HEIGHT, BY_SLOPE, BY_SPEED];
pub(super) const STAYS: &str = "stays there";
pub(super) const COMES_BACK: &str = "comes back";
pub(super) const STANDS: &[&str] = &["the world's", "off the field"];
pub(super) const TURNS: &[&str] = &["no", "by speed", "by turns"];

const fn number(
    name: &'static str,
    label: &'static str,
    group: Group,
    range: (Unit, f64, f64, f64),
    help: &'static str,
) -> Param {
    Param::number(name, label, group, range, help)
}

pub(super) fn params() -> Vec<Param> {
    let mut params = aim();
    params.extend(hindrances());
    params.extend(air());
    params.extend(turning());
    params.extend(many());
    params
}

fn aim() -> Vec<Param> {
    vec![
        Param::vector("start", "start", Group::Form, (Unit::Metres, [0.0, 1.0, 0.0]), "Where it is let go.")
            .role(Role::Place)
            .per_thing(),
        Param::choice("aim", "aimed by", Group::Form, AIMS, "What of the throw is chosen; the rest is worked out."),
        Param::vector(
            "velocity",
            "throw",
            Group::Form,
            (Unit::Speed, [3.0, 4.0, 0.0]),
            "How fast it is let go; pull the tip in the View, with Shift in steps of 15°.",
        )
        .only_when("aim", &[BY_THROW])
        .role(Role::Aim { from: "start" })
        .per_thing(),
        Param::vector("land", "landing", Group::Form, (Unit::Metres, [3.0, 0.0, 0.0]), "Where it is to land.")
            .only_when("aim", LANDS)
            .role(Role::Place)
            .per_thing(),
        number("time", "in flight", Group::Time, (Unit::Frames, 24.0, 0.01, 1e6), "Frames on the way.")
            .only_when("aim", &[BY_TIME]),
        number(
            "height",
            "rises by",
            Group::Form,
            (Unit::Metres, 2.0, 1e-4, 1e5),
            "How high its highest place is above its start.",
        )
        .only_when("aim", &[BY_HEIGHT]),
        number(
            "slope",
            "leaves at",
            Group::Form,
            (Unit::Degrees, 45.0, -90.0, 90.0),
            "How steeply it leaves: 90° is straight up, 0° is level.",
        )
        .only_when("aim", &[BY_SLOPE]),
        number("speed", "let go at", Group::Form, (Unit::Speed, 8.0, 1e-4, 1e5), "How fast it is let go.")
            .only_when("aim", &[BY_SPEED]),
        Param::choice(
            "which",
            "of two flights",
            Group::Form,
            &["the longer", "the shorter"],
            "Which flight it is where two land there.",
        )
        .only_when("aim", &[BY_HEIGHT, BY_SPEED, BY_SLOPE]),
        Param::choice(
            "then",
            "there it",
            Group::Form,
            &["flies on", STAYS, COMES_BACK],
            "What it does where it lands: fly on, stay, or be thrown back for ever.",
        )
        .only_when("aim", LANDS),
        number(
            "held",
            "held for",
            Group::Time,
            (Unit::Frames, 6.0, 0.0, 1e6),
            "Frames in the hand before it is thrown again.",
        )
        .only_when("then", &[COMES_BACK]),
        number(
            "aside",
            "caught aside by",
            Group::Form,
            (Unit::Metres, 0.0, -1e4, 1e4),
            "How far outside the place that it leaves it is caught: while it is held it is carried over, so that what comes does not meet what goes.",
        )
        .only_when("then", &[COMES_BACK]),
    ]
}

fn hindrances() -> Vec<Param> {
    vec![
        number(
            "size",
            "thing's radius",
            Group::Form,
            (Unit::Metres, 0.0, 0.0, 1e4),
            "How far its middle stays from what it bounces off.",
        ),
        Param::new(
            "off",
            "bounces off",
            Group::Form,
            Values::Choice { options: &[PICTURE, BOX], default: BOX },
            "Whose sides it may bounce off.",
        ),
        Param::vector("middle", "box middle", Group::Form, (Unit::Metres, [0.0, 2.5, 0.0]), "The middle of the box.")
            .only_when("off", &[BOX]),
        Param::vector(
            "extent",
            "box size",
            Group::Form,
            (Unit::Metres, [10.0, 5.0, 10.0]),
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
        number(
            "bounciness",
            "bounciness",
            Group::Form,
            (Unit::None, 0.8, 0.0, 1.0),
            "Speed after a bounce by speed before it, straight off the side.",
        )
        .per_thing(),
        number(
            "friction",
            "friction",
            Group::Form,
            (Unit::None, 0.0, 0.0, 100.0),
            "How much a side slows it along the side, in bounces and when it slides.",
        )
        .per_thing(),
        Param::flag(
            "rolls",
            "friction turns it",
            Group::Form,
            false,
            "Whether friction makes it turn and roll, as a solid ball of its radius.",
        ),
    ]
}

fn air() -> Vec<Param> {
    vec![
        number(
            "gravity",
            "gravity",
            Group::Form,
            (Unit::Acceleration, 9.81, -1e7, 1e7),
            "How strongly it is pulled down; 0 for straight flight.",
        )
        .per_thing(),
        Param::vector("down", "down", Group::Form, (Unit::None, [0.0, -1.0, 0.0]), "Which way gravity pulls."),
        number(
            "drag",
            "drag by speed",
            Group::Form,
            (Unit::None, 0.0, 0.0, 1e3),
            "How much the air slows it, per second: as much as it is fast.",
        )
        .per_thing(),
        number(
            "thick-drag",
            "drag by square",
            Group::Form,
            (Unit::None, 0.0, 0.0, 1e3),
            "How much the air slows it, per metre: as the square of its speed.",
        )
        .per_thing(),
        Param::vector(
            "wind",
            "wind",
            Group::Form,
            (Unit::Speed, [0.0; 3]),
            "How the air moves; it needs drag to be felt.",
        )
        .per_thing(),
    ]
}

fn turning() -> Vec<Param> {
    vec![
        Param::choice(
            "turning",
            "turns",
            Group::Form,
            TURNS,
            "Whether it turns in flight, and whether that is given by speed or by turns on the way.",
        ),
        Param::vector(
            "axis",
            "turns about",
            Group::Form,
            (Unit::None, [0.0, 0.0, 1.0]),
            "The axis about which it turns.",
        )
        .only_when("turning", &["by speed", "by turns"])
        .only_in(Spaces::Deep),
        number(
            "spin",
            "degrees a second",
            Group::Form,
            (Unit::Degrees, 360.0, -1e6, 1e6),
            "How fast it turns when it is let go.",
        )
        .only_when("turning", &["by speed"])
        .per_thing(),
        Param::new(
            "turns",
            "turns in flight",
            Group::Form,
            Values::Fraction { unit: Unit::None, default: "1", min: -1000.0, max: 1000.0 },
            "Turns until it lands, or else in the loop; halves for what looks the same after half a turn.",
        )
        .only_when("turning", &["by turns"]),
    ]
}

fn many() -> Vec<Param> {
    vec![
        Param::whole("things", "things", Group::Form, (1, 1, 10_000), "How many are thrown."),
        number(
            "begin",
            "let go at",
            Group::Time,
            (Unit::Frames, 0.0, -1e6, 1e6),
            "The frame at which the first is let go; it waits before.",
        ),
        Param::choice(
            "turns-taken",
            "one after another",
            Group::Time,
            &["by frames", "evenly in turns"],
            "Whether the next follows some frames later, or all share the loop evenly; those that come back, their round.",
        ),
        number("later", "next after", Group::Time, (Unit::Frames, 0.0, -1e5, 1e5), "Frames from one to the next.")
            .only_when("turns-taken", &["by frames"]),
        Param::flag(
            "again",
            "every loop",
            Group::Time,
            false,
            "Whether each is thrown anew in every loop, from its start.",
        ),
        Param::flag("waits", "there before", Group::Look, true, "Whether it is there before it is let go."),
        number(
            "life",
            "there for",
            Group::Time,
            (Unit::Frames, 0.0, 0.0, 1e6),
            "Frames for which it is there after it is let go; 0 for ever.",
        ),
        number(
            "late-spread",
            "let go within",
            Group::Spread,
            (Unit::Frames, 0.0, 0.0, 1e6),
            "By how many frames each may be let go earlier or later.",
        ),
        Param::choice(
            "stands",
            "up is",
            Group::Spread,
            STANDS,
            "Of things that start on a field: whether up, in what is aimed, is the world's or stands on the field where each starts.",
        ),
        number(
            "cone",
            "direction",
            Group::Spread,
            (Unit::Degrees, 0.0, 0.0, 180.0),
            "By how much its direction may be off the throw.",
        ),
        number(
            "speed-spread",
            "speed",
            Group::Spread,
            (Unit::Speed, 0.0, 0.0, 1e5),
            "By how much each may be quicker or slower.",
        ),
        number(
            "place-spread",
            "place",
            Group::Spread,
            (Unit::Metres, 0.0, 0.0, 1e5),
            "By how much its start may be off, to all sides.",
        ),
        Param::whole("seed", "seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives another choice."),
    ]
}
