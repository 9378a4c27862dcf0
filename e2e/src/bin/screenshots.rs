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
    Ok(())
}

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
    visit.until("two patterns", "return document.querySelectorAll('.pattern canvas').length >= 2").await?;
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

    open(&visit, "Puck on the boards").await?;
    visit.press(".react-flow__node[data-id=\"throw\"]").await?;
    go_to(&visit, 26).await?;
    shoot(&visit, &folder, "bench-puck-on-the-boards").await?;
    visit.click("Hand-off").await?;
    visit.until("a plot", "return document.querySelectorAll('.plot').length === 2").await?;
    shoot(&visit, &folder, "hand-off").await?;

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
    visit.end().await
}
