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
    assert_eq!((seen["client"].as_str(), seen["revision"].as_i64()), (Some("one"), Some(1)));
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
    assert_eq!(numbers.len(), 8 * 97 * 8);
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
        page.edited(away.clone()).await.unwrap();
        page.kind("ends").await;
        page.blocks.clear();
        page.edited(at).await.unwrap();
        // Ends are told twice where offers are tried, so that some of what was away may still be on its way.
        while page.block("poses").await.0["node"] != "out" {}
        page.block("traces").await;
    }
    // The last one took the path away too, and its picture.
    page.edited(put(&["nodes", "path", "params", "points"], json!([]))).await.unwrap();
    page.kind("ends").await;
    page.blocks.clear();
    page.edited(put(&["nodes", "path", "params", "points"], scene()["nodes"]["path"]["params"]["points"].clone()))
        .await
        .unwrap();
    let (header, _) = page.block("path").await;
    assert_eq!(header["node"], "path");
    let nodes = page.until(whole).await;
    assert!(nodes["nodes"]["path"]["miniature"].is_object(), "with its picture");
}
