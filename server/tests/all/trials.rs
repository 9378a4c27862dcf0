//! A scene that a server ended over is not worked out again by itself.

use crate::common::{PATIENCE, Served, new_database, patient, scene};
use serde_json::{Value, json};
use sqlx::{Connection, PgConnection};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Work for a scene begins, and the server never comes to its end.
async fn ends_over(served: &Served, scene: &str) {
    let (shop, scene) = (served.shop.clone(), scene.parse::<Uuid>().unwrap());
    tokio::task::spawn_blocking(move || std::mem::forget(shop.trials.begins(scene))).await.unwrap();
}

/// What is written down of a scene: that it is worked out, and how often a server ended over it.
async fn written(served: &Served, scene: &str) -> Option<(bool, i32)> {
    let mut connection = PgConnection::connect(&served.database).await.unwrap();
    sqlx::query_as("SELECT running, ended FROM trials WHERE scene = $1")
        .bind(scene.parse::<Uuid>().unwrap())
        .fetch_optional(&mut connection)
        .await
        .unwrap()
}

async fn until_written(served: &Served, scene: &str, wanted: (bool, i32)) {
    let since = Instant::now();
    while since.elapsed() < PATIENCE {
        if written(served, scene).await == Some(wanted) {
            return;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    panic!("{:?} instead of {wanted:?}", written(served, scene).await);
}

/// What a page that opens a scene is told: that it is held back, or what became of its nodes.
async fn opened(served: &Served, scene: &str) -> Value {
    let mut page = served.open(scene, "one").await;
    page.until(|message| message["kind"] == "held" || message["kind"] == "nodes").await
}

#[actix_web::test]
async fn a_scene_that_alone_was_worked_out_when_the_server_ended_waits_until_somebody_asks_for_it() {
    let served = Served::start().await;
    let (id, other) = (served.bring_in(&scene()).await, served.bring_in(&scene()).await);
    ends_over(&served, &id).await;
    assert_eq!(written(&served, &id).await, Some((true, 0)));
    let next = Served::on(served.database.clone()).await;
    let mut page = next.open(&id, "one").await;
    let held = page.until(|message| message["kind"] == "held" || message["kind"] == "nodes").await;
    assert!(held["message"].as_str().unwrap().contains("ended while it worked this scene out"), "{held}");
    // Nothing else works it out either, and it can still be changed.
    for path in [format!("/api/scenes/{id}/miniature"), format!("/api/scenes/{id}/handoff?from=0&to=9&step=1")] {
        let (status, why) = next.get(&path).await;
        assert_eq!((status, why["message"].as_str()), (409, held["message"].as_str()));
    }
    assert_eq!(page.edited(json!([{ "op": "put", "at": ["name"], "value": "Lighter" }])).await, Ok(1));
    assert_eq!(opened(&next, &other).await["kind"], "nodes");
    page.say(&json!({ "kind": "work-out" })).await;
    page.kind("nodes").await;
    page.block("poses").await;
    // It was done: nothing is held against it any more.
    until_written(&next, &id, (false, 0)).await;
    drop(page);
    let last = Served::on(served.database.clone()).await;
    assert_eq!(opened(&last, &id).await["kind"], "nodes");
}

#[actix_web::test]
async fn where_it_is_asked_for_and_the_server_ends_again_it_is_held_back_again() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    ends_over(&served, &id).await;
    let next = Served::on(served.database.clone()).await;
    next.shop.trials.again(&next.shop.pool, id.parse().unwrap()).await.unwrap();
    ends_over(&next, &id).await;
    let last = Served::on(served.database.clone()).await;
    assert_eq!(opened(&last, &id).await["kind"], "held");
}

#[actix_web::test]
async fn of_several_only_the_one_that_is_worked_out_when_the_next_server_ends_too_waits() {
    let served = Served::start().await;
    let (id, other) = (served.bring_in(&scene()).await, served.bring_in(&scene()).await);
    ends_over(&served, &id).await;
    ends_over(&served, &other).await;
    let next = Served::on(served.database.clone()).await;
    // It is looked at until it is worked out whole.
    let mut page = next.open(&other, "one").await;
    page.until(|message| message["kind"] == "held" || message["kind"] == "ends").await;
    until_written(&next, &other, (false, 0)).await;
    drop(page);
    ends_over(&next, &id).await;
    let last = Served::on(served.database.clone()).await;
    assert_eq!(opened(&last, &other).await["kind"], "nodes");
    assert_eq!(opened(&last, &id).await["kind"], "held");
}

#[actix_web::test]
async fn a_server_that_is_stopped_in_order_holds_nothing_back() {
    let (stop, stops) = tokio::sync::oneshot::channel::<()>();
    let stops = async move { stops.await.unwrap() };
    let served = Served::stopped_by(new_database().await, patient(), stops).await;
    let id = served.bring_in(&scene()).await;
    ends_over(&served, &id).await;
    stop.send(()).unwrap();
    until_written(&served, &id, (false, 0)).await;
    let next = Served::on(served.database.clone()).await;
    assert_eq!(opened(&next, &id).await["kind"], "nodes");
}

#[actix_web::test]
async fn what_takes_long_is_written_down_though_its_scene_was_worked_out_before() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    assert_eq!(opened(&served, &id).await["kind"], "nodes");
    until_written(&served, &id, (false, 0)).await;
    ends_over(&served, &id).await;
    until_written(&served, &id, (true, 0)).await;
}
