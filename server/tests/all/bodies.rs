//! The bodies of what is dented, as a page is sent them.

use crate::common::{Page, Served};
use serde_json::{Value, json};

/// Balls that go round a ring and dent it.
fn ring() -> Value {
    let thread = |from: &str, to: &str, port: &str| json!({ "from": from, "to": to, "port": port });
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Ring", "fps": "24", "frames": 24, "space": "deep",
        "nodes": {
            "winding": { "type": "torus-winding", "name": "Winding" },
            "ring": { "type": "torus", "name": "Ring", "params": { "radius": 2, "tube": 0.5 } },
            "ride": { "type": "ride", "name": "Balls", "params": { "riders": 2 } },
            "dent": { "type": "dent", "name": "Dents", "params": { "tail": 0, "reach": 0.5 } },
        },
        "threads": {
            "a": thread("winding", "ride", "path"), "b": thread("ride", "dent", "motion"), "c": thread("ring", "dent", "surface"),
        },
    })
}

/// How many corners the bodies have that come by the time that a revision is shown.
async fn bodies_by(page: &mut Page, revision: i64) -> Vec<u64> {
    page.until(|message| message["kind"] == "shown" && message["revision"] == revision && message["preview"] == 0)
        .await;
    let bodies = page.blocks.drain(..).filter(|(header, _)| header["kind"] == "body");
    bodies
        .map(|(header, numbers)| {
            let (corners, triangles) = (header["corners"].as_u64().unwrap(), header["triangles"].as_u64().unwrap());
            assert_eq!((header["node"].as_str(), header["of"].as_u64()), (Some("dent"), Some(0)));
            assert_eq!(numbers.len() as u64, 6 * corners + 3 * triangles);
            assert!(numbers[6 * corners as usize..].iter().all(|corner| (*corner as u64) < corners));
            corners
        })
        .collect()
}

#[actix_web::test]
async fn a_body_is_sent_once_and_again_where_it_changed_or_was_gone_or_the_page_comes_anew() {
    let served = Served::start().await;
    let id = served.bring_in(&ring()).await;
    let mut page = served.open(&id, "one").await;
    let first = bodies_by(&mut page, 0).await;
    assert_eq!(first.len(), 1);
    let put = |at: &[&str], value: Value| json!([{ "op": "put", "at": at, "value": value }]);
    // Other dents in the same body.
    let revision = page.edited(put(&["nodes", "dent", "params", "depth"], json!(0.3))).await.unwrap();
    assert_eq!(bodies_by(&mut page, revision).await, [0; 0]);
    // Another body.
    let revision = page.edited(put(&["nodes", "ring", "params", "tube"], json!(0.8))).await.unwrap();
    let wider = bodies_by(&mut page, revision).await;
    assert_eq!(wider.len(), 1);
    assert_ne!(wider, first);
    // One that the page dropped with the looks of what it is no more.
    let revision = page.edited(put(&["nodes", "dent", "bypassed"], json!(true))).await.unwrap();
    assert_eq!(bodies_by(&mut page, revision).await, [0; 0]);
    let revision = page.undo().await.unwrap();
    assert_eq!(bodies_by(&mut page, revision).await, wider);
    let mut again = served.open(&id, "one").await;
    assert_eq!(bodies_by(&mut again, revision).await, wider);
}
