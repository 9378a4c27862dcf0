//! No scene holds up another, what nobody waits for is given up, and what is on screen comes first.

use crate::common::{PATIENCE, Served, scene};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::time::Duration;

/// Rigid bodies for minutes.
fn heavy() -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Heap", "space": "deep", "fps": "24", "frames": 6000,
        "nodes": {
            "path": { "type": "figure", "name": "Ring" },
            "ride": { "type": "ride", "name": "Many", "params": { "riders": 120 } },
            "heap": { "type": "bodies", "name": "Heap" },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" },
            "t2": { "from": "ride", "to": "heap", "port": "motion" },
            "t3": { "from": "heap", "to": "out", "port": "motion" }
        }
    })
}

async fn until(what: &str, fits: impl Fn() -> bool) {
    let waited = tokio::time::timeout(PATIENCE, async {
        while !fits() {
            tokio::time::sleep(Duration::from_millis(5)).await;
        }
    });
    assert!(waited.await.is_ok(), "{what}");
}

#[actix_web::test]
async fn a_request_that_nobody_waits_for_stops_its_work() {
    let served = Served::start().await;
    let id = served.bring_in(&heavy()).await;
    let background = &served.shop.background;
    let asks = [
        format!("/api/scenes/{id}/miniature"),
        format!("/api/scenes/{id}/handoff?from=0&to=100&step=1"),
        format!("/api/scenes/{id}/handoff/file?from=0&to=100&step=1&form=glb"),
        format!("/api/scenes/{id}/bake?node=heap&tolerance=0.001&angle=1"),
    ];
    for path in asks {
        {
            let asked = served.client.get(format!("{}{path}", served.base)).timeout(PATIENCE).force_close().send();
            let mut asked = Box::pin(asked);
            let begun = until("it begins", || background.at_work() == 1);
            tokio::select! {
                answer = &mut asked => panic!("{path}: {:?}", answer.map(|answer| answer.status())),
                () = begun => {}
            }
        }
        until(&path, || background.at_work() == 0).await;
    }
}

#[actix_web::test]
async fn a_scene_that_is_deleted_is_worked_at_no_more() {
    let served = Served::start().await;
    let id = served.bring_in(&heavy()).await;
    let background = &served.shop.background;
    let path = format!("{}/api/scenes/{id}/miniature", served.base);
    let mut asked = Box::pin(served.client.get(path).timeout(PATIENCE).force_close().send());
    tokio::select! {
        answer = &mut asked => panic!("{:?}", answer.map(|answer| answer.status())),
        () = until("it begins", || background.at_work() == 1) => {}
    }
    let gone = served.client.delete(format!("{}/api/scenes/{id}", served.base)).send().await.unwrap();
    assert_eq!(gone.status(), 204);
    assert_eq!(asked.await.unwrap().status(), 404);
}

#[actix_web::test]
async fn the_frame_on_screen_comes_first_of_every_end() {
    let served = Served::start().await;
    let mut document = scene();
    // So many that their frames come in several blocks.
    for end in ["ride", "ride2", "ride3"] {
        document["threads"].as_object_mut().unwrap().remove("t1");
        document["nodes"][end] = json!({ "type": "ride", "name": end, "params": { "riders": 300, "laps": "1" } });
        document["threads"][format!("{end}path")] = json!({ "from": "path", "to": end, "port": "path" });
    }
    let id = served.bring_in(&document).await;
    let mut page = served.open(&id, "one").await;
    page.kind("ends").await;
    let ends: BTreeSet<String> = ["out", "out2", "ride2", "ride3"].map(str::to_owned).into();
    let poses: Vec<&Value> = page.blocks.iter().map(|(header, _)| header).filter(|h| h["kind"] == "poses").collect();
    let number = |header: &Value, name: &str| header[name].as_u64().unwrap();
    let first = &poses[..ends.len()];
    assert_eq!(first.iter().map(|header| header["node"].as_str().unwrap().to_owned()).collect::<BTreeSet<_>>(), ends);
    assert!(first.iter().all(|header| number(header, "from") == 0), "{first:?}");
    assert!(poses.len() > 2 * ends.len(), "all came at once");
    for end in &ends {
        let mut frames = BTreeSet::new();
        for header in poses.iter().filter(|header| header["node"] == **end) {
            frames.extend(number(header, "from")..number(header, "from") + number(header, "count"));
        }
        assert!(frames.into_iter().eq(0..=96), "{end}");
    }
}
