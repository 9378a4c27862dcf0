//! Files that are handed off, from the server alone.

use anyhow::{Context, Result, anyhow, ensure};
use futures_util::StreamExt;
use serde_json::json;
use std::time::Duration;
use zickzack_e2e::asks::Asks;
use zickzack_e2e::works::{all_there, files_through_kills, files_through_lost_databases, order, riders, worker};
use zickzack_e2e::{Visit, files_of, memory, new_database, serve, serve_with, zickzack};

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

/// A database that is killed while files are written costs no file.
#[test]
fn files_come_though_the_database_is_killed() -> Result<()> {
    actix_rt::System::new().block_on(files_through_lost_databases(3, 2))
}

/// True once the file at the top of the list says so.
fn says(words: &str) -> String {
    format!("return document.querySelector('[data-testid=file]')?.textContent.includes('{words}')")
}

/// A file comes though its page is closed meanwhile; it can be stopped and ordered again, and comes though the server is killed.
#[tokio::test]
async fn a_file_comes_though_its_page_is_closed_and_the_server_is_killed() -> Result<()> {
    let mut visit = Visit::start(1280, 800).await?;
    let text = riders(1000, 800).to_string();
    let made = visit.js(&format!("return fetch('/api/scenes/bring-in', {{ method: 'POST', headers: {{ 'content-type': 'application/json' }}, body: {} }}).then((answer) => answer.json())", json!(text))).await?;
    let page = format!("{}/handoff/{}", visit.base, made["id"].as_str().context("no scene was made")?);
    visit.client.goto(&page).await?;
    visit.choose("form", "CSV, every step").await?;
    visit.click("Write file").await?;
    visit.until("some of it", "return document.querySelector('.ordered progress')?.value > 0").await?;
    visit.client.goto("about:blank").await?;
    visit.client.goto(&visit.base).await?;
    visit
        .until(
            "that it is on its way",
            "return [...document.querySelectorAll('.bar button')].some((e) => e.textContent === 'Files · 1')",
        )
        .await?;
    visit.click("Files · 1").await?;
    visit.until("that it is written", &says("written")).await?;
    visit.click("Save").await?;
    let rows = |table: Vec<u8>| table.iter().filter(|byte| **byte == b'\n').count();
    ensure!(rows(visit.download("csv").await?) == 1 + 1000 * 801, "a row for each thing and frame");

    // Stopped, and ordered again; then the server is killed, which worked at it.
    visit.client.goto(&page).await?;
    visit.choose("form", "CSV, every step").await?;
    visit.click("Write file").await?;
    let some = "return document.querySelector('.ordered progress')?.value > 0";
    visit.until("some of it", some).await?;
    visit.click("Stop").await?;
    visit.until("that it is stopped", &says("stopped")).await?;
    visit.click("Again").await?;
    visit.until("some of it again", some).await?;
    visit.kill_server();
    visit.bring_server_back()?;
    visit.until("that it is written", &says("written")).await?;
    ensure!(rows(visit.download("csv").await?) == 1 + 1000 * 801, "as before");
    visit.end().await
}

/// The queue without a page: a scene by its name, files that are listed, saved, stopped, and ordered again.
#[test]
fn files_are_ordered_and_saved_by_the_command_line() -> Result<()> {
    let database = new_database()?;
    let (_server, base) = serve_with(&database, "0", &["--at-once", "0"])?;
    let queue = |arguments: &[&str]| -> Result<(bool, String)> {
        let mut command = zickzack();
        command.args(["queue", "--files"]).arg(files_of(&database)).args(arguments).env("DATABASE_URL", &database);
        let output = command.output()?;
        let said = [output.stdout, output.stderr].concat();
        Ok((output.status.success(), String::from_utf8(said)?.trim().to_owned()))
    };
    actix_rt::System::new().block_on(Asks { base }.bring_in(&riders(3, 24)))?;
    let (ordered, number) = queue(&["add", "Many lanterns", "--form", "csv", "--output", "Out", "--frames", "0..9"])?;
    ensure!(ordered, "{number}");
    let (_, listed) = queue(&["list"])?;
    ensure!(listed == format!("{number}  Many lanterns.csv  waiting"), "{listed}");
    ensure!(queue(&["stop", &number])?.0);
    let to = std::env::temp_dir().join(format!("zickzack-queue-{}.csv", std::process::id()));
    let to = to.to_str().context("a path")?;
    let (saved, told) = queue(&["fetch", &number, "--to", to])?;
    ensure!(!saved && told.contains("was stopped: order it again"), "{told}");
    ensure!(queue(&["again", &number])?.0);
    let _worker = worker(&database)?;
    let (saved, told) = queue(&["fetch", &number, "--to", to])?;
    ensure!(saved, "{told}");
    let table = std::fs::read_to_string(to)?;
    std::fs::remove_file(to)?;
    ensure!(table.lines().count() == 1 + 3 * 10, "{table}");
    for (arguments, words) in [
        (vec!["add", "No such scene"], "no scene is called"),
        (vec!["add", "Many lanterns", "--output", "In"], "no output is called"),
        (vec!["add", "Many lanterns", "--frames", "9..1"], "must come after the first"),
        (vec!["add", "Many lanterns", "--form", "gif"], "The form must be"),
        (vec!["stop", &number], "has ended already"),
        (vec!["again", &number], "has not failed"),
        (vec!["forget", "00000000-0000-0000-0000-000000000000"], "no such order"),
    ] {
        let (done, told) = queue(&arguments)?;
        ensure!(!done && told.contains(words), "{arguments:?}: {told}");
    }
    ensure!(queue(&["forget", &number])?.0);
    ensure!(queue(&["list"])?.1.is_empty());
    Ok(())
}
