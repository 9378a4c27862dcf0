//! Documents at random, within the ranges that the schemas declare.

use proptest::prelude::*;
use serde_json::{Map, Value, json};
use std::ops::Range;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::KeysBeyond;
use zickzack_core::schema::Choice;
use zickzack_core::schema::{Param, PortKind, Schema, Values};

/// A number from a range, its ends and nothing more often than not.
fn number(min: f64, max: f64) -> BoxedStrategy<f64> {
    let zero = 0.0_f64.clamp(min, max);
    let near = (-10.0_f64).clamp(min, max)..=10.0_f64.clamp(min, max);
    prop_oneof![1 => Just(min), 1 => Just(max), 2 => Just(zero), 6 => near, 2 => min..=max].boxed()
}

fn place() -> impl Strategy<Value = Value> {
    let coordinate =
        || prop_oneof![1 => Just(0.0), 6 => -9.0..9.0f64, 1 => Just(1e9), 1 => Just(-1e9), 1 => -1e-12..1e-12f64];
    (coordinate(), coordinate(), coordinate()).prop_map(|(x, y, z)| json!([x, y, z]))
}

fn points() -> impl Strategy<Value = Value> {
    let handle = || prop::option::weighted(0.2, place());
    let point = (place(), any::<bool>(), handle(), handle());
    prop::collection::vec(point, 0..9).prop_map(|list| {
        let point = |(i, (at, corner, into, out)): (usize, (Value, bool, Option<Value>, Option<Value>))| {
            let mut point =
                json!({ "id": format!("p{i}"), "at": at, "kind": if corner { "corner" } else { "smooth" } });
            if let Some(into) = into {
                point["in"] = into;
            }
            if let Some(out) = out {
                point["out"] = out;
            }
            point
        };
        Value::Array(list.into_iter().enumerate().map(point).collect())
    })
}

fn value(values: &Values) -> BoxedStrategy<Value> {
    match values {
        Values::Number { min, max, .. } => number(*min, *max).prop_map(|x| json!(x)).boxed(),
        // Few things: many are refused by the budget, which has a test of its own.
        Values::Whole { min, max, .. } => (*min..=(*max).min(40)).prop_map(|x| json!(x)).boxed(),
        Values::Fraction { min, max, .. } => {
            let (min, max) = (*min, *max);
            let parts = (-10_000i64..10_000, 1i64..400);
            parts
                .prop_map(move |(a, b)| {
                    let whole = |limit: f64| (limit * b as f64) as i64;
                    json!(format!("{}/{b}", a.clamp(whole(min), whole(max))))
                })
                .boxed()
        }
        Values::Choice { options, .. } => prop::sample::select(*options).prop_map(|word| json!(word)).boxed(),
        Values::Several { options, .. } => {
            prop::sample::subsequence(*options, 0..=options.len()).prop_map(|words| json!(words)).boxed()
        }
        Values::Flag { .. } => any::<bool>().prop_map(|x| json!(x)).boxed(),
        Values::Vector { .. } => place().boxed(),
        Values::Points | Values::MovedPoints => points().boxed(),
        Values::PerThing { min, max, .. } => prop::collection::btree_map(0usize..60, number(*min, *max), 0..5)
            .prop_map(|own| own.into_iter().map(|(id, x)| json!({ "id": id.to_string(), "value": x })).collect())
            .boxed(),
        Values::Drawn { min, max, .. } => prop::collection::btree_map(0u32..=100, number(*min, *max), 1..6)
            .prop_map(|points| points.into_iter().map(|(part, y)| json!([f64::from(part) / 100.0, y])).collect())
            .boxed(),
        Values::Looks { things } => {
            let look = (prop::sample::select(*things), "(#[0-9a-f]{6})?", 1e-3..1e3f64);
            prop::collection::btree_map(0usize..60, look, 0..5)
                .prop_map(|own| {
                    let look = |(id, (thing, colour, scale)): (usize, (&str, String, f64))| json!({ "id": id.to_string(), "thing": thing, "colour": colour, "scale": scale });
                    own.into_iter().map(look).collect()
                })
                .boxed()
        }
        Values::Formula { .. } => formula().prop_map(Value::from).boxed(),
        Values::Kinds { things } => kinds(things).boxed(),
        Values::Keys => keys(&(-1e9, 1e9)).boxed(),
        Values::Colour { .. } => "#[0-9a-f]{6}".prop_map(Value::from).boxed(),
        Values::Asset { .. } | Values::Text { .. } => "[a-z]{0,4}".prop_map(|text| json!(text)).boxed(),
    }
}

/// Keys with values in a range, some of them at the same frame.
fn keys(&(min, max): &(f64, f64)) -> BoxedStrategy<Value> {
    let handle = || prop::option::weighted(0.3, (0.0..1e3f64, -9.0..9.0f64));
    let handles = prop::sample::select(vec!["joined", "split", "flat", "straight", "held"]);
    let frame = prop_oneof![Just(0.0), Just(12.0), -50.0..90.0f64];
    let key = (frame, number(min, max), handles, handle(), handle());
    prop::collection::vec(key, 1..6)
        .prop_map(|list| {
            let key = |(i, (frame, value, handles, before, after)): (usize, KeyParts)| {
                let mut key = json!({ "id": format!("k{i}"), "frame": frame, "value": value, "handles": handles });
                if let Some((frames, value)) = before {
                    key["before"] = json!([-frames, value]);
                }
                if let Some((frames, value)) = after {
                    key["after"] = json!([frames, value]);
                }
                key
            };
            list.into_iter().enumerate().map(key).collect()
        })
        .boxed()
}

type KeyParts = (f64, f64, &'static str, Option<(f64, f64)>, Option<(f64, f64)>);

/// Keys in place of a number, or of one of three.
fn keyed(values: &Values) -> BoxedStrategy<Value> {
    let range = match values {
        Values::Number { min, max, .. } | Values::Fraction { min, max, .. } => (*min, *max),
        Values::Whole { min, max, .. } => (*min as f64, (*max).min(40) as f64),
        _ => (-9.0, 9.0),
    };
    let beyond = prop::sample::select(KeysBeyond::WORDS);
    let list = (keys(&range), beyond).prop_map(|(keys, beyond)| json!({ "keys": keys, "beyond": beyond }));
    match values {
        Values::Vector { .. } => list.prop_map(|keys| json!([0.5, keys, 1.0])).boxed(),
        _ => list.boxed(),
    }
}

/// Formulas that mean something, and some that do not.
fn formula() -> BoxedStrategy<String> {
    let leaf = prop_oneof![
        prop::sample::select(vec!["frame", "time", "loop", "along", "index", "count", "dice", "pi", "nothing"])
            .prop_map(str::to_owned),
        (-9.0..9.0f64).prop_map(|x| format!("{x:.3}")),
    ];
    leaf.prop_recursive(3, 12, 3, |inner| {
        let pair = (inner.clone(), inner.clone());
        prop_oneof![
            (pair.clone(), prop::sample::select(vec!["+", "-", "*", "/"]))
                .prop_map(|((a, b), sign)| format!("({a} {sign} {b})")),
            (inner.clone(), prop::sample::select(vec!["sin", "sqrt", "floor", "log"]))
                .prop_map(|(a, name)| format!("{name}({a})")),
            (pair, inner).prop_map(|((a, b), c)| format!("({a} < {b} ? {c} : {b})")),
        ]
    })
    .boxed()
}

fn kinds(things: &'static [&'static str]) -> impl Strategy<Value = Value> {
    let kind = (0.0..5.0f64, 0.1..4.0f64, 0u32..7, prop::sample::select(things.to_vec()));
    prop::collection::vec(kind, 0..4).prop_map(|list| {
        let kind = |(i, (weight, scale, symmetry, thing)): (usize, (f64, f64, u32, &str))| {
            json!({ "id": format!("k{i}"), "weight": weight, "scale": scale, "symmetry": symmetry, "thing": thing })
        };
        list.into_iter().enumerate().map(kind).collect()
    })
}

/// A number of a parameter, or now and then a formula in its place.
fn given(param: &Param) -> BoxedStrategy<Value> {
    let plain = value(&param.values);
    if !param.takes_formula() {
        return plain;
    }
    let formula = formula().prop_map(|text| json!({ "formula": text }));
    let driven = match param.values {
        Values::Vector { .. } => formula.prop_map(|x| json!([x, 0.5, x])).boxed(),
        _ => formula.boxed(),
    };
    if !param.takes_signal() {
        return prop_oneof![7 => plain, 1 => driven].boxed();
    }
    prop_oneof![7 => plain, 1 => driven, 1 => keyed(&param.values)].boxed()
}

/// Each of a node's parameters by chance, within what its schema declares.
pub fn params(schema: &Schema, chance: f64) -> BoxedStrategy<Map<String, Value>> {
    let each: Vec<_> = schema
        .params
        .iter()
        .map(|param| {
            let name = param.name;
            prop::option::weighted(chance, given(param)).prop_map(move |value| (name, value))
        })
        .collect();
    each.prop_map(|list| list.into_iter().filter_map(|(name, value)| Some((name.to_owned(), value?))).collect()).boxed()
}

/// A drawn path, then some nodes of any type, each threaded to any of those before it that fit.
pub fn document() -> impl Strategy<Value = Value> {
    document_with(3..9, &[])
}

/// As `document`, with these nodes at its end, each threaded to the one before where that fits.
pub fn document_with(many: Range<usize>, last: &[&str]) -> impl Strategy<Value = Value> + use<> {
    let registry = Registry::default();
    let schemas = registry.schemas;
    let drawn = params(schemas.iter().find(|schema| schema.name == "drawn-path").unwrap(), 0.5);
    let every: Vec<(Schema, BoxedStrategy<Map<String, Value>>)> =
        schemas.iter().map(|schema| (schema.clone(), params(schema, 0.5))).collect();
    let of = |(schema, params): (Schema, BoxedStrategy<Map<String, Value>>)| (Just(schema), params, any_threads());
    // What is named is to work more often than not: most of it is as it comes.
    let named = |name: &&str| {
        let schema = every.iter().map(|(schema, _)| schema).find(|schema| schema.name == *name).unwrap();
        of((schema.clone(), params(schema, 0.1)))
    };
    let last: Vec<_> = last.iter().map(named).collect();
    let length = last.len();
    let nodes = prop::collection::vec(prop::sample::select(every).prop_flat_map(of), many);
    let nodes = (nodes, last).prop_map(|(nodes, last)| nodes.into_iter().chain(last).collect::<Vec<_>>());
    let settings = (any::<bool>(), 1u32..40, prop::sample::select(vec!["1", "24000/1001", "240"]));
    (drawn, nodes, settings).prop_map(move |(drawn, nodes, (flat, frames, fps))| {
        let mut made = json!({ "n": { "type": "drawn-path", "name": "Path", "params": drawn } });
        let mut threads = json!({});
        let mut gives: Vec<(PortKind, String)> = vec![(PortKind::Path, "n".to_owned())];
        let random = nodes.len() - length;
        for (number, (schema, params, choices)) in nodes.into_iter().enumerate() {
            let id = format!("n{number}");
            made[&id] = json!({ "type": schema.name, "name": schema.title, "params": params });
            for (port, choice) in schema.inputs.iter().zip(&choices) {
                let fits: Vec<&String> =
                    gives.iter().filter(|(kind, _)| *kind == port.kind).map(|(_, id)| id).collect();
                if let (true, Some(from)) = (number > random && port.kind == PortKind::Motion, fits.last()) {
                    threads[format!("{id}{}", port.name)] = json!({ "from": from, "to": id, "port": port.name });
                    continue;
                }
                // The latest one more often than not: chains are what is to be tried.
                if let Some(from) = fits.get(choice.index(2 * fits.len().max(1)).min(fits.len().saturating_sub(1))) {
                    threads[format!("{id}{}", port.name)] = json!({ "from": from, "to": id, "port": port.name });
                }
            }
            // Now and then a signal drives a number.
            let ports: Vec<String> = schema.params.iter().flat_map(Param::ports).collect();
            let signals: Vec<&String> =
                gives.iter().filter(|(kind, _)| *kind == PortKind::Signal).map(|(_, id)| id).collect();
            if let (false, false, Some(choice)) = (ports.is_empty(), signals.is_empty(), choices.last()) {
                let (port, from) = (&ports[choice.index(ports.len())], signals[choice.index(signals.len())]);
                threads[format!("{id}{port}")] = json!({ "from": from, "to": id, "port": port });
            }
            gives.extend(schema.output.map(|kind| (kind, id)));
        }
        json!({
            "format": "zickzack-scene", "version": 1, "name": "Anything", "fps": fps, "frames": frames,
            "space": if flat { "flat" } else { "deep" }, "nodes": made, "threads": threads,
        })
    })
}

fn any_threads() -> impl Strategy<Value = Vec<prop::sample::Index>> {
    prop::collection::vec(any::<prop::sample::Index>(), 7)
}

/// With smaller numbers: what changes by millions a frame shows nothing within a millionth of a frame.
pub fn tamed(mut value: Value) -> Value {
    match &mut value {
        Value::Number(number) => {
            if let Some(large) = number.as_f64().filter(|x| x.abs() > 1e3) {
                return json!(1e3_f64.copysign(large));
            }
        }
        Value::Array(items) => items.iter_mut().for_each(|item| *item = tamed(item.take())),
        Value::Object(fields) => fields.values_mut().for_each(|field| *field = tamed(field.take())),
        _ => {}
    }
    value
}

/// Names of fields that values have, and one that none has.
const FIELDS: [&str; 12] =
    ["id", "at", "kind", "in", "out", "x", "keys", "frame", "value", "handles", "before", "formula"];

pub fn arbitrary_json() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![
        Just(Value::Null),
        any::<bool>().prop_map(|x| json!(x)),
        any::<f64>().prop_map(|x| json!(x)),
        any::<i64>().prop_map(|x| json!(x)),
        ".{0,12}".prop_map(|text| json!(text)),
        Just(json!("9/7")),
    ];
    leaf.prop_recursive(3, 24, 6, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..6).prop_map(Value::Array),
            prop::collection::vec((prop::sample::select(FIELDS.to_vec()), inner), 0..6)
                .prop_map(|fields| Value::Object(fields.into_iter().map(|(k, v)| (k.to_owned(), v)).collect())),
        ]
    })
}
