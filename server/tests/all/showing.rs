//! What a page shows is what is kept: after whatever was tried, edited, taken back and cancelled on the way.

use crate::common::{PATIENCE, Page, Served, scene};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use zickzack_core::graph::{Assets, AtOnce, Memo, Workshop, compile, no_assets};
use zickzack_core::motion::{Cancel, Frames, fill_poses, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;

/// Poses of an end as a page holds them.
#[derive(Debug, Clone, PartialEq)]
struct Shown {
    shape: [usize; 3],
    numbers: Vec<f32>,
    have: Vec<bool>,
}

/// What the interface does with what it is sent.
#[derive(Default)]
struct Screen {
    poses: BTreeMap<String, Shown>,
    pictures: BTreeMap<String, Value>,
}

impl Screen {
    fn take(&mut self, (header, numbers): (Value, Vec<f32>)) {
        if header["kind"] != "poses" {
            return;
        }
        let number = |name: &str| header[name].as_u64().unwrap() as usize;
        let shape = ["things", "floats", "frames"].map(number);
        let row = shape[0] * shape[1];
        let fresh = || Shown { shape, numbers: vec![f32::NAN; shape[2] * row], have: vec![false; shape[2]] };
        let shown = self.poses.entry(header["node"].as_str().unwrap().to_owned()).or_insert_with(fresh);
        if shown.shape != shape {
            *shown = fresh();
        }
        let (from, count) = (number("from"), number("count"));
        shown.numbers[from * row..(from + count) * row].copy_from_slice(&numbers);
        shown.have[from..from + count].fill(true);
    }

    fn hear(&mut self, message: &Value) {
        if message["kind"] == "ends" {
            let ends: Vec<&str> =
                message["ends"].as_array().unwrap().iter().filter_map(|end| end["node"].as_str()).collect();
            self.poses.retain(|node, _| ends.contains(&node.as_str()));
        }
        if message["kind"] == "nodes" {
            let nodes = message["nodes"].as_object().unwrap();
            self.pictures.retain(|node, _| nodes.get(node).is_some_and(|status| status["state"] != "error"));
            for (node, status) in nodes.iter().filter(|(_, status)| !status["miniature"].is_null()) {
                self.pictures.insert(node.clone(), status["miniature"].clone());
            }
        }
    }

    /// Takes in all that comes until a message fits.
    async fn until(&mut self, page: &mut Page, fits: impl Fn(&Value) -> bool) {
        loop {
            let message = page.next().await;
            page.blocks.drain(..).for_each(|block| self.take(block));
            if let Some(message) = message {
                self.hear(&message);
                if fits(&message) {
                    return;
                }
            }
        }
    }
}

/// The poses of all ends, from the document alone.
fn baked(document: Value) -> BTreeMap<String, Shown> {
    let (registry, memo) = (Registry::default(), Memo::default());
    let scene = Scene::from_value(document, &registry.schemas).unwrap();
    let assets: Arc<dyn Assets> = no_assets();
    let cancel = Cancel::default();
    let compiled = compile(
        &scene,
        &Workshop {
            types: &registry.types,
            schemas: &registry.schemas,
            memo: &memo,
            assets: &assets,
            clock: &|| 0,
            cancel: &cancel,
            recorder: &AtOnce,
        },
    );
    let frames: Vec<f64> = (0..=scene.frames).map(f64::from).collect();
    let shown = |motion| {
        let ready = prepared(motion, Frames { from: 0.0, to: f64::from(scene.frames) }, &cancel).unwrap();
        let shape = [ready.len(), zickzack_core::motion::pose_floats(&*ready), frames.len()];
        let mut numbers = vec![0.0; shape.iter().product()];
        fill_poses(&*ready, &frames, &mut numbers, &cancel).unwrap();
        Shown { shape, numbers, have: vec![true; frames.len()] }
    };
    compiled.ends.iter().map(|end| (end.node.clone(), shown(&end.motion))).collect()
}

#[derive(Debug, Clone)]
enum Act {
    Preview(Value),
    EndPreview,
    Edit(Value),
    Undo,
    Redo,
    Watch(f64),
    Rest(u64),
    Reconnect,
}

fn change() -> impl Strategy<Value = Value> {
    let put = |at: Value, value: Value| json!([{ "op": "put", "at": at, "value": value }]);
    prop_oneof![
        // As many things, so that poses of two motions fit into one another.
        (1..9_i64).prop_map(move |x| put(json!(["nodes", "ride", "params", "start"]), json!(format!("{x}/10")))),
        (1..9_i64).prop_map(move |x| put(json!(["nodes", "ride", "params", "laps"]), json!(format!("{x}")))),
        prop::sample::select(vec![500, 700])
            .prop_map(move |n| put(json!(["nodes", "ride", "params", "riders"]), json!(n))),
        any::<bool>().prop_map(move |no| put(json!(["nodes", "ride", "bypassed"]), json!(no))),
        (10..12_i64).prop_map(move |n| put(json!(["frames"]), json!(n * 10))),
        // What it takes away an undo brings back.
        Just(json!([{ "op": "remove", "at": ["threads", "t2"] }])),
    ]
}

fn act() -> impl Strategy<Value = Act> {
    prop_oneof![
        4 => change().prop_map(Act::Preview),
        2 => Just(Act::EndPreview),
        3 => change().prop_map(Act::Edit),
        3 => Just(Act::Undo),
        1 => Just(Act::Redo),
        1 => (0.0..100.0).prop_map(Act::Watch),
        4 => (0..60_u64).prop_map(Act::Rest),
        1 => Just(Act::Reconnect),
    ]
}

/// A page does what it is told, and shows at the end what is kept; gives a sentence where it does not.
async fn shows_what_is_kept(acts: Vec<Act>) -> Result<(), String> {
    let served = Served::start().await;
    let mut document = scene();
    document["nodes"]["ride"]["params"]["riders"] = json!(500);
    let id = served.bring_in(&document).await;
    let (mut page, mut screen, mut number, mut sequence) = (served.open(&id, "one").await, Screen::default(), 0_u32, 0);
    for act in acts {
        match act {
            Act::Preview(ops) => {
                number += 1;
                page.say(&json!({ "kind": "preview", "number": number, "ops": ops })).await;
            }
            Act::EndPreview => page.say(&json!({ "kind": "end-preview", "number": number })).await,
            Act::Edit(ops) => {
                page.edit(ops).await;
            }
            Act::Undo | Act::Redo => {
                page.sequence += 1;
                let kind = if matches!(act, Act::Undo) { "undo" } else { "redo" };
                page.say(&json!({ "kind": kind, "sequence": page.sequence })).await;
            }
            Act::Watch(frame) => {
                page.say(&json!({ "kind": "watch", "node": "out", "object": 0, "frame": frame })).await;
            }
            // What comes meanwhile is read, as a browser does.
            Act::Rest(millis) => {
                let rest = tokio::time::sleep(Duration::from_millis(millis));
                tokio::pin!(rest);
                loop {
                    tokio::select! {
                        () = &mut rest => break,
                        message = page.next() => {
                            page.blocks.drain(..).for_each(|block| screen.take(block));
                            if let Some(message) = message { screen.hear(&message) }
                        }
                    }
                }
            }
            // What was sent before is done then, and nothing of it comes after what the new connection sends.
            Act::Reconnect => {
                page.say(&json!({ "kind": "here" })).await;
                screen.until(&mut page, |m| m["kind"] == "here").await;
                sequence = page.sequence;
                page = served.open(&id, "one").await;
                page.sequence = sequence;
            }
        }
    }
    sequence = sequence.max(page.sequence) + 1;
    page.sequence = sequence;
    // An edit that moves nothing tells when all before it was done.
    page.say(&json!({ "kind": "end-preview", "number": number })).await;
    page.say(&json!({ "kind": "edit", "sequence": sequence, "label": "last", "ops": [{ "op": "put", "at": ["name"], "value": "Last" }] })).await;
    let mut revision = None;
    while revision.is_none() {
        let message = page.next().await;
        page.blocks.drain(..).for_each(|block| screen.take(block));
        let Some(message) = message else { continue };
        screen.hear(&message);
        if message["kind"] == "refused" && message["later"] == true {
            return Err(format!("it was told to wait: {message}"));
        }
        if message["kind"] == "edited" && message["sequence"] == sequence {
            revision = message["revision"].as_i64();
        }
    }
    let there = |m: &Value| m["kind"] == "ends" && m["revision"].as_i64() == revision && m["preview"] == 0;
    if tokio::time::timeout(PATIENCE, screen.until(&mut page, there)).await.is_err() {
        return Err(format!("revision {revision:?} is never shown"));
    }
    let (_, kept) = served.get(&format!("/api/scenes/{id}/file")).await;
    let wanted = baked(kept);
    if screen.poses.keys().ne(wanted.keys()) {
        return Err(format!("{:?} are shown, {:?} are kept", screen.poses.keys(), wanted.keys()));
    }
    for (node, wanted) in wanted {
        let shown = &screen.poses[&node];
        if *shown != wanted {
            let row = wanted.shape[0] * wanted.shape[1];
            let wrong = (0..wanted.shape[2]).filter(|f| {
                shown.shape != wanted.shape
                    || shown.numbers[f * row..(f + 1) * row] != wanted.numbers[f * row..(f + 1) * row]
            });
            return Err(format!(
                "{node} is wrong at {:?} of {:?}, {:?}",
                wrong.collect::<Vec<_>>(),
                wanted.shape,
                shown.shape
            ));
        }
    }
    // A page that has just come has the same small pictures.
    let (mut other, mut fresh) = (served.open(&id, "two").await, Screen::default());
    fresh.until(&mut other, |m| m["kind"] == "ends").await;
    served.shop.pool.close().await;
    if fresh.pictures != screen.pictures {
        return Err("the small pictures are others".to_owned());
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 64, ..ProptestConfig::with_cases(16) })]

    #[test]
    fn whatever_was_tried_a_page_shows_what_is_kept(acts in prop::collection::vec(act(), 1..16)) {
        let shown = actix_web::rt::System::new().block_on(shows_what_is_kept(acts));
        prop_assert!(shown.is_ok(), "{}", shown.unwrap_err());
    }
}
