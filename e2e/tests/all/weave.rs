//! Slips and threads, panels and finding, through the real interface.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use serde_json::Value;
use zickzack_e2e::Visit;

async fn begin_from(visit: &Visit, starter: &str) -> Result<()> {
    visit.begin_from(starter).await?;
    visit.until("threads", "return document.querySelectorAll('.react-flow__edge-path').length >= 2").await?;
    Ok(())
}

fn slip(node: &str) -> String {
    format!(".react-flow__node[data-id=\"{node}\"] .slip-text")
}

fn threads(document: &Value) -> Vec<(String, String)> {
    let list = document["threads"].as_object().into_iter().flatten();
    let end = |thread: &Value, name: &str| thread[name].as_str().unwrap_or_default().to_owned();
    list.map(|(_, thread)| (end(thread, "from"), end(thread, "to"))).collect()
}

fn joined(document: &Value, from: &str, to: &str) -> bool {
    threads(document).contains(&(from.to_owned(), to.to_owned()))
}

#[tokio::test]
async fn a_slip_is_dropped_on_a_thread_and_a_thread_pulled_into_the_open_is_offered_what_fits() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    begin_from(&visit, "One path, many riders").await?;
    // Cut out of the line, then dropped on the thread again.
    visit.choose_node("Noses ahead").await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit.until("no facing", "return document.querySelectorAll('.slip').length === 3").await?;
    let from = visit.middle(".react-flow__node[data-id=\"ride\"] .react-flow__handle.source").await?;
    let to = visit.middle(".react-flow__node[data-id=\"out\"] .react-flow__handle.target").await?;
    visit.drag(from, (to.0 - from.0, to.1 - from.1)).await?;
    visit.kept().await?;
    assert!(joined(&visit.document().await?, "ride", "out"));
    visit.drag(from, (110.0, 60.0)).await?;
    let offered = visit
        .until(
            "an offer",
            "return [...document.querySelectorAll('.add-node strong')].map((e) => e.textContent).join(', ')",
        )
        .await?;
    let schemas = "const done = arguments[0]; fetch('/api/nodes').then((r) => r.json()).then((all) => done(all.filter((schema) => schema.inputs.some((input) => input.kind === 'motion')).map((schema) => schema.title).join(', ')))";
    let fits = visit.client.execute_async(schemas, vec![]).await?;
    assert_eq!(offered, fits, "only what takes a motion");
    assert!(!offered.as_str().context("names")?.contains("Figure"), "nothing else");
    visit.keys("output", &[]).await?;
    visit.keys(&char::from(Key::Enter).to_string(), &[]).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let second = document["nodes"].as_object().context("nodes")?.iter().find(|(_, node)| node["name"] == "Output");
    let second = second.context("the new output")?.0.clone();
    assert!(joined(&document, "ride", &second));

    // A facing that lies apart is dropped on the thread to the first output.
    visit.js("document.querySelector('.weave-body').focus()").await?;
    let (x, y) = (30.0, 560.0);
    visit.tap((x, y)).await?;
    visit.js("document.querySelector('.weave-body').focus()").await?;
    visit.keys("n", &[]).await?;
    visit.find("input[aria-label=\"Node to add\"]").await?;
    // The pointer rests where the list is: what comes to lie under it while letters narrow the list is not taken.
    visit.keys("face", &[]).await?;
    let noticed = format!(
        "const under = document.elementFromPoint({x}, {y}).closest('li'); return under?.previousSibling != null && under.matches(':hover')"
    );
    visit.until("the browser sees what lies under the pointer", &noticed).await?;
    visit.keys(&char::from(Key::Enter).to_string(), &[]).await?;
    visit.kept().await?;
    let facing = visit.node("Face travel").await?;
    visit.weave_rests().await?;
    let slip_at = visit.middle(&slip(&facing)).await?;
    let (a, b) = (
        visit.middle(".react-flow__node[data-id=\"ride\"] .react-flow__handle.source").await?,
        visit.middle(".react-flow__node[data-id=\"out\"] .react-flow__handle.target").await?,
    );
    let middle = ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
    visit.drag(slip_at, (middle.0 - slip_at.0, middle.1 - slip_at.1)).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    assert!(joined(&document, "ride", &facing) && joined(&document, &facing, "out"), "{:?}", threads(&document));
    assert!(!joined(&document, "ride", "out"));
    visit.end().await
}

#[tokio::test]
async fn slips_are_bypassed_grouped_duplicated_and_pasted_into_another_scene() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    begin_from(&visit, "One path, many riders").await?;
    visit.choose_node("Noses ahead").await?;
    visit.keys("b", &[]).await?;
    visit.until("it is bypassed", "return document.querySelector('.slip.bypassed') != null").await?;
    visit.until("the rest works", "return document.querySelector('.slip.error') == null").await?;
    // A lock keeps what it says.
    visit.choose_node("Twelve").await?;
    visit.keys("l", &[]).await?;
    visit.until("locked", "return document.querySelector('fieldset.card-rows').disabled").await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit.until("a sentence", "return document.querySelector('.message')?.textContent.includes('is locked')").await?;
    visit.keys("l", &[]).await?;
    visit.kept().await?;

    visit.press(&slip("way")).await?;
    visit.drag_holding(visit.middle(&slip("ride")).await?, (0.0, 0.0), &[Key::Control]).await?;
    visit.until("both", "return document.querySelector('.card h2')?.textContent === '2 nodes'").await?;
    visit.keys("g", &[Key::Control]).await?;
    visit.until("a group", "return document.querySelector('.group-slip') != null").await?;
    visit.weave_rests().await?;
    visit.middle(".group-fold").await?;
    visit.press(".group-fold").await?;
    visit.until("two slips less", "return document.querySelectorAll('.slip').length === 2").await?;
    visit.weave_rests().await?;
    visit.middle(".group-fold").await?;
    visit.press(".group-fold").await?;
    visit.until("all slips", "return document.querySelectorAll('.slip').length === 4").await?;

    visit.js("document.querySelector('.weave-body').focus()").await?;
    visit.keys("d", &[Key::Control]).await?;
    visit.until("twice", "return document.querySelectorAll('.slip').length === 6").await?;
    visit.kept().await?;
    let document = visit.document().await?;
    assert!(document["nodes"].as_object().is_some_and(|n| n.values().any(|node| node["name"] == "Twelve 2")));
    visit.keys("c", &[Key::Control]).await?;
    visit.until("said", "return document.querySelector('.message')?.textContent.includes('copied')").await?;
    begin_from(&visit, "Throw and bounce").await?;
    visit.js("document.querySelector('.weave-body').focus()").await?;
    visit.keys("v", &[Key::Control]).await?;
    visit.until("pasted", "return document.querySelectorAll('.slip').length === 5").await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let pasted = document["nodes"].as_object().context("nodes")?;
    let (ride, _) = pasted.iter().find(|(_, node)| node["type"] == "ride").context("a ride")?;
    let (way, _) = pasted.iter().find(|(_, node)| node["type"] == "drawn-path").context("a path")?;
    assert!(joined(&document, way, ride), "with the thread between them");
    visit.end().await
}

#[tokio::test]
async fn points_are_selected_by_a_box_panels_filled_and_moved_and_a_number_found_by_its_name() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    begin_from(&visit, "One path, many riders").await?;
    visit.choose_node("Jetty walk").await?;
    visit.drag_holding((360.0, 130.0), (610.0, 330.0), &[Key::Control]).await?;
    visit.until("all points", "return document.querySelector('.strip-name')?.textContent === '7 points'").await?;
    let before = visit.document().await?["nodes"]["way"]["params"]["points"].clone();
    visit.drag(visit.middle("button[aria-label^=\"Move: 7 points\"]").await?, (30.0, 10.0)).await?;
    visit.kept().await?;
    let after = visit.document().await?["nodes"]["way"]["params"]["points"].clone();
    let moved = |axis: usize| -> Vec<f64> {
        let at = |list: &Value, i: usize| list[i]["at"][axis].as_f64().unwrap_or(f64::NAN);
        (0..7).map(|i| at(&after, i) - at(&before, i)).collect()
    };
    for axis in 0..3 {
        let all = moved(axis);
        assert!(all.iter().all(|x| (x - all[0]).abs() < 2e-6), "all as far as the first: {all:?}");
    }
    assert!(moved(0)[0].abs() > 0.1);

    let wide = "return document.querySelector('.panel.weave')?.getBoundingClientRect().width";
    let width = visit.js(wide).await?.as_f64().context("a width")?;
    visit.drag((340.0, 300.0), (60.0, 0.0)).await?;
    visit.until("a wider Weave", &format!("{wide} > {}", width + 40.0)).await?;
    visit.client.refresh().await?;
    visit.until("remembered", &format!("{wide} > {}", width + 40.0)).await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("\\", &[]).await?;
    visit.until("the View alone", "return document.querySelector('.panel.view').getBoundingClientRect().width > 1200 && document.querySelector('.panel.card').hidden").await?;
    visit.keys("\\", &[]).await?;
    visit.until("all again", "return !document.querySelector('.panel.card').hidden").await?;

    visit.keys("f", &[Key::Control]).await?;
    visit.keys("twelve laps", &[]).await?;
    visit
        .until(
            "a hit",
            "return document.querySelector('#find-listbox li strong')?.textContent.includes('laps per loop')",
        )
        .await?;
    visit.keys(&char::from(Key::Enter).to_string(), &[]).await?;
    visit.until("its field", "return document.activeElement?.getAttribute('aria-label') === 'laps per loop'").await?;
    visit.end().await
}
