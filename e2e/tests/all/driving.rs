//! Numbers over time: keys, their pace, signals that several listen to.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use serde_json::Value;
use zickzack_e2e::Visit;

/// The signal or number over time that is drawn under this name, from a little before the loop to a little after it.
async fn signal(visit: &Visit, name: &str) -> Result<Vec<f64>> {
    let script = format!("return window.zickzack?.signal({})", serde_json::json!(name));
    let values = visit.until(name, &format!("{script}?.length > 0 && {}", &script[7..])).await?;
    Ok(values.as_array().context("values")?.iter().filter_map(Value::as_f64).collect())
}

/// Where the keys of the drawn number are: frame, value, and place in the page.
async fn keys(visit: &Visit) -> Result<Vec<(f64, f64, (f64, f64))>> {
    let script = "const c = document.querySelector('.trace-canvas'); const b = c.getBoundingClientRect(); \
        return JSON.parse(c.dataset.keys).map((k) => [k.frame, k.value, b.left + k.x * b.width, b.top + k.y, b.top + k.bottom])";
    let found = visit.until("keys", script).await?;
    let list = found.as_array().context("a list")?.iter();
    Ok(list.map(|key| (number(key, 0), number(key, 1), (number(key, 2), number(key, 3)))).collect())
}

fn number(list: &Value, i: usize) -> f64 {
    list[i].as_f64().unwrap_or(f64::NAN)
}

/// Smallest and largest step from one drawn frame to the next within some frames, as parts of the mean step.
fn steps(values: &[f64], frames: f64, from: f64, to: f64) -> (f64, f64) {
    let per = (values.len() - 1) as f64 / (1.3 * frames);
    let at = |frame: f64| ((frame + 0.15 * frames) * per).round() as usize;
    let steps: Vec<f64> = values[at(from)..=at(to)].windows(2).map(|pair| pair[1] - pair[0]).collect();
    let mean = steps.iter().sum::<f64>() / steps.len() as f64;
    let (low, high) = steps.iter().fold((f64::MAX, f64::MIN), |(low, high), step| (low.min(*step), high.max(*step)));
    (low / mean, high / mean)
}

/// What stands in a field of the Card.
async fn field(visit: &Visit, label: &str) -> Result<String> {
    let value = visit.js(&format!("return document.querySelector('input[aria-label=\"{label}\"]').value")).await?;
    Ok(value.as_str().unwrap_or_default().to_owned())
}

#[tokio::test]
async fn a_progress_is_keyed_and_eased_its_pace_dragged_and_its_slowest_point_lifted() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    // Another unit for the pace leaves it as quick as it was, there and back.
    let laps = field(&visit, "laps per loop").await?;
    visit.choose("pace given as", "metres per second").await?;
    visit.until("metres per second", "return document.querySelector('input[aria-label=\"speed\"]') !== null").await?;
    visit.kept().await?;
    let speed: f64 = field(&visit, "speed").await?.parse()?;
    let told = format!("{speed:.2}");
    visit
        .until(
            "the same speed among its figures",
            &format!("return document.querySelector('.card').textContent.includes({:?})", told.trim_end_matches('0')),
        )
        .await?;
    visit.choose("pace given as", "laps per loop").await?;
    visit.until("laps", "return document.querySelector('input[aria-label=\"laps per loop\"]') !== null").await?;
    assert_eq!(field(&visit, "laps per loop").await?, laps);
    visit.choose("pace given as", "progress").await?;
    visit.give("progress", "Keys").await?;
    // At the loop's last frame it is once round: a number that is typed there is a key there.
    visit.press(".dial .bead").await?;
    visit.keys(&char::from(Key::Right).to_string().repeat(143), &[]).await?;
    visit.fill("progress", "1").await?;
    visit.kept().await?;
    assert_eq!(keys(&visit).await?.iter().map(|key| (key.0, key.1)).collect::<Vec<_>>(), [(0.0, 0.0), (143.0, 1.0)]);

    // Dragged one frame to the right it is at the seam: the loop closes at an even pace.
    let last = keys(&visit).await?[1].2;
    let frame = (keys(&visit).await?[1].2.0 - keys(&visit).await?[0].2.0) / 143.0;
    visit.drag_holding(last, (frame, 0.0), &[Key::Shift]).await?;
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    visit.kept().await?;
    assert_eq!(keys(&visit).await?[1].0, 144.0);
    assert_eq!(keys(&visit).await?[1].1, 1.0);
    let (slow, quick) = steps(&signal(&visit, "progress").await?, 144.0, 1.0, 143.0);
    assert!(slow > 0.999 && quick < 1.001, "an even pace: {slow} {quick}");

    // Eased it stands still at its keys.
    visit.keys("a", &[Key::Control]).await?;
    visit.keys("e", &[]).await?;
    visit.kept().await?;
    let (slow, quick) = steps(&signal(&visit, "progress").await?, 144.0, 0.0, 144.0);
    assert!(slow < 0.01 && quick > 1.4, "eased: {slow} {quick}");

    // The ribbon of its pace, pulled down in the middle, makes it slow there and quick elsewhere; all of it stays.
    let ribbon = "const c = document.querySelector('.trace-canvas'); const b = c.getBoundingClientRect(); \
        const [k, l] = JSON.parse(c.dataset.keys); return [b.left + (k.x + l.x) / 2 * b.width, b.top + k.bottom - 18]";
    let at = visit.until("the ribbon", ribbon).await?;
    let at = (number(&at, 0), number(&at, 1));
    visit.drag(at, (0.0, 12.0)).await?;
    visit.kept().await?;
    assert_eq!(keys(&visit).await?.len(), 3);
    let values = signal(&visit, "progress").await?;
    let (middle, _) = steps(&values, 144.0, 70.0, 74.0);
    let whole = values[values.len() - 1] - values[0];
    assert!((middle * 4.0).is_finite() && whole.is_finite());
    let pace = |from: f64, to: f64| {
        let per = (values.len() - 1) as f64 / (1.3 * 144.0);
        let at = |frame: f64| ((frame + 0.15 * 144.0) * per).round() as usize;
        (values[at(to)] - values[at(from)]) / (to - from)
    };
    assert!(pace(70.0, 74.0) < pace(40.0, 44.0), "slower in the middle");
    assert!((pace(0.0, 143.5) * 143.5 - 1.0).abs() < 0.01, "as far as before");

    // One command lifts the slowest point off zero.
    visit.press("button[aria-label=\"Keys of progress\"]").await?;
    visit.click("Lift slowest").await?;
    visit.kept().await?;
    let (slow, _) = steps(&signal(&visit, "progress").await?, 144.0, 0.5, 143.5);
    assert!(slow > 0.12, "slow, but not still: {slow}");
    // And that is one edit, taken back by one.
    visit.click("Undo").await?;
    visit.kept().await?;
    let (slow, _) = steps(&signal(&visit, "progress").await?, 144.0, 0.0, 144.0);
    assert!(slow < 0.01);
    visit.end().await
}

/// Metres between two places.
fn apart(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).take(3).map(|(a, b)| (a - b) * (a - b)).sum::<f64>().sqrt()
}

#[tokio::test]
async fn two_things_listen_to_one_signal_and_both_change_when_it_does() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    visit.give("above", "New Wave").await?;
    visit.kept().await?;
    visit.choose_node("Twelve").await?;
    visit.give("to the right", "Wave").await?;
    visit.kept().await?;
    visit.choose_node("Wave").await?;
    visit
        .until("who listens", "return document.querySelector('.card-body')?.textContent.includes('Shared by 2')")
        .await?;
    let before = visit.pose("out", 0, 36).await?;
    visit.fill("amount", "0.25").await?;
    visit.kept().await?;
    let moved = "return document.querySelector('.facts')?.textContent.includes('0.25')";
    visit.until("the change", moved).await?;
    let after = visit.pose("out", 0, 36).await?;
    // A quarter of the loop on the wave is at its height: it falls from 1 to 0.25, up and to the right.
    assert!((apart(&before, &after) - 0.75 * 2.0_f64.sqrt()).abs() < 1e-3, "{before:?} {after:?}");

    // A duplicate stands by itself.
    visit.choose_node("Wave").await?;
    visit.press(".weave-body").await.ok();
    visit.choose_node("Wave").await?;
    visit.keys("d", &[Key::Control]).await?;
    visit.kept().await?;
    visit.fill("amount", "2").await?;
    visit.kept().await?;
    assert_eq!(visit.pose("out", 0, 36).await?, after);
    visit.end().await
}

#[tokio::test]
async fn a_scale_is_driven_by_a_wave_that_is_confined_to_the_second_half_of_the_loop() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Noses ahead").await?;
    visit.add_node("Swell").await?;
    visit.give("scale", "New Wave").await?;
    visit.kept().await?;
    // The wave takes over at the scale that there is, and its Card is open.
    visit.fill("amount", "0.5").await?;
    visit.add_node("Span").await?;
    visit.fill("outside", "1").await?;
    visit.fill("from", "72").await?;
    visit.fill("to", "144").await?;
    visit.kept().await?;
    visit.choose_node("Swell").await?;
    visit.give("scale", "Span").await?;
    visit.kept().await?;
    let swell = visit.node("Swell").await?;
    let size = async |frame: usize| -> Result<f64> { Ok(visit.pose(&swell, 0, frame).await?[7]) };
    assert_eq!((size(0).await?, size(36).await?, size(71).await?), (1.0, 1.0, 1.0), "nothing in the first half");
    // Three quarters through the loop a sine is at its lowest.
    assert!((size(108).await? - 0.5).abs() < 1e-6, "{}", size(108).await?);
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    // The Dial shows in which part of the loop it acts; a click there chooses the signal.
    let on_it = "const p = document.querySelector('.dial .span[aria-label=\"Span: frames 72 to 144\"]'); if (!p) return null; \
        const at = p.getPointAtLength(p.getTotalLength() / 3).matrixTransform(p.getScreenCTM()); return [at.x, at.y]";
    let at = visit.until("the span", on_it).await?;
    visit.tap((number(&at, 0), number(&at, 1))).await?;
    visit.until("its Card", "return document.querySelector('.card-body [aria-label=\"fade\"]') != null").await?;
    visit.end().await
}

#[tokio::test]
async fn a_lead_and_eight_followers_change_with_the_lead_s_path() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    visit.fill("riders", "1").await?;
    visit.choose_node("Noses ahead").await?;
    visit.add_node("Followers").await?;
    visit.fill("followers", "8").await?;
    visit.fill("delay", "7.5").await?;
    visit.kept().await?;
    // The lead and its eight: each is where the lead was 15 frames before for every second of them.
    let followers = visit.node("Followers").await?;
    let poses = async |frame: usize| -> Result<(Vec<f64>, Vec<f64>)> {
        Ok((visit.pose(&followers, 0, frame - 15).await?, visit.pose(&followers, 2, frame).await?))
    };
    let (lead, second) = poses(60).await?;
    assert!(lead.iter().zip(&second).all(|(a, b)| (a - b).abs() < 1e-5), "{lead:?} {second:?}");
    // The path is changed: a point of it elsewhere, and all of them with it.
    visit.choose_node("Jetty walk").await?;
    let before = visit.pose(&followers, 2, 60).await?;
    let point = visit.middle("button[aria-label^=\"Point 4 of Jetty walk\"]").await?;
    visit.drag(point, (40.0, 30.0)).await?;
    visit.kept().await?;
    visit.choose_node("Followers").await?;
    let (lead, second) = poses(60).await?;
    assert!(lead.iter().zip(&second).all(|(a, b)| (a - b).abs() < 1e-5), "{lead:?} {second:?}");
    assert!(apart(&before, &second) > 0.0);
    // One of them is something else, of another colour and size; the others stay as they are.
    visit.choose_node("Followers").await?;
    let sizes = async || -> Result<Vec<f64>> {
        let mut sizes = Vec::new();
        for object in 0..9 {
            sizes.push(visit.pose(&followers, object, 60).await?[7]);
        }
        Ok(sizes)
    };
    let plain = sizes().await?;
    visit.choose("thing of thing 4", "lantern").await?;
    visit.fill("size of thing 4", "1.5").await?;
    visit.kept().await?;
    assert!(visit.document().await?.to_string().contains("\"lantern\""), "kept in the document");
    let own = sizes().await?;
    for (object, (own, plain)) in own.iter().zip(&plain).enumerate() {
        assert!((own / plain - if object == 3 { 1.5 } else { 1.0 }).abs() < 1e-6, "thing {object}: {own} {plain}");
    }
    visit.end().await
}

#[tokio::test]
async fn two_shots_are_cut_and_what_is_apart_is_matched_by_a_click() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.click("Two shots").await?;
    visit.choose_node("Cut").await?;
    visit
        .until("a match", "return document.querySelector('.facts')?.textContent.includes('0.000 m, 0.000 m/s')")
        .await?;
    // The second shot comes too late: the Card says by how much it misses, and what would match.
    visit.fill("second later", "55").await?;
    visit.kept().await?;
    visit.until("what is apart", "return !document.querySelector('.facts')?.textContent.includes('0.000 m,')").await?;
    visit.click("second later 55.00 → 48.00 frames").await?;
    visit.kept().await?;
    visit
        .until("a match", "return document.querySelector('.facts')?.textContent.includes('0.000 m, 0.000 m/s')")
        .await?;
    let shift = visit.document().await?["nodes"]["cut"]["params"]["shift"].as_f64().context("a shift")?;
    assert!((shift - 48.0).abs() < 1e-4, "{shift}");
    assert_eq!(visit.js("return document.querySelectorAll('.dial .cut').length").await?, 1);
    visit.end().await
}

#[tokio::test]
async fn a_number_is_keyed_with_k_and_a_signal_is_pulled_to_another_in_the_weave() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    visit.choose_node("Twelve").await?;
    // Selected by a click on its field, left by Escape; then K keys it where the playhead is.
    visit.press("input[aria-label=\"above\"]").await?;
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.press(".dial .bead").await?;
    visit.keys("k", &[]).await?;
    visit.until("a key", "return document.querySelector('.key-bead.on') !== null").await?;
    visit.kept().await?;
    visit.keys(&char::from(Key::Right).to_string().repeat(12), &[]).await?;
    visit.until("no key here", "return document.querySelector('.key-bead:not(.on)') !== null").await?;
    visit.keys("k", &[]).await?;
    visit.kept().await?;
    assert_eq!(keys(&visit).await?.iter().map(|key| key.0).collect::<Vec<_>>(), [0.0, 12.0]);
    // A double click on its trace sets another, Delete takes it away.
    let (first, second) = (keys(&visit).await?[0].2, keys(&visit).await?[1].2);
    let beyond = (second.0 + 2.0 * (second.0 - first.0), second.1);
    visit.tap_twice(beyond).await?;
    visit
        .until("three keys", "return JSON.parse(document.querySelector('.trace-canvas').dataset.keys).length === 3")
        .await?;
    visit.kept().await?;
    visit.press(".traces-body").await.ok();
    visit.tap(keys(&visit).await?[2].2).await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit
        .until("two keys", "return JSON.parse(document.querySelector('.trace-canvas').dataset.keys).length === 2")
        .await?;
    visit.kept().await?;

    // A signal is pulled onto a slip; which of its numbers it drives is chosen there.
    visit.press(".weave-body").await.ok();
    visit.add_node("Wave").await?;
    visit.weave_rests().await?;
    let from = visit.middle(".react-flow__node[data-id^=wave] .react-flow__handle.source").await?;
    let to = visit.middle(".react-flow__node[data-id=twelve] .number-port.open, .react-flow__node:has([data-name=Twelve]) .number-port.open").await?;
    visit.drag(from, (to.0 - from.0, to.1 - from.1)).await?;
    visit.click("to the right").await?;
    visit.kept().await?;
    let threads = visit.document().await?["threads"].clone();
    let wave = visit.node("Wave").await?;
    let found =
        threads.as_object().context("threads")?.values().any(|t| t["from"] == wave.as_str() && t["port"] == "across");
    assert!(found, "{threads}");
    visit.end().await
}
