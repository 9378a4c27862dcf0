//! The live connection: edits are kept before they are acknowledged, everybody sees them, only what
//! changed is sent, and nothing that a page sends brings it down.

use crate::common::{Served, scene};
use serde_json::{Value, json};

fn riders(n: i64) -> Value {
    json!([{ "op": "put", "at": ["nodes", "ride", "params", "riders"], "value": n }])
}

#[actix_web::test]
async fn an_edit_is_kept_acknowledged_and_seen_by_every_page() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (mut one, mut two) = (served.open(&id, "one").await, served.open(&id, "two").await);
    assert_eq!(one.kind("scene").await["revision"], 0);
    two.kind("ends").await;
    assert_eq!(one.edited(riders(5)).await.unwrap(), 1);
    let seen = two.kind("edited").await;
    assert_eq!(seen["revision"].as_i64(), Some(1));
    assert_eq!(seen["undo"], Value::Null, "what another page did is not this page's to undo");
    let again = Served::on(served.database.clone()).await;
    let (_, file) = again.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!(file["nodes"]["ride"]["params"]["riders"], 5, "kept, and there after a restart");
}

#[actix_web::test]
async fn sending_an_edit_again_is_harmless() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    assert_eq!(page.edited(riders(3)).await.unwrap(), 1);
    assert_eq!(page.edited(riders(4)).await.unwrap(), 2);
    page.sequence = 0;
    assert_eq!(page.edited(riders(3)).await.unwrap(), 1, "the answer it had the first time");
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!(file["nodes"]["ride"]["params"]["riders"], 4);
}

#[actix_web::test]
async fn undo_and_redo_are_per_page_survive_a_restart_and_refuse_what_changed_since() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (mut one, mut two) = (served.open(&id, "one").await, served.open(&id, "two").await);
    one.kind("scene").await;
    two.kind("scene").await;
    one.edited(riders(3)).await.unwrap();
    one.edited(json!([{ "op": "remove", "at": ["nodes", "ride"] }])).await.unwrap();
    one.undo().await.unwrap();
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!(file["nodes"]["ride"]["params"]["riders"], 3);
    assert_eq!(file["threads"]["t1"]["from"], "path", "the node came back with its threads");
    one.redo().await.unwrap();
    one.undo().await.unwrap();
    two.edited(riders(9)).await.unwrap();
    let refused = one.undo().await.unwrap_err();
    assert!(refused.contains("changed since by another page"), "{refused}");
    two.undo().await.unwrap();
    let again = Served::on(served.database.clone()).await;
    let mut one = again.open(&id, "one").await;
    one.sequence = 100;
    assert_eq!(one.kind("scene").await["undo"], "test");
    one.undo().await.unwrap();
    assert!(one.undo().await.unwrap_err().contains("nothing to undo"));
    let (_, file) = again.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!(file, scene_as_kept(&again.get(&format!("/api/scenes/{id}/file")).await.1));
    assert_eq!(file["nodes"]["ride"]["params"]["riders"], 7);
}

fn scene_as_kept(file: &Value) -> Value {
    file.clone()
}

#[actix_web::test]
async fn a_redo_is_gone_after_another_edit() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    page.edited(riders(3)).await.unwrap();
    page.undo().await.unwrap();
    page.edited(riders(4)).await.unwrap();
    assert!(page.redo().await.unwrap_err().contains("nothing to redo"));
}

#[actix_web::test]
async fn only_what_changed_is_sent_again() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("ends").await;
    let kinds: Vec<(String, String)> = page
        .blocks
        .drain(..)
        .map(|(header, _)| (header["kind"].as_str().unwrap().to_owned(), header["node"].as_str().unwrap().to_owned()))
        .collect();
    assert!(kinds.contains(&("path".into(), "path".into())) && kinds.contains(&("poses".into(), "out2".into())));
    page.edited(riders(8)).await.unwrap();
    page.until(|m| m["kind"] == "ends" && m["revision"] == 1).await;
    let sent: Vec<String> =
        page.blocks.iter().map(|(header, _)| format!("{} {}", header["kind"], header["node"])).collect();
    assert_eq!(sent, ["\"poses\" \"out\""], "neither the path nor the throw");
    let (header, numbers) = &page.blocks[0];
    assert_eq!((header["things"].as_i64(), header["count"].as_i64()), (Some(8), Some(97)));
    let columns = header["columns"].as_array().unwrap();
    let width: u64 = columns.iter().map(|column| column["width"].as_u64().unwrap()).sum();
    assert_eq!((&columns[0]["name"], &columns[0]["type"]), (&json!("position"), &json!("f32")));
    assert_eq!(numbers.len() as u64, 8 * 97 * width);
}

#[actix_web::test]
async fn that_all_of_an_edit_is_shown_is_said_once_all_of_it_is() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.say(&json!({ "kind": "watch", "node": "out", "object": 0, "frame": 3.0, "chosen": "ride" })).await;
    page.kind("shown").await;
    let mut told = Vec::new();
    page.edited(riders(8)).await.unwrap();
    page.blocks.clear();
    loop {
        let Some(message) = page.next().await else { continue };
        told.push(message["kind"].as_str().unwrap().to_owned());
        if message["kind"] == "shown" && message["revision"] == 1 {
            break;
        }
    }
    let of_it = page.blocks.iter().filter(|(header, _)| header["stamp"]["revision"] == 1);
    let mut sent: Vec<&str> = of_it.filter_map(|(header, _)| header["kind"].as_str()).collect();
    sent.dedup();
    assert!(sent.contains(&"poses") && sent.contains(&"traces"), "{sent:?}");
    let at = |kind: &str| told.iter().rposition(|told| told == kind).unwrap_or(usize::MAX);
    assert!(at("nodes") < at("ends") && at("ends") < at("shown"), "{told:?}");
}

#[actix_web::test]
async fn a_preview_is_shown_and_leaves_no_trace() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("ends").await;
    for number in 1..=20 {
        page.say(&json!({ "kind": "preview", "number": number, "ops": riders(i64::from(number)) })).await;
    }
    let shown = page.until(|m| m["kind"] == "ends" && m["preview"] == 20).await;
    assert_eq!(shown["ends"][0]["things"], 20);
    page.say(&json!({ "kind": "end-preview", "number": 20 })).await;
    let back = page.until(|m| m["kind"] == "ends" && m["preview"] == 0).await;
    assert_eq!(back["ends"][0]["things"], 7);
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!(file["nodes"]["ride"]["params"]["riders"], 7);
    assert!(page.undo().await.unwrap_err().contains("nothing to undo"));
}

#[actix_web::test]
async fn the_offer_of_the_seam_closes_it() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    let open = page.kind("ends").await;
    let offer = open["ends"][0]["offers"][0].clone();
    assert_eq!(offer["value"], "9/7");
    let at = json!(["nodes", offer["node"], "params", offer["param"]]);
    page.edited(json!([{ "op": "put", "at": at, "value": offer["value"] }])).await.unwrap();
    let closed = page.until(|m| m["kind"] == "ends" && m["revision"] == 1).await;
    assert_eq!(closed["ends"][0]["seam"]["closes"], true);
}

#[actix_web::test]
async fn traces_of_a_watched_thing_arrive_with_the_seam_continued() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.say(&json!({ "kind": "watch", "node": "out", "object": 2, "frame": 5.0 })).await;
    let (header, numbers) = page.block("traces").await;
    let steps = header["steps"].as_u64().unwrap() as usize;
    assert_eq!(numbers.len(), steps * (1 + 2 * header["channels"].as_array().unwrap().len()));
    assert!(numbers[0] <= -0.15 * 96.0 && numbers[steps - 1] >= 1.15 * 96.0);
}

#[actix_web::test]
async fn traces_go_on_smoothly_where_things_trade_places() {
    let served = Served::start().await;
    let mut document = scene();
    document["nodes"]["ride"]["params"]["laps"] = json!("9/7");
    let id = served.bring_in(&document).await;
    let mut page = served.open(&id, "one").await;
    page.say(&json!({ "kind": "watch", "node": "out", "object": 2, "frame": 0.0 })).await;
    let (header, numbers) = page.block("traces").await;
    let steps = header["steps"].as_u64().unwrap() as usize;
    let channels = header["channels"].as_array().unwrap();
    assert_eq!(channels[0]["name"], "position x");
    let (frames, x, pace) = (&numbers[..steps], &numbers[steps..2 * steps], &numbers[2 * steps..3 * steps]);
    for i in 1..steps {
        // By its pace (m/s), and not by a jump to where the thing itself began.
        let expected = 0.5 * (pace[i - 1] + pace[i]) * (frames[i] - frames[i - 1]) / 24.0;
        assert!((x[i] - x[i - 1] - expected).abs() < 0.02, "frame {}: {} to {}", frames[i], x[i - 1], x[i]);
    }
}

#[actix_web::test]
async fn bad_messages_get_a_sentence_and_the_page_goes_on() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    for text in [
        "",
        "{",
        "[]",
        "{\"kind\":\"explode\"}",
        "{\"kind\":\"edit\"}",
        "{\"kind\":\"undo\",\"sequence\":1,\"more\":2}",
    ] {
        page.text(text.to_owned()).await;
        let refused = page.kind("refused").await;
        assert!(refused["message"].as_str().unwrap().contains("not understood"), "{text}: {refused}");
    }
    let cases: [(Value, &str); 8] = [
        (json!([]), "1 to 10000 operations"),
        (json!([{ "op": "put", "at": [], "value": 1 }]), "whole scene"),
        (json!([{ "op": "put", "at": ["format"], "value": "x" }]), "cannot be changed"),
        (json!([{ "op": "remove", "at": ["nodes", "gone"] }]), "nothing at nodes/gone"),
        (json!([{ "op": "put", "at": ["nodes", "ride", "params", "start"], "value": "NaN" }]), "finite number"),
        (riders(1_000_000_000), "1 to 1000000"),
        (
            json!([{ "op": "put", "at": ["threads", "x"], "value": { "from": "out", "to": "ride", "port": "path" } }]),
            "gives nothing",
        ),
        (json!([{ "op": "put", "at": ["nodes", "ride", "params", "glow"], "value": 1 }]), "no parameter \"glow\""),
    ];
    for (ops, words) in cases {
        let refused = page.edited(ops).await.unwrap_err();
        assert!(refused.contains(words), "\"{refused}\" does not say \"{words}\"");
    }
    page.say(&json!({ "kind": "preview", "number": 1, "ops": riders(-3) })).await;
    assert!(page.kind("refused").await["message"].as_str().unwrap().contains("riders"));
    assert_eq!(page.edited(riders(6)).await.unwrap(), 1, "and it still works");
}

#[actix_web::test]
async fn an_edit_to_what_another_page_removed_is_refused() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (mut one, mut two) = (served.open(&id, "one").await, served.open(&id, "two").await);
    one.kind("scene").await;
    two.kind("scene").await;
    one.edited(json!([{ "op": "remove", "at": ["nodes", "ride"] }])).await.unwrap();
    let refused = two.edited(riders(3)).await.unwrap_err();
    assert!(refused.contains("nothing at nodes/ride"), "{refused}");
}

#[actix_web::test]
async fn a_message_that_is_too_large_ends_only_its_own_connection() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (mut one, mut two) = (served.open(&id, "one").await, served.open(&id, "two").await);
    one.kind("scene").await;
    two.kind("scene").await;
    let huge = "x".repeat(zickzack_server::live::LARGEST_MESSAGE + 10);
    one.text(huge).await;
    let refused = one.kind("refused").await;
    assert!(refused["message"].as_str().unwrap().contains("could not be read"), "{refused}");
    assert_eq!(two.edited(riders(2)).await.unwrap(), 1);
}

#[actix_web::test]
async fn what_went_and_came_back_as_it_was_is_sent_again() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.say(&json!({ "kind": "watch", "node": "out", "object": 1, "frame": 0 })).await;
    page.block("traces").await;
    let put = |at: &[&str], value: Value| json!([{ "op": "put", "at": at, "value": value }]);
    let whole = |n: &Value| n["kind"] == "nodes" && n["nodes"]["path"]["state"] == "worked";
    for (away, at) in [
        (put(&["nodes", "out", "bypassed"], json!(true)), put(&["nodes", "out", "bypassed"], json!(false))),
        (
            put(&["nodes", "path", "params", "points"], json!([{ "id": "a", "at": [0, 0, 0] }])),
            put(&["nodes", "path", "params", "points"], scene()["nodes"]["path"]["params"]["points"].clone()),
        ),
    ] {
        // Ends are told twice where offers are tried: those that are told now may be of what was before.
        let gone = page.edited(away.clone()).await.unwrap();
        page.until(|m| m["kind"] == "ends" && m["revision"] == gone).await;
        page.blocks.clear();
        page.edited(at).await.unwrap();
        while page.block("poses").await.0["node"] != "out" {}
        page.block("traces").await;
    }
    // The last one took the path away too, and its picture.
    let gone = page.edited(put(&["nodes", "path", "params", "points"], json!([]))).await.unwrap();
    page.until(|m| m["kind"] == "ends" && m["revision"] == gone).await;
    page.blocks.clear();
    page.edited(put(&["nodes", "path", "params", "points"], scene()["nodes"]["path"]["params"]["points"].clone()))
        .await
        .unwrap();
    let (header, _) = page.block("path").await;
    assert_eq!(header["node"], "path");
    let nodes = page.until(whole).await;
    assert!(nodes["nodes"]["path"]["miniature"].is_object(), "with its picture");
}

/// So many numbers by keys, of as many bytes as a bake of many bodies.
fn large(nodes: usize) -> Value {
    let key = |i: usize| json!({ "id": format!("key-{i}"), "frame": i, "value": i as f64 / 7.0, "handles": "joined", "before": [-0.3, 0.123_456_789], "after": [0.3, 0.987_654_321] });
    let keys: Vec<Value> = (0..2000).map(key).collect();
    let node = json!({ "type": "keys", "name": "Baked", "params": { "keys": keys } });
    (0..nodes).map(|i| json!({ "op": "put", "at": ["nodes", format!("baked-{i}")], "value": node })).collect()
}

#[actix_web::test]
async fn an_edit_larger_than_a_message_is_kept_by_a_request_and_told_to_every_page() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (mut one, mut two) = (served.open(&id, "one").await, served.open(&id, "two").await);
    one.kind("scene").await;
    two.kind("scene").await;
    let ops = large(22);
    assert!(ops.to_string().len() > zickzack_server::live::LARGEST_MESSAGE);
    let path = format!("/api/scenes/{id}/edits");
    let edit = json!({ "client": "one", "sequence": 7, "label": "bake", "ops": ops });
    let (status, answer) = served.post(&path, &edit).await;
    assert_eq!((status, answer["kind"].as_str(), answer["revision"].as_i64()), (200, Some("edited"), Some(1)));
    let (seen, own) = (two.kind("edited").await, one.kind("edited").await);
    assert_eq!((seen["sequence"].as_i64(), &seen["ops"]), (Some(7), &ops));
    assert_eq!((own["client"].as_str(), own["undo"].as_str()), (Some("one"), Some("bake")));
    let (status, again) = served.post(&path, &edit).await;
    assert_eq!((status, again["revision"].as_i64()), (200, Some(1)), "the answer that it had the first time");
    one.sequence = 7;
    assert_eq!(one.undo().await.unwrap(), 2, "and it is taken back as any other");
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert!(file["nodes"].get("baked-0").is_none());

    // What is wrong is refused with the edit's number, what is too large in words.
    let wrong = json!({ "client": "one", "sequence": 9, "label": "x", "ops": riders(-1) });
    let (status, refused) = served.post(&path, &wrong).await;
    assert_eq!((status, refused["kind"].as_str(), refused["later"].as_bool()), (422, Some("refused"), Some(false)));
    let huge = served.client.post(format!("{}{path}", served.base)).timeout(crate::common::PATIENCE).force_close();
    let mut refused = huge.send_body(vec![b' '; 65 << 20]).await.unwrap();
    assert_eq!(refused.status().as_u16(), 413);
    let words: Value = refused.json().await.unwrap();
    assert_eq!(words["message"], "That is larger than 64 MB: make it smaller.");
    let gone = format!("/api/scenes/{}/edits", uuid::Uuid::new_v4());
    let (status, refused) = served.post(&gone, &edit).await;
    assert_eq!((status, refused["later"].as_bool()), (404, Some(true)), "the scene may be brought back");
}

#[actix_web::test]
async fn a_text_that_no_database_can_hold_is_refused_for_good_and_holds_nothing_up() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    let put = |at: Value, value: Value| json!([{ "op": "put", "at": at, "value": value }]);
    let bad = [
        put(json!(["name"]), json!("No\0thing")),
        put(json!(["nodes", "ride", "name"]), json!("\0")),
        put(json!(["nodes", "ride", "type"]), json!("ri\0de")),
        put(json!(["nodes", "ri\0de"]), json!({ "type": "ride", "name": "R" })),
        put(json!(["nodes", "path", "params", "points"]), json!([{ "id": "a\0", "at": [0, 0, 0] }])),
        put(json!(["nodes", "ride", "params", "pace"]), json!("\0")),
        json!([{ "op": "put", "at": ["nodes", "path", "params", "points", "z"], "value": { "id": "z", "at": [0, 0, 0] }, "before": "\0" }]),
    ];
    for ops in bad {
        let sequence = page.edit(ops.clone()).await;
        let refused = page.kind("refused").await;
        assert_eq!(
            (refused["sequence"].as_i64(), refused["later"].as_bool()),
            (Some(sequence), Some(false)),
            "{ops}: {refused}"
        );
    }
    page.sequence += 1;
    let label = json!({ "kind": "edit", "sequence": page.sequence, "label": "set\0", "ops": riders(5) });
    page.say(&label).await;
    assert_eq!(page.kind("refused").await["later"], false);
    let (status, _) = served.post("/api/scenes", &json!({ "name": "a\0b", "space": "deep" })).await;
    assert_eq!(status, 422);
    let (status, _) = served.post(&format!("/api/scenes/{id}/versions"), &json!({ "name": "a\0b" })).await;
    assert_eq!(status, 422);
    assert_eq!(page.edited(riders(5)).await.unwrap(), 1, "what comes after is kept");
}

#[actix_web::test]
async fn a_page_learns_no_other_page_s_name_and_cannot_act_in_its_place() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (mut one, mut two) = (served.open(&id, "one").await, served.open(&id, "two").await);
    one.kind("scene").await;
    two.kind("scene").await;
    one.edited(riders(5)).await.unwrap();
    one.edited(riders(6)).await.unwrap();
    let (first, second) = (two.kind("edited").await["client"].clone(), two.kind("edited").await["client"].clone());
    assert_eq!(first, second, "but whose edits belong together");
    let called = first.as_str().unwrap();
    assert!(!called.contains("one"), "{called}");
    let mut posing = served.open(&id, called).await;
    assert_eq!(posing.kind("scene").await["undo"], Value::Null);
    assert!(posing.undo().await.unwrap_err().contains("nothing to undo"));
    // What a page left behind is answered under its name to the page that sends it.
    two.sequence += 1;
    let left = json!({ "kind": "edit", "sequence": two.sequence, "label": "left", "ops": riders(7), "client": "gone" });
    two.say(&left).await;
    assert_eq!(two.until(|m| m["kind"] == "edited" && m["revision"] == 3).await["client"], "gone");
}

#[actix_web::test]
async fn a_scene_has_one_room_whoever_comes_at_once_and_opening_it_waits_for_no_other() {
    let served = Served::start().await;
    let drawing = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'><path d='M0 0 L9 9'/></svg>";
    let request =
        served.client.post(format!("{}/api/assets", served.base)).insert_header(("content-type", "image/svg+xml"));
    let kept: Value = request.send_body(drawing).await.unwrap().json().await.unwrap();
    let mut with_file = scene();
    with_file["assets"] = json!({ "drawing": { "hash": kept["hash"], "media": "image/svg+xml" } });
    let (slow, quick) = (served.bring_in(&with_file).await, served.bring_in(&scene()).await);
    let [slow, quick] = [slow, quick].map(|id| uuid::Uuid::parse_str(&id).unwrap());
    let shop = &served.shop;

    let rooms = futures_util::future::join_all((0..40).map(|_| shop.hub.room(shop, quick))).await;
    let rooms: Vec<_> = rooms.into_iter().map(Result::unwrap).collect();
    assert!(rooms.iter().all(|room| std::sync::Arc::ptr_eq(room, &rooms[0])));
    // Nobody has entered it yet when another scene is opened.
    shop.hub.room(shop, slow).await.unwrap();
    assert!(std::sync::Arc::ptr_eq(&rooms[0], &shop.hub.room(shop, quick).await.unwrap()));
    drop(rooms);

    // Files cannot be read for a while: the scene without any is opened all the same.
    use sqlx::{Connection, Executor, PgConnection};
    let mut holder = PgConnection::connect(&served.database).await.unwrap();
    holder.execute("BEGIN; LOCK TABLE assets IN ACCESS EXCLUSIVE MODE").await.unwrap();
    let mut waiting = Box::pin(shop.hub.room(shop, slow));
    assert!(futures_util::poll!(&mut waiting).is_pending());
    let opened = tokio::time::timeout(crate::common::PATIENCE, shop.hub.room(shop, quick)).await;
    assert!(opened.is_ok_and(|room| room.is_ok()));
    assert!(futures_util::poll!(&mut waiting).is_pending());
    holder.execute("ROLLBACK").await.unwrap();
    assert!(waiting.await.is_ok());
}
