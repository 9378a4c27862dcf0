//! Where on its plane something is drawn, and what is taken hold of there.

use crate::day::{focus, new_scene, place, points};
use anyhow::{Context, Result, ensure};
use fantoccini::key::Key;
use glam::DVec2;
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use zickzack_e2e::{PATIENCE, Visit};

/// The points of the path, once there are so many of them in what is kept: all is kept also before the page has taken a tap.
async fn kept_points(visit: &Visit, count: usize) -> Result<Vec<Value>> {
    let begun = Instant::now();
    loop {
        // Without a path there are none.
        let made = points(&visit.document().await?).unwrap_or_default();
        if made.len() == count {
            return Ok(made);
        }
        ensure!(begun.elapsed() < PATIENCE, "there are {} points and not {count}", made.len());
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
}

/// Where the sight line through a place of the picture meets the work plane at a tilt, by drawing there what becomes the
/// point with this number.
async fn met(visit: &Visit, tilt: f64, at: (f64, f64), number: usize) -> Result<Vec<f64>> {
    visit.fill("plane tilt", &format!("{tilt:.6}")).await?;
    focus(visit, ".view-body").await?;
    visit.tap(at).await?;
    let made = kept_points(visit, number).await?;
    Ok(place(made.last().context("a point")?))
}

#[tokio::test]
async fn on_a_plane_that_is_seen_from_its_edge_nothing_is_drawn_and_nothing_is_lost() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    let (x, y) = visit.middle(".view-body canvas").await?;
    focus(&visit, ".view-body").await?;
    visit.keys("g", &[]).await?;
    focus(&visit, ".view-body").await?;
    visit.keys("p", &[]).await?;
    // Two places on one sight line say how it slants.
    let here = (x - 60.0, y + 40.0);
    let near = met(&visit, 0.0, here, 1).await?;
    visit.keys("z", &[Key::Control]).await?;
    kept_points(&visit, 0).await?;
    let far = met(&visit, 90.0, here, 1).await?;
    let line = DVec2::new(near[2] - far[2], far[1] - near[1]);
    let edge = (line * line.x.signum()).to_angle().to_degrees();
    visit.fill("plane tilt", &format!("{edge:.6}")).await?;
    focus(&visit, ".view-body").await?;
    visit.tap((here.0 + 15.0, here.1)).await?;
    visit.until("why not", "return document.body.textContent.includes('is seen from its edge: turn the View')").await?;
    assert_eq!(points(&visit.document().await?)?.len(), 1, "no second point");
    // It is gone on with.
    met(&visit, 0.0, (x + 60.0, y + 60.0), 2).await?;
    visit.end().await
}

#[tokio::test]
async fn a_work_plane_and_the_playhead_stay_with_their_scene() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let tilt = "return document.querySelector('input[aria-label=\"plane tilt\"]')?.value";
    let plane = async |visit: &Visit| {
        focus(visit, ".view-body").await?;
        visit.keys("g", &[]).await?;
        visit.find("input[aria-label=\"plane tilt\"]").await?;
        visit.js(tilt).await
    };
    new_scene(&visit).await?;
    let plain = plane(&visit).await?;
    visit.fill("plane tilt", "30").await?;
    visit.until("a tilted plane", &format!("{tilt}.startsWith('30')")).await?;
    focus(&visit, ".view-body").await?;
    visit.keys(&char::from(Key::Right).to_string(), &[Key::Shift]).await?;
    visit.until("another frame", "return window.zickzack.frame() === 10").await?;

    visit.client.back().await?;
    new_scene(&visit).await?;
    assert_eq!(plane(&visit).await?, plain, "a plane of its own");
    assert_eq!(visit.js("return window.zickzack.frame()").await?.as_f64(), Some(0.0));
    visit.end().await
}

#[tokio::test]
async fn a_point_is_taken_hold_of_where_the_handle_of_another_ends_on_it() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let points: Vec<Value> = [[-1.0, 0.0, 0.0], [-0.4, 0.0, 0.9], [1.0, 0.0, 0.0]]
        .iter()
        .enumerate()
        .map(|(i, at)| json!({ "id": format!("p{i}"), "at": at, "kind": "corner", "in": [-0.4, 0.0, 0.2], "out": [1.4, 0.0, -0.9] }))
        .collect();
    let scene = json!({ "format": "zickzack-scene", "version": 1, "name": "Ends on a point", "space": "deep", "fps": "24", "frames": 96,
        "nodes": { "path": { "type": "drawn-path", "name": "Path", "at": [24, 24], "params": { "points": points } } }, "threads": {} });
    let id = visit.bring_in(&scene).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    visit.choose_node("Path").await?;
    let third = visit.middle("button[aria-label^=\"Point 3 of Path\"]").await?;
    visit.tap(visit.middle("button[aria-label^=\"Point 2 of Path\"]").await?).await?;
    visit.until("its handles", "return document.querySelectorAll('.handle.lever-tip').length === 2").await?;
    let tip = visit.middle("button[aria-label^=\"Handle out of point 2\"]").await?;
    assert!(DVec2::from(tip).distance(third.into()) < 2.0, "it ends on the point: {tip:?} {third:?}");
    visit.drag(third, (40.0, 20.0)).await?;
    visit.kept().await?;
    let [before, after] = [&points, &crate::day::points(&visit.document().await?)?]
        .map(|list| list.iter().map(place).collect::<Vec<_>>());
    assert_eq!(before[..2], after[..2], "the others stay");
    assert_ne!(before[2], after[2], "the point was moved");
    visit.end().await
}
