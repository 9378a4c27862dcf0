//! Whatever a document may say within the ranges that the schemas declare, nothing panics and every
//! number that comes out is finite.

use proptest::prelude::*;
use serde_json::{Map, Value, json};
use zickzack_core::graph::{EndReport, Memo, NoAssets, Workshop, compile, report};
use zickzack_core::keys::{bake_dense, bake_reduced};
use zickzack_core::motion::{Cancel, Columns, Frames, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Scene, Space, check_value};
use zickzack_core::schema::{Schema, Values};

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
        Values::Fraction { .. } => (-10_000i64..10_000, 1i64..400).prop_map(|(a, b)| json!(format!("{a}/{b}"))).boxed(),
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
        Values::Asset { .. } | Values::Text { .. } => "[a-z]{0,4}".prop_map(|text| json!(text)).boxed(),
    }
}

/// Some of a node's parameters, each within what its schema declares.
fn params(schema: &Schema) -> BoxedStrategy<Map<String, Value>> {
    let each: Vec<_> = schema
        .params
        .iter()
        .map(|param| {
            let name = param.name;
            prop::option::weighted(0.7, value(&param.values)).prop_map(move |value| (name, value))
        })
        .collect();
    each.prop_map(|list| list.into_iter().filter_map(|(name, value)| Some((name.to_owned(), value?))).collect()).boxed()
}

fn document() -> impl Strategy<Value = Value> {
    let registry = Registry::default();
    let of = |name: &str| params(registry.schemas.iter().find(|schema| schema.name == name).unwrap());
    let nodes = (of("drawn-path"), of("ride"), of("face-travel"), of("launch"), of("face-travel"), of("output"));
    (nodes, any::<bool>(), 1u32..60, prop::sample::select(vec!["1", "24000/1001", "240"])).prop_map(
        |((path, ride, face, launch, face2, output), flat, frames, fps)| {
            json!({
                "format": "zickzack-scene", "version": 1, "name": "Anything", "fps": fps, "frames": frames,
                "space": if flat { "flat" } else { "deep" },
                "nodes": {
                    "path": { "type": "drawn-path", "name": "Path", "params": path },
                    "ride": { "type": "ride", "name": "Ride", "params": ride },
                    "face": { "type": "face-travel", "name": "Face", "params": face },
                    "out": { "type": "output", "name": "Out", "params": output },
                    "launch": { "type": "launch", "name": "Launch", "params": launch },
                    "face2": { "type": "face-travel", "name": "Face 2", "params": face2 },
                },
                "threads": {
                    "a": { "from": "path", "to": "ride", "port": "path" },
                    "b": { "from": "ride", "to": "face", "port": "motion" },
                    "c": { "from": "face", "to": "out", "port": "motion" },
                    "d": { "from": "launch", "to": "face2", "port": "motion" },
                },
            })
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn any_scene_within_its_ranges_gives_finite_poses_keys_and_reports(document in document()) {
        let registry = Registry::default();
        let scene = Scene::from_value(document, &registry.schemas).expect("within its ranges it is a scene");
        let cancel = Cancel::default();
        let workshop = Workshop {
            types: &registry.types, schemas: &registry.schemas, memo: &Memo::default(), assets: &NoAssets, clock: &|| 0, cancel: &cancel,
        };
        let compiled = compile(&scene, &workshop);
        for told in report(&compiled).values() {
            let sentences = told.messages.iter().all(|text| text.ends_with('.') && text.chars().next().is_some_and(char::is_uppercase));
            prop_assert!(sentences, "{:?}", told.messages);
        }
        compiled.miniatures(&cancel).unwrap();
        compiled.living_miniature(12, &cancel).unwrap();
        let frames = compiled.timing.frames;
        for end in &compiled.ends {
            let told = EndReport::of(end, frames, compiled.timing.fps, &cancel).unwrap();
            prop_assert!([told.seam.position, told.seam.velocity, told.seam.orientation, told.seam.spin].iter().all(|gap| gap.is_finite()));
            let range = Frames { from: -2.5, to: frames + 2.5 };
            let ready = prepared(&end.motion, range.widened(1.0), &cancel).unwrap();
            let mut sample = Sample::default();
            let mut same = Sample::default();
            let columns = Columns::POSE | Columns::VELOCITY | Columns::SPIN | Columns::TRAVEL | Columns::PLACE;
            for step in 0..12 {
                let frame = range.from + (range.to - range.from) * f64::from(step) / 11.0;
                ready.sample(frame, columns, &mut sample);
                let at: Vec<(usize, f64)> = (0..ready.len()).map(|object| (object, frame)).collect();
                ready.sample_at(&at, columns, &mut same);
                prop_assert_eq!(&sample, &same, "all at one frame, or each by itself");
                for object in 0..ready.len() {
                    let pose = sample.pose(object);
                    prop_assert!(pose.position.is_finite() && pose.orientation.is_finite(), "{object} at {frame}: {pose:?}");
                    prop_assert!((pose.orientation.length() - 1.0).abs() < 1e-9);
                    prop_assert!(scene.space == Space::Deep || pose.position.z == 0.0, "{pose:?} in a flat scene");
                    prop_assert!(sample.velocities[object].is_finite() && sample.spins[object].is_finite());
                }
            }
            // More corners than can be looked at are refused, and not left out.
            for keys in [bake_reduced(&end.motion, Frames { from: 0.0, to: frames.min(20.0) }, 0.01, &cancel), bake_dense(&end.motion, Frames { from: 0.0, to: frames.min(20.0) }, 0.7, &cancel)].into_iter().flatten() {
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
            prop::collection::vec((prop::sample::select(vec!["id", "at", "kind", "in", "out", "x"]), inner), 0..6)
                .prop_map(|fields| Value::Object(fields.into_iter().map(|(k, v)| (k.to_owned(), v)).collect())),
        ]
    })
}
