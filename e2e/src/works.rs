//! Files that are ordered, and the processes that work at them, some of which are killed.

use crate::asks::Asks;
use crate::live::{Heard, Live};
use crate::loads::{change, usual};
use crate::{Cluster, Folders, Process, files_of, serve, serve_with, zickzack};
use anyhow::{Context, Result, bail, ensure};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::process::Stdio;
use std::time::{Duration, Instant};

/// Riders on a circle, for so many frames.
pub fn riders(many: u32, frames: u32) -> Value {
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

/// How long all of it may take.
const PATIENCE: Duration = Duration::from_secs(600);
/// Between two looks.
const LOOKS: Duration = Duration::from_millis(50);

/// A process that works at files, one at a time on one thread.
///
/// # Errors
/// Where it does not start.
pub fn worker(database: &str) -> Result<Process> {
    let mut work = zickzack();
    work.args(["work", "--at-once", "1", "--threads", "1", "--gone", "2", "--files"])
        .arg(files_of(database))
        .env("DATABASE_URL", database);
    Process::start(work.stdout(Stdio::null()).stderr(Stdio::null()))
}

/// Orders a file of a scene.
///
/// # Errors
/// Where it is refused.
pub async fn order(asks: &Asks, scene: &str, wanted: &Value) -> Result<String> {
    let ordered = asks.ask("POST", &format!("/api/scenes/{scene}/files"), Some(&json!({ "wanted": wanted }))).await?;
    Ok(ordered["id"].as_str().context("no number")?.to_owned())
}

/// Waits until so many files are there.
///
/// # Errors
/// Where one is not to be, with why, or they do not come.
pub async fn all_there(asks: &Asks, files: usize) -> Result<()> {
    let begun = Instant::now();
    loop {
        // Where the database was just killed it is asked again.
        let told = asks.ask("GET", "/api/files", None).await.unwrap_or(Value::Null);
        let all = told["files"].as_array().map_or(&[][..], |all| &all[..]);
        if let Some(failed) = all.iter().find(|file| file["state"] == "failed") {
            bail!("{failed}");
        }
        if all.iter().filter(|file| file["state"] == "done").count() == files {
            return Ok(());
        }
        ensure!(begun.elapsed() < PATIENCE, "not all there: {told}");
        tokio::time::sleep(LOOKS).await;
    }
}

/// Orders files while workers are killed one after the other; each is to be there once, whole, and nothing else. Gives how often
/// one was begun with, in all.
///
/// # Errors
/// Where a file is missing, is not as the others, or lies there twice.
pub async fn files_through_kills(database: &str, files: usize, kills: usize) -> Result<i64> {
    let _gone = Folders(vec![files_of(database)]);
    let (_server, base) = serve_with(database, "0", &["--at-once", "0"])?;
    let asks = Asks { base };
    let scene = asks.bring_in(&riders(400, 240)).await?;
    let wanted = json!({ "from": 0, "to": 239, "step": 1, "form": "csv" });
    let mut numbers = Vec::new();
    for _ in 0..files {
        numbers.push(order(&asks, &scene, &wanted).await?);
    }
    let mut workers = [worker(database)?, worker(database)?];
    let mut killed = 0;
    while killed < kills {
        // Somewhere in the middle of what they are at.
        tokio::time::sleep(Duration::from_millis(500 + 137 * (killed as u64 % 7))).await;
        let running = asks.ask("GET", "/api/files", None).await?;
        let busy = running["files"].as_array().is_some_and(|all| all.iter().any(|file| file["state"] == "running"));
        if busy {
            workers[killed % 2] = worker(database)?;
            killed += 1;
        } else if running["files"].as_array().is_some_and(|all| all.iter().all(|file| file["state"] == "done")) {
            bail!("all {files} were there after {killed} kills: order more");
        }
    }
    all_there(&asks, files).await?;
    let mut contents = BTreeSet::new();
    for number in &numbers {
        contents.insert(asks.bytes("GET", &format!("/api/files/{number}/content"), None).await?);
    }
    ensure!(contents.len() == 1, "{} different files of the same scene", contents.len());
    let rows = contents.iter().flatten().filter(|byte| **byte == b'\n').count();
    ensure!(rows == 1 + 400 * 240, "{rows} rows");
    let lie = std::fs::read_dir(files_of(database))?.filter_map(Result::ok);
    // What was begun and never whole lies beside for a while, under no name of a file.
    let lie = lie.filter(|entry| !entry.file_name().to_string_lossy().contains('#')).count();
    ensure!(lie == files, "{lie} files lie there for {files}");
    let turns = std::process::Command::new("psql").args([database, "-tAc", "SELECT sum(turn) FROM jobs"]).output()?;
    Ok(String::from_utf8(turns.stdout)?.trim().parse()?)
}

/// Orders files while the database is killed and brought back, in the midst of what a worker within the server is at; all come.
///
/// # Errors
/// Where one does not.
pub async fn files_through_lost_databases(files: usize, kills: usize) -> Result<()> {
    let cluster = Cluster::start()?;
    let _gone = Folders(vec![files_of(&cluster.url())]);
    let (_server, base) = serve(&cluster.url(), "0")?;
    let asks = Asks { base };
    let scene = asks.bring_in(&riders(1000, 240)).await?;
    for _ in 0..files {
        order(&asks, &scene, &json!({ "from": 0, "to": 239, "step": 1, "form": "csv" })).await?;
    }
    for _ in 0..kills {
        let begun = Instant::now();
        let busy = |told: &Value| {
            told["files"].as_array().is_some_and(|all| all.iter().any(|file| file["state"] == "running"))
        };
        // Right after it is back it may not answer at once.
        while !asks.ask("GET", "/api/files", None).await.is_ok_and(|told| busy(&told)) {
            ensure!(begun.elapsed() < PATIENCE, "nobody works at them");
            tokio::time::sleep(LOOKS).await;
        }
        cluster.kill()?;
        tokio::time::sleep(Duration::from_secs(1)).await;
        cluster.bring_back()?;
    }
    all_there(&asks, files).await
}

/// How long so many workers take for eight equal files.
///
/// # Errors
/// Where one of them does not come.
pub async fn eight_files(database: &str, workers: usize) -> Result<Duration> {
    let _gone = Folders(vec![files_of(database)]);
    let (_server, base) = serve_with(database, "0", &["--at-once", "0"])?;
    let asks = Asks { base };
    let scene = asks.bring_in(&riders(1000, 600)).await?;
    let _workers = (0..workers).map(|_| worker(database)).collect::<Result<Vec<_>>>()?;
    // All are there before it counts.
    while asks.ask("GET", "/api/files", None).await?["workers"].as_u64() != Some(workers as u64) {
        tokio::time::sleep(LOOKS).await;
    }
    let begun = Instant::now();
    for _ in 0..8 {
        order(&asks, &scene, &json!({ "from": 0, "to": 599, "step": 1, "form": "csv" })).await?;
    }
    all_there(&asks, 8).await?;
    Ok(begun.elapsed())
}

/// How long edits of a scene wait until they are acknowledged, the shortest first.
async fn waits(asks: &Asks, scene: &str, (from, edits): (i64, i64)) -> Result<Vec<Duration>> {
    let mut live = Live::open(&asks.base, scene, "one who edits").await?;
    let mut all = Vec::new();
    for sequence in from + 1..=from + edits {
        let said = Instant::now();
        let ops = change(sequence);
        live.say(&json!({ "kind": "edit", "sequence": sequence, "label": "start", "ops": ops })).await?;
        loop {
            match live.heard(PATIENCE).await?.context("nothing comes")? {
                Heard::Said(told) if told["kind"] == "edited" && told["sequence"] == sequence => break,
                Heard::Said(told) if told["kind"] == "refused" => bail!("{told}"),
                _ => {}
            }
        }
        all.push(said.elapsed());
        tokio::time::sleep(LOOKS).await;
    }
    all.sort();
    Ok(all)
}

/// How long the slowest of a twentieth of all edits of a usual scene wait, with nothing else to do and while the same server writes a
/// large file of another one.
///
/// # Errors
/// Where an edit is refused, or the file is there before all edits were made.
pub async fn edits_beside_a_file(database: &str) -> Result<[Duration; 2]> {
    const EDITS: i64 = 200;
    let _gone = Folders(vec![files_of(database)]);
    let (_server, base) = serve(database, "0")?;
    let asks = Asks { base };
    let usual = asks.bring_in(&usual(1)).await?;
    let many = asks.bring_in(&riders(10_000, 1000)).await?;
    let late = |all: &[Duration]| all[all.len() * 19 / 20];
    let alone = late(&waits(&asks, &usual, (0, EDITS)).await?);
    let wanted = json!({ "from": 0, "to": 1000, "step": 1, "form": "glb", "tolerance": 0.001 });
    let file = order(&asks, &many, &wanted).await?;
    while asks.ask("GET", "/api/files", None).await?["files"][0]["doing"] != "writing" {
        tokio::time::sleep(LOOKS).await;
    }
    let beside = late(&waits(&asks, &usual, (EDITS, EDITS)).await?);
    ensure!(asks.ask("GET", "/api/files", None).await?["files"][0]["state"] == "running", "the file was too small");
    asks.ask("POST", &format!("/api/files/{file}/stop"), None).await?;
    Ok([alone, beside])
}
