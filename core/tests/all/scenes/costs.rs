//! What costs too much is refused where it is asked for, and what is shared is worked out once.

use crate::common::scenes::{document, read};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::Arc;
use zickzack_core::curve::{Curve, Figure};
use zickzack_core::graph::{Compiled, Context, Memo, NodeType, Outcome, Product, compile, report};
use zickzack_core::motion::{Cancel, Columns, Sample};
use zickzack_core::nodes::Registry;
use zickzack_core::schema::{PortKind, Schema};
use zickzack_core::signal::Signal;
use zickzack_core::work::{STARVED, spend};

/// A node for which there is never enough memory.
struct Hog;

impl NodeType for Hog {
    fn schema(&self) -> Schema {
        let (inputs, params) = (Vec::new(), Vec::new());
        Schema {
            name: "hog",
            title: "Hog",
            group: "Paths",
            help: "",
            inputs,
            output: Some(PortKind::Path),
            params,
            uses_timing: false,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        context.cancel.starve();
        // Whoever looks on learns that it is over, and whatever is given is not used.
        assert!(!(0..10).all(|_| spend(1000)) && context.cancel.cancelled());
        let circle = Figure::Circle { radius: 1.0 }.strand().map_err(|error| error.to_string())?;
        Ok(Outcome::of_curve(Curve::from(circle)))
    }
}

fn compiled_with(document: Value, patience: f64, memo: &Memo) -> Compiled {
    let mut registry = Registry::default();
    registry.types.push(Arc::new(Hog));
    registry.schemas.push(Hog.schema());
    compile(&read(document), &registry.workshop(memo, &Cancel::patient(patience)))
}

/// Where its things are at some frames.
fn seen(compiled: &Compiled, id: &str) -> Vec<Sample> {
    let Some(Product::Motion(motion)) = compiled.nodes[id].product() else { panic!("{id} gives a motion") };
    let mut samples = vec![Sample::default(); 3];
    for (sample, frame) in samples.iter_mut().zip([0.0, 7.5, 24.0]) {
        motion.sample(frame, Columns::POSE | Columns::VELOCITY, sample);
    }
    samples
}

#[test]
fn what_there_is_no_memory_for_is_refused_and_the_rest_is_as_ever() {
    let rest = [
        ("zfigure", "figure", json!({})),
        ("zride", "ride", json!({ "laps": "3/2", "riders": 5 })),
        ("zz", "face-travel", json!({})),
    ];
    let threads = [("zfigure", "zride", "path"), ("zride", "zz", "motion")];
    let hog = [("ahog", "hog", json!({})), ("aride", "ride", json!({}))];
    let with = document(24, &[&hog[..], &rest[..]].concat(), &[&[("ahog", "aride", "path")], &threads[..]].concat());
    let memo = Memo::default();
    for _ in 0..2 {
        let compiled = compiled_with(with.clone(), 1.0, &memo);
        let told = report(&compiled);
        assert_eq!(told["ahog"].messages, [STARVED]);
        assert!(told["aride"].messages[0].contains(" waits for "));
        assert_eq!(
            seen(&compiled, "zz"),
            seen(&compiled_with(document(24, &rest, &threads), 1.0, &Memo::default()), "zz")
        );
    }
    assert_eq!(memo.evaluations(), 4, "it is not tried again while nothing of it changed");
}

/// Meanders of one figure, each of which takes as long as the others.
fn meanders(count: usize) -> Value {
    let names: Vec<String> = (0..count).map(|i| format!("n{i:02}")).collect();
    let mut nodes = vec![("figure", "figure", json!({}))];
    nodes.extend(names.iter().zip(0..).map(|(name, i)| (name.as_str(), "meander", json!({ "seed": i, "size": 0.3 }))));
    let threads: Vec<_> = names.iter().map(|name| ("figure", name.as_str(), "path")).collect();
    document(24, &nodes, &threads)
}

/// All nodes of a scene together have a limit. What is beyond it says so, remembered or not, and is there once others are
/// gone.
#[test]
fn what_all_nodes_take_together_is_limited_whatever_is_remembered() {
    let one = compiled_with(meanders(1), 1.0, &Memo::default()).nodes["n00"].looks;
    // As much patience as lets about six of them be made, and each by itself easily.
    let patience = 6.5 * one as f64 / 400e6;
    let memo = Memo::default();
    let states = |count: usize, memo: &Memo| {
        let compiled = compiled_with(meanders(count), patience, memo);
        let told = report(&compiled);
        let refused = told.values().filter(|told| told.state == "error");
        refused.map(|told| told.messages[0].clone()).collect::<Vec<_>>()
    };
    let refused = states(12, &memo);
    assert!((4..=8).contains(&refused.len()), "{refused:?}");
    assert!(
        refused.iter().all(|why| why.starts_with("It was given up, since all nodes up to here together")),
        "{refused:?}"
    );
    assert_eq!(states(12, &memo), refused);
    assert_eq!(states(12, &Memo::default()), refused);
    assert!(states(5, &memo).is_empty());
    assert_eq!(states(12, &memo), refused);
}

/// A signal, and what is made of it by so many nodes that each add it to itself.
fn doubled(source: (&str, Value), links: usize) -> (Arc<dyn Signal>, Arc<dyn Signal>) {
    let names: Vec<String> = (0..links).map(|i| format!("n{i:02}")).collect();
    let mut nodes = vec![("source", source.0, source.1)];
    nodes.extend(names.iter().map(|name| (name.as_str(), "combine", json!({ "way": "add" }))));
    let mut threads = Vec::new();
    for (i, name) in names.iter().enumerate() {
        let before = if i == 0 { "source" } else { &names[i - 1] };
        threads.extend([(before, name.as_str(), "first"), (before, name.as_str(), "second")]);
    }
    let compiled = compiled_with(document(24, &nodes, &threads), 1.0, &Memo::default());
    let signal = |id: &str| match compiled.nodes[id].product() {
        Some(Product::Signal(signal)) => signal.clone(),
        _ => panic!("{id} gives a signal"),
    };
    (signal("source"), signal(names.last().unwrap()))
}

proptest! {
    #![proptest_config(crate::cases::cases(12))]

    /// Two to the forty looks would never end. In whatever order it is asked, on whatever thread, it is what it is made of.
    #[test]
    fn what_parts_and_meets_again_is_worked_out_once_and_is_right(
        frames in prop::collection::vec((-30.0..60.0f64, 0usize..3), 20..60), high in 0.1..5.0f64, noise: bool,
    ) {
        const LINKS: usize = 40;
        let source = if noise { ("noise", json!({ "high": high })) } else { ("wave", json!({ "high": high, "count": "3/2" })) };
        let (one, many) = doubled(source, LINKS);
        let times = (1_u64 << LINKS) as f64;
        let ask = |part: &[(f64, usize)]| part.iter().all(|&(frame, what)| match what {
            0 => many.at(frame) == one.at(frame) * times,
            1 => (many.slope(frame) - one.slope(frame) * times).abs() <= 1e-9 * times,
            _ => many.bends(frame, frame + 10.0) == one.bends(frame, frame + 10.0),
        });
        let right = std::thread::scope(|scope| {
            let halves = frames.split_at(frames.len() / 2);
            let (ask, other) = (&ask, scope.spawn(move || ask(halves.1)));
            ask(halves.0) && ask(halves.0) && other.join().unwrap()
        });
        prop_assert!(right);
    }
}
