//! What lasts: pages of one scene, servers and databases that are killed, disks that are full, scenes that are too much.

use crate::day::SEAM;
use anyhow::{Context, Result};
use serde_json::json;
use zickzack_e2e::{Visit, edits_through_kills};

#[tokio::test]
async fn two_pages_of_one_scene_stay_the_same_and_each_undoes_its_own() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    let address = visit.client.current_url().await?.to_string();
    let first = visit.client.window().await?;
    let second = visit.client.new_window(false).await?.handle;
    visit.choose_node("Twelve").await?;
    visit.fill("riders", "5").await?;
    visit.kept().await?;
    visit.client.switch_to_window(second.clone()).await?;
    visit.client.goto(&address).await?;
    visit.until("the seam", SEAM).await?;
    visit.choose_node("Twelve").await?;
    visit
        .until("what the first did", "return document.querySelector('input[aria-label=riders]').value === '5'")
        .await?;
    visit.fill("start", "0.3").await?;
    visit.kept().await?;
    // Both now change the same number; the one who was first cannot take it back any more.
    visit.fill("riders", "6").await?;
    visit.kept().await?;
    visit.client.switch_to_window(first).await?;
    visit.until("what the second did", "return document.querySelector('input[aria-label=riders]').value === '6' && document.querySelector('input[aria-label=start]').value === '0.3'").await?;
    visit.click("Undo").await?;
    visit
        .until(
            "a reason",
            "return document.querySelector('.message')?.textContent.includes('changed since by another page')",
        )
        .await?;
    visit.client.switch_to_window(second).await?;
    visit.click("Undo").await?;
    visit.until("its own undone", "return document.querySelector('input[aria-label=riders]').value === '5'").await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["nodes"]["ride"]["params"]["start"], 0.3);
    visit.end().await
}

#[tokio::test]
async fn edits_outlive_kills_of_the_server_and_of_the_database_each_exactly_once() -> Result<()> {
    let told = edits_through_kills(2, 2).await?;
    assert!(told.each_once(), "{told:?}");
    Ok(())
}

#[tokio::test]
async fn a_server_that_is_stopped_says_so_and_what_is_changed_meanwhile_is_kept_when_it_is_back() -> Result<()> {
    let mut visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    visit.stop_server()?;
    let told = |text: &str| format!("return document.querySelector('.save-state')?.textContent === '{text}'");
    visit.until("that it was stopped", &told("the server was stopped")).await?;
    visit.fill("riders", "7").await?;
    visit.until("what waits", &told("the server was stopped · 1 change waits")).await?;
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.picture(std::path::Path::new(&path)).await?;
    }
    visit.bring_server_back()?;
    visit.kept().await?;
    visit.until("the seam", "return document.querySelector('.badge.closed') != null").await?;
    assert_eq!(visit.document().await?["nodes"]["ride"]["params"]["riders"], 7);
    visit.end().await
}

#[tokio::test]
async fn a_scene_that_the_server_ended_over_shows_why_nothing_is_worked_out_until_somebody_asks() -> Result<()> {
    let mut visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    let scene = visit.client.current_url().await?.path().rsplit('/').next().context("a scene")?.to_owned();
    visit.kill_server();
    visit.in_database(&format!(
        "INSERT INTO trials (scene, running, ended) VALUES ('{scene}', false, 2) ON CONFLICT (scene) DO UPDATE SET ended = 2"
    ))?;
    visit.bring_server_back()?;
    let told = "return document.querySelector('.view-empty')?.textContent.includes('The server ended while it worked this scene out')";
    visit.until("why nothing is worked out", told).await?;
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.picture(std::path::Path::new(&path)).await?;
    }
    visit.client.goto(&format!("{}/", visit.base)).await?;
    let picture = "return [...document.querySelectorAll('.pattern-wrong')].some((e) => e.textContent.includes('The server ended'))";
    visit.until("no picture, and why", picture).await?;
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.picture(&std::path::Path::new(&path).with_extension("book.png")).await?;
    }
    visit.client.back().await?;
    visit.until("why nothing is worked out", told).await?;
    visit.click("Work it out").await?;
    visit.until("the seam", SEAM).await?;
    visit.until("nothing in the way", "return document.querySelector('.view-empty') === null").await?;
    visit.end().await
}

#[tokio::test]
async fn a_path_of_very_many_pieces_is_shown_and_what_would_be_too_much_says_so_at_its_node() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let mut nodes = serde_json::Map::new();
    let mut threads = serde_json::Map::new();
    let circle = json!({ "type": "figure", "name": "Lantern ring", "at": [0, 0] });
    nodes.insert("n0".to_owned(), circle);
    // Each joins what came before with itself: twice as many pieces.
    for i in 1..=17 {
        let (row, column) = (i % 6, i / 6);
        nodes.insert(
            format!("n{i}"),
            json!({ "type": "join", "name": format!("Twice {i}"), "at": [260 * row, 220 * column] }),
        );
        for port in ["path", "other"] {
            threads.insert(
                format!("t{i}{port}"),
                json!({ "from": format!("n{}", i - 1), "to": format!("n{i}"), "port": port }),
            );
        }
    }
    let scene = json!({
        "format": "zickzack-scene", "version": 1, "name": "Rings upon rings", "space": "deep", "fps": "24", "frames": 96,
        "nodes": nodes, "threads": threads,
    });
    let id = visit.bring_in(&scene).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    visit
        .until("the refused node", "return document.querySelector('.slip.error[data-name=\"Twice 17\"]') != null")
        .await?;
    visit.until("the last path that is not", "return document.querySelector('.path-name') !== null").await?;
    visit.choose_node("Twice 17").await?;
    let why = "return document.body.innerText.includes('131072 pieces are too many to be joined: use at most 100000 in all.')";
    visit.until("why it is refused", why).await?;
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.weave_rests().await?;
        visit.picture(std::path::Path::new(&path)).await?;
    }
    visit.end().await
}

#[tokio::test]
async fn what_a_full_disk_does_not_take_waits_and_says_why_until_there_is_room() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    visit.in_database(
        "CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS \
         $$ BEGIN RAISE EXCEPTION 'no space left on device' USING ERRCODE = '53100'; END $$; \
         CREATE TRIGGER full_disk BEFORE UPDATE ON scenes EXECUTE FUNCTION full_disk()",
    )?;
    visit.fill("riders", "7").await?;
    let waits = "return document.querySelector('.save-state')?.textContent === '1 change waits for the database'";
    visit.until("what waits", waits).await?;
    // What was measured is of the scene before.
    visit
        .until("no word of a seam", "return document.querySelector('.badge')?.textContent === 'not measured yet'")
        .await?;
    visit.hover(visit.middle(".save-state").await?).await?;
    let why =
        "return document.querySelector('[role=tooltip]')?.textContent.includes('The disk of the database is full')";
    visit.until("why", why).await?;
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.picture(std::path::Path::new(&path)).await?;
    }
    visit.in_database("DROP TRIGGER full_disk ON scenes")?;
    visit.kept().await?;
    visit.until("the seam", "return document.querySelector('.badge.closed') != null").await?;
    assert_eq!(visit.document().await?["nodes"]["ride"]["params"]["riders"], 7);
    visit.end().await
}
