//! Makes the pictures in docs/screenshots anew, from the demo.

use anyhow::Result;
use std::path::Path;
use std::time::Duration;
use zickzack_e2e::{Visit, root};

const SETTLED: Duration = Duration::from_millis(1200);

async fn shoot(visit: &Visit, folder: &Path, name: &str) -> Result<()> {
    tokio::time::sleep(SETTLED).await;
    visit.picture(&folder.join(format!("{name}.png"))).await?;
    println!("{name}.png");
    Ok(())
}

async fn open(visit: &Visit, scene: &str) -> Result<()> {
    visit.client.goto(&visit.base).await?;
    visit.click(scene).await?;
    visit.until("a seam", "return document.querySelector('.badge') != null").await?;
    visit.until("traces", "return document.querySelector('.trace-canvas') != null").await?;
    // Pictures of the Pattern book that are still asked for hold up what nodes declare.
    visit.until("what nodes declare", "return document.querySelector('.react-flow__handle') != null").await?;
    Ok(())
}

/// What is recorded is there, and the loop closes.
const WORKED_OUT: &str = "return document.querySelector('.badge.closed') != null";

/// Puts the playhead on a frame with the keys.
async fn go_to(visit: &Visit, frame: usize) -> Result<()> {
    let home = char::from(fantoccini::key::Key::Home).to_string();
    visit.press(".bead").await?;
    visit.keys(&home, &[]).await?;
    let right = char::from(fantoccini::key::Key::Right).to_string();
    visit.keys(&right.repeat(frame), &[]).await
}

#[tokio::main]
async fn main() -> Result<()> {
    let folder = root().join("docs/screenshots");
    std::fs::create_dir_all(&folder)?;
    let visit = Visit::start(1280, 800).await?;
    // What is said of a scene comes with its picture; those of the first rows are seen.
    let pictured = "const all = [...document.querySelectorAll('.pattern:not(.starter)')].slice(0, 12); return all.length === 12 && all.every((one) => /closes|opens|ends/.test(one.textContent))";
    visit.until("all patterns", pictured).await?;
    shoot(&visit, &folder, "pattern-book").await?;

    open(&visit, "Lantern round").await?;
    visit.press(".react-flow__node[data-id=\"lanterns\"]").await?;
    go_to(&visit, 37).await?;
    shoot(&visit, &folder, "bench-lantern-round").await?;
    visit.fill("laps per loop", "1.3").await?;
    visit.until("an open seam", "return document.querySelector('.seam-knot.open') != null").await?;
    visit.press(".seam-knot").await?;
    shoot(&visit, &folder, "seam").await?;
    visit.click("→ 9/7").await?;
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;

    open(&visit, "Moths and the lamplighter").await?;
    visit.until("all of it worked out", WORKED_OUT).await?;
    visit.press(".react-flow__node[data-id=\"wings\"]").await?;
    go_to(&visit, 24).await?;
    shoot(&visit, &folder, "bench-moths").await?;
    open(&visit, "Pennant").await?;
    visit.press(".react-flow__node[data-id=\"bend\"]").await?;
    go_to(&visit, 150).await?;
    shoot(&visit, &folder, "bench-pennant").await?;
    open(&visit, "Swim ring").await?;
    visit.press(".react-flow__node[data-id=\"dent\"]").await?;
    go_to(&visit, 30).await?;
    shoot(&visit, &folder, "bench-swim-ring").await?;
    open(&visit, "Helter-skelter embers").await?;
    visit.press(".react-flow__node[data-id=\"embers\"]").await?;
    go_to(&visit, 40).await?;
    shoot(&visit, &folder, "bench-embers").await?;

    open(&visit, "Puck on the boards").await?;
    visit.press(".react-flow__node[data-id=\"throw\"]").await?;
    go_to(&visit, 26).await?;
    shoot(&visit, &folder, "bench-puck-on-the-boards").await?;
    visit.click("Hand-off").await?;
    visit.until("a plot", "return document.querySelectorAll('.plot').length === 2").await?;
    visit.click("Write file").await?;
    visit.until("the file", "return document.querySelector('.ordered [data-state=done]')").await?;
    shoot(&visit, &folder, "hand-off").await?;
    // The bars of the other pictures are as they are without files.
    visit.press("button[aria-label^=\"Take \"]").await?;
    visit.until("no file", "return document.querySelector('.ordered') == null").await?;

    open(&visit, "Ropeway").await?;
    visit.choose_node("Rope links").await?;
    go_to(&visit, 40).await?;
    shoot(&visit, &folder, "bench-ropeway").await?;
    open(&visit, "Ring toss").await?;
    visit.choose_node("Peg gives way").await?;
    go_to(&visit, 40).await?;
    shoot(&visit, &folder, "bench-ring-toss").await?;
    open(&visit, "Tent trampoline").await?;
    visit.choose_node("Jump").await?;
    visit.click("▸ Bake to keys").await?;
    visit.until("counts", "return document.querySelector('.bake .facts')?.textContent.includes('→')").await?;
    visit.js("document.querySelector('.bake').scrollIntoView()").await?;
    go_to(&visit, 60).await?;
    shoot(&visit, &folder, "bake").await?;
    open(&visit, "Parade").await?;
    visit.choose_node("Stop and go").await?;
    go_to(&visit, 96).await?;
    visit.js("document.querySelector('.traces-body').focus()").await?;
    visit.keys("a", &[fantoccini::key::Key::Control]).await?;
    shoot(&visit, &folder, "keys-in-traces").await?;

    visit.press("button[aria-label=\"Dark paper\"]").await?;
    open(&visit, "Lantern round").await?;
    go_to(&visit, 80).await?;
    shoot(&visit, &folder, "bench-dark-paper").await?;
    visit.press("button[aria-label=\"Light paper\"]").await?;
    visit.client.goto(&visit.base).await?;
    visit.click("New scene").await?;
    visit.click("Deep").await?;
    visit.until("a bench", "return document.querySelector('.view-empty') != null").await?;
    shoot(&visit, &folder, "empty-bench").await?;

    draw_on_a_tilted_plane(&visit).await?;
    shoot(&visit, &folder, "tilted-plane").await?;
    visit.begin_from("Run in and stop").await?;
    visit.choose_node("Boat").await?;
    visit.choose("thing", "own model").await?;
    visit.give_file("file", &root().join("demo/swan-boat.glb")).await?;
    visit.kept().await?;
    visit.click("Pick nose and top").await?;
    visit.tap(visit.middle("button[aria-label=\"nose +z\"]").await?).await?;
    visit.until("no message", "return document.querySelector('.message') == null").await?;
    shoot(&visit, &folder, "own-model").await?;
    compare_with_a_version(&visit).await?;
    shoot(&visit, &folder, "versions").await?;
    visit.keys(&char::from(fantoccini::key::Key::Escape).to_string(), &[]).await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("?", &[]).await?;
    shoot(&visit, &folder, "keys-and-words").await?;
    visit.end().await
}

async fn draw_on_a_tilted_plane(visit: &Visit) -> Result<()> {
    let (x, y) = visit.middle(".view-body canvas").await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("g", &[]).await?;
    visit.fill("plane tilt", "30").await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("p", &[]).await?;
    for (dx, dy) in [(-190.0, -10.0), (-60.0, 70.0), (150.0, 40.0), (170.0, -80.0), (-40.0, -90.0)] {
        visit.tap((x + dx, y + dy)).await?;
        visit.kept().await?;
    }
    visit.keys("c", &[]).await?;
    visit.kept().await?;
    visit.tap(visit.middle("button[aria-label^=\"Point 3 of\"]").await?).await
}

async fn compare_with_a_version(visit: &Visit) -> Result<()> {
    visit.begin_from("One path, many riders").await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("v", &[]).await?;
    visit.keys("Before the fair", &[]).await?;
    visit.keys(&char::from(fantoccini::key::Key::Enter).to_string(), &[]).await?;
    visit.until("a version", "return document.querySelector('.version') != null").await?;
    visit.choose_node("Twelve").await?;
    visit.fill("start", "0.04").await?;
    visit.choose_node("Jetty walk").await?;
    visit.drag(visit.middle("button[aria-label^=\"Point 4 of\"]").await?, (-40.0, -30.0)).await?;
    visit.choose_node("Lanterns").await?;
    visit.fill("size", "0.9").await?;
    visit.kept().await?;
    visit.click("Versions").await?;
    visit.click("Compare").await?;
    visit.until("differences", "return document.querySelectorAll('.differences tbody tr').length >= 3").await?;
    visit.until("no message", "return document.querySelector('.message') == null").await?;
    Ok(())
}
