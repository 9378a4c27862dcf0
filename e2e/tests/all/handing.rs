//! Files that are handed off, from the server alone.

use anyhow::{Context, Result, anyhow, ensure};
use futures_util::StreamExt;
use serde_json::json;
use std::time::Duration;
use zickzack_e2e::asks::Asks;
use zickzack_e2e::works::{all_there, files_through_kills, order, riders};
use zickzack_e2e::{memory, new_database, serve};

/// A table of many megabytes takes few of them in the server, also while somebody takes it slowly, and is whole.
#[test]
fn a_large_table_is_not_held_in_memory() -> Result<()> {
    let (server, base) = serve(&new_database()?, "0")?;
    actix_rt::System::new().block_on(async {
        let asks = Asks { base: base.clone() };
        let id = asks.bring_in(&riders(1000, 600)).await?;
        let before = memory(server.id())?.resident;
        let file = order(&asks, &id, &json!({ "from": 0, "to": 599, "step": 1, "form": "csv" })).await?;
        all_there(&asks, 1).await?;
        let client = awc::Client::builder().timeout(Duration::from_secs(120)).finish();
        let path = format!("{base}/api/files/{file}/content");
        let answer = client.get(path).insert_header(("accept-encoding", "identity")).send().await;
        let mut answer = answer.map_err(|error| anyhow!("{error}"))?;
        ensure!(answer.status().is_success(), "{}", answer.status());
        let said: usize = answer.headers().get("content-length").context("no length")?.to_str()?.parse()?;
        let (mut came, mut rows, mut looked) = (0, 0, 0);
        while let Some(chunk) = answer.next().await {
            let chunk = chunk.map_err(|error| anyhow!("{error}"))?;
            came += chunk.len();
            rows += chunk.iter().filter(|byte| **byte == b'\n').count();
            if came / (10 << 20) > looked {
                looked += 1;
                tokio::time::sleep(Duration::from_millis(20)).await;
            }
        }
        let most = memory(server.id())?.most;
        ensure!((came, rows) == (said, 1 + 600 * 1000), "{came} of {said} bytes came, {rows} rows");
        ensure!(came > 50 << 20, "{came} bytes are not many");
        ensure!(most < before + 25, "{most} MiB at most, {before} before");
        Ok(())
    })
}

/// Workers that are killed lose nothing and do nothing twice.
#[test]
fn files_are_there_once_though_workers_are_killed() -> Result<()> {
    let turns = actix_rt::System::new().block_on(async { files_through_kills(&new_database()?, 8, 4).await })?;
    ensure!(turns > 8, "nobody was killed at work: {turns} turns for 8 files");
    Ok(())
}
