//! Work is counted where it is done: what would take for ever is given up at the node that asks for it, and nothing of
//! what was given up is left anywhere.

use crate::cases::cases;
use crate::common::scenes::{document, read};
use crate::random::document as document_of_any;
use proptest::prelude::*;
use serde_json::{Value, json};
use zickzack_core::graph::{Compiled, EndReport, Memo, Product, compile, report};
use zickzack_core::keys::{bake_dense, bake_reduced};
use zickzack_core::motion::{Cancel, Columns, Frames, MotionError, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::schema::{PortKind, Schema};
use zickzack_core::work::{given_up as given_up_here, here, spend, whole};

/// Compiled with so much patience, remembering what is in the memo.
fn compiled_with(document: Value, patience: f64, memo: &Memo) -> Compiled {
    let registry = Registry::default();
    compile(&read(document), &registry.workshop(memo, &Cancel::patient(patience)))
}

const LINKS: usize = 40;

/// So many nodes of a type, each taking what the one before it gives at every port that takes such.
fn chain(schema: &Schema, kind: PortKind, links: usize) -> Value {
    let ride = json!({ "laps": "1/2", "riders": 2 });
    let (wave, points) = (json!({ "high": 0.5 }), [[0, 0, 0], [3, 1, 0], [0, 2, 1]]);
    let points: Vec<Value> =
        points.iter().enumerate().map(|(i, at)| json!({ "id": format!("p{i}"), "at": at, "kind": "smooth" })).collect();
    let base = |kind| match kind {
        PortKind::Path => "path",
        PortKind::Motion => "ride",
        PortKind::Surface => "box",
        PortKind::Signal => "wave",
    };
    let names: Vec<String> = (0..links).map(|i| format!("n{i:02}")).collect();
    let mut nodes = vec![
        ("path", "drawn-path", json!({ "points": points, "closed": true })),
        ("ride", "ride", ride),
        ("box", "box", json!({})),
        ("wave", "wave", wave),
    ];
    let params = match schema.name {
        "two-shots" => json!({ "cut": 12 }),
        _ => json!({}),
    };
    nodes.extend(names.iter().map(|name| (name.as_str(), schema.name, params.clone())));
    let mut threads = vec![("path", "ride", "path")];
    for (i, name) in names.iter().enumerate() {
        let before = if i == 0 { base(kind) } else { &names[i - 1] };
        let from = |port: PortKind| if port == kind { before } else { base(port) };
        threads.extend(schema.inputs.iter().map(|port| (from(port.kind), name.as_str(), port.name)));
    }
    document(24, &nodes, &threads)
}

/// With so much, what doubles is given up after a few links.
const LITTLE: f64 = 0.002;

fn given_up(told: &str) -> bool {
    told.starts_with("It was given up, since ")
        || told.starts_with("A single frame of it asks what it is made from more than")
        || told.starts_with("It asks what it is made from more than")
        // What grows may have a limit of its own.
        || told.contains(" are too many")
        || told.contains(" begins anew itself")
}

/// Chains so long that what asks twice at every link would never end, and what grows at every link would fill any
/// memory.
#[test]
fn chains_of_any_node_are_answered_or_given_up_at_one_of_them() {
    let mut doubling = vec!["join", "together", "followers", "mimic", "sheaf"];
    for schema in &Registry::default().schemas {
        let taken = |kind: &PortKind| schema.inputs.iter().any(|port| port.kind == *kind);
        // Of wheels there is no chain: they take what travels on a path, and give what does not.
        let Some(kind) = schema.output.filter(taken).filter(|_| schema.name != "wheel") else { continue };
        let mut compiled = compiled_with(chain(schema, kind, LINKS), LITTLE, &Memo::default());
        let cancel = Cancel::patient(LITTLE);
        for end in compiled.ends.clone() {
            match EndReport::of(&end, 24.0, 24.0, &cancel) {
                Err(MotionError::TooMuch(why)) => compiled.refuse(&end.node, &why),
                told => assert!(told.is_ok(), "{}", schema.name),
            }
        }
        let told = report(&compiled);
        let mut wrong = (0..LINKS).map(|i| &told[&format!("n{i:02}")]).filter(|told| told.state == "error");
        let Some(first) = wrong.next() else { continue };
        assert!(given_up(&first.messages[0]), "{}: {:?}", schema.name, first.messages);
        assert!(wrong.all(|told| told.messages[0].contains(" waits for ")), "{}", schema.name);
        doubling.retain(|name| *name != schema.name);
    }
    assert!(doubling.is_empty(), "these ask for ever more and are not given up: {doubling:?}");
}

/// Everything that can be asked of the ends of a scene, and what is said of its nodes.
fn told_of(compiled: &Compiled) -> (Vec<(String, Vec<String>)>, Vec<Sample>) {
    let told = report(compiled).into_iter().map(|(id, told)| (id, [told.messages, told.facts].concat())).collect();
    let samples = compiled.ends.iter().flat_map(|end| {
        let range = Frames { from: 0.0, to: 3.0 };
        let ready = prepared(&end.motion, range, &Cancel::default());
        ready.into_iter().flat_map(|ready| {
            [0.0, 1.5, 3.0].map(|frame| {
                let mut sample = Sample::default();
                ready.sample(frame, Columns::POSE | Columns::VELOCITY, &mut sample);
                sample
            })
        })
    });
    (told, samples.collect())
}

proptest! {
    #![proptest_config(cases(24))]

    /// With little patience some of it is given up half way. What is remembered of it is of no other motion.
    #[test]
    fn what_was_given_up_leaves_nothing_behind(document in document_of_any(), patience in prop::sample::select(vec![1e-7, 1e-6, 1e-5, 1e-4])) {
        let memo = Memo::default();
        let hasty = compiled_with(document.clone(), patience, &memo);
        let cancel = Cancel::patient(patience);
        for end in &hasty.ends {
            let told = EndReport::of(end, hasty.timing.frames, hasty.timing.fps, &cancel);
            prop_assert!(matches!(told, Ok(_) | Err(MotionError::TooMuch(_))));
        }
        let patient = compiled_with(document.clone(), 0.1, &memo);
        let fresh = compiled_with(document, 0.1, &Memo::default());
        let (after, without) = (told_of(&patient), told_of(&fresh));
        // What was refused for want of patience is remembered as that.
        for ((id, after), (_, without)) in after.0.iter().zip(&without.0) {
            let refused = report(&hasty)[id].state == "error";
            prop_assert!(refused || after == without, "{id}: {after:?} against {without:?}");
        }
        if report(&hasty).values().all(|told| told.state != "error") {
            prop_assert_eq!(format!("{:?}", after.1), format!("{:?}", without.1));
        }
    }
}

/// Paths that move are remembered by frames. What was asked of one when all was given up is not what is shown.
#[test]
fn a_path_that_was_asked_when_all_was_given_up_is_as_ever() {
    let names: Vec<String> = (0..LINKS).map(|i| format!("n{i:02}")).collect();
    let made = |links: usize, patience: f64, memo: &Memo| {
        let mut nodes = vec![
            ("noise", "noise", json!({ "middle": 3.0 })),
            ("figure", "figure", json!({})),
            ("ride", "ride", json!({ "laps": "1", "riders": 3 })),
        ];
        nodes.extend(names[..links].iter().map(|name| (name.as_str(), "followers", json!({ "delay": 0.37 }))));
        let mut threads = vec![("noise", "figure", "radius"), ("figure", "ride", "path"), ("ride", "n00", "motion")];
        threads.extend(names[..links].windows(2).map(|pair| (pair[0].as_str(), pair[1].as_str(), "motion")));
        compiled_with(document(24, &nodes, &threads), patience, memo)
    };
    let seen = |compiled: &Compiled, id: &str| {
        let Some(Product::Motion(motion)) = compiled.nodes[id].product() else { panic!("{id} gives a motion") };
        let mut sample = Sample::default();
        motion.sample(0.0, Columns::POSITION, &mut sample);
        sample.positions
    };
    let hasty = made(LINKS, LITTLE, &Memo::default());
    let told = report(&hasty);
    let worked = names.iter().take_while(|name| told[*name].state != "error").count();
    assert!(worked > 0 && given_up(&told[&names[worked]].messages[0]));
    let last = &names[worked - 1];
    assert_eq!(seen(&hasty, last), seen(&made(worked, 1.0, &Memo::default()), last));
}

#[test]
fn files_and_pictures_that_take_too_much_are_refused_in_words() {
    let compiled = compiled_with(chain(&Registry::default().schemas[0], PortKind::Path, 0), 1.0, &Memo::default());
    let motion = &compiled.ends[0].motion;
    let range = Frames { from: 0.0, to: 24.0 };
    assert!(bake_dense(motion, range, 1.0, &Cancel::default()).is_ok());
    let Err(MotionError::TooMuch(why)) = bake_dense(motion, range, 1.0, &Cancel::patient(1e-9)) else {
        panic!("it was not refused");
    };
    assert!(given_up(&why), "{why}");
}

/// However it is shared out, what is counted is the same.
#[test]
fn work_counts_on_all_threads_as_on_one() {
    let counted = |shared: bool| {
        let cancel = Cancel::default().afresh(1_000_000);
        cancel.watched(|| {
            let here = here();
            let part = |i: u64| (0..1000).all(|_| spend(i));
            std::thread::scope(|scope| {
                for i in 1..=8 {
                    if shared {
                        let here = &here;
                        scope.spawn(move || assert!(here.on(|| part(i))));
                    } else {
                        assert!(part(i));
                    }
                }
            });
        });
        cancel.looks()
    };
    assert_eq!((counted(true), counted(false)), (36_000, 36_000));
}

/// What is done within other work counts there too, and may take no more than is left there.
#[test]
fn work_within_work_counts_there_too() {
    let outer = Cancel::default().afresh(10_000);
    let part = |most: u64, looks: u64| {
        outer.within(most, |_| {
            (0..looks).all(|_| spend(1));
            Ok::<(), MotionError>(())
        })
    };
    let refused = |part: Result<(), MotionError>| matches!(part, Err(MotionError::TooMuch(_)));
    assert!(part(5000, 4000).is_ok() && outer.looks() == 4000);
    assert!(refused(part(3000, 4000)) && !outer.overworked(), "its own limit holds it");
    assert!(refused(part(5000, 4000)) && outer.overworked(), "so does what is left");
    assert!(outer.looks() < 12_000);
}

/// Few keys cost more than to look at the motion: each cubic that is tried is looked at as well.
#[test]
fn what_makes_keys_few_is_counted() {
    let compiled = compiled_with(chain(&Registry::default().schemas[0], PortKind::Path, 0), 1.0, &Memo::default());
    let motion = &compiled.ends[0].motion;
    let range = Frames { from: 0.0, to: 24.0 };
    let looks = |tolerance: f64| {
        let cancel = Cancel::default();
        let baked = bake_reduced(motion, range, (tolerance, 1.0), &cancel).unwrap();
        let keys = baked
            .objects
            .iter()
            .map(|object| object.position.iter().map(|channel| channel.keys.len()).sum::<usize>())
            .sum::<usize>();
        (keys, cancel.looks())
    };
    let (few, many) = (looks(1.0), looks(1e-9));
    assert!(few.0 < many.0, "{few:?} {many:?}");
    assert!(many.1 > 1000 * many.0 as u64, "{few:?} {many:?}");
}

#[test]
fn what_is_made_to_be_kept_is_made_whole() {
    let cancel = Cancel::default().afresh(10);
    cancel.watched(|| {
        assert!(!spend(11), "beyond the limit it is to end");
        assert!(whole(|| spend(1) && !given_up_here()), "but not while something is made whole");
        assert!(!spend(1) && given_up_here());
    });
    assert!(cancel.overworked() && !cancel.stopped());
    assert!(spend(u64::MAX), "where nothing is counted there is no end");
}
