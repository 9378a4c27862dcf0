//! The surface itself: threads pulled and cut, the View turned, things moved with keys alone, scenes kept
//! as files, and bad files refused.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use serde_json::Value;
use std::path::Path;
use zickzack_e2e::Visit;

const THREADS: &str = "return document.querySelectorAll('.react-flow__edge-path').length";

async fn open(visit: &Visit, scene: &str) -> Result<()> {
    visit.client.goto(&visit.base).await?;
    // Pictures above it that are still to come must not move it from beneath the pointer.
    visit
        .until(
            "the patterns",
            "return document.querySelectorAll('.pattern .closes, .pattern .soft:not(:empty)').length >= 8",
        )
        .await?;
    visit.click(scene).await?;
    visit.until("the seam", "return document.querySelector('.badge') != null").await?;
    visit.until("the threads", THREADS).await?;
    Ok(())
}

fn port(node: &str, kind: &str) -> String {
    format!(".react-flow__node[data-id=\"{node}\"] .react-flow__handle.{kind}")
}

#[tokio::test]
async fn a_thread_is_cut_said_to_be_missing_and_pulled_again() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("One path, many riders").await?;
    let (way, ride) = (visit.node("Jetty walk").await?, visit.node("Twelve").await?);
    let (from, to) = (visit.middle(&port(&way, "source")).await?, visit.middle(&port(&ride, "target")).await?);
    visit.tap(((from.0 + to.0) / 2.0, (from.1 + to.1) / 2.0)).await?;
    visit.until("a chosen thread", "return document.querySelector('.stitch.chosen')").await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit.until("one thread less", "return document.querySelectorAll('.react-flow__edge-path').length === 2").await?;
    visit.choose_node("Twelve").await?;
    let told = visit.find(".card .wrong").await?.text().await?;
    assert_eq!(told, "Ride needs a path: pull a thread to its path port.");

    // What does not fit is not made: a motion to the port of a path.
    let lead = visit.node("Noses ahead").await?;
    let wrong = visit.middle(&port(&lead, "source")).await?;
    visit.drag(wrong, (to.0 - wrong.0, to.1 - wrong.1)).await?;
    visit
        .until("a sentence", "return document.querySelector('.message')?.textContent.includes('does not fit')")
        .await?;
    assert_eq!(visit.js(THREADS).await?, 2);

    visit.drag(from, (to.0 - from.0, to.1 - from.1)).await?;
    visit.until("three threads", "return document.querySelectorAll('.react-flow__edge-path').length === 3").await?;
    visit.until("it works again", "return document.querySelector('.slip.error') == null").await?;
    visit.end().await
}

#[tokio::test]
async fn the_view_turns_and_goes_nearer_and_keys_alone_move_a_point_and_play() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Lantern round").await?;
    let point = "button[aria-label^=\"Point 4 of Promenade\"]";
    let before = visit.middle(point).await?;
    visit.drag((500.0, 520.0), (90.0, 0.0)).await?;
    let moved = |from: (f64, f64)| {
        format!(
            "const b = document.querySelector('button[aria-label^=\"Point 4 of Promenade\"]').getBoundingClientRect(); return Math.hypot(b.x + b.width / 2 - {}, b.y + b.height / 2 - {}) > 8",
            from.0, from.1
        )
    };
    visit.until("a turned View", &moved(before)).await?;
    let turned = visit.middle(point).await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("1", &[]).await?;
    visit.until("the View from the top", &moved(turned)).await?;
    visit.until("Top is pressed", "return Array.from(document.querySelectorAll('.chip')).find((c) => c.textContent === 'Top').getAttribute('aria-pressed') === 'true'").await?;

    let label = visit.find(point).await?.attr("aria-label").await?;
    visit.js(&format!("document.querySelector('{point}').focus()")).await?;
    visit.keys(&char::from(Key::Right).to_string(), &[Key::Shift]).await?;
    visit.kept().await?;
    assert_ne!(visit.find(point).await?.attr("aria-label").await?, label, "the point went to the right");

    visit.js("document.querySelector('.panel.view').focus()").await?;
    visit.keys(&char::from(Key::Right).to_string(), &[Key::Shift]).await?;
    visit.until("frame 10", "return document.querySelector('[data-testid=frame]').textContent === '10'").await?;
    visit.keys(" ", &[]).await?;
    visit.until("it plays on", "return Number(document.querySelector('[data-testid=frame]').textContent) > 12").await?;
    visit.keys(" ", &[]).await?;
    visit.keys(&char::from(Key::Home).to_string(), &[]).await?;
    visit.until("the seam", "return document.querySelector('[data-testid=frame]').textContent === '0'").await?;
    visit.end().await
}

/// Every control that can be reached has a name, and no text is smaller than 12 px.
const NAMELESS: &str = "const named = (e) => e.getAttribute('aria-label') || e.textContent.trim() || e.closest('label') || e.getAttribute('title') || e.placeholder; return Array.from(document.querySelectorAll('button, a, input, [role=slider], [role=combobox]')).filter((e) => e.getClientRects().length && e.type !== 'file' && e.getAttribute('aria-hidden') !== 'true' && !named(e)).map((e) => e.outerHTML.slice(0, 160))";
const SMALL: &str = "return Array.from(document.querySelectorAll('body *')).filter((e) => Array.from(e.childNodes).some((n) => n.nodeType === 3 && n.textContent.trim()) && e.getClientRects().length && parseFloat(getComputedStyle(e).fontSize) < 12).map((e) => e.outerHTML.slice(0, 160))";
/// Nothing sticks out of the page, and no text is cut off.
const CUT: &str = "return Array.from(document.querySelectorAll('.bar *, .card *, .handoff *, .pattern *, .trace-label *')).filter((e) => { const b = e.getBoundingClientRect(); const s = getComputedStyle(e); return b.width > 0 && s.position !== 'absolute' && (b.right > innerWidth + 1 || (s.textOverflow === 'ellipsis' && e.scrollWidth > e.clientWidth + 1)); }).map((e) => e.outerHTML.slice(0, 160))";

const SLIPS_INSIDE: &str = "const p = document.querySelector('.weave .react-flow').getBoundingClientRect(); const all = Array.from(document.querySelectorAll('.slip')).map((s) => s.getBoundingClientRect()); return all.length > 2 && all.every((b) => b.top >= p.top && b.bottom <= p.bottom && b.left >= p.left && b.right <= p.right)";

async fn tidy(visit: &Visit, place: &str) -> Result<()> {
    for (what, script) in [("without a name", NAMELESS), ("smaller than 12 px", SMALL), ("cut off", CUT)] {
        let found = visit.js(script).await?;
        assert_eq!(found, Value::Array(Vec::new()), "{place}: {what}");
    }
    Ok(())
}

#[tokio::test]
async fn every_control_has_a_name_and_every_text_is_whole_and_readable() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.until("two patterns", "return document.querySelectorAll('.pattern canvas').length >= 2").await?;
    tidy(&visit, "Pattern book").await?;
    for (scene, node) in [("Lantern round", "Lanterns"), ("Puck on the boards", "Flick")] {
        open(&visit, scene).await?;
        visit.choose_node(node).await?;
        visit.until("values", "return document.querySelectorAll('.trace-label').length > 3").await?;
        tidy(&visit, scene).await?;
        visit.until("all slips inside the Weave", SLIPS_INSIDE).await?;
        visit.press(".seam-knot").await?;
        tidy(&visit, "Seam").await?;
    }
    visit.click("Hand-off").await?;
    visit.until("key counts", "return document.querySelector('[data-testid=keys-after]')").await?;
    tidy(&visit, "Hand-off").await?;
    visit.end().await
}

/// What the scenes of the demo are called, in order.
fn demo_names() -> Result<Vec<String>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo");
    let mut names = Vec::new();
    for entry in std::fs::read_dir(folder)? {
        let file = entry?.path();
        if file.extension().is_some_and(|ending| ending == "json") {
            let scene: Value = serde_json::from_slice(&std::fs::read(file)?)?;
            names.push(scene["name"].as_str().context("a scene has a name")?.to_owned());
        }
    }
    names.sort();
    Ok(names)
}

#[tokio::test]
async fn scenes_are_renamed_duplicated_deleted_brought_back_and_travel_as_files() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let names =
        "return Array.from(document.querySelectorAll('a.pattern-name')).map((a) => a.textContent).sort().join(', ')";
    let are = |list: &str| format!("{} === '{list}'", names.replacen("return ", "return (", 1) + ")");
    let mut scenes = demo_names()?;
    let now = |scenes: &[String]| are(&scenes.join(", "));
    visit.until("the demo", &now(&scenes)).await?;
    let more = "button[aria-label=\"More for Lantern round\"]";
    visit.press(more).await?;
    visit.click("Rename").await?;
    visit.find("input[aria-label=\"New name of Lantern round\"]").await?;
    visit.keys("a", &[Key::Control]).await?;
    visit.keys("Round the lake", &[]).await?;
    visit.keys(&char::from(Key::Enter).to_string(), &[]).await?;
    scenes.retain(|name| name != "Lantern round");
    scenes.push("Round the lake".to_owned());
    scenes.sort();
    visit.until("another name", &now(&scenes)).await?;
    visit.press("button[aria-label=\"More for Round the lake\"]").await?;
    visit.click("Duplicate").await?;
    let mut copied = scenes.clone();
    copied.push("Round the lake copy".to_owned());
    copied.sort();
    visit.until("a copy", &now(&copied)).await?;
    visit.press("button[aria-label=\"More for Round the lake copy\"]").await?;
    visit.click("Delete").await?;
    visit.until("no copy", &now(&scenes)).await?;
    visit.click("Undo").await?;
    visit.until("the copy again", &now(&copied)).await?;

    visit.press("button[aria-label=\"More for Round the lake\"]").await?;
    visit.click("Save as file").await?;
    let file = visit.download("json").await?;
    let document: Value = serde_json::from_slice(&file)?;
    assert!(document["assets"]["promenade.svg"]["text"].as_str().is_some_and(|svg| svg.contains("promenade")));

    let wrong = visit.downloads.join("later.txt");
    std::fs::write(&wrong, "{\"format\": \"zickzack-scene\", \"version\": 99}")?;
    visit.give_file("Scene file", &wrong).await?;
    visit
        .until("a refusal", "return document.querySelector('.message')?.textContent.includes('later version')")
        .await?;
    let right = visit.downloads.join("round.txt");
    std::fs::write(&right, &file)?;
    visit.give_file("Scene file", &right).await?;
    visit.until("its bench", "return document.querySelector('.badge.closed') != null").await?;
    visit.end().await
}

#[tokio::test]
async fn a_drawing_is_brought_in_and_a_bad_one_is_refused_and_changes_nothing() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Lantern round").await?;
    visit.choose_node("Promenade").await?;
    for (name, text, words) in [
        ("empty.svg", "", "empty"),
        ("broken.svg", "<svg", "well-formed"),
        (
            "outside.svg",
            "<svg xmlns='http://www.w3.org/2000/svg'><use href='http://fair.example/a.svg#b'/></svg>",
            "outside the file",
        ),
    ] {
        let path = visit.downloads.join(name);
        std::fs::write(&path, text)?;
        visit.give_file("file", &path).await?;
        let told = format!("return document.querySelector('.message')?.textContent.includes('{words}')");
        visit.until(words, &told).await?;
    }
    let state = visit.js("return document.querySelector('.save-state').textContent").await?;
    assert_eq!(state, "all kept · edit 0");
    let path = visit.downloads.join("ring.svg");
    std::fs::write(&path, "<svg xmlns='http://www.w3.org/2000/svg'><circle id='promenade' r='300'/></svg>")?;
    visit.give_file("file", &path).await?;
    visit.kept().await?;
    visit.until("its length", "return document.querySelector('.path-name')?.textContent.includes('19.8 m')").await?;
    visit.end().await
}

#[tokio::test]
async fn scenes_beyond_a_page_are_found_by_their_words_and_listed_on_demand() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let demo = demo_names()?.len();
    let names = format!("return document.querySelectorAll('a.pattern-name').length === {demo}");
    visit.until("the demo", &names).await?;
    let made = "return (async () => { for (let i = 1; i <= 130; i++) await fetch('/api/scenes', { method: 'POST', \
        headers: { 'content-type': 'application/json' }, body: JSON.stringify({ name: `Stall ${i}`, space: 'flat' }) }); })()";
    visit.js(made).await?;
    visit.js("location.reload()").await?;
    let listed = |count: usize| format!("return document.querySelectorAll('a.pattern-name').length === {count}");
    visit.until("a page of them", &listed(60)).await?;
    let first = "return document.querySelector('a.pattern-name')?.textContent === 'Stall 130'";
    visit.until("what was changed last comes first", first).await?;
    // Ctrl F leads to where one is looked for, wherever in the book it is.
    visit.keys("f", &[Key::Control]).await?;
    visit.keys("ROUND lantern", &[]).await?;
    visit.until("the one", &format!("{} && document.body.textContent.includes('Lantern round')", listed(1))).await?;
    let gone = "return !Array.from(document.querySelectorAll('button')).some((button) => button.textContent === 'More scenes')";
    visit.until("no more of them", gone).await?;
    visit.keys(" nowhere", &[]).await?;
    visit
        .until("none", "return document.body.textContent.includes('No scene is called “ROUND lantern nowhere”.')")
        .await?;
    visit.keys("a", &[Key::Control]).await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit.until("all again", &listed(60)).await?;
    visit.click("More scenes").await?;
    visit.until("another page", &listed(120)).await?;
    tidy(&visit, "Pattern book").await?;
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.js("document.querySelector('.book-more').scrollIntoView({ block: 'center' })").await?;
        visit.picture(std::path::Path::new(&path)).await?;
    }
    visit.click("More scenes").await?;
    visit.until("all of them", &listed(130 + demo)).await?;
    visit.until("no more of them", gone).await?;
    visit.end().await
}
