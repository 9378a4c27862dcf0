//! Whatever a document may say within the ranges that the schemas declare, nothing panics and every
//! number that comes out is finite.

use crate::cases::cases;
use crate::common::scenes::{compiled, hastily};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::{Map, Value, json};
use std::ops::Range;
use zickzack_core::graph::{EndReport, report};
use zickzack_core::keys::{bake_dense, bake_reduced};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::pose::angle_between;
use zickzack_core::scene::{BEYOND, Space, check_value};
use zickzack_core::schema::{Param, PortKind, Schema, Values};

/// Parts of the patience that there is for users: for what nodes give and pictures of it, and for files.
const PATIENCE: f64 = 0.02;
const FILE_PATIENCE: f64 = 5e-4;

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
    let beyond = prop::sample::select(BEYOND);
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

/// Things that fly, ride, roll or run to and fro, turned by their travel, with followers.
fn turned() -> impl Strategy<Value = Value> {
    let sources: [&[&str]; 5] = [
        &["launch", "face-travel", "output"],
        &["move", "ride", "face-travel", "followers", "output"],
        &["coast", "face-travel", "output"],
        &["launch", "face-travel", "followers", "face-travel", "output"],
        &["figure", "ride", "retime", "face-travel", "waver", "output"],
    ];
    prop::strategy::Union::new(sources.map(|last| document_with(0..4, last).boxed()))
}

/// Prepared over `near` and over much more, a scene shows the same.
fn same_whatever_range(document: Value, near: Frames) -> Result<(), TestCaseError> {
    let (cancel, compiled) = (Cancel::default(), compiled(document));
    let moves =
        compiled.nodes.keys().any(|id| compiled.path(id).is_some_and(|product| product.path.unmoving().is_none()));
    let looked_at = if moves { 2 } else { 9 };
    for end in &compiled.ends {
        let wide = Frames { from: -40.0, to: 150.0 };
        let (Ok(near_ready), Ok(wide_ready)) =
            (prepared(&end.motion, near, &cancel), prepared(&end.motion, wide, &cancel))
        else {
            continue;
        };
        let (mut some, mut all) = (Sample::default(), Sample::default());
        for step in 0..looked_at {
            let frame = near.from + (near.to - near.from) * f64::from(step) / f64::from(looked_at - 1);
            near_ready.sample(frame, Columns::POSE, &mut some);
            wide_ready.sample(frame, Columns::POSE, &mut all);
            for object in 0..near_ready.len() {
                let (a, b) = (some.pose(object), all.pose(object));
                let size = 1.0 + a.position.length();
                let near = a.position.distance(b.position) <= 1e-9 * size && a.scale == b.scale;
                prop_assert!(near, "{object} at {frame}: {a:?} or {b:?}");
                let apart = angle_between(a.orientation, b.orientation);
                prop_assert!(apart <= 1e-6, "{object} at {frame} is {}° apart", apart.to_degrees());
            }
        }
    }
    Ok(())
}

/// Things that ride, are driven, kept in time and cut, and are thrown.
fn travelling() -> impl Strategy<Value = Value> {
    let sources: [&[&str]; 5] = [
        &["figure", "ride", "output"],
        &["figure", "ride", "retime", "output"],
        &["launch", "retime", "output"],
        &["figure", "ride", "shudder", "output"],
        &["launch", "two-shots", "output"],
    ];
    prop::strategy::Union::new(sources.map(|last| document_with(0..2, last).boxed())).prop_map(tamed)
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

/// The velocity at a frame is how the place changes after it, or before it.
fn one_sided(motion: &dyn Motion, object: usize, frame: f64) -> Result<(), TestCaseError> {
    let mut sample = Sample::default();
    let h = 1e-6;
    let at = [-2.0 * h, -h, 0.0, h, 2.0 * h, -0.5 * h, 0.5 * h].map(|by| (object, frame + by));
    motion.sample_at(&at, Columns::POSITION | Columns::VELOCITY, &mut sample);
    let p = &sample.positions;
    let (before, after) = ((p[1] - p[0]) / h, (p[4] - p[3]) / h);
    let (told, size) = (sample.velocities[2], 1.0 + p[2].length());
    let near = |side: DVec3| told.distance(side) < 2e-2 * side.length() + 1e-3 * size;
    // What is as wide as a continent bends within less than a look.
    if told.length() > 1e4 || size > 1e4 {
        return Ok(());
    }
    // Where a jump lies between the two looks nothing is known of that side.
    let jumps = |a: usize, b: usize| {
        p[a].distance(p[b]) > 3.0 * h * (sample.velocities[a].length() + sample.velocities[b].length()) + 1e-9 * size
    };
    // Nor of what is there for this moment alone.
    if jumps(0, 1) || jumps(3, 4) || (jumps(1, 2) && jumps(2, 3)) {
        return Ok(());
    }
    // Nor of a side that still bends within the look.
    let settled = |side: DVec3, nearest: DVec3| side.distance(2.0 * nearest) <= 1e-4 * size + 1e-3 * side.length();
    if !settled(before, (p[5] - p[1]) / h) || !settled(after, (p[3] - p[6]) / h) {
        return Ok(());
    }
    prop_assert!(near(before) || near(after), "{object} at {frame}: {told}, but {before} before and {after} after");
    Ok(())
}

proptest! {
    #![proptest_config(cases(64))]

    #[test]
    fn any_scene_within_its_ranges_gives_finite_poses_keys_and_reports(document in document()) {
        // What is drawn over other things in a flat scene lies nearer to the viewer.
        let nearer = document["nodes"].as_object().unwrap().values().any(|node| node["params"].get("nearer").is_some());
        // With less patience than there is for users: what is given up says so, and all else holds.
        let (mut compiled, cancel) = (hastily(document, PATIENCE), Cancel::patient(PATIENCE));
        for end in compiled.ends.clone() {
            if let Err(MotionError::TooMuch(why)) = EndReport::of(&end, compiled.timing.frames, compiled.timing.fps, &cancel) {
                compiled.refuse(&end.node, &why);
            }
        }
        for told in report(&compiled).values() {
            let sentences = told.messages.iter().all(|text| text.ends_with('.') && text.chars().next().is_some_and(|first| first.is_uppercase() || first.is_numeric()));
            prop_assert!(sentences, "{:?}", told.messages);
        }
        compiled.miniatures(&cancel).unwrap();
        let living = compiled.living_miniature(12, &cancel);
        prop_assert!(matches!(living, Ok(_) | Err(MotionError::TooMuch(_))));
        let frames = compiled.timing.frames;
        // Every frame of a path that moves is a path of its own: a few of them must do.
        let moves = compiled.nodes.keys().any(|id| compiled.path(id).is_some_and(|product| product.path.unmoving().is_none()));
        let (steps, baked) = if moves { (2, 1.0) } else { (12, 20.0) };
        for end in &compiled.ends {
            let told = EndReport::of(end, frames, compiled.timing.fps, &cancel).unwrap();
            prop_assert!([told.seam.position, told.seam.velocity, told.seam.orientation, told.seam.spin].iter().all(|gap| gap.is_finite()));
            let range = Frames { from: -2.5, to: frames + 2.5 };
            let ready = prepared(&end.motion, range.widened(1.0), &cancel).unwrap();
            let mut sample = Sample::default();
            let mut same = Sample::default();
            let columns = Columns::POSE | Columns::VELOCITY | Columns::SPIN | Columns::TRAVEL | Columns::PLACE | Columns::CUT;
            for step in 0..steps {
                let frame = range.from + (range.to - range.from) * f64::from(step) / f64::from(steps - 1);
                ready.sample(frame, columns, &mut sample);
                let at: Vec<(usize, f64)> = (0..ready.len()).map(|object| (object, frame)).collect();
                ready.sample_at(&at, columns, &mut same);
                prop_assert_eq!(&sample, &same, "all at one frame, or each by itself");
                for object in 0..ready.len() {
                    let pose = sample.pose(object);
                    prop_assert!(pose.position.is_finite() && pose.orientation.is_finite(), "{object} at {frame}: {pose:?}");
                    prop_assert!((pose.orientation.length() - 1.0).abs() < 1e-9);
                    prop_assert!(compiled.timing.space == Space::Deep || nearer || pose.position.z == 0.0, "{pose:?} in a flat scene");
                    prop_assert!(sample.velocities[object].is_finite() && sample.spins[object].is_finite());
                    prop_assert!(sample.cuts[object].normal.is_finite() && sample.cuts[object].beyond.is_finite());
                }
            }
            // More corners than can be looked at are refused, and not left out.
            let (range, cancel) = (Frames { from: 0.0, to: frames.min(baked) }, Cancel::patient(FILE_PATIENCE));
            for keys in [bake_reduced(&end.motion, range, (0.01, 0.01), &cancel), bake_dense(&end.motion, range, 0.7, &cancel)].into_iter().flatten() {
                for object in &keys.objects {
                    let finite = object.position.iter().flat_map(|channel| &channel.keys).all(|key| key.value[0].is_finite() && key.slope_in[0].is_finite() && key.slope_out[0].is_finite());
                    prop_assert!(finite && object.orientation.keys.iter().all(|key| key.value.iter().all(|x| x.is_finite())));
                }
            }
        }
    }

    #[test]
    fn any_json_is_a_value_or_refused_with_the_name_of_what_it_is_for(json in arbitrary_json()) {
        for schema in &Registry::default().schemas {
            for param in &schema.params {
                if let Err(why) = check_value(param, &json) {
                    prop_assert!(why.starts_with(param.label) && why.ends_with('.'), "{}/{}: {why}", schema.name, param.name);
                }
            }
        }
    }
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn what_is_seen_at_a_frame_is_the_same_whatever_range_is_prepared(document in document(), from in -30.0..80.0f64, long in 0.0..60.0f64) {
        same_whatever_range(document, Frames { from, to: from + long })?;
    }

    #[test]
    fn what_faces_its_travel_stands_the_same_whatever_range_is_prepared(document in turned(), from in -30.0..80.0f64, long in 0.0..60.0f64) {
        same_whatever_range(document, Frames { from, to: from + long })?;
    }

    #[test]
    fn velocities_where_something_starts_stops_or_jumps_are_those_of_one_side(document in travelling()) {
        let compiled = compiled(document);
        let (frames, cancel) = (compiled.timing.frames, Cancel::default());
        for end in compiled.ends.iter().filter(|end| end.output) {
            let Ok(ready) = prepared(&end.motion, Frames { from: -1.0, to: frames + 1.0 }, &cancel) else { continue };
            // On a path as long as a continent a metre is what rounding leaves.
            if ready.path().is_some_and(|path| path.at(0.0).strands().iter().any(|strand| strand.length() > 1e6)) {
                continue;
            }
            for object in 0..ready.len().min(3) {
                let Ok(breaks) = ready.breaks(object, Frames { from: -0.5, to: frames + 0.5 }) else { continue };
                for at in breaks.iter().map(|b| b.frame).filter(|frame| frame.abs() > 1e-9).take(40).chain([0.0, frames]) {
                    one_sided(&*ready, object, at)?;
                }
            }
        }
    }
}

/// Names of fields that values have, and one that none has.
const FIELDS: [&str; 12] =
    ["id", "at", "kind", "in", "out", "x", "keys", "frame", "value", "handles", "before", "formula"];

fn arbitrary_json() -> impl Strategy<Value = Value> {
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
