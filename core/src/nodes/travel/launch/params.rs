//! What can be said of a throw.

use crate::fraction::Fraction;
use crate::motion::GRAVITY;
use crate::physics::Side;
use crate::scene::fields;
use crate::schema::{Choice, Group, Param, Role, Spaces, Unit, Values, choice};
use crate::signal::Driven;
use glam::DVec3;

choice!(Side {
    Left = Self::Left.name(),
    Right = Self::Right.name(),
    Bottom = Self::Bottom.name(),
    Top = Self::Top.name(),
    Back = Self::Back.name(),
    Front = Self::Front.name(),
});

choice! {
    /// What of a throw is chosen.
    pub enum Aim {
        Throw = "its throw",
        Time = "landing and time",
        Height = "landing and height",
        Slope = "landing and slope",
        Speed = "landing and speed",
    }
}

choice! {
    /// Which flight it is where two land there.
    pub enum Flight { Longer = "the longer", Shorter = "the shorter" }
}

choice! {
    /// What it does where it lands.
    pub enum Then { FliesOn = "flies on", Stays = "stays there", ComesBack = "comes back" }
}

choice! {
    /// Whose sides it may bounce off.
    pub enum Off { Picture = "picture edge", Box = "box" }
}

choice! {
    /// Whether it turns in flight, and how that is given.
    pub enum Turning { No = "no", BySpeed = "by speed", ByTurns = "by turns" }
}

choice! {
    /// How those that are thrown follow each other.
    pub enum Order { Frames = "by frames", Turns = "evenly in turns" }
}

choice! {
    /// Where up is for what starts on a field.
    pub enum Stands { World = "the world's", OffField = "off the field" }
}

const FLOOR: &[&str] = &[Side::Bottom.name()];
const LANDS: &[&str] = &["landing and time", "landing and height", "landing and slope", "landing and speed"];

fields! {
    /// What Launch is told.
    pub struct LaunchFields {
        start: [Driven; 3] = Param::vector("start", Group::Form, (Unit::Metres, [0.0, 1.0, 0.0]), "Where it is let go.")
            .role(Role::Place)
            .per_thing(),
        aim: Aim = Param::choice("aimed by", Group::Form, Aim::WORDS, "What of the throw is chosen; the rest is worked out."),
        velocity: [Driven; 3] = Param::vector(
            "throw",
            Group::Form,
            (Unit::Speed, [3.0, 4.0, 0.0]),
            "How fast it is let go; pull the tip in the View, with Shift in steps of 15°.",
        )
        .only_when("aim", &["its throw"])
        .role(Role::Aim { from: "start" })
        .per_thing(),
        land: [Driven; 3] = Param::vector("landing", Group::Form, (Unit::Metres, [3.0, 0.0, 0.0]), "Where it is to land.")
            .only_when("aim", LANDS)
            .role(Role::Place)
            .per_thing(),
        time: f64 = Param::number("in flight", Group::Time, (Unit::Frames, 24.0, 0.01, 1e6), "Frames on the way.")
            .only_when("aim", &["landing and time"]),
        height: f64 = Param::number(
            "rises by",
            Group::Form,
            (Unit::Metres, 2.0, 1e-4, 1e5),
            "How high its highest place is above its start.",
        )
        .only_when("aim", &["landing and height"]),
        slope: f64 = Param::number(
            "leaves at",
            Group::Form,
            (Unit::Degrees, 45.0, -90.0, 90.0),
            "How steeply it leaves: 90° is straight up, 0° is level.",
        )
        .only_when("aim", &["landing and slope"]),
        speed: f64 = Param::number("let go at", Group::Form, (Unit::Speed, 8.0, 1e-4, 1e5), "How fast it is let go.")
            .only_when("aim", &["landing and speed"]),
        which: Flight = Param::choice(
            "of two flights",
            Group::Form,
            Flight::WORDS,
            "Which flight it is where two land there.",
        )
        .only_when("aim", &["landing and height", "landing and speed", "landing and slope"]),
        then: Then = Param::choice(
            "there it",
            Group::Form,
            Then::WORDS,
            "What it does where it lands: fly on, stay, or be thrown back for ever.",
        )
        .only_when("aim", LANDS),
        held: f64 = Param::number(
            "held for",
            Group::Time,
            (Unit::Frames, 6.0, 0.0, 1e6),
            "Frames in the hand before it is thrown again.",
        )
        .only_when("then", &["comes back"]),
        aside: f64 = Param::number(
            "caught aside by",
            Group::Form,
            (Unit::Metres, 0.0, -1e4, 1e4),
            "How far outside the place that it leaves it is caught: while it is held it is carried over, so that what comes does not meet what goes.",
        )
        .only_when("then", &["comes back"]),
        size: f64 = Param::number(
            "thing's radius",
            Group::Form,
            (Unit::Metres, 0.0, 0.0, 1e4),
            "How far its middle stays from what it bounces off.",
        ),
        off: Off = Param::new(
            "bounces off",
            Group::Form,
            Values::Choice { options: Off::WORDS, default: Off::Box.word() },
            "Whose sides it may bounce off.",
        ),
        middle: DVec3 = Param::vector("box middle", Group::Form, (Unit::Metres, [0.0, 2.5, 0.0]), "The middle of the box.")
            .only_when("off", &["box"]),
        extent: DVec3 = Param::vector(
            "box size",
            Group::Form,
            (Unit::Metres, [10.0, 5.0, 10.0]),
            "The box from side to side.",
        )
        .only_when("off", &["box"]),
        sides: Vec<Side> = Param::new(
            "sides",
            Group::Form,
            Values::Several { options: Side::WORDS, default: FLOOR },
            "The sides that stop it; it leaves through the others.",
        ),
        bounciness: Driven = Param::number(
            "bounciness",
            Group::Form,
            (Unit::None, 0.8, 0.0, 1.0),
            "Speed after a bounce by speed before it, straight off the side.",
        )
        .per_thing(),
        friction: Driven = Param::number(
            "friction",
            Group::Form,
            (Unit::None, 0.0, 0.0, 100.0),
            "How much a side slows it along the side, in bounces and when it slides.",
        )
        .per_thing(),
        rolls: bool = Param::flag(
            "friction turns it",
            Group::Form,
            false,
            "Whether friction makes it turn and roll, as a solid ball of its radius.",
        ),
        gravity: (f64, Driven) = Param::number(
            "gravity",
            Group::Form,
            (Unit::Acceleration, GRAVITY, -1e7, 1e7),
            "How strongly it is pulled down; 0 for straight flight.",
        )
        .per_thing(),
        down: DVec3 = Param::vector("down", Group::Form, (Unit::None, [0.0, -1.0, 0.0]), "Which way gravity pulls."),
        drag: Driven = Param::number(
            "drag by speed",
            Group::Form,
            (Unit::None, 0.0, 0.0, 1e3),
            "How much the air slows it, per second: as much as it is fast.",
        )
        .per_thing(),
        thick_drag: Driven = Param::number(
            "drag by square",
            Group::Form,
            (Unit::None, 0.0, 0.0, 1e3),
            "How much the air slows it, per metre: as the square of its speed.",
        )
        .per_thing(),
        wind: [Driven; 3] = Param::vector(
            "wind",
            Group::Form,
            (Unit::Speed, [0.0; 3]),
            "How the air moves; it needs drag to be felt.",
        )
        .per_thing(),
        turning: Turning = Param::choice(
            "turns",
            Group::Form,
            Turning::WORDS,
            "Whether it turns in flight, and whether that is given by speed or by turns on the way.",
        ),
        axis: DVec3 = Param::vector(
            "turns about",
            Group::Form,
            (Unit::None, [0.0, 0.0, 1.0]),
            "The axis about which it turns.",
        )
        .only_when("turning", &["by speed", "by turns"])
        .only_in(Spaces::Deep),
        spin: Driven = Param::number(
            "degrees a second",
            Group::Form,
            (Unit::Degrees, 360.0, -1e6, 1e6),
            "How fast it turns when it is let go.",
        )
        .only_when("turning", &["by speed"])
        .per_thing(),
        turns: Fraction = Param::new(
            "turns in flight",
            Group::Form,
            Values::Fraction { unit: Unit::None, default: "1", min: -1000.0, max: 1000.0 },
            "Turns until it lands, or else in the loop; halves for what looks the same after half a turn.",
        )
        .only_when("turning", &["by turns"]),
        things: usize = Param::whole("things", Group::Form, (1, 1, 10_000), "How many are thrown."),
        begin: f64 = Param::number(
            "let go at",
            Group::Time,
            (Unit::Frames, 0.0, -1e6, 1e6),
            "The frame at which the first is let go; it waits before.",
        ),
        turns_taken: Order = Param::choice(
            "one after another",
            Group::Time,
            Order::WORDS,
            "Whether the next follows some frames later, or all share the loop evenly; those that come back, their round.",
        ),
        later: f64 = Param::number("next after", Group::Time, (Unit::Frames, 0.0, -1e5, 1e5), "Frames from one to the next.")
            .only_when("turns-taken", &["by frames"]),
        again: bool = Param::flag(
            "every loop",
            Group::Time,
            false,
            "Whether each is thrown anew in every loop, from its start.",
        ),
        waits: bool = Param::flag("there before", Group::Look, true, "Whether it is there before it is let go."),
        life: f64 = Param::number(
            "there for",
            Group::Time,
            (Unit::Frames, 0.0, 0.0, 1e6),
            "Frames for which it is there after it is let go; 0 for ever.",
        ),
        late_spread: f64 = Param::number(
            "let go within",
            Group::Spread,
            (Unit::Frames, 0.0, 0.0, 1e6),
            "By how many frames each may be let go earlier or later.",
        ),
        stands: Stands = Param::choice(
            "up is",
            Group::Spread,
            Stands::WORDS,
            "Of things that start on a field: whether up, in what is aimed, is the world's or stands on the field where each starts.",
        ),
        cone: f64 = Param::number(
            "direction",
            Group::Spread,
            (Unit::Degrees, 0.0, 0.0, 180.0),
            "By how much its direction may be off the throw.",
        ),
        speed_spread: f64 = Param::number(
            "speed",
            Group::Spread,
            (Unit::Speed, 0.0, 0.0, 1e5),
            "By how much each may be quicker or slower.",
        ),
        place_spread: f64 = Param::number(
            "place",
            Group::Spread,
            (Unit::Metres, 0.0, 0.0, 1e5),
            "By how much its start may be off, to all sides.",
        ),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives another choice."),
    }
}

impl LaunchFields {
    /// Whether it is thrown to and fro.
    pub(super) fn comes_back(&self) -> bool {
        self.aim != Aim::Throw && self.then == Then::ComesBack
    }
}
