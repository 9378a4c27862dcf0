//! What nodes say about how they are set up, and what goes on as it was when they are set up otherwise.

use crate::cases::cases;
use crate::common::scenes::{compiled, document};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, Segment, Strand, Traced};
use zickzack_core::fraction::Fraction;
use zickzack_core::graph::{Product, report};
use zickzack_core::keys::{Beyond, FileForm};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Ride, Sample, prepared, trace};

/// The messages of a node.
fn messages(made: Value, node: &str) -> Vec<String> {
    report(&compiled(made))[node].messages.clone()
}

fn facing(up: &str) -> Value {
    let nodes = [
        ("path", "figure", json!({})),
        ("ride", "ride", json!({})),
        ("ground", "plane", json!({})),
        ("face", "face-travel", json!({ "up": up })),
        ("out", "output", json!({})),
    ];
    let threads =
        [("path", "ride", "path"), ("ride", "face", "motion"), ("ground", "face", "ground"), ("face", "out", "motion")];
    document(48, &nodes, &threads)
}

#[test]
fn a_thread_that_a_choice_leaves_out_is_spoken_of() {
    let said = messages(facing("world"), "face");
    assert!(said.len() == 1 && said[0].contains("\"ground\"") && said[0].contains("surface"), "{said:?}");
    assert!(messages(facing("surface"), "face").is_empty());
}

#[test]
fn gravity_below_0_is_spoken_of() {
    let thrown = |gravity: f64| document(48, &[("throw", "launch", json!({ "gravity": gravity }))], &[]);
    assert!(messages(thrown(-9.0), "throw").iter().any(|said| said.contains("below 0")));
    assert!(messages(thrown(9.0), "throw").is_empty());
}

/// What has no size when it is let go is no body.
#[test]
fn bodies_that_are_scaled_to_nothing_are_refused_in_words() {
    let falling = |scale: f64, moved: bool| {
        let nodes = [
            ("still", "pose", json!({ "at": [0, 2, 0] })),
            ("scaled", "pose", json!({ "scale": scale })),
            ("bodies", "bodies", json!({ "form": "box", "size": [1, 1, 1], "begin": 3 })),
        ];
        let [bodies, other] = if moved { ["still", "scaled"] } else { ["scaled", "still"] };
        messages(document(24, &nodes, &[(bodies, "bodies", "motion"), (other, "bodies", "moved")]), "bodies")
    };
    for moved in [false, true] {
        let said = falling(0.0, moved);
        let whose = if moved { "Thing 1 of what moves is thinner" } else { "Thing 1 is thinner" };
        assert!(said.len() == 1 && said[0].starts_with(whose) && said[0].contains("at frame 3"), "{said:?}");
        assert!(falling(1.0, moved).is_empty());
    }
}

proptest! {
    #![proptest_config(cases(48))]

    /// Sides that it does not bounce off may lie anywhere.
    #[test]
    fn a_start_outside_is_spoken_of_just_when_it_lies_beyond_a_side_that_counts(
        start in prop::array::uniform3(-4.0..4.0f64), chosen in prop::sample::subsequence(vec!["left", "right", "bottom", "top", "back", "front"], 0..=6),
    ) {
        let throw = json!({ "start": start, "sides": chosen, "off": "box", "middle": [0, 0, 0], "extent": [4, 4, 4], "size": 0.1 });
        let said = messages(document(24, &[("throw", "launch", throw)], &[]), "throw");
        let beyond = chosen.iter().any(|side| match *side {
            "left" => start[0] < -1.9, "right" => start[0] > 1.9,
            "bottom" => start[1] < -1.9, "top" => start[1] > 1.9,
            "back" => start[2] < -1.9, _ => start[2] > 1.9,
        });
        prop_assert_eq!(said.iter().any(|said| said.contains("outside the sides")), beyond, "{:?} {:?}", said, chosen);
    }

    /// Another unit for the pace leaves things where they go.
    #[test]
    fn a_pace_in_other_units_is_the_same_pace(
        pace in prop_oneof![
            (-5.0..5.0f64).prop_map(|laps| json!({ "pace": "laps per loop", "laps": format!("{laps:.3}") })),
            (10.0..400.0f64).prop_map(|lap| json!({ "pace": "frames per lap", "lap": lap })),
            (-9.0..9.0f64).prop_map(|speed| json!({ "pace": "metres per second", "speed": speed })),
        ],
        radius in 0.5..4.0f64, frames in 24u32..200,
    ) {
        let riding = |params: &Value| {
            let nodes = [("path", "figure", json!({ "radius": radius })), ("ride", "ride", params.clone()), ("out", "output", json!({}))];
            document(frames, &nodes, &[("path", "ride", "path"), ("ride", "out", "motion")])
        };
        let places = |params: &Value| {
            let made = compiled(riding(params));
            let mut sample = Sample::default();
            [0.0, 7.25, 40.0].map(|frame| {
                made.ends[0].motion.sample(frame, Columns::POSITION, &mut sample);
                sample.positions[0]
            })
        };
        let alike = report(&compiled(riding(&pace)))["ride"].alike.clone();
        for (unit, param) in [("laps per loop", "laps"), ("frames per lap", "lap"), ("metres per second", "speed")] {
            let Some(value) = alike.get(param) else { continue };
            let other = json!({ "pace": unit, param: value });
            for (a, b) in places(&pace).into_iter().zip(places(&other)) {
                prop_assert!(a.distance(b) < 1e-4 * radius, "{unit} {value}: {a} {b}");
            }
        }
        prop_assert!(alike.contains_key("laps") && alike.contains_key("speed"));
    }

    /// What is not there has no place, speed or heading.
    #[test]
    fn traces_have_no_values_where_a_thing_is_not_there(from in 0.0..0.5f64, seen in 0.1..0.5f64) {
        let params = json!({ "from": from, "to": from + seen });
        let nodes = [("path", "figure", json!({})), ("ride", "ride", params), ("face", "face-travel", json!({})), ("out", "output", json!({}))];
        let threads = [("path", "ride", "path"), ("ride", "face", "motion"), ("face", "out", "motion")];
        let made = compiled(document(96, &nodes, &threads));
        let motion = prepared(&made.ends[0].motion, Frames { from: -2.0, to: 98.0 }, &Cancel::default()).unwrap();
        let at: Vec<(usize, f64)> = (0..96).map(|frame| (0, f64::from(frame) + 0.5)).collect();
        for channel in trace(&*motion, &at, 24.0, false) {
            for ((_, frame), (value, pace)) in at.iter().zip(channel.values.iter().zip(&channel.pace)) {
                let there = (from..=from + seen).contains(&(frame / 96.0));
                prop_assert!(value.is_finite() == there && pace.is_finite() == there, "{} at {frame}", channel.name);
            }
        }
    }

    /// Where it stops it has turned as fast as on the way or stands, never half of it.
    #[test]
    fn turn_in_traces_is_the_rate_of_one_side_where_a_ride_stops(laps in 0.3..3.0f64, from in 0.0..0.7f64) {
        let params = json!({ "laps": format!("{laps:.4}"), "start": from, "end": "stops" });
        let nodes = [("path", "figure", json!({})), ("ride", "ride", params), ("face", "face-travel", json!({})), ("out", "output", json!({}))];
        let threads = [("path", "ride", "path"), ("ride", "face", "motion"), ("face", "out", "motion")];
        let made = compiled(document(96, &nodes, &threads));
        let motion = prepared(&made.ends[0].motion, Frames { from: -2.0, to: 98.0 }, &Cancel::default()).unwrap();
        let rate = 360.0 * format!("{laps:.4}").parse::<f64>().unwrap() / 96.0;
        let stops = 96.0 * (1.0 - from) / laps;
        let at: Vec<(usize, f64)> = (1..95).map(|frame| (0, f64::from(frame))).chain([(0, stops - 0.2), (0, stops + 0.2)]).collect();
        let shown = trace(&*motion, &at, 24.0, false);
        let turn = &shown.iter().find(|channel| channel.name == "turn").unwrap().values;
        for (&(_, frame), turn) in at.iter().zip(turn) {
            let wanted = if frame < stops { rate } else { 0.0 };
            if (frame - stops).abs() > 0.1 {
                prop_assert!((turn - wanted).abs() < 1e-3, "{frame}: {turn} for {wanted}, stops at {stops}");
            }
        }
    }
}

proptest! {
    #![proptest_config(cases(48))]

    /// Half of four is two, whatever the seed; what is left over goes to the largest remainders.
    #[test]
    fn kinds_that_are_shared_exactly_are_as_many_as_their_weights_say(
        weights in prop::collection::vec(prop_oneof![Just(0.0), 0.1..9.0f64], 1..6), riders in 1u32..200, seed in 0u32..1000,
    ) {
        prop_assume!(weights.iter().any(|weight| *weight > 0.0));
        let list: Vec<Value> = weights.iter().enumerate().map(|(i, weight)| json!({ "id": format!("k{i}"), "weight": weight })).collect();
        let nodes = [
            ("path", "figure", json!({})),
            ("ride", "ride", json!({ "riders": riders })),
            ("kinds", "kinds", json!({ "kinds": list, "dealt": "exactly", "seed": seed })),
            ("out", "output", json!({})),
        ];
        let threads = [("path", "ride", "path"), ("ride", "kinds", "motion"), ("kinds", "out", "motion")];
        let made = compiled(document(48, &nodes, &threads));
        let motion = &made.ends[0].motion;
        let mut counts = vec![0_u32; weights.len()];
        (0..motion.len()).for_each(|object| counts[motion.kind(object)] += 1);
        let whole: f64 = weights.iter().sum();
        for (count, weight) in counts.iter().zip(&weights) {
            let share = weight / whole * f64::from(riders);
            prop_assert!((f64::from(*count) - share).abs() < 1.0, "{counts:?} for {weights:?}");
            prop_assert!(*weight > 0.0 || *count == 0);
        }
    }

    /// Only what a motion has within the frames that are asked for is left out of its file.
    #[test]
    fn what_a_file_leaves_out_is_said_where_there_is_such(
        seen in 0.2..0.9f64, kinds: bool, colours: bool, bright: bool, to in 1.0..95.0f64,
    ) {
        let list = if kinds { json!([{ "id": "a" }, { "id": "b" }]) } else { json!([]) };
        let colouring = if colours { "phase" } else { "kind" };
        let nodes = [
            ("path", "figure", json!({})),
            ("ride", "ride", json!({ "to": seen })),
            ("kinds", "kinds", json!({ "kinds": list, "colouring": colouring })),
            ("swell", "swell", json!({ "scale": 1, "brightness": if bright { 0.5 } else { 1.0 } })),
            ("out", "output", json!({})),
        ];
        let threads = [("path", "ride", "path"), ("ride", "kinds", "motion"), ("kinds", "swell", "motion"), ("swell", "out", "motion")];
        let made = compiled(document(96, &nodes, &threads));
        let beyond = Beyond::of(&made.ends[0].motion, Frames { from: 0.0, to }, &Cancel::default()).unwrap();
        // A lap in 96 frames: it is out of sight from `seen` on.
        let presence = to.floor() / 96.0 > seen;
        // With the phase colours change from the first frame to the next.
        let recolouring = colours && to >= 1.0;
        prop_assert_eq!(beyond, Beyond { presence, kinds, colours, recolouring, brightness: bright, ..Beyond::default() });
        let count = |all: [bool; 2]| all.into_iter().filter(|is| *is).count();
        prop_assert_eq!(beyond.left_out(FileForm::Table).len(), 0);
        prop_assert_eq!(beyond.left_out(FileForm::Model).len(), count([recolouring, bright]));
        prop_assert_eq!(beyond.left_out(FileForm::Stage).len(), 0, "USD has both");
    }

    /// A prism of six sides stands still on one of them only after whole sides.
    #[test]
    fn a_prism_that_stops_on_an_edge_says_so(sides in 1u32..9, over in prop_oneof![Just(0.0), 0.05..0.95f64]) {
        let length = 0.5 * (f64::from(sides) + over);
        let points: Vec<Value> = [0.0, length].iter().enumerate().map(|(i, x)| json!({ "id": format!("p{i}"), "at": [x, 0, 0], "kind": "corner" })).collect();
        let nodes = [
            ("path", "drawn-path", json!({ "points": points })),
            ("ride", "ride", json!({ "end": "stops", "laps": "2" })),
            ("roll", "trundle", json!({ "shape": "prism", "sides": 6, "side": 0.5 })),
            ("out", "output", json!({})),
        ];
        let threads = [("path", "ride", "path"), ("ride", "roll", "motion"), ("roll", "out", "motion")];
        let said = messages(document(48, &nodes, &threads), "roll");
        prop_assert_eq!(said.iter().any(|said| said.contains("on an edge")), over > 0.0, "{:?} over {}", said, length);
    }

    /// What asks how large a thing is is offered what the Output shows, until it agrees, and where that is certain.
    #[test]
    fn sizes_that_the_output_knows_are_offered(size in 0.01..9.0f64, other in 0.01..9.0f64, asks in prop::sample::select(vec!["launch", "settle", "trundle", "bodies"])) {
        let own = |asks: &str, value: f64| match asks {
            "launch" => json!({ "size": value }),
            "bodies" => json!({ "size": [value, 0.7, 0.8] }),
            _ => json!({ "radius": value }),
        };
        let nodes = |value: f64, sizes: &[f64]| {
            let mut nodes = vec![
                ("path", "figure", json!({})),
                ("ride", "ride", json!({})),
                ("asks", asks, own(asks, value)),
                ("waver", "waver", json!({})),
            ];
            let outs = ["one", "two"].into_iter().zip(sizes).map(|(id, size)| (id, "output", json!({ "size": size })));
            nodes.extend(outs);
            nodes
        };
        let mut threads = vec![("path", "ride", "path"), ("asks", "waver", "motion"), ("waver", "one", "motion")];
        if ["trundle", "bodies"].contains(&asks) {
            threads.push(("ride", "asks", "motion"));
        }
        let mends = |value: f64, sizes: &[f64]| {
            let mut threads = threads.clone();
            threads.extend((sizes.len() > 1).then_some(("waver", "two", "motion")));
            let made = compiled(document(48, &nodes(value, sizes), &threads));
            made.mends.get("asks").cloned().unwrap_or_default()
        };
        let part = if asks == "bodies" { 1.0 } else { 0.5 };
        prop_assume!((size * part - other).abs() > 1e-3 && (size - other).abs() > 1e-3);
        let offered = mends(other, &[size]);
        prop_assert_eq!(offered.len(), 1, "{:?}", offered);
        let value = offered[0].value.get(0).unwrap_or(&offered[0].value).as_f64().unwrap();
        prop_assert!((value - size * part).abs() < 1e-8);
        prop_assert_eq!(offered[0].value.get(1).map(|width| width.as_f64().unwrap()), (asks == "bodies").then_some(0.7));
        prop_assert_eq!(mends(value, &[size]).len(), 0);
        prop_assert_eq!(mends(other, &[size, size]).len(), 1);
        prop_assert_eq!(mends(other, &[size, size * 1.5]).len(), 0, "which of two");
    }

    /// A throw is offered a size just where there is something that it could meet.
    #[test]
    fn a_size_is_offered_to_what_may_meet_something(sides in prop::sample::subsequence(vec!["left", "bottom", "top"], 0..=3), off in prop::sample::subsequence(vec!["surface", "second", "third"], 0..=3)) {
        let nodes = [("wall", "plane", json!({})), ("throw", "launch", json!({ "sides": sides })), ("out", "output", json!({ "size": 0.7 }))];
        let surfaces = off.iter().map(|port| ("wall", "throw", *port));
        let threads: Vec<_> = surfaces.chain([("throw", "out", "motion")]).collect();
        let offered = compiled(document(24, &nodes, &threads)).mends.contains_key("throw");
        prop_assert_eq!(offered, !(sides.is_empty() && off.is_empty()));
    }
}

proptest! {
    #![proptest_config(cases(24))]

    /// Wheels that stand in the bends of a belt stay in them when the belt becomes another.
    #[test]
    fn wheels_by_the_bend_stay_in_the_bends_of_their_belt(
        radius in 0.3..2.0f64, second in 0.3..2.0f64, apart in 4.5..12.0f64, larger in 0.5..2.0f64, at in prop::array::uniform3(-3.0..3.0f64),
    ) {
        let made = |times: f64| {
            let belt = json!({ "figure": "belt", "radius": radius * times, "second-radius": second * times, "apart": apart * times, "at": at, "plane": "ground" });
            let wheel = |side: f64| json!({ "given": "by the bend", "at": [at[0] + side, at[1], at[2]] });
            let nodes = [
                ("belt", "figure", belt), ("ride", "ride", json!({})),
                ("west", "wheel", wheel(-2.0)), ("east", "wheel", wheel(2.0)),
            ];
            let threads = [("belt", "ride", "path"), ("ride", "west", "motion"), ("ride", "east", "motion")];
            let made = compiled(document(48, &nodes, &threads));
            let told = report(&made);
            let mut sample = Sample::default();
            ["west", "east"].map(|id| {
                assert_eq!(told[id].state, "worked", "{:?}", told[id].messages);
                let Some(Product::Motion(motion)) = made.nodes[id].product() else { panic!("it turns") };
                motion.sample(0.0, Columns::POSITION, &mut sample);
                (sample.positions[0], told[id].facts.clone())
            })
        };
        for times in [1.0, larger] {
            let [west, east] = made(times);
            prop_assert!((west.0.distance(east.0) - apart * times).abs() < 1e-9, "{} {}", west.0, east.0);
            prop_assert!(west.1.contains(&format!("radius {:.3} m", radius * times)), "{:?}", west.1);
            prop_assert!(east.1.contains(&format!("radius {:.3} m", second * times)), "{:?}", east.1);
        }
    }

    /// Clubs thrown to and fro that come nearer than they are shown large are told of, with the frame as it is shown.
    #[test]
    fn things_to_and_fro_that_may_touch_are_told_of(things in 2usize..7, size in 0.05..1.5f64, aside in 0.0..0.4f64, first in 0i64..2000) {
        let throw = json!({
            "start": [-0.4, 1, 0], "aim": "landing and time", "land": [0.4, 1, 0], "time": 20, "then": "comes back", "held": 8,
            "aside": aside, "things": things, "gravity": 9.81,
        });
        let nodes = [("throw", "launch", throw), ("out", "output", json!({ "size": size }))];
        let mut scene = document(56, &nodes, &[("throw", "out", "motion")]);
        scene["first_frame"] = json!(first);
        let made = compiled(scene);
        let told = &report(&made)["throw"];
        let mut sample = Sample::default();
        let mut near = f64::MAX;
        for step in 0..=56 * 40 {
            made.ends[0].motion.sample(f64::from(step) / 40.0, Columns::POSITION, &mut sample);
            for (i, a) in sample.positions.iter().enumerate() {
                near = sample.positions[i + 1..].iter().fold(near, |near, b| near.min(a.distance(*b)));
            }
        }
        let said = told.messages.iter().any(|text| text.contains("may touch at frame"));
        prop_assume!((near - size).abs() > 0.01);
        prop_assert_eq!(said, near < size, "{:?}: {} of {}", told.messages, near, size);
    }
}

/// A path that falls in two is no line that a file could hold, and that is said; one that moves in one piece is.
#[test]
fn a_path_that_falls_apart_is_said_to_be_left_out() {
    let line = |from: DVec3| Strand::new(vec![Segment::Line { from, to: from + DVec3::X }], false).unwrap();
    for apart in [false, true] {
        let path = Path::Moving(Arc::new(move |frame: f64| {
            let first = line(DVec3::Y * frame);
            let second = line(DVec3::Z);
            let strands = if apart && frame >= 6.0 { vec![first, second] } else { vec![first] };
            Arc::new(Curve::new(strands).unwrap())
        }));
        let ride: Arc<dyn Motion> = Arc::new(Ride::new(path.clone(), 1, Fraction::whole(1).unwrap(), 12.0));
        let beyond = Beyond::of(&ride, Frames { from: 0.0, to: 12.0 }, &Cancel::default()).unwrap();
        let said = beyond.left_out(FileForm::Model);
        assert_eq!(said.iter().any(|what| what.contains("other strands")), apart, "{said:?}");
        assert_eq!(Traced::of(&path, &[0.0, 6.0, 12.0], 1e-3).is_none(), apart);
        assert!(beyond.left_out(FileForm::Table).is_empty());
    }
}
