//! Throws, what comes of their contacts, and keys that stand by themselves.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use glam::DVec2;
use serde_json::Value;
use zickzack_e2e::Visit;

async fn open(visit: &Visit, scene: &str) -> Result<()> {
    visit.client.goto(&visit.base).await?;
    visit.click(scene).await?;
    visit.until("a seam", "return document.querySelector('.seam-knot') != null").await?;
    Ok(())
}

/// How many contacts the Dial shows.
async fn nicks(visit: &Visit) -> Result<usize> {
    Ok(visit.js("return document.querySelectorAll('.dial .nick').length").await?.as_u64().context("a count")? as usize)
}

async fn nicks_become(visit: &Visit, what: &str) -> Result<()> {
    visit.until(what, &format!("return document.querySelectorAll('.dial .nick').length {what}")).await?;
    Ok(())
}

fn apart(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).take(3).map(|(a, b)| (a - b) * (a - b)).sum::<f64>().sqrt()
}

/// How many pixels of the View are light, on a picture of the page, once that stays the same for a while.
async fn light(visit: &Visit) -> Result<f64> {
    const LIGHT: &str = "Math.min(r, g, b) > 120";
    let mut last = visit.pixels(LIGHT).await?;
    for _ in 0..60 {
        visit.rests("what is worked out", "return document.querySelector('.badge')?.textContent").await?;
        let now = visit.pixels(LIGHT).await?;
        if now == last {
            return Ok(now);
        }
        last = now;
    }
    anyhow::bail!("the picture never rests")
}

#[tokio::test]
async fn what_has_gone_in_is_cut_off_where_it_hit() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Puck on the boards").await?;
    visit.choose_node("Nose first").await?;
    visit.add_node("Stick").await?;
    // In place of what goes on bouncing, what sticks is shown.
    visit.choose_node("Puck").await?;
    visit.click("Remove node").await?;
    visit.choose_node("Stick").await?;
    visit.add_node("Output").await?;
    visit.choose("thing", "puck").await?;
    visit.fill("size", "0.14").await?;
    visit.choose_node("Stick").await?;
    // It comes slantwise, and its middle is right on the edge then.
    visit.fill("goes in by", "0.095").await?;
    visit.press(".bead").await?;
    visit.keys(&char::from(Key::Home).to_string(), &[]).await?;
    visit.keys(&char::from(Key::Right).to_string().repeat(60), &[]).await?;
    visit.kept().await?;
    let whole = light(&visit).await?;
    visit.press("input[aria-label=\"sunk part hidden\"]").await?;
    visit.kept().await?;
    let cut = light(&visit).await?;
    visit.fill("goes in by", "0.4").await?;
    visit.kept().await?;
    let nothing = light(&visit).await?;
    assert!(whole - nothing > 100.0, "{whole} {cut} {nothing}");
    let hidden = (whole - cut) / (whole - nothing);
    assert!((0.3..0.7).contains(&hidden), "{whole} {cut} {nothing}");

    // A model cannot say that, and the hand-off says so; a table can, and one of contacts says nothing else.
    let left_out =
        |there: &str| format!("const told = document.querySelector('[data-testid=left-out]'); return {there}");
    visit.click("Hand-off").await?;
    visit
        .until("what is left out", &left_out("told?.textContent === 'Not in this file: where they are cut off.'"))
        .await?;
    visit.choose("form", "CSV, every step").await?;
    visit.until("nothing left out of a table", &left_out("told === null")).await?;
    visit.choose("form", "CSV, contacts").await?;
    let but_contacts = "told?.textContent === 'Not in this file: where things are, but for what they touch.'";
    visit.until("what is left out of contacts", &left_out(but_contacts)).await?;
    visit.click("Write file").await?;
    let table = String::from_utf8(visit.download("csv").await?)?;
    let row: Vec<&str> = table.lines().nth(1).context("a contact")?.split(',').collect();
    anyhow::ensure!(table.starts_with("frame,output,object,other,") && row.len() == 15, "{table}");
    if let Ok(path) = std::env::var("ZICKZACK_PICTURE") {
        visit.picture(std::path::Path::new(&path)).await?;
    }
    visit.client.back().await?;
    visit.choose_node("Stick").await?;
    visit.press("input[aria-label=\"sunk part hidden\"]").await?;
    visit.kept().await?;
    visit.click("Hand-off").await?;
    visit
        .until("the keys and no list", &left_out("document.querySelector('[data-testid=write]') && told === null"))
        .await?;
    visit.end().await
}

#[tokio::test]
async fn a_throw_is_pulled_its_side_left_out_and_its_landing_chosen() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Tent trampoline").await?;
    visit.choose_node("Jump").await?;
    let before = visit.pose("ball", 0, 20).await?;
    // All of it is there, and seen.
    visit.pose("ball", 0, 239).await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("f", &[]).await?;
    let bounces = nicks(&visit).await?;
    assert!(bounces > 5, "{bounces}");
    // Pulled to the right it flies further to the right.
    visit.drag(visit.middle("button[aria-label^=\"Tip of Jump\"]").await?, (60.0, 0.0)).await?;
    visit.kept().await?;
    visit
        .until("another throw", "return document.querySelector('.facts')?.textContent.includes('7.6') === false")
        .await?;
    assert!(visit.pose("ball", 0, 20).await?[0] > before[0] + 0.5);
    // With Shift it goes in a direction of whole steps.
    let tip = visit.middle("button[aria-label^=\"Tip of Jump\"]").await?;
    visit.drag_holding(tip, (20.0, 8.0), &[Key::Shift]).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let velocity: Vec<f64> = document["nodes"]["jump"]["params"]["velocity"]
        .as_array()
        .context("a throw")?
        .iter()
        .filter_map(Value::as_f64)
        .collect();
    let level = DVec2::new(velocity[0], velocity[2]).length();
    let up = DVec2::new(level, velocity[1]).to_angle().to_degrees() / 15.0;
    assert!((up - up.round()).abs() < 1e-3, "{velocity:?}");
    // Without the floor it falls for ever, and nothing is touched.
    visit.press("[role=group][aria-label=\"sides\"] input[aria-label=\"bottom\"]").await?;
    visit.kept().await?;
    nicks_become(&visit, "=== 0").await?;
    assert!(visit.pose("ball", 0, 120).await?[1] < -5.0);
    visit.press("[role=group][aria-label=\"sides\"] input[aria-label=\"bottom\"]").await?;
    visit.kept().await?;
    nicks_become(&visit, "> 0").await?;
    // Where it lands and how high it rises, in place of its throw: the speed is worked out, and the place can be pulled.
    visit.choose("aimed by", "landing and height").await?;
    visit.choose("there it", "stays there").await?;
    visit.fill("landing x", "1.5").await?;
    visit.fill("landing y", "0.5").await?;
    visit.kept().await?;
    let landed = visit.pose("ball", 0, 200).await?;
    assert!(apart(&landed, &[1.5, 0.5, 0.0]) < 1e-5, "{landed:?}");
    let at = visit.middle("button[aria-label^=\"Landing of Jump\"]").await?;
    visit.drag(at, (-50.0, 0.0)).await?;
    visit.kept().await?;
    let document = visit.document().await?;
    let land: Vec<f64> = document["nodes"]["jump"]["params"]["land"]
        .as_array()
        .context("a place")?
        .iter()
        .filter_map(Value::as_f64)
        .collect();
    assert!(land[0] < 1.2, "{land:?}");
    let landed = visit.pose("ball", 0, 200).await?;
    assert!(apart(&landed, &land) < 1e-4, "{landed:?} {land:?}");
    // Gravity is typed as a formula: by a height it cannot be aimed then and says so, by a time it lands there all the same.
    visit.fill("gravity", "9.81 + 4 * sin(frame / 9)").await?;
    visit.kept().await?;
    assert_eq!(visit.document().await?["nodes"]["jump"]["params"]["gravity"]["formula"], "9.81 + 4 * sin(frame / 9)");
    let wrong = "return document.querySelector('.card-body .wrong')?.textContent.includes('landing and time')";
    visit.until("a sentence", wrong).await?;
    visit.choose("aimed by", "landing and time").await?;
    visit.kept().await?;
    let landed = visit.pose("ball", 0, 200).await?;
    assert!(apart(&landed, &land) < 1e-4, "{landed:?} {land:?}");
    visit.give("gravity", "Number").await?;
    visit.choose("aimed by", "landing and height").await?;
    visit.kept().await?;
    // Higher than it rises nothing lands, and that is said with what to do.
    visit.fill("landing y", "4").await?;
    visit.kept().await?;
    visit
        .until(
            "a sentence",
            "return document.querySelector('.card-body .wrong')?.textContent.includes('No throw lands there')",
        )
        .await?;
    visit.end().await
}

#[tokio::test]
async fn a_fourth_ring_rattles_strikes_the_peg_and_stays_on_it_without_more_work() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Ring toss").await?;
    let still = visit.pose("peg", 0, 2).await?;
    // The third ring has struck at frame 77 or so; by frame 112 the peg is at rest again.
    assert!(apart(&visit.pose("peg", 0, 112).await?, &still) < 1e-4);
    visit.choose_node("Rings").await?;
    visit
        .tap(
            visit
                .middle_of("its slip", "return document.querySelector('.react-flow__node[data-id=\"throw\"] .slip')")
                .await?,
        )
        .await?;
    visit.fill("things", "4").await?;
    visit.fill("next after", "20").await?;
    visit.kept().await?;
    visit.choose_node("Peg gives way").await?;
    visit.until("four hits", "return document.querySelector('.facts')?.textContent.includes('4 hits')").await?;
    visit.choose_node("On the peg").await?;
    visit.until("four rings", "return document.querySelector('.facts')?.textContent.includes('4 of 4')").await?;
    // Found by the ring's own height: it lands, and from then on stays with the peg.
    let mut landed = None;
    for frame in 66..110 {
        let (ring, next) = (visit.pose("rings", 3, frame).await?, visit.pose("rings", 3, frame + 1).await?);
        if apart(&ring, &next) < 0.02 && ring[0].abs() < 0.1 {
            landed = Some(frame);
            break;
        }
    }
    let landed = landed.context("the fourth ring lands")?;
    let shaken = visit.pose("peg", 0, landed + 2).await?;
    assert!(shaken.iter().zip(&still).any(|(a, b)| (a - b).abs() > 1e-3), "the peg gives way: {shaken:?}");
    let (a, b) = (visit.pose("rings", 3, landed + 2).await?, visit.pose("rings", 3, landed + 5).await?);
    assert!(a[3..7].iter().zip(&b[3..7]).any(|(a, b)| (a - b).abs() > 1e-3), "it rattles: {a:?} {b:?}");
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    visit.end().await
}

#[tokio::test]
async fn a_motion_is_baked_to_few_keys_and_its_source_taken_away() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Tent trampoline").await?;
    visit.choose_node("Jump").await?;
    let mut before = Vec::new();
    for frame in (0..240).step_by(7) {
        before.push((frame, visit.pose("ball", 0, frame).await?));
    }
    visit.click("▸ Bake to keys").await?;
    visit.fill("place within", "0.002").await?;
    visit
        .until("fewer keys", "return /→ \\d\\d keys/.test(document.querySelector('.bake .facts')?.textContent ?? '')")
        .await?;
    visit.press("input[aria-label=\"keep the source\"]").await?;
    visit.press(".bake-body .MuiButton-contained").await?;
    visit.kept().await?;
    visit.until("the keys' Card", "return document.querySelector('.card-body')?.textContent.includes('Pose')").await?;
    let document = visit.document().await?;
    let nodes = document["nodes"].as_object().context("nodes")?;
    assert!(!nodes.contains_key("jump") && nodes.values().any(|node| node["type"] == "pose"), "{nodes:?}");
    for (frame, place) in &before {
        let after = visit.pose("ball", 0, *frame).await?;
        assert!(apart(&after, place) < 0.0035, "{frame}: {after:?} {place:?}");
    }
    // The keys can be taken hold of: they are drawn in the Traces.
    visit
        .until("keys", "return JSON.parse(document.querySelector('.trace-canvas')?.dataset.keys ?? '[]').length > 5")
        .await?;
    // One edit, taken back by one.
    visit.click("Undo").await?;
    visit.kept().await?;
    assert!(visit.document().await?["nodes"]["jump"].is_object());
    visit.end().await
}

/// How many frames of a recording the Card says are there.
async fn frames_there(visit: &Visit) -> Result<u64> {
    let text =
        visit.until("how far it is", "return document.querySelector('.working [role=status]')?.textContent").await?;
    let number = text.as_str().and_then(|text| text.split_whitespace().find_map(|word| word.parse().ok()));
    number.with_context(|| format!("no number in {text}"))
}

#[tokio::test]
async fn running_bodies_are_seen_as_they_come_stopped_and_begun_again() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Bumper boats").await?;
    // Few boats for long: much to work out, and little to draw, so that the page answers meanwhile.
    visit.fill("loop length", "2000").await?;
    visit.choose_node("Six round").await?;
    visit.fill("riders", "20").await?;
    visit.kept().await?;
    visit.choose_node("They bump").await?;
    visit.choose("steps a frame", "given").await?;
    visit.fill("steps", "64").await?;
    visit.kept().await?;
    // What is there is shown while the rest is worked out.
    visit.until("some frames", "return Number(document.querySelector('.working [role=status]')?.textContent.match(/frame (\\d+)/)?.[1]) > 8").await?;
    visit
        .until("the badge", "return document.querySelector('.badge.waiting')?.textContent.startsWith('working')")
        .await?;
    // The page is told of frames before it has their poses.
    let moves = "const [a, b] = [0, 6].map((frame) => window.zickzack?.pose('boats', 0, frame));
        return a && b && Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) > 1e-3";
    visit.until("a boat that moves", moves).await?;
    visit.click("Stop").await?;
    visit.until("stopped", "return document.querySelector('.badge.waiting')?.textContent === 'stopped'").await?;
    // The frame that it was at when it was stopped, and those before it that had not been told, still come.
    let stopped = frames_there(&visit).await?;
    visit.click("Go on").await?;
    visit.until("more of it", &format!("return Number(document.querySelector('.working [role=status]')?.textContent.match(/frame (\\d+)/)?.[1]) > {stopped}")).await?;
    // An edit gives it up for what is wanted now.
    visit.fill("steps", "1").await?;
    visit.kept().await?;
    visit.until("all of it", "return document.querySelector('.working') === null && document.querySelector('.facts')?.textContent.includes('24 bodies · 1 steps')").await?;
    visit.until("the seam is measured", "return document.querySelector('.badge.closed, .badge.open') !== null").await?;
    visit.pose("boats", 0, 1999).await?;
    visit.end().await
}

#[tokio::test]
async fn keys_are_baked_again_without_losing_what_was_changed_by_hand_and_set_as_it_was() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Tent trampoline").await?;
    visit.choose_node("Jump").await?;
    visit.click("Bake to keys").await?;
    again(&visit).await?;
    visit.kept().await?;
    let baked = visit.document().await?;
    let nodes = baked["nodes"].as_object().context("nodes")?;
    let (pose, node) = nodes.iter().find(|(_, node)| node["type"] == "pose").context("a pose")?;
    assert_eq!(node["baked"]["from"], "jump");
    let keys = |document: &Value, axis: usize| document["nodes"][pose]["params"]["at"][axis]["keys"].clone();

    // By hand: one key goes, and one is set where the motion was at another frame.
    let (_, at) = first_keys(&visit).await?[2];
    visit.tap(at).await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit.kept().await?;
    let was = visit.pose("jump", 0, 33).await?;
    visit.press(".dial .bead").await?;
    visit.keys(&char::from(Key::Home).to_string(), &[]).await?;
    visit.keys(&char::from(Key::Right).to_string().repeat(33), &[]).await?;
    visit.js("document.querySelector('.traces-body').focus()").await?;
    visit.keys("w", &[]).await?;
    let document = async || -> Result<Value> {
        visit.kept().await?;
        visit.document().await
    };
    visit
        .until(
            "a key as it was",
            "return JSON.parse(document.querySelector('.trace-canvas').dataset.keys).some((k) => k.frame === 33)",
        )
        .await?;
    let by_hand = document().await?;
    let changed: Vec<usize> = (0..3).filter(|&axis| keys(&by_hand, axis) != keys(&baked, axis)).collect();
    let [axis] = changed[..] else { anyhow::bail!("one number changed, and not {changed:?}") };
    let set = keys(&by_hand, axis).as_array().context("keys")?.iter().find(|key| key["frame"] == 33.0).cloned();
    let value = set.as_ref().and_then(|key| key["value"].as_f64()).context("the key")?;
    assert!((value - was[axis]).abs() < 1e-4, "{value} is where it was: {was:?}");

    // What it was baked from changes; the number that was changed by hand stays, until it is to be replaced too.
    visit.choose_node("Jump").await?;
    visit.fill("bounciness", "0.7").await?;
    visit.click("Bake to keys").await?;
    visit
        .until(
            "what was changed",
            "return document.querySelector('.bake-body')?.textContent.includes('one number changed by hand')",
        )
        .await?;
    again(&visit).await?;
    let kept = document().await?;
    assert_eq!(keys(&kept, axis), keys(&by_hand, axis));
    visit.click("Bake to keys").await?;
    visit.press("input[aria-label=\"replace these too\"]").await?;
    again(&visit).await?;
    let replaced = document().await?;
    assert_ne!(keys(&replaced, axis), keys(&by_hand, axis));
    // On the Pose itself each number is chosen.
    visit.choose_node("Jump, keys").await?;
    visit.click("Bake again").await?;
    visit.until("numbers", "return document.querySelectorAll('.bake-body .tick-row').length > 0").await?;
    visit.end().await
}

/// Makes a bake again, once it is there.
async fn again(visit: &Visit) -> Result<()> {
    visit.until("a count", "return document.querySelector('.bake-body .facts')?.textContent.includes('→')").await?;
    visit.press(".bake-body .MuiButton-contained").await
}

/// Frame and place in the page of the keys that are drawn first.
async fn first_keys(visit: &Visit) -> Result<Vec<(f64, (f64, f64))>> {
    let script = "const c = document.querySelector('.trace-canvas'); const b = c.getBoundingClientRect(); \
        const keys = JSON.parse(c.dataset.keys).map((k) => [k.frame, b.left + k.x * b.width, b.top + k.y]); return keys.length > 3 ? keys : null";
    let found = visit.until("keys", script).await?;
    let number = |key: &Value, i: usize| key[i].as_f64().unwrap_or(f64::NAN);
    Ok(found
        .as_array()
        .context("a list")?
        .iter()
        .map(|key| (number(key, 0), (number(key, 1), number(key, 2))))
        .collect())
}
