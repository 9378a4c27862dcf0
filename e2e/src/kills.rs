//! Edits made through the real page while the server and the database are killed and brought back.

use crate::{Cluster, Visit};
use anyhow::{Context, Result, bail};
use fantoccini::key::Key;
use serde_json::Value;
use std::process::Command;
use std::time::Duration;

/// What came of it.
#[derive(Debug)]
pub struct Told {
    /// Keys that were pressed, each for an edit.
    pub made: usize,
    /// Values that the kept edits set, in the order of their revisions.
    pub kept: Vec<u64>,
    /// The value that the page shows in the end.
    pub shown: u64,
}

impl Told {
    /// True when every edit is there exactly once, in the order in which it was made.
    pub fn each_once(&self) -> bool {
        self.kept.iter().copied().eq(3..3 + self.made as u64) && self.shown == self.made as u64 + 2
    }
}

/// Steps between two kills.
const STEPS: usize = 12;
/// Time between two steps.
const STEP: Duration = Duration::from_millis(25);

/// Steps a number up, each step an edit, through so many kills of the server and of the database.
pub async fn edits_through_kills(of_server: usize, of_database: usize) -> Result<Told> {
    let cluster = Cluster::start()?;
    let mut visit = Visit::start_on(cluster.url(), 1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    visit.fill("seed", "2").await?;
    visit.kept().await?;
    let begun = revision(&visit).await?;
    let mut made = 0;
    for round in 0..of_server.max(of_database) {
        if round < of_server {
            made += step(&visit, STEPS).await?;
            visit.kill_server();
            made += step(&visit, STEPS).await?;
            visit
                .until(
                    "that there is no connection",
                    "return document.querySelector('.save-state')?.dataset.state === 'lost'",
                )
                .await?;
            visit.bring_server_back()?;
        }
        if round < of_database {
            made += step(&visit, STEPS).await?;
            cluster.kill()?;
            made += step(&visit, STEPS).await?;
            cluster.bring_back()?;
        }
        made += step(&visit, STEPS).await?;
        if round % 4 == 3 {
            // A reload in between must not lose what waits.
            visit.client.refresh().await?;
            visit.until("the seam", "return document.querySelector('.badge') != null").await?;
            visit.choose_node("Twelve").await?;
        }
    }
    visit.kept().await?;
    let kept = kept(&cluster, begun)?;
    let shown = visit.js("return Number(document.querySelector('input[aria-label=seed]').value)").await?;
    let shown = shown.as_u64().context("a number")?;
    visit.end().await?;
    Ok(Told { made, kept, shown })
}

async fn step(visit: &Visit, steps: usize) -> Result<usize> {
    visit.js("document.querySelector('input[aria-label=seed]').focus()").await?;
    for _ in 0..steps {
        visit.keys(&char::from(Key::Up).to_string(), &[]).await?;
        tokio::time::sleep(STEP).await;
    }
    Ok(steps)
}

async fn revision(visit: &Visit) -> Result<i64> {
    let told = visit.js("return document.querySelector('.save-state').textContent").await?;
    told.as_str().and_then(|told| told.rsplit(' ').next()?.parse().ok()).context("a revision")
}

/// What the edits after a revision set, in order.
fn kept(cluster: &Cluster, begun: i64) -> Result<Vec<u64>> {
    let query = format!("SELECT ops FROM edits WHERE revision > {begun} AND kind = 'edit' ORDER BY revision");
    let output = Command::new("psql").args([&cluster.url(), "-q", "-A", "-t", "-c", &query]).output()?;
    if !output.status.success() {
        bail!("{}", String::from_utf8_lossy(&output.stderr));
    }
    let text = String::from_utf8(output.stdout)?;
    let value = |line: &str| -> Result<u64> {
        let ops: Value = serde_json::from_str(line)?;
        ops[0]["value"].as_u64().with_context(|| format!("no number in {line}"))
    };
    text.lines().filter(|line| !line.is_empty()).map(value).collect()
}
