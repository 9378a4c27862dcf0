//! What a page shows is what is kept: after whatever was tried, edited, taken back and cancelled on the way.

use crate::common::{PATIENCE, Page, Served, scene};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::time::Duration;
use zickzack_e2e::live::{Screen, baked};

/// Takes in all that comes until a message fits.
async fn until(screen: &mut Screen, page: &mut Page, fits: impl Fn(&Value) -> bool) {
    loop {
        let message = page.next().await;
        page.blocks.drain(..).for_each(|block| screen.take(block));
        if let Some(message) = message {
            screen.hear(&message);
            if fits(&message) {
                return;
            }
        }
    }
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
                until(&mut screen, &mut page, |m| m["kind"] == "here").await;
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
    let there = |m: &Value| m["kind"] == "shown" && m["revision"].as_i64() == revision && m["preview"] == 0;
    if tokio::time::timeout(PATIENCE, until(&mut screen, &mut page, there)).await.is_err() {
        return Err(format!("revision {revision:?} is never shown"));
    }
    let (_, kept) = served.get(&format!("/api/scenes/{id}/file")).await;
    screen.shows(&baked(kept))?;
    // A page that has just come has the same small pictures.
    let (mut other, mut fresh) = (served.open(&id, "two").await, Screen::default());
    until(&mut fresh, &mut other, |m| m["kind"] == "ends").await;
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
