//! Numbers that change over time: by keys, by a formula, by a thread from a signal.

use crate::cases::cases;
use crate::common::scenes::{read, workshop};
use proptest::prelude::*;
use serde_json::{Value, json};
use zickzack_core::graph::{Compiled, NodeResult, Product, compile};
use zickzack_core::motion::{Cancel, Columns, Frames, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Op, Scene, apply};
use zickzack_core::seam::measure;

const FRAMES: f64 = 48.0;
/// Metres round the circle that things ride.
const ROUND: f64 = std::f64::consts::TAU;

/// A circle, a ride on it with these parameters, an Output; and more nodes and threads.
fn scene(ride: Value, nodes: Value, threads: Value) -> Scene {
    let mut document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Driven", "space": "deep", "fps": "24", "frames": FRAMES as u32,
        "nodes": {
            "path": { "type": "figure", "name": "Way", "params": { "form": "circle", "radius": 1 } },
            "ride": { "type": "ride", "name": "Riders", "params": ride },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" },
            "t2": { "from": "ride", "to": "out", "port": "motion" }
        }
    });
    for (field, more) in [("nodes", nodes), ("threads", threads)] {
        for (id, value) in more.as_object().unwrap() {
            document[field][id] = value.clone();
        }
    }
    read(document)
}

fn compiled(scene: &Scene) -> Compiled {
    workshop(|workshop| compile(scene, workshop))
}

/// Laps of the first thing at a frame.
fn laps(compiled: &Compiled, frame: f64) -> f64 {
    let motion = &compiled.ends[0].motion;
    let ready = prepared(motion, Frames { from: -FRAMES, to: 2.0 * FRAMES }, &Cancel::default()).unwrap();
    let mut sample = Sample::default();
    ready.sample_at(&[(0, frame)], Columns::PLACE, &mut sample);
    sample.places[0].laps
}

fn keys(list: &[(f64, f64)]) -> Value {
    let key =
        |(i, (frame, value)): (usize, &(f64, f64))| json!({ "id": format!("k{i}"), "frame": frame, "value": value });
    list.iter().enumerate().map(key).collect()
}

fn signal<'a>(compiled: &'a Compiled, node: &str) -> &'a dyn zickzack_core::signal::Signal {
    match compiled.nodes[node].product() {
        Some(Product::Signal(signal)) => &**signal,
        _ => panic!("{node} gives no signal"),
    }
}

fn messages(result: &NodeResult) -> Vec<String> {
    match result.outcome.as_ref() {
        Ok(outcome) => outcome.warnings.clone(),
        Err(why) => vec![why.clone()],
    }
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn a_number_is_the_same_by_keys_in_place_or_by_a_thread_from_keys(
        list in prop::collection::vec((0.0..48.0f64, -3.0..3.0f64), 1..5), frame in 0.0..48.0f64,
    ) {
        let list = keys(&list);
        let placed = compiled(&scene(json!({ "pace": "progress", "progress": { "keys": list } }), json!({}), json!({})));
        let node = json!({ "keys": { "type": "keys", "name": "Keys", "params": { "keys": list } } });
        let thread = json!({ "t3": { "from": "keys", "to": "ride", "port": "progress" } });
        let threaded = compiled(&scene(json!({ "pace": "progress", "progress": 0.25 }), node, thread));
        prop_assert_eq!(laps(&placed, frame), laps(&threaded, frame));
        prop_assert_eq!(laps(&threaded, frame), signal(&threaded, "keys").at(frame));
    }

    #[test]
    fn what_a_driven_pace_covers_is_its_integral(
        list in prop::collection::vec((0.0..48.0f64, -3.0..3.0f64), 1..5), frame in 0.0..48.0f64,
    ) {
        let list = keys(&list);
        let node = json!({ "keys": { "type": "keys", "name": "Keys", "params": { "keys": list } } });
        let by_laps = compiled(&scene(json!({}), node.clone(), json!({ "t3": { "from": "keys", "to": "ride", "port": "laps" } })));
        let exact = signal(&by_laps, "keys").integral(0.0, frame).unwrap();
        prop_assert!((laps(&by_laps, frame) - exact / FRAMES).abs() < 1e-12);
        let speed = json!({ "pace": "metres per second" });
        let by_speed = compiled(&scene(speed, node, json!({ "t3": { "from": "keys", "to": "ride", "port": "speed" } })));
        prop_assert!((laps(&by_speed, frame) - exact / 24.0 / ROUND).abs() < 1e-12);
    }

    #[test]
    fn offers_for_what_is_driven_close_by_its_integral(
        list in prop::collection::vec((0.0..48.0f64, 0.5..3.0f64), 1..5), riders in 1u32..7, which in prop::sample::select(vec!["laps", "progress", "formula"]),
    ) {
        let mut params = json!({ "riders": riders });
        match which {
            "laps" => {
                // As quick at the end as at the beginning, or there is a step in its velocity that no factor mends.
                let mut list: Vec<(f64, f64)> = list.clone();
                list.retain(|(frame, _)| (1.0..47.0).contains(frame));
                list.extend([(0.0, 1.7), (48.0, 1.7)]);
                params["laps"] = json!({ "keys": keys(&list) });
            }
            "progress" => {
                params["pace"] = json!("progress");
                params["progress"] = json!({ "keys": keys(&[(0.0, 0.2), (48.0, 0.2 + list[0].1)]) });
            }
            _ => params["laps"] = json!({ "formula": format!("{:?} + sin(tau * loop)", list[0].1) }),
        }
        let scene = scene(params, json!({}), json!({}));
        let offers = compiled(&scene).ends[0].offers.clone();
        let open = measure(&compiled(&scene).ends[0].motion, FRAMES, 24.0, &Cancel::default()).unwrap();
        prop_assert_eq!(open.closes(1e-6), offers.is_empty());
        for offer in offers {
            let op = Op::Put { at: vec!["nodes".to_owned(), offer.node, "params".to_owned(), offer.param], value: offer.value, before: None };
            let taken = compiled(&apply(&scene, &[op], &Registry::default().schemas).unwrap().0);
            let seam = measure(&taken.ends[0].motion, FRAMES, 24.0, &Cancel::default()).unwrap();
            let off = seam.position.amount;
            prop_assert!(off <= 1e-9, "{} leaves {off}", offer.text);
        }
    }
}

#[test]
fn two_numbers_listen_to_one_signal_and_both_change_with_it() {
    let nodes = json!({ "wave": { "type": "wave", "name": "Wave", "params": { "amount": 0.5 } },
        "other": { "type": "ride", "name": "Others" }, "out2": { "type": "output", "name": "Out 2" } });
    let threads = json!({
        "t3": { "from": "wave", "to": "ride", "port": "up" }, "t4": { "from": "wave", "to": "other", "port": "up" },
        "t5": { "from": "path", "to": "other", "port": "path" }, "t6": { "from": "other", "to": "out2", "port": "motion" }
    });
    let scene = scene(json!({}), nodes, threads);
    let heights = |scene: &Scene| -> Vec<f64> {
        compiled(scene)
            .ends
            .iter()
            .map(|end| {
                let mut sample = Sample::default();
                end.motion.sample_at(&[(0, 12.0)], Columns::POSITION, &mut sample);
                sample.positions[0].y
            })
            .collect()
    };
    for (up, height) in heights(&scene).iter().zip([0.5, 0.5]) {
        assert!((up - height).abs() < 1e-9, "{up}");
    }
    let op = Op::Put {
        at: ["nodes", "wave", "params", "amount"].map(str::to_owned).to_vec(),
        value: json!(0.25),
        before: None,
    };
    let changed = apply(&scene, &[op], &Registry::default().schemas).unwrap().0;
    assert!(heights(&changed).iter().all(|up| (up - 0.25).abs() < 1e-9));
}

#[test]
fn keys_can_be_edited_one_by_one_in_place_of_a_number_and_of_one_of_three() {
    let schemas = Registry::default().schemas;
    let ride = json!({ "laps": { "keys": keys(&[(0.0, 1.0), (48.0, 2.0)]) } });
    let mut scene = scene(
        ride,
        json!({ "box": { "type": "box", "name": "Box", "params": { "at": [0, { "keys": keys(&[(0.0, 1.0)]) }, 0] } } }),
        json!({}),
    );
    let key = |id: &str, frame: f64| json!({ "id": id, "frame": frame, "value": 0.5 });
    for address in [vec!["nodes", "ride", "params", "laps", "keys"], vec!["nodes", "box", "params", "at", "1", "keys"]]
    {
        let at = |id: &str| address.iter().copied().chain([id]).map(str::to_owned).collect::<Vec<_>>();
        let edit = [
            Op::Put { at: at("new"), value: key("new", 7.0), before: None },
            Op::Put { at: at("k0"), value: key("k0", 2.0), before: None },
        ];
        let (edited, back) = apply(&scene, &edit, &schemas).unwrap();
        assert_ne!(edited, scene);
        assert_eq!(apply(&edited, &back, &schemas).unwrap().0, scene);
        scene = edited;
    }
    assert_eq!(scene.nodes["box"].params["at"][1]["keys"][1], key("new", 7.0));
}

#[test]
fn a_path_made_with_a_driven_number_moves() {
    let nodes = json!({ "keys": { "type": "keys", "name": "Keys", "params": { "keys": keys(&[(0.0, 1.0), (24.0, 3.0)]), "beyond": "holds" } } });
    let made = compiled(&scene(
        json!({ "laps": "0" }),
        nodes,
        json!({ "t3": { "from": "keys", "to": "path", "port": "radius" } }),
    ));
    let path = &made.path("path").unwrap().path;
    for (frame, radius) in [(0.0, 1.0), (12.0, 2.0), (24.0, 3.0), (40.0, 3.0)] {
        assert!((path.at(frame).length() - radius * ROUND).abs() < 1e-9);
    }
}

#[test]
fn a_signal_made_with_a_driven_number_is_at_each_frame_as_it_is_made_for_it() {
    let nodes = json!({ "ramp": { "type": "ramp", "name": "Ramp" }, "wave": { "type": "wave", "name": "Wave" } });
    let made = compiled(&scene(json!({}), nodes, json!({ "t3": { "from": "ramp", "to": "wave", "port": "amount" } })));
    for frame in [0.0, 5.0, 17.5, 40.0] {
        let expected = frame / FRAMES * libm::sin(ROUND * frame / FRAMES);
        assert!((signal(&made, "wave").at(frame) - expected).abs() < 1e-12);
    }
}

#[test]
fn a_signal_that_leaves_the_range_of_a_number_is_kept_in_it_and_that_is_said() {
    let nodes = json!({ "wave": { "type": "wave", "name": "Wave", "params": { "amount": 50000 } } });
    let made = compiled(&scene(json!({}), nodes, json!({ "t3": { "from": "wave", "to": "ride", "port": "up" } })));
    let told = messages(&made.nodes["ride"]);
    assert!(told.iter().any(|text| text.contains("Above leaves its range")), "{told:?}");
}

#[test]
fn mistakes_in_signals_are_told_in_sentences() {
    let told = |kind: &str, params: Value| {
        let nodes = json!({ "wave": { "type": "wave", "name": "Wave" }, "it": { "type": kind, "name": "It", "params": params } });
        messages(
            &compiled(&scene(json!({}), nodes, json!({ "t3": { "from": "wave", "to": "it", "port": "signal" } })))
                .nodes["it"],
        )
        .join(" ")
    };
    for (kind, params, says) in [
        ("repeat", json!({ "length": 0 }), "repeats nothing"),
        ("span", json!({ "from": 20, "to": 10, "again": false }), "before it begins"),
        ("span", json!({ "from": 20, "to": 20 }), "nothing of the signal"),
        ("rescale", json!({ "low": 2, "high": 2 }), "two different values"),
        ("limit", json!({ "least": 2, "most": 1 }), "more than the most"),
        ("steps", json!({ "way": "to levels", "step": 0 }), "no steps"),
    ] {
        assert!(told(kind, params).contains(says), "{kind}: {says}");
    }
    let alone = |kind: &str, params: Value| {
        messages(
            &compiled(&scene(json!({}), json!({ "it": { "type": kind, "name": "It", "params": params } }), json!({})))
                .nodes["it"],
        )
        .join(" ")
    };
    assert!(alone("formula", json!({ "formula": "1.0 / (frame - 10.0)" })).contains("no number at frame 10"));
    assert!(alone("formula", json!({ "formula": "index" })).contains("index means nothing"));
    assert!(alone("keys", json!({})).contains("no keys yet"));
    assert!(alone("polynomial", json!({ "factors": "1 two" })).contains("\"two\""));
    assert!(alone("span", json!({})).contains("needs a signal"));
}

#[test]
fn a_span_that_ends_before_it_begins_runs_across_the_seam() {
    let nodes = json!({ "keys": { "type": "keys", "name": "Keys", "params": { "keys": keys(&[(0.0, 1.0)]) } },
        "span": { "type": "span", "name": "Span", "params": { "from": 40, "to": 8, "fade": 0 } } });
    let made = compiled(&scene(json!({}), nodes, json!({ "t3": { "from": "keys", "to": "span", "port": "signal" } })));
    let at = |frame: f64| signal(&made, "span").at(frame);
    assert_eq!(
        [at(0.0), at(7.9), at(8.0), at(39.9), at(40.0), at(47.0), at(48.0)],
        [1.0, 1.0, 0.0, 0.0, 1.0, 1.0, 1.0]
    );
}

#[test]
fn keyed_travel_is_at_each_point_when_its_key_says_so_and_at_constant_speed_goes_evenly() {
    let places = [[0.0, 0.0, 0.0], [3.0, 1.0, 0.0], [4.0, 0.0, 2.0], [1.0, 2.0, 5.0]];
    let points: Value = places.iter().enumerate().map(|(i, at)| json!({ "id": format!("p{i}"), "at": at })).collect();
    let times = [(0.0, 0.0), (10.0, 1.0), (31.0, 2.0), (44.0, 3.0)];
    let made = |between: &str, closed: bool| {
        let nodes = json!({
            "drawn": { "type": "drawn-path", "name": "Drawn", "params": { "points": points, "closed": closed } },
            "keyed": { "type": "keyed-travel", "name": "Keyed", "params": { "between": between, "point": { "keys": keys(&times), "beyond": "holds" } } },
            "out2": { "type": "output", "name": "Out 2" }
        });
        let threads = json!({ "t3": { "from": "drawn", "to": "keyed", "port": "path" }, "t4": { "from": "keyed", "to": "out2", "port": "motion" } });
        compiled(&scene(json!({}), nodes, threads))
    };
    let sampled = |compiled: &Compiled, frame: f64| {
        let end = compiled.ends.iter().find(|end| end.node == "out2").unwrap();
        let mut sample = Sample::default();
        end.motion.sample_at(&[(0, frame)], Columns::POSITION | Columns::VELOCITY, &mut sample);
        (sample.positions[0], sample.velocities[0])
    };
    for closed in [false, true] {
        let smooth = made("smooth", closed);
        for ((frame, _), place) in times.iter().zip(places) {
            let here = sampled(&smooth, *frame).0;
            assert!(here.distance(place.into()) < 1e-9, "{here} at {frame}");
        }
        // No jolt at the points in between.
        for frame in [10.0, 31.0] {
            let apart = sampled(&smooth, frame - 1e-7).1 - sampled(&smooth, frame + 1e-7).1;
            assert!(apart.length() < 1e-4, "{apart}");
        }
        let even = made("constant speed", closed);
        let speeds: Vec<f64> = (1..44).map(|frame| sampled(&even, f64::from(frame)).1.length()).collect();
        assert!(speeds.iter().all(|speed| (speed / speeds[0] - 1.0).abs() < 1e-9));
        assert!(sampled(&even, 0.0).0.distance(places[0].into()) < 1e-9);
        assert!(sampled(&even, 44.0).0.distance(places[3].into()) < 1e-6);
    }
}

#[test]
fn keyed_travel_stays_at_a_point_that_is_named_and_left_alone_goes_round() {
    let travelled = |params: Value| {
        let nodes = json!({ "keyed": { "type": "keyed-travel", "name": "Keyed", "params": params }, "out2": { "type": "output", "name": "Out 2" } });
        let threads = json!({ "t3": { "from": "path", "to": "keyed", "port": "path" }, "t4": { "from": "keyed", "to": "out2", "port": "motion" } });
        let made = compiled(&scene(json!({}), nodes, threads));
        let end = made.ends.iter().find(|end| end.node == "out2").unwrap();
        let mut sample = Sample::default();
        end.motion.sample_at(&[(0, 0.0), (0, 24.0)], Columns::POSITION, &mut sample);
        sample.positions[0].distance(sample.positions[1])
    };
    assert_eq!(travelled(json!({ "point": 0.25 })), 0.0);
    assert!((travelled(json!({})) - 2.0).abs() < 1e-9);
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn links_that_do_not_fit_do_after_any_value_that_is_offered(
        pitch in 0.1..0.6f64, figure in prop::sample::select(vec!["circle", "belt", "ellipse", "polygon"]), size in 1.0..4.0f64,
    ) {
        let chain = json!({ "links": { "type": "links", "name": "Chain", "params": { "given": "pitch", "pitch": pitch } } });
        let thread = json!({ "t3": { "from": "ride", "to": "links", "port": "motion" } });
        let mut scene = scene(json!({}), chain, thread);
        scene.node_mut("path").unwrap().params = [("figure", json!(figure)), ("radius", json!(size)), ("second-radius", json!(0.5 * size)), ("apart", json!(3.0 * size))]
            .map(|(name, value)| (name.to_owned(), value)).into();
        let report = zickzack_core::graph::report(&compiled(&scene));
        let told = &report["links"];
        prop_assert_eq!(told.messages.len(), 1);
        let elsewhere = told.mends.iter().filter(|mend| mend.node.is_some()).count();
        prop_assert!(elsewhere >= 1, "{:?}", told.mends);
        for mend in &told.mends {
            let mut mended = scene.clone();
            let node = mend.node.as_deref().unwrap_or("links");
            mended.node_mut(node).unwrap().params.insert(mend.param.to_owned(), mend.value.clone());
            let after = zickzack_core::graph::report(&compiled(&mended));
            prop_assert!(after["links"].messages.is_empty(), "{}: {:?}", mend.text, after["links"].messages);
        }
    }

    #[test]
    fn a_follower_with_a_look_of_its_own_goes_as_before_and_the_others_look_as_before(
        rank in 0usize..7, frame in 0.0..48.0f64, scale in 0.2..3.0f64, leads in 1usize..4,
    ) {
        let of = |params: Value| {
            let nodes = json!({ "line": { "type": "followers", "name": "Line", "params": params } });
            let threads = json!({ "t2": { "from": "line", "to": "out", "port": "motion" }, "t3": { "from": "ride", "to": "line", "port": "motion" } });
            compiled(&scene(json!({ "riders": leads }), nodes, threads)).ends[0].motion.clone()
        };
        let look = json!([{ "id": rank.to_string(), "thing": "lantern", "colour": "#c8421a", "scale": scale }]);
        let (plain, own) = (of(json!({ "followers": 6 })), of(json!({ "followers": 6, "looks": look })));
        let (mut before, mut after) = (Sample::default(), Sample::default());
        plain.sample(frame, Columns::POSE, &mut before);
        own.sample(frame, Columns::POSE, &mut after);
        prop_assert_eq!(&before.positions, &after.positions);
        for object in 0..own.len() {
            let dressed = object / leads == rank;
            let kind = &own.kinds()[own.kind(object)];
            prop_assert_eq!(kind.thing.as_str(), if dressed { "lantern" } else { "" });
            prop_assert_eq!(kind.colour.as_str(), if dressed { "#c8421a" } else { "" });
            prop_assert_eq!(after.scales[object], before.scales[object] * if dressed { scale } else { 1.0 });
            // Those that look alike may trade places at the seam, the others not.
            prop_assert_eq!(own.look(object) == own.look(if rank == 0 { leads } else { 0 }), !dressed);
        }
    }
}

proptest! {
    #![proptest_config(cases(32))]

    /// Progress counts modulo a lap: what wraps by itself goes as evenly as what does not.
    #[test]
    fn progress_that_wraps_by_itself_goes_as_evenly(pace in -0.2..0.2f64, first in 0.0..1.0f64, frame in 0.0..48.0f64) {
        prop_assume!(pace.abs() > 1e-3);
        let of = |formula: String| compiled(&scene(json!({ "pace": "progress", "progress": { "formula": formula } }), json!({}), json!({})));
        let wraps = of(format!("fract({pace} * frame + {first})"));
        let runs = of(format!("{pace} * frame + {first}"));
        let state = |compiled: &Compiled, frame: f64| {
            let motion = prepared(&compiled.ends[0].motion, Frames { from: 0.0, to: FRAMES }, &Cancel::default()).unwrap();
            let mut sample = Sample::default();
            motion.sample_at(&[(0, frame)], Columns::POSITION | Columns::VELOCITY, &mut sample);
            (sample.positions[0], sample.velocities[0])
        };
        // The moment at which it wraps, too.
        let wrap = ((pace * frame + first).round() - first) / pace;
        for frame in [frame, wrap, wrap + 1e-9, wrap - 1e-9].into_iter().filter(|frame| (0.0..48.0).contains(frame)) {
            let ((a, v), (b, w)) = (state(&wraps, frame), state(&runs, frame));
            prop_assert!(a.distance(b) < 1e-6, "{frame}: {a} {b}");
            prop_assert!(v.distance(w) < 1e-6, "{frame}: {v} {w}");
        }
        let seam = |compiled: &Compiled| measure(&compiled.ends[0].motion, FRAMES, 24.0, &Cancel::default()).unwrap();
        prop_assert!(seam(&wraps).leaps.leaps.is_empty());
        prop_assert_eq!(seam(&wraps).leaps.flips, seam(&runs).leaps.flips);
    }
}
