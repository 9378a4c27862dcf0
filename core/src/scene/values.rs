//! Parameter values: checked once against the schema, then read as what they are.

use super::document::Node;
use super::fields::Numbers;
use super::keyed::{self, Keyed, keyed_of};
use super::kinds::{Kind, OwnLook, is_colour, kinds, looks};
use crate::curve::{PathPoint, PointKind};
use crate::formula::{Formula, MOST_LETTERS};
use crate::fraction::Fraction;
use crate::schema::{Param, Schema, Values};
use crate::signal::{Clock, Driven, Key, Progression, Signal};
use glam::DVec3;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Largest coordinate that a document may hold, metres.
pub(super) const FARTHEST: f64 = 1e9;
/// Most points of one path.
const MOST_POINTS: usize = 20_000;

/// Checks a value against what a parameter takes; the sentence says what is wrong and what to do.
///
/// # Errors
/// The sentence.
pub fn check_value(param: &Param, value: &Value) -> Result<(), String> {
    let label = param.label;
    let within = |keyed: &Keyed, min: f64, max: f64| {
        let (low, high) = keyed.range();
        let off = if low < min { low } else { high };
        if low >= min && high <= max {
            Ok(())
        } else {
            Err(format!("{label} has a key with {off}: choose numbers from {min} to {max}."))
        }
    };
    if let Some(keyed) = param.takes_formula().then(|| keyed_of(value)).flatten() {
        let keyed = keyed.map_err(|why| format!("{label} {why}."))?;
        if !param.takes_signal() {
            return Err(format!("{label} cannot change over time: give it one number instead of keys."));
        }
        return match &param.values {
            Values::Number { min, max, .. } | Values::Fraction { min, max, .. } => within(&keyed, *min, *max),
            Values::Whole { min, max, .. } => within(&keyed, *min as f64, *max as f64),
            _ => Err(format!("{label} is three numbers: give keys to each of them.")),
        };
    }
    if param.takes_formula()
        && let Some(formula) = formula_of(value)
    {
        return formula.map(|_| ()).map_err(|why| format!("{label} {why}."));
    }
    let number = |min: f64, max: f64, x: Option<f64>| match x {
        Some(x) if x.is_finite() && x >= min && x <= max => Ok(()),
        Some(x) if x.is_finite() => Err(format!("{label} is {x}: choose a number from {min} to {max}.")),
        _ => Err(format!("{label} must be a finite number from {min} to {max}.")),
    };
    match &param.values {
        Values::Number { min, max, .. } => number(*min, *max, value.as_f64()),
        Values::Whole { min, max, .. } => match value.as_i64() {
            Some(x) if x >= *min && x <= *max => Ok(()),
            Some(x) => Err(format!("{label} is {x}: choose a whole number from {min} to {max}.")),
            None => Err(format!("{label} must be a whole number from {min} to {max}.")),
        },
        Values::Fraction { min, max, .. } => {
            let text = value.as_str().ok_or_else(|| format!("{label} must be a fraction as text, such as \"9/7\"."))?;
            let fraction: Fraction = text.parse().map_err(|error| format!("{label}: {error}."))?;
            number(*min, *max, Some(fraction.value()))
        }
        Values::Choice { options, .. } => match value.as_str() {
            Some(word) if options.contains(&word) => Ok(()),
            _ => Err(format!("{label} must be one of: {}.", options.join(", "))),
        },
        Values::Several { options, .. } => {
            let words: Option<Vec<&str>> = value.as_array().and_then(|list| list.iter().map(Value::as_str).collect());
            let fits = |words: &Vec<&str>| {
                let distinct: BTreeSet<&str> = words.iter().copied().collect();
                distinct.len() == words.len() && words.iter().all(|word| options.contains(word))
            };
            match words {
                Some(words) if fits(&words) => Ok(()),
                _ => Err(format!("{label} must be a list of some of: {}.", options.join(", "))),
            }
        }
        Values::Flag { .. } => {
            value.is_boolean().then_some(()).ok_or_else(|| format!("{label} must be true or false."))
        }
        Values::Vector { .. } => {
            // What is a formula or keys has its own place in the list; the rest must be numbers.
            let given = |item: &Value| keyed_of(item).is_some() || formula_of(item).is_some();
            let numbers = value.as_array().map(|list| {
                let fixed = |item: &Value| if given(item) { Value::from(0.0) } else { item.clone() };
                list.iter().map(fixed).collect::<Value>()
            });
            let parts = value.as_array().into_iter().flatten().filter_map(|item| match keyed_of(item) {
                Some(_) if !param.takes_signal() => Some(Err("cannot change over time: give it numbers".to_owned())),
                Some(keyed) => Some(keyed.map(|_| ())),
                None => formula_of(item).map(|formula| formula.map(|_| ())),
            });
            parts
                .chain([vector(numbers.as_ref().unwrap_or(value)).map(|_| ())])
                .collect::<Result<(), _>>()
                .map_err(|why| format!("{label} {why}."))
        }
        Values::Formula { .. } => match value.as_str() {
            Some(text) if text.chars().count() <= MOST_LETTERS => Ok(()),
            _ => Err(format!("{label} must be a formula of at most {MOST_LETTERS} characters.")),
        },
        Values::Kinds { things } => kinds(value, things).map(|_| ()).map_err(|why| format!("{label}: {why}.")),
        Values::Looks { things } => looks(value, things).map(|_| ()).map_err(|why| format!("{label}: {why}.")),
        Values::Colour { .. } => match value.as_str() {
            Some(text) if is_colour(text) => Ok(()),
            _ => Err(format!("{label} must be a colour such as \"#c8421a\".")),
        },
        Values::Keys => keyed::keys(value).map(|_| ()).map_err(|why| format!("{label} {why}.")),
        Values::Points => points(value).map(|_| ()).map_err(|why| format!("{label}: {why}.")),
        Values::MovedPoints => points(value).map(|_| ()).map_err(|why| format!("{label}: {why}.")),
        Values::PerThing { min, max, .. } => per_thing(value)
            .and_then(|list| {
                let off = list.iter().find(|(_, x)| !(x.is_finite() && x >= min && x <= max));
                off.map_or(Ok(()), |(thing, x)| {
                    Err(format!("thing {thing} has {x}: choose a number from {min} to {max}"))
                })
            })
            .map_err(|why| format!("{label}: {why}.")),
        Values::Drawn { min, max, .. } => drawn(value)
            .and_then(|points| {
                let off = points.iter().find(|[_, y]| !(y >= min && y <= max));
                off.map_or(Ok(()), |[_, y]| Err(format!("a point has {y}: choose a number from {min} to {max}")))
            })
            .map_err(|why| format!("{label}: {why}.")),
        Values::Asset { .. } | Values::Text { .. } => match value.as_str() {
            Some(text) if text.chars().count() <= 200 => Ok(()),
            _ => Err(format!("{label} must be a text of at most 200 characters.")),
        },
    }
}

/// The text of a number that is given as `{ "formula": "…" }`; a sentence's end where it cannot be one.
pub(super) fn formula_of(value: &Value) -> Option<Result<&str, String>> {
    let object = value.as_object()?;
    let text = object.get("formula").and_then(Value::as_str).filter(|_| object.len() == 1);
    Some(match text {
        Some(text) if text.chars().count() <= MOST_LETTERS => Ok(text),
        Some(_) => Err(format!("has a formula of more than {MOST_LETTERS} characters: shorten it")),
        None => Err("must be a number, { \"formula\": \"…\" } or { \"keys\": [ … ] }".to_owned()),
    })
}

fn vector(value: &Value) -> Result<DVec3, String> {
    let numbers: Option<Vec<f64>> = value.as_array().and_then(|list| list.iter().map(Value::as_f64).collect());
    match numbers.as_deref() {
        Some(&[x, y, z]) => {
            let place = DVec3::new(x, y, z);
            let fits = place.is_finite() && place.abs().max_element() <= FARTHEST;
            fits.then_some(place).ok_or_else(|| format!("must lie within ±{FARTHEST:e} m"))
        }
        _ => Err("must be three finite numbers [x, y, z]".to_owned()),
    }
}

/// A point of a path in a document.
#[derive(Debug, Clone, PartialEq)]
pub struct Point {
    /// Unique within its list.
    pub id: String,
    /// What it says.
    pub point: PathPoint,
}

fn points(value: &Value) -> Result<Vec<Point>, String> {
    let list = value.as_array().ok_or("must be a list of points")?;
    if list.len() > MOST_POINTS {
        return Err(format!("{} points are too many: use at most {MOST_POINTS}", list.len()));
    }
    let mut seen = BTreeSet::new();
    list.iter()
        .enumerate()
        .map(|(index, item)| {
            let point = point(item).map_err(|why| format!("point {} {why}", index + 1))?;
            if !seen.insert(point.id.clone()) {
                return Err(format!("two points have the id \"{}\": give each its own", point.id));
            }
            Ok(point)
        })
        .collect()
}

fn point(item: &Value) -> Result<Point, String> {
    let object = item.as_object().ok_or("must be an object with id and at")?;
    if let Some(name) = object.keys().find(|name| !["id", "at", "kind", "in", "out"].contains(&name.as_str())) {
        return Err(format!("has an unknown field \"{name}\""));
    }
    let id = object.get("id").and_then(Value::as_str).filter(|id| !id.is_empty()).ok_or("needs an id")?;
    let position = vector(object.get("at").unwrap_or(&Value::Null)).map_err(|why| format!("at {why}"))?;
    let kind = match object.get("kind").map(Value::as_str) {
        None | Some(Some("smooth")) => PointKind::Smooth,
        Some(Some("corner")) => PointKind::Corner,
        Some(_) => return Err("kind must be smooth or corner".to_owned()),
    };
    let handle = |name: &str| object.get(name).map(vector).transpose().map_err(|why| format!("{name} {why}"));
    let handles = match (handle("in")?, handle("out")?) {
        (None, None) => None,
        (a, b) => Some((a.unwrap_or(DVec3::ZERO), b.unwrap_or(DVec3::ZERO))),
    };
    Ok(Point { id: id.to_owned(), point: PathPoint { position, kind, handles } })
}

/// Most points by which a number is drawn.
const MOST_DRAWN: usize = 64;

/// Points (part, number) in order of their part.
fn drawn(value: &Value) -> Result<Vec<[f64; 2]>, String> {
    let list = value.as_array().ok_or("must be a list of points [part, number]")?;
    if list.is_empty() || list.len() > MOST_DRAWN {
        return Err(format!("must have from 1 to {MOST_DRAWN} points"));
    }
    let point = |item: &Value| match item.as_array().map(Vec::as_slice) {
        Some([part, number]) => Some([part.as_f64()?, number.as_f64()?]),
        _ => None,
    };
    let points: Option<Vec<[f64; 2]>> = list.iter().map(point).collect();
    let points = points.ok_or("each point must be two numbers [part, number]")?;
    if points.iter().any(|[part, _]| !(0.0..=1.0).contains(part)) {
        return Err("parts must lie from 0 to 1".to_owned());
    }
    if points.windows(2).any(|pair| pair[1][0] <= pair[0][0]) {
        return Err("parts must be in order, each greater than the one before".to_owned());
    }
    Ok(points)
}

/// Most things that have a number of their own.
const MOST_OWN: usize = 10_000;

fn per_thing(value: &Value) -> Result<Vec<(usize, f64)>, String> {
    let list = value.as_array().ok_or("must be a list of { id, value }")?;
    if list.len() > MOST_OWN {
        return Err(format!("{} things are too many: use at most {MOST_OWN}", list.len()));
    }
    let mut seen = BTreeSet::new();
    list.iter()
        .map(|item| {
            let object = item.as_object().filter(|fields| fields.len() == 2).ok_or("each must be { id, value }")?;
            let id = object.get("id").and_then(Value::as_str).ok_or("each needs the thing's number as id")?;
            let thing: usize = id.parse().map_err(|_| format!("\"{id}\" is not a thing's number from 0"))?;
            if thing.to_string() != id || !seen.insert(thing) {
                return Err(format!("\"{id}\" must be a plain number that is there once"));
            }
            let value = object.get("value").and_then(Value::as_f64).ok_or("each needs a number as value")?;
            Ok((thing, value))
        })
        .collect()
}

/// The parameters of a node of a checked scene, defaults filled in.
pub struct Params<'a> {
    schema: &'a Schema,
    node: &'a Node,
    /// What formulas, keys and signals give at the moment that is looked at.
    resolved: &'a BTreeMap<String, Value>,
    /// Signals that are threaded to parameters, by port.
    signals: &'a Signals,
    clock: Clock,
}

/// Signals by the port of a node that they are threaded to.
pub type Signals = BTreeMap<String, Arc<dyn Signal>>;

/// The names of the three parts of a vector, as its ports have them.
pub(super) const PARTS: [&str; 3] = ["x", "y", "z"];

impl<'a> Params<'a> {
    /// Of a node and its schema, with the signals that are threaded to it and what is given at the moment.
    pub const fn new(
        schema: &'a Schema,
        node: &'a Node,
        (resolved, signals): (&'a BTreeMap<String, Value>, &'a Signals),
        clock: Clock,
    ) -> Self {
        Self { schema, node, resolved, signals, clock }
    }

    fn value(&self, name: &str) -> Value {
        let given = self.resolved.get(name).or_else(|| self.node.params.get(name)).cloned();
        given.or_else(|| self.schema.param(name).map(|param| param.values.default())).unwrap_or(Value::Null)
    }

    /// What stands in the document, unless a thread comes before it.
    pub(super) fn given(&self, name: &str) -> Option<&Value> {
        self.node.params.get(name).filter(|_| !self.signals.contains_key(name))
    }

    /// A number; 0 for a parameter that is none.
    pub(super) fn number(&self, name: &str) -> f64 {
        self.value(name).as_f64().unwrap_or_default()
    }

    /// A number that may change over time or from thing to thing.
    pub(super) fn driven(&self, name: &str) -> Driven {
        let (least, most) = match self.schema.param(name).map(|param| &param.values) {
            Some(Values::Number { min, max, .. } | Values::Fraction { min, max, .. }) => (*min, *max),
            _ => (f64::MIN, f64::MAX),
        };
        self.over_time(name, self.node.params.get(name), least, most).unwrap_or_else(|| {
            Driven::Fixed(match self.value(name) {
                Value::String(fraction) => fraction.parse::<Fraction>().unwrap_or(Fraction::ZERO).value(),
                number => number.as_f64().unwrap_or_default(),
            })
        })
    }

    /// Three numbers that may change over time or from thing to thing.
    pub(super) fn driven_vector(&self, name: &str) -> [Driven; 3] {
        let fixed = self.vector(name);
        let given = self.node.params.get(name).and_then(Value::as_array);
        [0, 1, 2].map(|axis| {
            let (port, part) = (format!("{name}.{}", PARTS[axis]), given.and_then(|list| list.get(axis)));
            self.over_time(&port, part, -FARTHEST, FARTHEST).unwrap_or(Driven::Fixed(fixed[axis]))
        })
    }

    /// What is threaded to a port, or else stands in the document as keys or as a formula that hangs on something.
    fn over_time(&self, port: &str, given: Option<&Value>, least: f64, most: f64) -> Option<Driven> {
        if let Some(signal) = self.signals.get(port) {
            return Some(Driven::signal(signal.clone(), self.clock, least, most));
        }
        if let Some(Ok(keyed)) = given.and_then(keyed_of) {
            return Some(Driven::signal(keyed.signal(self.clock.frames), self.clock, least, most));
        }
        let formula = Formula::parse(formula_of(given?)?.ok()?).ok()?;
        (!formula.uses().is_empty()).then(|| Driven::formula(formula, self.clock, least, most))
    }

    /// The keys of a list of keys.
    pub(super) fn keys(&self, name: &str) -> Vec<Key> {
        keyed::keys(&self.value(name)).unwrap_or_default()
    }

    /// A text with numbers.
    pub(super) fn listed(&self, name: &str) -> Numbers {
        Numbers { text: self.text(name), label: self.schema.param(name).map_or("", |param| param.label) }
    }

    /// Kinds of thing.
    pub(super) fn kinds(&self, name: &str) -> Vec<Kind> {
        match self.schema.param(name).map(|param| &param.values) {
            Some(Values::Kinds { things }) => kinds(&self.value(name), things).unwrap_or_default(),
            _ => Vec::new(),
        }
    }

    /// Looks of some things, by their number from 0.
    pub(super) fn looks(&self, name: &str) -> BTreeMap<usize, OwnLook> {
        match self.schema.param(name).map(|param| &param.values) {
            Some(Values::Looks { things }) => looks(&self.value(name), things).unwrap_or_default(),
            _ => BTreeMap::new(),
        }
    }

    /// A whole number; 0 for a parameter that is none.
    pub(super) fn whole(&self, name: &str) -> i64 {
        self.value(name).as_i64().unwrap_or_default()
    }

    /// A fraction; 0 for a parameter that is none.
    pub(super) fn fraction(&self, name: &str) -> Fraction {
        self.text(name).parse().unwrap_or(Fraction::ZERO)
    }

    /// A text or a choice.
    pub(super) fn text(&self, name: &str) -> String {
        self.value(name).as_str().unwrap_or_default().to_owned()
    }

    /// The chosen words.
    pub(super) fn several(&self, name: &str) -> Vec<String> {
        let value = self.value(name);
        let words = value.as_array().into_iter().flatten().filter_map(Value::as_str);
        words.map(str::to_owned).collect()
    }

    /// Yes or no.
    pub(super) fn flag(&self, name: &str) -> bool {
        self.value(name).as_bool().unwrap_or_default()
    }

    /// Three numbers.
    pub(super) fn vector(&self, name: &str) -> DVec3 {
        vector(&self.value(name)).unwrap_or_default()
    }

    /// Numbers of some things, by their number from 0.
    pub(super) fn drawn(&self, name: &str) -> Progression {
        // The checks let nothing else pass.
        drawn(&self.value(name)).map_or_else(|_| Progression::steady(1.0), Progression::through)
    }

    pub(super) fn per_thing(&self, name: &str) -> BTreeMap<usize, f64> {
        per_thing(&self.value(name)).unwrap_or_default().into_iter().collect()
    }

    /// Points in order.
    pub(super) fn points(&self, name: &str) -> Vec<Point> {
        points(&self.value(name)).unwrap_or_default()
    }
}
