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

/// A page that holds so many bytes does what it is told, and shows at the end what is kept; gives a sentence where it does
/// not.
async fn shows_what_is_kept(acts: Vec<Act>, holds: Option<u64>) -> Result<(), String> {
    let served = Served::start().await;
    let mut document = scene();
    document["nodes"]["ride"]["params"]["riders"] = json!(500);
    let id = served.bring_in(&document).await;
    let mut page = served.open_holding(&id, "one", holds).await;
    let (mut screen, mut number, mut sequence, mut now) = (Screen::default(), 0_u32, 0, 0.0);
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
                now = frame;
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
                page = served.open_holding(&id, "one", holds).await;
                page.sequence = sequence;
                now = 0.0;
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
    screen.shows_part(&baked(kept), holds.unwrap_or(u64::MAX), now as usize)?;
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
    fn whatever_was_tried_a_page_shows_what_is_kept(
        acts in prop::collection::vec(act(), 1..16), holds in prop::option::of(0_u64..4_000_000),
    ) {
        let shown = actix_web::rt::System::new().block_on(shows_what_is_kept(acts, holds));
        prop_assert!(shown.is_ok(), "{}", shown.unwrap_err());
    }
}

/// What it has not is brought by looking there.
#[actix_web::test]
async fn a_page_that_holds_little_has_what_is_on_screen_wherever_it_goes() {
    let served = Served::start().await;
    let mut document = scene();
    document["nodes"]["ride"]["params"]["riders"] = json!(500);
    let id = served.bring_in(&document).await;
    let (_, kept) = served.get(&format!("/api/scenes/{id}/file")).await;
    let baked = baked(kept);
    // Some ten frames.
    let holds = 200_000;
    let (mut page, mut screen) = (served.open_holding(&id, "one", Some(holds)).await, Screen::default());
    until(&mut screen, &mut page, |m| m["kind"] == "shown").await;
    screen.shows_part(&baked, holds, 0).unwrap();
    for frame in [40.0, 44.0, 3.0, 119.0, 1.0, 60.5] {
        page.say(&json!({ "kind": "watch", "node": "out", "object": 0, "frame": frame })).await;
        let came = tokio::time::timeout(PATIENCE, async {
            while screen.shows_part(&baked, holds, frame as usize).is_err() {
                page.next().await;
                page.blocks.drain(..).for_each(|block| screen.take(block));
            }
        });
        assert!(came.await.is_ok(), "{frame}: {:?}", screen.shows_part(&baked, holds, frame as usize));
    }
    served.shop.pool.close().await;
}
