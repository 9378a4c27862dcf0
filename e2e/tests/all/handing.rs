//! Files that are handed off, from the server alone.

use anyhow::{Context, Result, anyhow, ensure};
use futures_util::StreamExt;
use serde_json::{Value, json};
use std::time::Duration;
use zickzack_e2e::{memory, new_database, serve};

/// Riders on a circle, for so many frames.
fn riders(many: u32, frames: u32) -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Many lanterns", "space": "deep", "fps": "24", "frames": frames,
        "nodes": {
            "path": { "type": "figure", "name": "Ring" },
            "ride": { "type": "ride", "name": "Lanterns", "params": { "riders": many } },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" },
            "t2": { "from": "ride", "to": "out", "port": "motion" }
        }
    })
}

/// A table of many megabytes takes few of them in the server, also while somebody takes it slowly, and is whole.
#[test]
fn a_large_table_is_not_held_in_memory() -> Result<()> {
    let (server, base) = serve(&new_database()?, "0")?;
    actix_rt::System::new().block_on(async {
        let client = awc::Client::builder().timeout(Duration::from_secs(120)).finish();
        let failed = |error: awc::error::SendRequestError| anyhow!("{error}");
        let mut made =
            client.post(format!("{base}/api/scenes/bring-in")).send_json(&riders(1000, 600)).await.map_err(failed)?;
        let made: Value = made.json().await?;
        let id = made["id"].as_str().context("no scene was made")?;
        let before = memory(server.id())?.resident;
        let path = format!("{base}/api/scenes/{id}/handoff/file?from=0&to=599&step=1&form=csv");
        let mut answer =
            client.get(path).insert_header(("accept-encoding", "identity")).send().await.map_err(failed)?;
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
