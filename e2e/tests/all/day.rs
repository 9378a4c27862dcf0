//! A day's work on the bench, through the real interface: a path drawn on a tilted plane, a model brought in, ticks
//! dragged, versions compared, another rate, two pages, and servers that go away in the middle of it.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use serde_json::Value;
use zickzack_e2e::{Visit, root};

pub const SEAM: &str = "return document.querySelector('.badge') != null";

pub async fn new_scene(visit: &Visit) -> Result<()> {
    visit.click("New scene").await?;
    visit.click("Deep").await?;
    visit.until("an empty bench", "return document.querySelector('.view-empty') != null").await?;
    Ok(())
}

pub async fn focus(visit: &Visit, css: &str) -> Result<()> {
    visit.js(&format!("document.querySelector('{css}').focus()")).await?;
    Ok(())
}

async fn press(visit: &Visit, key: Key) -> Result<()> {
    visit.keys(&char::from(key).to_string(), &[]).await
}

fn drawn(document: &Value) -> Result<&Value> {
    let nodes = document["nodes"].as_object().context("nodes")?;
    nodes.values().find(|node| node["type"] == "drawn-path").context("a drawn path")
}

pub fn points(document: &Value) -> Result<Vec<Value>> {
    Ok(drawn(document)?["params"]["points"].as_array().context("points")?.clone())
}

pub fn place(point: &Value) -> Vec<f64> {
    point["at"].as_array().into_iter().flatten().filter_map(Value::as_f64).collect()
}

/// Height over the ground for a place on the ground plane tilted by 30° about x.
fn lies_on_the_tilted_plane(at: &[f64]) -> bool {
    (at[1] + at[2] / 3f64.sqrt()).abs() < 1e-4
}

#[tokio::test]
async fn a_path_is_drawn_on_a_tilted_plane_and_edited_by_handles_and_by_numbers() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    let (x, y) = visit.middle(".view-body canvas").await?;
    focus(&visit, ".view-body").await?;
    visit.keys("g", &[]).await?;
    visit.fill("plane tilt", "30").await?;
    focus(&visit, ".view-body").await?;
    visit.keys("p", &[]).await?;
    for (i, (dx, dy)) in
        [(-170.0, 20.0), (-40.0, 90.0), (150.0, 60.0), (120.0, -60.0), (-60.0, -70.0)].iter().enumerate()
    {
        if i == 2 {
            // The third point is a corner.
            visit.keys("s", &[]).await?;
        }
        if i == 3 {
            visit.keys("s", &[]).await?;
        }
        visit.tap((x + dx, y + dy)).await?;
        visit.kept().await?;
    }
    visit.keys("c", &[]).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let made = points(&document)?;
    assert_eq!(drawn(&document)?["params"]["closed"], true);
    assert_eq!(made.len(), 5);
    let corners: Vec<bool> = made.iter().map(|point| point["kind"] == "corner").collect();
    assert_eq!(corners, [false, false, true, false, false]);
    for point in &made {
        assert!(lies_on_the_tilted_plane(&place(point)), "{point}");
    }
    assert!(made.iter().any(|point| place(point)[1].abs() > 0.3), "the plane is tilted");

    // A point is dragged over the plane and stays on it.
    let handle = visit.middle("button[aria-label^=\"Point 4 of Path\"]").await?;
    visit.drag(handle, (40.0, -20.0)).await?;
    visit.kept().await?;
    let moved = points(&visit.document().await?)?;
    assert!(lies_on_the_tilted_plane(&place(&moved[3])) && place(&moved[3]) != place(&made[3]), "{}", moved[3]);

    // Its handle is pulled: the other one stays on the same line.
    visit.until("handles", "return document.querySelectorAll('.handle.lever-tip').length === 2").await?;
    let lever = visit.middle("button[aria-label^=\"Handle out of point 4\"]").await?;
    visit.drag(lever, (30.0, 30.0)).await?;
    visit.kept().await?;
    let pulled = points(&visit.document().await?)?;
    let vector = |name: &str| -> Vec<f64> {
        pulled[3][name].as_array().into_iter().flatten().filter_map(Value::as_f64).collect()
    };
    let (into, out) = (vector("in"), vector("out"));
    let dot: f64 = into.iter().zip(&out).map(|(a, b)| a * b).sum();
    let length = |v: &[f64]| v.iter().map(|x| x * x).sum::<f64>().sqrt();
    assert!((dot / (length(&into) * length(&out)) + 1.0).abs() < 1e-4, "{into:?} {out:?}");

    // And its place is typed.
    visit.fill("point x", "1 m + 25 cm").await?;
    visit.fill("point y", "60 cm").await?;
    visit.kept().await?;
    let typed = points(&visit.document().await?)?;
    assert_eq!(&place(&typed[3])[..2], &[1.25, 0.6]);

    // All points of the path are turned and scaled as one.
    visit.click("Done").await?;
    visit.choose_node("Path").await?;
    let before = points(&visit.document().await?)?;
    let bead = visit.middle("button[aria-label^=\"Turn: Path\"]").await?;
    visit.drag(bead, (-10.0, -40.0)).await?;
    visit.kept().await?;
    let corner = visit.middle("button[aria-label^=\"Scale: Path\"]").await?;
    visit.drag(corner, (40.0, 40.0)).await?;
    visit.kept().await?;
    let after = points(&visit.document().await?)?;
    let apart = |list: &[Value], a: usize, b: usize| {
        let (p, q) = (place(&list[a]), place(&list[b]));
        p.iter().zip(&q).map(|(x, y)| (x - y) * (x - y)).sum::<f64>().sqrt()
    };
    let ratio = apart(&after, 0, 2) / apart(&before, 0, 2);
    assert!(ratio > 1.1, "it grew: {ratio}");
    for (a, b) in [(1, 3), (0, 4), (2, 3)] {
        let other = apart(&after, a, b) / apart(&before, a, b);
        assert!((other / ratio - 1.0).abs() < 1e-4, "its form stayed: {other} {ratio}");
    }
    visit.end().await
}

#[tokio::test]
async fn the_first_task_is_done_with_the_keyboard_alone() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    // From the Pattern book on, with Tab and Enter.
    let on = "return document.activeElement?.textContent === 'New scene'";
    for _ in 0..40 {
        press(&visit, Key::Tab).await?;
        if visit.js(on).await? == true {
            break;
        }
    }
    assert_eq!(visit.js(on).await?, true, "the button is reached");
    press(&visit, Key::Enter).await?;
    visit.until("the menu", "return document.activeElement?.getAttribute('role') === 'menuitem'").await?;
    press(&visit, Key::Enter).await?;
    visit.until("an empty bench", "return document.querySelector('.view-empty') != null").await?;
    visit.keys("2", &[Key::Alt]).await?;
    visit.keys("g", &[]).await?;
    // Into the fields of the plane: 30° of tilt.
    let field = "return document.activeElement?.getAttribute('aria-label') === 'plane tilt'";
    for _ in 0..60 {
        press(&visit, Key::Tab).await?;
        if visit.js(field).await? == true {
            break;
        }
    }
    assert_eq!(visit.js(field).await?, true, "the tilt is reached");
    visit.keys("a", &[Key::Control]).await?;
    visit.keys("30", &[]).await?;
    press(&visit, Key::Enter).await?;
    visit.keys("2", &[Key::Alt]).await?;
    visit.keys("p", &[]).await?;
    let go = [(Key::Right, 6), (Key::Up, 5), (Key::Left, 12), (Key::Down, 9)];
    for (i, (key, steps)) in go.into_iter().enumerate() {
        if i == 2 {
            visit.keys("s", &[]).await?;
        }
        for _ in 0..steps {
            visit.keys(&char::from(key).to_string(), &[Key::Shift]).await?;
        }
        visit.keys(" ", &[]).await?;
        visit.kept().await?;
    }
    visit.keys("c", &[]).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let made = points(&document)?;
    assert_eq!(made.len(), 4);
    let corners: Vec<bool> = made.iter().map(|point| point["kind"] == "corner").collect();
    assert_eq!(corners, [false, false, true, true]);
    assert_eq!(drawn(&document)?["params"]["closed"], true);
    for point in &made {
        assert!(lies_on_the_tilted_plane(&place(point)), "{point}");
    }
    // The points can be reached once the View has put each in its place.
    let shown = "return [...document.querySelectorAll('[aria-label^=\"Point \"][aria-label*=\" of Path\"]')].filter((e) => getComputedStyle(e).visibility === 'visible').length === 4";
    visit.until("four points", shown).await?;
    // A point is reached with Tab, nudged, and made smooth; then its place is typed.
    let third = "return document.activeElement?.getAttribute('aria-label')?.startsWith('Point 3 of Path')";
    for _ in 0..40 {
        press(&visit, Key::Tab).await?;
        if visit.js(third).await? == true {
            break;
        }
    }
    assert_eq!(visit.js(third).await?, true, "the point is reached");
    press(&visit, Key::Enter).await?;
    press(&visit, Key::Right).await?;
    visit.keys("s", &[]).await?;
    visit.kept().await?;
    let edited = points(&visit.document().await?)?;
    assert!(place(&edited[2])[0] > place(&made[2])[0] && edited[2]["kind"] != "corner", "{}", edited[2]);
    let exact = "return document.activeElement?.getAttribute('aria-label') === 'point x'";
    for _ in 0..60 {
        press(&visit, Key::Tab).await?;
        if visit.js(exact).await? == true {
            break;
        }
    }
    assert_eq!(visit.js(exact).await?, true, "the number is reached");
    visit.keys("a", &[Key::Control]).await?;
    visit.keys("-2.5", &[]).await?;
    press(&visit, Key::Enter).await?;
    visit.kept().await?;
    assert_eq!(place(&points(&visit.document().await?)?[2])[0], -2.5);
    // On to something that moves: nodes are added and threaded by typing.
    visit.keys("1", &[Key::Alt]).await?;
    for name in ["ride", "output"] {
        visit.keys("n", &[]).await?;
        visit.find("input[aria-label=\"Node to add\"]").await?;
        visit.keys(name, &[]).await?;
        press(&visit, Key::Enter).await?;
        visit.kept().await?;
    }
    visit.until("something moves", SEAM).await?;
    visit.end().await
}

#[tokio::test]
async fn a_model_is_brought_in_and_its_nose_is_picked_by_its_arrow() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Run in and stop").await?;
    visit.choose_node("Boat").await?;
    visit.choose("thing", "own model").await?;
    visit
        .until("a warning", "return document.querySelector('.card .warned')?.textContent.includes('No model')")
        .await?;
    visit.give_file("file", &root().join("demo/swan-boat.glb")).await?;
    visit
        .until("the file", "return document.querySelector('.card button.file')?.textContent === 'swan-boat.glb'")
        .await?;
    visit.kept().await?;
    visit.click("Pick nose and top").await?;
    visit.until("six arrows", "return document.querySelectorAll('.model-arrow').length === 6").await?;
    let nose = visit.middle("button[aria-label=\"nose +z\"]").await?;
    visit.tap(nose).await?;
    visit.until("four arrows", "return document.querySelectorAll('.model-arrow').length === 4").await?;
    let top = visit.middle("button[aria-label=\"top +y\"]").await?;
    visit.tap(top).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let output = &document["nodes"]["out"]["params"];
    assert_eq!((output["nose"].as_str(), output["top"].as_str()), (Some("+z"), Some("+y")));
    assert!(document["assets"]["swan-boat.glb"]["base64"].is_string(), "it travels with the scene");
    // What is damaged is refused with a sentence, and the model stays.
    let damaged = visit.downloads.join("damaged.glb");
    std::fs::write(&damaged, &std::fs::read(root().join("demo/swan-boat.glb"))?[..4000])?;
    visit.give_file("file", &damaged).await?;
    visit
        .until("a sentence", "return document.querySelector('.message')?.textContent.includes('export it again')")
        .await?;
    assert_eq!(visit.document().await?["nodes"]["out"]["params"]["model"], "swan-boat.glb");
    visit.end().await
}

#[tokio::test]
async fn ticks_are_dragged_alone_all_together_and_in_order() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    let tick = "[aria-label=\"Phase of Lanterns 4\"] .tick-mark";
    visit.drag(visit.middle(tick).await?, (-10.0, 22.0)).await?;
    visit.kept().await?;
    let params = visit.document().await?["nodes"]["ride"]["params"].clone();
    assert_eq!(params["shifts"][0]["id"], "3", "{params}");
    let alone = params["shifts"][0]["value"].as_f64().context("a shift")?;
    assert!(alone > 0.02 && alone < 0.2, "{alone}");
    assert!(params["start"].is_null());
    visit.until("an open loop", "return document.querySelector('.seam-knot').dataset.closes === 'true'").await?;

    visit
        .drag_holding(
            visit.middle("[aria-label=\"Phase of Lanterns 7\"] .tick-mark").await?,
            (-16.0, -10.0),
            &[Key::Shift],
        )
        .await?;
    visit.kept().await?;
    let params = visit.document().await?["nodes"]["ride"]["params"].clone();
    assert!(params["start"].as_f64().is_some_and(|start| start.abs() > 0.01), "{params}");
    assert_eq!(params["shifts"].as_array().map(Vec::len), Some(1));

    visit
        .drag_holding(
            visit.middle("[aria-label=\"Phase of Lanterns 9\"] .tick-mark").await?,
            (10.0, -16.0),
            &[Key::Alt],
        )
        .await?;
    visit.kept().await?;
    let params = visit.document().await?["nodes"]["ride"]["params"].clone();
    assert!(params["shifts"].as_array().is_some_and(|list| list.len() == 11), "all but the first: {params}");
    // The keyboard does it too, and the loop length is turned at the rim.
    focus(&visit, "[aria-label=\"Phase of Lanterns 9\"]").await?;
    press(&visit, Key::Right).await?;
    focus(&visit, "[aria-label=\"Loop length\"]").await?;
    press(&visit, Key::Up).await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["frames"], 145);
    visit.drag(visit.middle("[aria-label=\"Loop length\"] path").await?, (60.0, 90.0)).await?;
    visit.kept().await?;
    assert!(visit.document().await?["frames"].as_u64().is_some_and(|frames| frames > 152));
    visit.end().await
}

#[tokio::test]
async fn a_version_is_kept_three_things_are_changed_and_one_is_copied_back() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    focus(&visit, ".view-body").await?;
    visit.keys("v", &[]).await?;
    visit
        .until(
            "the name's field",
            "return document.activeElement?.getAttribute('aria-label') === 'Name of the version'",
        )
        .await?;
    visit.keys("Before the fair", &[]).await?;
    press(&visit, Key::Enter).await?;
    visit
        .until("the version", "return document.querySelector('.version strong')?.textContent === 'Before the fair'")
        .await?;
    visit.choose_node("Twelve").await?;
    visit.fill("start", "0.2").await?;
    visit.fill("laps per loop", "2").await?;
    visit.choose_node("Lanterns").await?;
    visit.fill("size", "90 cm").await?;
    visit.kept().await?;
    visit.click("Versions").await?;
    visit.click("Compare").await?;
    let rows = "return document.querySelectorAll('.differences tbody tr').length";
    visit.until("three differences", &format!("{rows} === 3")).await?;
    let told = visit.find(".compare").await?.text().await?;
    assert!(
        told.contains("Twelve · start") && told.contains("Twelve · laps per loop") && told.contains("Lanterns · size"),
        "{told}"
    );
    assert!(told.contains("apart"), "how far and where: {told}");
    visit.press("button[aria-label=\"Copy back Twelve · laps per loop\"]").await?;
    visit.until("two differences", &format!("{rows} === 2")).await?;
    let params = visit.document().await?["nodes"]["ride"]["params"].clone();
    assert!(params["laps"].is_null() && params["start"] == 0.2, "{params}");
    visit.click("Go back to").await?;
    visit
        .until("no difference", "return document.querySelector('.compare')?.textContent.includes('Nothing differs')")
        .await?;
    visit.kept().await?;
    assert!(visit.document().await?["nodes"]["ride"]["params"]["start"].is_null());
    visit.end().await
}

#[tokio::test]
async fn another_rate_keeps_the_seconds_when_that_is_chosen() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Throw and bounce").await?;
    visit.choose_node("Throw").await?;
    visit.fill("let go at", "0.5 s").await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["nodes"]["throw"]["params"]["begin"], 12.0);
    visit.tap((30.0, 560.0)).await?;
    visit.fill("rate", "60").await?;
    visit.click("Keep seconds · 240 frames").await?;
    visit
        .until(
            "the rate",
            "return document.querySelector('.settings-note').textContent.includes('240 frames · 60 fps')",
        )
        .await?;
    visit.kept().await?;
    let document = visit.document().await?;
    assert_eq!((document["frames"].as_u64(), document["fps"].as_str()), (Some(240), Some("60")));
    assert_eq!(document["nodes"]["throw"]["params"]["begin"], 30.0);
    visit.fill("rate", "24000/1001").await?;
    visit.click("Keep frames").await?;
    visit
        .until("the rate", "return document.querySelector('.settings-note').textContent.includes('24000/1001 fps')")
        .await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["frames"], 240);
    visit.fill("rate", "0").await?;
    visit
        .until("a sentence", "return document.querySelector('.field-wrong')?.textContent.includes('1 to 1000')")
        .await?;
    visit.end().await
}
