//! Memory check of the interface: a page that is edited without a pause for some minutes must not grow.
//!
//! Drags of numbers and points, steps of the keyboard, undo, playing, versions laid beneath and taken away.

use anyhow::{Context, Result, ensure};
use fantoccini::key::Key;
use std::time::{Duration, Instant};
use zickzack_e2e::Visit;

/// What the script of the page may hold, megabytes.
const BUDGET: f64 = 300.0;
/// What it may grow by from its first quarter on, megabytes.
const GROWTH: f64 = 15.0;

/// Megabytes that the page's script holds after its garbage was collected.
async fn held(visit: &Visit) -> Result<f64> {
    let script = "window.gc?.(); window.gc?.(); return performance.memory.usedJSHeapSize / 1e6";
    visit.js(script).await?.as_f64().context("a size")
}

async fn edits(visit: &Visit) -> Result<u64> {
    let told = visit.js("return document.querySelector('.save-state').textContent").await?;
    told.as_str().and_then(|told| told.rsplit(' ').next()?.parse().ok()).context("a revision")
}

async fn round(visit: &Visit, turn: usize) -> Result<()> {
    visit.choose_node("Twelve").await?;
    let way = if turn.is_multiple_of(2) { 30.0 } else { -30.0 };
    visit.drag(visit.middle("input[aria-label=\"start\"]").await?, (way, 0.0)).await?;
    visit.js("document.querySelector('input[aria-label=seed]').focus()").await?;
    for _ in 0..10 {
        visit.keys(&char::from(Key::Up).to_string(), &[]).await?;
    }
    visit.drag(visit.middle("button[aria-label^=\"Point 4 of Jetty\"]").await?, (way, way / 3.0)).await?;
    for _ in 0..3 {
        visit.click("Undo").await?;
    }
    if turn.is_multiple_of(5) {
        let begins = turn.is_multiple_of(10);
        visit.click(if begins { "Versions" } else { "Comparing" }).await?;
        visit.click(if begins { "Compare" } else { "End" }).await?;
        visit.js("document.querySelector('.view-body').focus()").await?;
        visit.keys(" ", &[]).await?;
        tokio::time::sleep(Duration::from_millis(700)).await;
        visit.keys(" ", &[]).await?;
    }
    visit.kept().await
}

#[tokio::main]
async fn main() -> Result<()> {
    let minutes: f64 = std::env::args().nth(1).map_or(Ok(60.0), |text| text.parse())?;
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("v", &[]).await?;
    visit.keys(&char::from(Key::Enter).to_string(), &[]).await?;
    visit.until("a version", "return document.querySelector('.version') != null").await?;
    let begun = Instant::now();
    let (mut turn, mut seen, mut next) = (0, Vec::new(), Duration::ZERO);
    while begun.elapsed().as_secs_f64() < minutes * 60.0 {
        round(&visit, turn).await?;
        turn += 1;
        if begun.elapsed() >= next {
            next += Duration::from_secs_f64(minutes * 60.0 / 12.0);
            seen.push(held(&visit).await?);
            let (minute, megabytes) = (begun.elapsed().as_secs_f64() / 60.0, seen[seen.len() - 1]);
            println!("{minute:6.1} min  {megabytes:7.1} MB  {} edits", edits(&visit).await?);
        }
    }
    seen.push(held(&visit).await?);
    println!("{minutes:6.1} min  {:7.1} MB  {} edits", seen[seen.len() - 1], edits(&visit).await?);
    let most = seen.iter().copied().fold(0.0, f64::max);
    let growth = seen[seen.len() - 1] - seen[seen.len() / 4];
    println!("most {most:.1} MB of {BUDGET} MB; from the first quarter to the end {growth:+.1} MB");
    ensure!(most <= BUDGET, "more than the budget");
    ensure!(growth <= GROWTH, "the page grows");
    visit.end().await
}
