//! A scene's document is written now and then; what is kept is the scene all the same, at every edit.

use crate::common::{Served, scene};
use proptest::prelude::*;
use serde_json::{Value, json};
use sqlx::Row;

/// The revision at which a scene was written, its revision, and the bytes of what was written.
async fn written(served: &Served, id: &str) -> (i64, i64, i64) {
    let statement =
        format!("SELECT written, revision, octet_length(document::text)::bigint FROM scenes WHERE id = '{id}'");
    let row = sqlx::query(sqlx::AssertSqlSafe(statement)).fetch_one(&served.shop.pool).await.unwrap();
    (row.get(0), row.get(1), row.get(2))
}

async fn kept(served: &Served, id: &str) -> Value {
    served.get(&format!("/api/scenes/{id}/file")).await.1
}

fn keys(many: u32) -> Value {
    (0..many).map(|i| json!({ "id": format!("k{i}"), "frame": i, "value": 0.001 * f64::from(i) })).collect()
}

/// Some 300 KB of keys beside a few small nodes.
fn large() -> Value {
    let mut document = scene();
    document["nodes"]["numbers"] = json!({ "type": "keys", "name": "Numbers", "params": { "keys": keys(6000) } });
    document
}

fn name(to: &str) -> Value {
    json!([{ "op": "put", "at": ["nodes", "out", "name"], "value": to }])
}

#[actix_web::test]
async fn a_small_edit_of_a_large_scene_writes_the_edit_and_not_the_scene() {
    let served = Served::start().await;
    let id = served.bring_in(&large()).await;
    let bytes = written(&served, &id).await.2;
    assert!(bytes > 200_000, "{bytes}");
    let mut page = served.open(&id, "a").await;
    for i in 1..=150 {
        page.edited(name(&format!("Out {i}"))).await.unwrap();
    }
    assert_eq!(written(&served, &id).await, (0, 150, bytes), "nothing of it was written");
    assert_eq!(kept(&served, &id).await["nodes"]["out"]["name"], "Out 150");
    for i in 151..=202 {
        page.edited(name(&format!("Out {i}"))).await.unwrap();
    }
    let (at, revision, _) = written(&served, &id).await;
    assert_eq!((at, revision), (201, 202), "so many edits are not read one by one");
    // What is as large as the scene is written with it, and edits that come to as much.
    for _ in 0..2 {
        let again = json!([{ "op": "put", "at": ["nodes", "numbers", "params", "keys"], "value": keys(6000) }]);
        page.edited(again).await.unwrap();
    }
    assert_eq!(written(&served, &id).await.0, 204);
    assert_eq!(kept(&served, &id).await["nodes"]["out"]["name"], "Out 202");
}

#[actix_web::test]
async fn edits_that_are_missing_are_told_and_nothing_older_is_shown_instead() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    {
        let mut page = served.open(&id, "a").await;
        for i in 0..3 {
            page.edited(name(&format!("Out {i}"))).await.unwrap();
        }
    }
    served.in_database(&format!("DELETE FROM edits WHERE scene = '{id}' AND revision = 2")).await;
    let (status, refused) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!(status, 422);
    let message = refused["message"].as_str().unwrap();
    assert!(message.contains("1 of its last 3 edits are missing"), "{message}");
}

#[derive(Debug, Clone)]
enum Act {
    Edit(Value),
    Undo,
    Redo,
    /// The page goes, and with it the room.
    Leave,
}

fn act() -> impl Strategy<Value = Act> {
    let node = prop::sample::select(vec!["a", "b"]);
    let put = |at: Vec<String>, value: Value| json!({ "op": "put", "at": at, "value": value });
    let at = |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>();
    let op = prop_oneof![
        (1..9_i64).prop_map(move |n| put(at(&["nodes", "ride", "params", "riders"]), json!(n))),
        "[a-z]{1,8}".prop_map(move |text| put(at(&["name"]), json!(text))),
        (24..300_u32).prop_map(move |n| put(at(&["frames"]), json!(n))),
        node.clone().prop_map(move |id| put(at(&["nodes", id]), json!({ "type": "keys", "name": "New" }))),
        node.clone().prop_map(move |id| json!({ "op": "remove", "at": ["nodes", id] })),
        node.clone().prop_map(move |id| json!({ "op": "remove", "at": ["nodes", id, "at"] })),
        (node, 0..800_u32).prop_map(move |(id, many)| put(at(&["nodes", id, "params", "keys"]), keys(many))),
    ];
    prop_oneof![
        6 => prop::collection::vec(op, 1..3).prop_map(|ops| Act::Edit(Value::from(ops))),
        1 => Just(Act::Undo),
        1 => Just(Act::Redo),
        1 => Just(Act::Leave),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 6, ..ProptestConfig::default() })]

    #[test]
    fn whatever_was_done_the_kept_scene_is_the_one_that_pages_have(acts in prop::collection::vec(act(), 20..60)) {
        let done = actix_web::rt::System::new().block_on(async {
            let served = Served::start().await;
            let id = served.bring_in(&scene()).await;
            let mut page = served.open(&id, "a").await;
            for act in acts {
                match act {
                    // What does not fit is refused and changes nothing.
                    Act::Edit(ops) => drop(page.edited(ops).await),
                    Act::Undo => drop(page.undo().await),
                    Act::Redo => drop(page.redo().await),
                    Act::Leave => {
                        let sequence = page.sequence;
                        drop(page);
                        page = served.open(&id, "a").await;
                        page.sequence = sequence;
                    }
                }
            }
            let room = served.shop.hub.room(&served.shop, id.parse().unwrap()).await.unwrap_or_else(|_| unreachable!());
            let held = serde_json::to_value(&*room.state().await.session.scene).unwrap();
            let found = (held, kept(&served, &id).await, written(&served, &id).await);
            served.shop.pool.close().await;
            found
        });
        let (held, kept, (at, revision, _)) = done;
        prop_assert_eq!(held, kept);
        prop_assert!(at <= revision);
    }
}
