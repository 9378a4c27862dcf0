//! What the server tells of itself, and how it stops.

use crate::common::{PATIENCE, Served, new_database, patient, scene};
use crate::steady::{heavy, until};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use zickzack_server::loopback_hosts;

async fn text(served: &Served, path: &str) -> (u16, String) {
    let mut answer = served.client.get(format!("{}{path}", served.base)).force_close().send().await.unwrap();
    (answer.status().as_u16(), String::from_utf8(answer.body().await.unwrap().to_vec()).unwrap())
}

/// The value of a metric.
fn value(metrics: &str, name: &str) -> f64 {
    let row = metrics.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(' '));
    row.unwrap_or_else(|| panic!("no {name} in {metrics}")).parse().unwrap()
}

#[actix_web::test]
async fn a_server_says_whether_it_is_alive_and_ready() {
    let served = Served::start().await;
    assert_eq!(text(&served, "/health/alive").await, (204, String::new()));
    let (status, told) = served.get("/health").await;
    assert_eq!(
        (status, &told["ready"], &told["database"], &told["recordings"]),
        (200, &json!(true), &json!("there"), &json!("none"))
    );
    // Whose tables are gone is not ready, and still alive.
    served.in_database("ALTER TABLE scenes RENAME TO elsewhere").await;
    let (status, told) = served.get("/health").await;
    assert_eq!((status, &told["alive"], &told["ready"]), (503, &json!(true), &json!(false)));
    assert!(told["database"].as_str().unwrap().starts_with("it cannot be reached"), "{told}");
    assert_eq!(text(&served, "/health/alive").await.0, 204);
}

#[actix_web::test]
async fn metrics_count_what_is_done_and_name_nothing_of_a_scene() {
    let served = Served::start().await;
    let mut document = scene();
    document["name"] = json!("Nobody shall read this");
    let id = served.bring_in(&document).await;
    let mut page = served.open(&id, "one").await;
    page.kind("ends").await;
    for riders in [5, 6, 8] {
        let ops = json!([{ "op": "put", "at": ["nodes", "ride", "params", "riders"], "value": riders }]);
        page.edited(ops).await.unwrap();
    }
    page.edited(json!([{ "op": "put", "at": ["nodes", "nobody", "name"], "value": 1 }])).await.unwrap_err();
    let (status, metrics) = text(&served, "/metrics").await;
    assert_eq!(status, 200);
    assert_eq!(value(&metrics, "zickzack_edits_total"), 3.0);
    assert_eq!(value(&metrics, "zickzack_refused_total"), 1.0);
    assert_eq!(value(&metrics, "zickzack_pages"), 1.0);
    assert_eq!(value(&metrics, "zickzack_first_block_seconds_count"), 1.0);
    assert!(value(&metrics, "zickzack_memory_bytes") > 1e6);
    // Without what counts it.
    assert_eq!(value(&metrics, "zickzack_heap_bytes"), 0.0);
    assert!(!metrics.contains("Nobody") && !metrics.contains(&id));
    assert_eq!(value(&metrics, "zickzack_scenes"), 1.0);
    // Work is counted once it is over, which may be after a page has what it made.
    let since = Instant::now();
    while value(&text(&served, "/metrics").await.1, "zickzack_work_seconds_count") < 1.0 {
        assert!(since.elapsed() < PATIENCE, "work is never counted");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    // What was computed for a scene is forgotten soon after the last page has left, though nobody opens another.
    drop(page);
    while value(&text(&served, "/metrics").await.1, "zickzack_scenes") > 0.0 {
        assert!(since.elapsed() < PATIENCE, "a scene that nobody looks at stays open");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

#[actix_web::test]
async fn a_server_that_stops_tells_its_pages_and_puts_work_down() {
    let (stop, stops) = tokio::sync::oneshot::channel::<()>();
    let stops = async move {
        let _ = stops.await;
    };
    let served = Served::stopped_by(new_database().await, patient(), stops).await;
    let (id, slow) = (served.bring_in(&scene()).await, served.bring_in(&heavy()).await);
    let mut page = served.open(&id, "one").await;
    page.kind("ends").await;
    let path = format!("{}/api/scenes/{slow}/miniature", served.base);
    let asked = served.client.get(path).timeout(crate::common::PATIENCE).force_close().send();
    let asked = actix_web::rt::spawn(asked);
    until("it begins", || served.shop.background.at_work() == 1).await;
    stop.send(()).unwrap();
    page.kind("stopping").await;
    assert!(page.closes().await, "it is closed by the server");
    let mut answer = asked.await.unwrap().unwrap();
    assert_eq!(answer.status(), 503);
    let told: Value = answer.json().await.unwrap();
    assert_eq!(told["message"], "The server is being stopped: ask again when it is back.");
    until("work is put down", || served.shop.background.at_work() == 0).await;
}

#[actix_web::test]
async fn a_file_that_is_not_there_is_missing_and_an_address_of_the_page_is_the_page() {
    let served = Served::start().await;
    for missing in ["/assets/nothing.js", "/nothing.png", "/assets/nothing", "/scene/nothing.css"] {
        assert_eq!(text(&served, missing).await.0, 404, "{missing}");
    }
    // The page itself is there where the web interface was built.
    assert_ne!(text(&served, "/scene/0d6bc3b8-6c5a-4cbb-8a5f-0d7a5a1d3a77").await.0, 404);
}

#[test]
fn at_its_usual_port_a_server_answers_to_its_name_alone() {
    assert!(loopback_hosts(80).contains(&"127.0.0.1".to_owned()));
    assert!(loopback_hosts(80).contains(&"127.0.0.1:80".to_owned()));
    assert!(!loopback_hosts(8470).contains(&"127.0.0.1".to_owned()));
}
