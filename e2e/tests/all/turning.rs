//! How things are turned, what they are, and how a loop is closed, through the real interface.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use zickzack_e2e::Visit;

/// Puts a point of the path that is selected to an exact place.
async fn place(visit: &Visit, point: usize, at: [&str; 3]) -> Result<()> {
    visit.tap(visit.middle(&format!("button[aria-label^=\"Point {point} of\"]")).await?).await?;
    let named = format!("return document.querySelector('.strip-name')?.textContent === 'Point {point}'");
    visit.until("the point chosen", &named).await?;
    for (axis, number) in ["x", "y", "z"].into_iter().zip(at) {
        visit.fill(&format!("point {axis}"), number).await?;
    }
    visit.kept().await
}

#[tokio::test]
async fn a_path_bent_through_the_vertical_does_not_flip_with_steady_axes_and_a_sharp_corner_does() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Jetty walk").await?;
    visit.click("All smooth").await?;
    visit.kept().await?;
    // Straight up, over, and down again.
    place(&visit, 2, ["-1", "0.5", "0"]).await?;
    place(&visit, 3, ["-1", "3", "0"]).await?;
    place(&visit, 4, ["1", "3", "0"]).await?;
    visit.choose_node("Noses ahead").await?;
    visit.choose("up from", "steady").await?;
    visit.kept().await?;
    let turn = "return [...document.querySelectorAll('.trace-label strong')].some((e) => e.textContent === 'turn')";
    visit.until("the turn traced", turn).await?;
    let most = "return Math.max(...window.zickzack.trace('turn'))";
    let smooth = visit.until("the turns", most).await?.as_f64().context("a number")?;
    assert!(smooth > 1.0 && smooth < 90.0, "{smooth}");
    assert!(visit.js("return document.querySelector('.flips') === null").await?.as_bool().unwrap_or(false));

    // The check can fail: a point that is folded back turns things about in one frame.
    visit.choose_node("Jetty walk").await?;
    visit.click("All corner").await?;
    place(&visit, 3, ["-1", "-3", "0"]).await?;
    visit.until("a flip", "return document.querySelector('.flips')?.textContent.includes('flip')").await?;
    // Given some frames for it, the corner is turned without one.
    visit.choose_node("Noses ahead").await?;
    visit.fill("corner takes", "8").await?;
    visit.until("no flip", "return document.querySelector('.flips') === null").await?;
    visit.end().await
}

#[tokio::test]
async fn a_path_is_pressed_onto_a_torus() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.click("New scene").await?;
    visit.click("Deep").await?;
    visit.until("a bench", "return document.querySelector('.view-empty') != null").await?;
    visit.add_node("torus").await?;
    visit.js("document.querySelector('.weave-body').focus()").await?;
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.add_node("figure").await?;
    // It hangs over the ring: what stood upright in it would be torn from one side to the other.
    visit.choose("figure", "ellipse").await?;
    visit.choose("laid on", "ground").await?;
    visit.fill("width", "5").await?;
    visit.fill("height", "3.6").await?;
    visit.fill("place y", "1").await?;
    visit.add_node("press").await?;
    let (torus, press) = (visit.node("Torus").await?, visit.node("Press onto").await?);
    visit.weave_rests().await?;
    let from = visit.middle(&format!(".react-flow__node[data-id=\"{torus}\"] .react-flow__handle.source")).await?;
    let port = format!(".react-flow__node[data-id=\"{press}\"] .react-flow__handle[data-handleid=\"surface\"]");
    let to = visit.middle(&port).await?;
    visit.drag(from, (to.0 - from.0, to.1 - from.1)).await?;
    visit.until("all worked", "return document.querySelector('.slip.error') === null").await?;
    visit.kept().await?;
    // Every place of what comes out lies on the ring's skin.
    let document = visit.document().await?;
    let given = |name: &str, or: f64| document["nodes"][&torus]["params"][name].as_f64().unwrap_or(or);
    let (radius, tube) = (given("radius", 2.0), given("tube", 0.6));
    let places = visit.until("the path", &format!("return window.zickzack.path('{press}')")).await?;
    let places: Vec<f64> = serde_json::from_value(places)?;
    assert!(places.len() > 60);
    for place in places.chunks(3) {
        let out = (place[0] * place[0] + place[2] * place[2]).sqrt() - radius;
        let off = (out * out + place[1] * place[1]).sqrt() - tube;
        assert!(off.abs() < 1e-3, "{place:?} is {off} off");
    }
    visit.end().await
}

#[tokio::test]
async fn kinds_are_added_and_told_apart_and_pivots_are_picked_on_the_box() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Noses ahead").await?;
    visit.add_node("kinds").await?;
    let kinds = visit.node("Kinds").await?;
    visit.click("Add a kind").await?;
    visit.kept().await?;
    visit.click("Add a kind").await?;
    visit.kept().await?;
    visit.choose("thing of kind 2", "boat").await?;
    visit.fill("weight of kind 2", "3").await?;
    visit.fill("size of kind 2", "1.5").await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let list = document["nodes"][&kinds]["params"]["kinds"].as_array().context("kinds")?.clone();
    assert_eq!((list.len(), list[1]["thing"].as_str(), list[1]["weight"].as_f64()), (2, Some("boat"), Some(3.0)));
    visit.until("how many", "return document.querySelector('.facts')?.textContent.includes('of each')").await?;
    visit.press("button[aria-label=\"Remove kind 1\"]").await?;
    visit.kept().await?;
    let left = visit.document().await?["nodes"][&kinds]["params"]["kinds"].as_array().map(Vec::len);
    assert_eq!(left, Some(1));

    // All are of the one kind now and large; the tail is what the path carries.
    visit.choose_node("Lanterns").await?;
    let before = visit.pose("out", 0, 0).await?;
    visit.choose("thing", "arrow").await?;
    visit.click("Pick on its box").await?;
    visit.tap(visit.middle("button[aria-label=\"pivot tail\"]").await?).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let pivot = document["nodes"]["out"]["params"]["pivot"][0].as_f64().context("a pivot")?;
    assert!(pivot < -0.3, "{pivot}");
    let size = document["nodes"]["out"]["params"]["size"].as_f64().unwrap_or(0.5);
    let moved = "return JSON.stringify(window.zickzack.pose('out', 0, 0))";
    visit.until("another place", &format!("{moved} !== '{}'", serde_json::to_string(&before)?)).await?;
    let after = visit.pose("out", 0, 0).await?;
    let apart: f64 = (0..3).map(|i| (after[i] - before[i]) * (after[i] - before[i])).sum::<f64>().sqrt();
    assert!((apart - pivot.abs() * size).abs() < 1e-3, "{apart} for {pivot} of {size}");
    visit.end().await
}

#[tokio::test]
async fn what_no_number_closes_is_closed_by_a_node_from_the_seam() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    visit.fill("laps per loop", "1.3").await?;
    visit.choose_node("Noses ahead").await?;
    // Every thing turns by half a turn more in a loop, which no laps undo.
    visit.give("own turn", "Formula").await?;
    visit.fill("own turn, formula", "180.0 * frame / 144.0").await?;
    visit.kept().await?;
    visit.press(".seam-knot").await?;
    visit
        .until(
            "what is left",
            "return [...document.querySelectorAll('.offer')].some((e) => /leaves .* open/.test(e.textContent))",
        )
        .await?;
    visit.click("Add Close loop").await?;
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let close = visit.node("Close loop").await?;
    let threads = document["threads"].as_object().context("threads")?;
    assert!(threads.values().any(|thread| thread["from"] == close.as_str() && thread["to"] == "out"));
    // One undo takes it out again, with its threads.
    visit.click("Undo").await?;
    visit.until("open again", "return document.querySelector('.seam-knot.open') != null").await?;
    assert!(visit.document().await?["nodes"].get(&close).is_none());
    visit.end().await
}

#[tokio::test]
async fn all_loops_of_an_orbit_are_handed_off_and_a_path_is_renamed_where_all_are_listed() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.client.goto(&visit.base).await?;
    visit.click("Lantern round").await?;
    visit.until("a seam", "return document.querySelector('.badge') != null").await?;
    visit.fill("name of Shore", "Lake shore").await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["nodes"]["shore"]["name"], "Lake shore");
    visit
        .until(
            "its label",
            "return [...document.querySelectorAll('.path-name')].some((e) => e.textContent.startsWith('Lake shore'))",
        )
        .await?;
    visit.click("Hand-off").await?;
    visit.click("All 7 loops").await?;
    visit
        .until("seven loops", "return document.querySelector('input[aria-label=\"last frame\"]').value === '840'")
        .await?;
    visit.click("Write file").await?;
    visit.download("glb").await?;
    visit.click("Report").await?;
    visit
        .until(
            "what is told of it",
            "return document.querySelector('.report')?.textContent.includes('frames 0 to 840')",
        )
        .await?;
    visit.end().await
}
