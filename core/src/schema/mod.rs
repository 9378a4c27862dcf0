//! What a node type declares about itself. The interface is drawn from this, documents are checked
//! against it, and nothing about a node is written twice.

mod choice;
mod role;

pub use crate::choice;
pub use choice::Choice;
pub use role::Role;

use crate::pose::Axis;
use serde::Serialize;
use serde_json::{Value, json};

/// The kind of data on a thread.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum PortKind {
    Path,
    Motion,
    Signal,
    Surface,
}

impl PortKind {
    /// Its name in messages.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Path => "path",
            Self::Motion => "motion",
            Self::Signal => "signal",
            Self::Surface => "surface",
        }
    }
}

/// An input of a node.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Port {
    /// Name in documents and on screen.
    pub name: &'static str,
    /// What may be threaded to it.
    pub kind: PortKind,
    /// One sentence.
    pub help: &'static str,
    /// True when the node works without it.
    pub optional: bool,
    /// Used only when a choice has one of these values: (name, values); a thread to it chooses the first.
    pub only_when: Option<(&'static str, &'static [&'static str])>,
}

impl Port {
    /// An input that must be threaded.
    pub const fn new(name: &'static str, kind: PortKind, help: &'static str) -> Self {
        Self { name, kind, help, optional: false, only_when: None }
    }

    /// An input that may be left open.
    pub const fn optional(name: &'static str, kind: PortKind, help: &'static str) -> Self {
        Self { name, kind, help, optional: true, only_when: None }
    }

    /// Used only when a choice has one of these values.
    pub const fn only_when(mut self, name: &'static str, values: &'static [&'static str]) -> Self {
        self.only_when = Some((name, values));
        self
    }
}

/// What a number measures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Unit {
    /// No unit: a plain number or a count.
    None,
    /// Metres.
    Metres,
    /// Metres per second.
    Speed,
    /// Metres per second squared.
    Acceleration,
    /// Frames.
    Frames,
    /// Seconds.
    Seconds,
    /// Laps of a path.
    Laps,
    /// Degrees.
    Degrees,
    /// Sizes of the thing.
    Sizes,
}

impl Unit {
    /// As it stands behind a number.
    pub const fn symbol(self) -> &'static str {
        match self {
            Self::None => "",
            Self::Metres => "m",
            Self::Speed => "m/s",
            Self::Acceleration => "m/s²",
            Self::Frames => "frames",
            Self::Seconds => "s",
            Self::Laps => "laps",
            Self::Degrees => "°",
            Self::Sizes => "sizes",
        }
    }
}

/// Where a parameter stands in the Card.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Group {
    Form,
    Among,
    After,
    Time,
    Spread,
    Look,
}

/// What values a parameter takes.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Values {
    /// A finite number from `min` to `max`.
    Number { unit: Unit, default: f64, min: f64, max: f64 },
    /// A whole number from `min` to `max`.
    Whole { default: i64, min: i64, max: i64 },
    /// An exact fraction as text, such as `"9/7"`, from `min` to `max`.
    Fraction { unit: Unit, default: &'static str, min: f64, max: f64 },
    /// One of a few words.
    Choice { options: &'static [&'static str], default: &'static str },
    /// Any of a few words, each at most once.
    Several { options: &'static [&'static str], default: &'static [&'static str] },
    /// Yes or no.
    Flag { default: bool },
    /// Three finite numbers x, y, z.
    Vector { unit: Unit, default: [f64; 3] },
    /// Points of a path with ids, in order.
    Points,
    /// Points of another path that were moved, by the ids that path gives them.
    MovedPoints,
    /// For some things, by their number from 0 as id, a number each: `[{ "id": "3", "value": 0.1 }]`.
    PerThing { unit: Unit, min: f64, max: f64 },
    /// A number from `min` to `max` drawn over a part from 0 to 1: `[[0, 1], [0.5, 0.2], [1, 0]]`.
    Drawn { default: &'static [[f64; 2]], min: f64, max: f64 },
    /// For some things, by their number from 0 as id, how each looks: `[{ "id": "3", "thing": "ball", "colour": "#c8421a",
    /// "scale": 2 }]`.
    Looks { things: &'static [&'static str] },
    /// The name of an asset of the scene with this media type; empty for none.
    Asset { media: &'static str },
    /// Any short text.
    Text { default: &'static str },
    /// Always a formula, which may ask for `along`.
    Formula { unit: Unit, default: &'static str },
    /// Kinds of thing: `[{ "id": "a", "thing": "ball", "weight": 1, "scale": 1, "colour": "#c8421a" }]`.
    Kinds { things: &'static [&'static str] },
    /// A colour as `#rrggbb`.
    Colour { default: &'static str },
    /// Keys over time, as in `{ "keys": … }` in place of a number.
    Keys,
}

impl Values {
    /// The value of a parameter that a document does not mention.
    pub fn default(&self) -> Value {
        match self {
            Self::Number { default, .. } => json!(default),
            Self::Whole { default, .. } => json!(default),
            Self::Fraction { default, .. } | Self::Choice { default, .. } | Self::Text { default } => json!(default),
            Self::Several { default, .. } => json!(default),
            Self::Flag { default } => json!(default),
            Self::Vector { default, .. } => json!(default),
            Self::Points | Self::MovedPoints | Self::PerThing { .. } | Self::Looks { .. } | Self::Keys => {
                json!([])
            }
            Self::Drawn { default, .. } => json!(default),
            Self::Formula { default, .. } => json!(default),
            Self::Kinds { .. } => json!([]),
            Self::Colour { default } => json!(default),
            Self::Asset { .. } => json!(""),
        }
    }
}

/// What a formula in place of a number may ask for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Drives {
    /// Nothing that changes.
    Fixed,
    /// The time.
    OverTime,
    /// The time, and the thing.
    PerThing,
}

/// In which scenes a parameter or a choice makes sense.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Spaces {
    Both,
    Deep,
    Flat,
}

/// A parameter of a node.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Param {
    /// Name in documents.
    pub name: &'static str,
    /// Name on screen: three words at most.
    pub label: &'static str,
    /// Where it stands in the Card.
    pub group: Group,
    /// What it takes.
    pub values: Values,
    /// One sentence.
    pub help: &'static str,
    /// Shown only when another parameter has one of these values: (name, values).
    pub only_when: Option<(&'static str, &'static [&'static str])>,
    /// Scenes in which it is shown.
    pub spaces: Spaces,
    /// What it can be taken hold of as.
    pub role: Option<Role>,
    /// What a formula in its place may ask for.
    pub drives: Drives,
}

impl Param {
    /// A parameter that is always shown, and has no name yet.
    pub const fn new(label: &'static str, group: Group, values: Values, help: &'static str) -> Self {
        Self {
            name: "",
            label,
            group,
            values,
            help,
            only_when: None,
            spaces: Spaces::Both,
            role: None,
            drives: Drives::Fixed,
        }
    }

    /// A number without a unit, or with one.
    pub const fn number(
        label: &'static str,
        group: Group,
        (unit, default, min, max): (Unit, f64, f64, f64),
        help: &'static str,
    ) -> Self {
        Self::new(label, group, Values::Number { unit, default, min, max }, help)
    }

    /// A whole number.
    pub const fn whole(
        label: &'static str,
        group: Group,
        (default, min, max): (i64, i64, i64),
        help: &'static str,
    ) -> Self {
        Self::new(label, group, Values::Whole { default, min, max }, help)
    }

    /// One of a few words, the first by default.
    pub const fn choice(
        label: &'static str,
        group: Group,
        options: &'static [&'static str],
        help: &'static str,
    ) -> Self {
        Self::new(label, group, Values::Choice { options, default: options[0] }, help)
    }

    /// A yes or no.
    pub const fn flag(label: &'static str, group: Group, default: bool, help: &'static str) -> Self {
        Self::new(label, group, Values::Flag { default }, help)
    }

    /// Three numbers.
    pub const fn vector(
        label: &'static str,
        group: Group,
        (unit, default): (Unit, [f64; 3]),
        help: &'static str,
    ) -> Self {
        Self::new(label, group, Values::Vector { unit, default }, help)
    }

    /// Has this name in documents.
    pub const fn named(mut self, name: &'static str) -> Self {
        self.name = name;
        self
    }

    /// Its formula may ask for the time.
    pub const fn over_time(mut self) -> Self {
        self.drives = Drives::OverTime;
        self
    }

    /// Its formula may ask for the time and the thing.
    pub const fn per_thing(mut self) -> Self {
        self.drives = Drives::PerThing;
        self
    }

    /// True when a formula may stand in place of a number of it.
    pub const fn takes_formula(&self) -> bool {
        matches!(
            self.values,
            Values::Number { .. } | Values::Whole { .. } | Values::Fraction { .. } | Values::Vector { .. }
        )
    }

    /// True when keys, or a thread from a signal, may stand in place of a number of it.
    pub fn takes_signal(&self) -> bool {
        self.takes_formula() && self.drives != Drives::Fixed
    }

    /// The ports that threads from signals end at: its name, or for three numbers that with `.x`, `.y` and `.z`.
    pub fn ports(&self) -> Vec<String> {
        match self.values {
            _ if !self.takes_signal() => Vec::new(),
            Values::Vector { .. } => ["x", "y", "z"].iter().map(|axis| format!("{}.{axis}", self.name)).collect(),
            _ => vec![self.name.to_owned()],
        }
    }

    /// Shown only when parameter `name` has one of `values`.
    pub const fn only_when(mut self, name: &'static str, values: &'static [&'static str]) -> Self {
        self.only_when = Some((name, values));
        self
    }

    /// Can be taken hold of.
    pub const fn role(mut self, role: Role) -> Self {
        self.role = Some(role);
        self
    }

    /// Shown only in these scenes.
    pub const fn only_in(mut self, spaces: Spaces) -> Self {
        self.spaces = spaces;
        self
    }
}

/// What a node type declares.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Schema {
    /// Type in documents, such as `face-travel`.
    pub name: &'static str,
    /// Name on screen.
    pub title: &'static str,
    /// Group in the list of nodes.
    pub group: &'static str,
    /// One sentence: what it does.
    pub help: &'static str,
    /// What is threaded to it.
    pub inputs: Vec<Port>,
    /// What it gives, if anything.
    pub output: Option<PortKind>,
    /// In the order of the Card.
    pub params: Vec<Param>,
    /// True when its result depends on loop length, frame rate or picture.
    pub uses_timing: bool,
}

impl Schema {
    /// The parameter of that name.
    pub fn param(&self, name: &str) -> Option<&Param> {
        self.params.iter().find(|param| param.name == name)
    }

    /// With formulas of the time allowed in all numbers: for what is made anew for every frame when it has to be.
    #[must_use]
    pub fn remade_over_time(mut self) -> Self {
        for param in self.params.iter_mut().filter(|param| param.takes_formula()) {
            param.drives = Drives::OverTime;
        }
        self
    }

    /// What may be threaded to a port: that of an input, or a signal for a parameter.
    pub fn port_kind(&self, port: &str) -> Option<PortKind> {
        let input = self.input(port).map(|input| input.kind);
        input.or_else(|| {
            let name = port.split('.').next().unwrap_or(port);
            let param = self.param(name)?;
            param.ports().iter().any(|known| known == port).then_some(PortKind::Signal)
        })
    }

    /// The input of that name.
    pub fn input(&self, name: &str) -> Option<&Port> {
        self.inputs.iter().find(|port| port.name == name)
    }
}

/// The names of the six axes, as choices.
pub const AXIS_NAMES: &[&str] = &[
    Axis::PlusX.name(),
    Axis::MinusX.name(),
    Axis::PlusY.name(),
    Axis::MinusY.name(),
    Axis::PlusZ.name(),
    Axis::MinusZ.name(),
];
