//! Generated paths and what rides them, through the real interface.

use anyhow::Result;
use zickzack_e2e::Visit;

async fn open(visit: &Visit, scene: &str) -> Result<()> {
    visit.client.goto(&visit.base).await?;
    visit.click(scene).await?;
    visit.until("a seam", "return document.querySelector('.badge') != null").await?;
    Ok(())
}

#[tokio::test]
async fn seven_lights_on_one_letter_close_with_the_offer_and_a_formula_says_where_it_is_wrong() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Name in lights").await?;
    visit.choose_node("Funzelmarkt").await?;
    visit.fill("text", "Licht").await?;
    visit.fill("only letter", "1").await?;
    visit.kept().await?;
    visit.choose_node("Bulbs").await?;
    visit.fill("riders", "7").await?;
    visit.fill("laps per loop", "1.3").await?;
    visit.until("an open seam", "return document.querySelector('.seam-knot.open') != null").await?;
    visit.press(".seam-knot").await?;
    visit.click("→ 9/7").await?;
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let ride = &document["nodes"]["bulbs"]["params"];
    assert_eq!((ride["laps"].as_str(), ride["riders"].as_i64()), (Some("9/7"), Some(7)));

    // A sign that the font lacks is named, and nothing is lost.
    visit.choose_node("Funzelmarkt").await?;
    visit.fill("text", "漢").await?;
    let told =
        "return document.querySelector('.card-body [role=alert]')?.textContent.includes('The font has no \"漢\"')";
    visit.until("what the font lacks", told).await?;
    visit.fill("text", "Licht").await?;
    visit.kept().await?;

    // A number becomes a formula, its error is marked, and mended it makes the letters breathe.
    visit.give("letter height", "Formula").await?;
    visit.fill("letter height, formula", "1.0 + 0.2 * sin(tau * lop)").await?;
    let marked = "return document.querySelector('.formula mark')?.textContent === 'lop'";
    visit.until("the wrong word marked", marked).await?;
    visit.fill("letter height, formula", "1.0 + 0.2 * sin(tau * loop)").await?;
    visit.until("no mark", "return document.querySelector('.formula mark') === null").await?;
    visit.until("a fact", "return document.querySelector('.facts')?.textContent.includes('changes over time')").await?;
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    // As a number again it stays what it is at the playhead.
    visit.give("letter height", "Number").await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["nodes"]["name"]["params"]["size"].as_f64(), Some(1.0));
    visit.end().await
}

#[tokio::test]
async fn one_more_rider_leaves_the_others_on_their_path_and_phase() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.click("New scene").await?;
    visit.click("Deep").await?;
    visit.until("a bench", "return document.querySelector('.view-empty') != null").await?;
    visit.add_node("figure").await?;
    visit.add_node("sheaf").await?;
    visit.choose("arranged", "at random").await?;
    visit.fill("copies", "9").await?;
    visit.add_node("ride").await?;
    visit.choose("spacing", "at random").await?;
    visit.choose("shared", "at random").await?;
    visit.add_node("output").await?;
    let output = visit.node("Output").await?;
    visit.choose_node("Ride").await?;
    let there = |riders: usize| {
        let pose = |object: usize| format!("window.zickzack?.pose('{output}', {object}, 17)");
        format!("return {} != null && {} == null", pose(riders - 1), pose(riders))
    };
    let mut before = Vec::new();
    for riders in [60_usize, 61] {
        visit.fill("riders", &riders.to_string()).await?;
        visit.kept().await?;
        visit.until("so many riders", &there(riders)).await?;
        let mut places = Vec::new();
        for object in 0..60 {
            places.push(visit.pose(&output, object, 17).await?);
        }
        if before.is_empty() {
            before = places;
        } else {
            assert_eq!(places, before, "the first 60 stayed where they were");
            assert_eq!(visit.pose(&output, 60, 17).await?.len(), before[0].len(), "and there is one more");
        }
    }
    visit.end().await
}

#[tokio::test]
async fn a_rider_that_goes_round_on_an_open_path_is_told_to_leap_and_turns_back_by_an_offer() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let scene = serde_json::json!({
        "format": "zickzack-scene", "version": 1, "name": "Along the quay", "space": "deep", "fps": "24", "frames": 96,
        "nodes": {
            "way": { "type": "drawn-path", "name": "Quay", "at": [24, 40], "params": { "points": [
                { "id": "a", "at": [-4, 0, 0] }, { "id": "b", "at": [0, 0.6, 1] }, { "id": "c", "at": [3.7, 0, 0] } ] } },
            "ride": { "type": "ride", "name": "Ferry", "at": [24, 170], "params": { "riders": 1, "laps": "1" } },
            "out": { "type": "output", "name": "Out", "at": [24, 300] }
        },
        "threads": { "t1": { "from": "way", "to": "ride", "port": "path" }, "t2": { "from": "ride", "to": "out", "port": "motion" } }
    });
    let id = visit.bring_in(&scene).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    // The unwrapped motion closes; what one sees does not.
    visit.until("a leap", "return document.querySelector('.badge.open')?.textContent.includes('leaps 7.70 m')").await?;
    visit.press(".badge").await?;
    visit.until("the leap", "return [...document.querySelectorAll('.seam-report tbody tr')].some((row) => row.textContent.includes('thing 1') && row.textContent.includes('96.00') && row.textContent.includes('7.70 m'))").await?;
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.picture(std::path::Path::new(&path)).await?;
    }
    visit.click("out of sight while it goes back").await?;
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["nodes"]["ride"]["params"]["to"], 0.99);
    visit.end().await
}
