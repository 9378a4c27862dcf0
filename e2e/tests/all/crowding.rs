//! Crowds through the real interface, their results as the command line gives them.

use crate::baking::{Row, at, baked, node};
use crate::day::{SEAM, new_scene};
use anyhow::{Context, Result};
use fantoccini::key::Key;
use serde_json::{Value, json};
use zickzack_e2e::{Visit, root};

#[tokio::test]
async fn a_swarm_fills_a_word_and_is_frozen() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    visit.add_node("Lettering").await?;
    visit.fill("text", "Funzel").await?;
    visit.kept().await?;
    visit.add_node("particles").await?;
    visit.choose("the swarm", "fills it").await?;
    visit.kept().await?;
    visit.fill("things", "300").await?;
    visit.choose("outlines", "one after another").await?;
    visit.kept().await?;
    // It fills over the first half of the loop and stands from then on.
    visit.give("filled", "Formula").await?;
    visit.fill("filled, formula", "min(1, 2 * loop)").await?;
    visit.kept().await?;
    visit.add_node("Output").await?;
    visit.until("the seam", SEAM).await?;

    let document = visit.document().await?;
    let frames = document["frames"].as_i64().context("frames")?;
    let rows = baked(&visit).await?;
    let half = frames / 2;
    assert_eq!(at(&rows, 0).len(), 0);
    assert_eq!(at(&rows, half + 1).len(), 300);
    let quarter = at(&rows, frames / 4).len() as i64;
    assert!((quarter - 150).abs() < 20, "{quarter}");
    for row in at(&rows, half + 1) {
        let later = at(&rows, frames - 1);
        let same = later.iter().find(|other| other.thing == row.thing).context("it is still there")?;
        assert_eq!(same.place, row.place, "it stands");
    }

    // The radius along the path is drawn: by number, by a pull, and a point more by a click.
    visit.choose_node("Swarm").await?;
    visit.fill("tube radius", "0.4").await?;
    visit.kept().await?;
    visit.fill("radius along it, number of point 1", "0").await?;
    visit.kept().await?;
    let points = |document: &Value| node(document, "swarm").map(|swarm| swarm["params"]["along"].clone());
    assert_eq!(points(&visit.document().await?)?, serde_json::json!([[0, 0], [1, 1]]));
    // A click brings it into sight.
    visit.press("[aria-label=\"radius along it, point 2\"]").await?;
    let last = visit.middle("[aria-label=\"radius along it, point 2\"]").await?;
    visit.drag(last, (0.0, 18.0)).await?;
    visit.kept().await?;
    let pulled = points(&visit.document().await?)?;
    assert!(pulled[1][0] == 1 && pulled[1][1].as_f64().context("a number")? < 0.9, "{pulled}");
    let first = visit.middle("[aria-label=\"radius along it, point 1\"]").await?;
    let last = visit.middle("[aria-label=\"radius along it, point 2\"]").await?;
    visit.tap(((first.0 + last.0) / 2.0, last.1)).await?;
    visit.kept().await?;
    assert_eq!(points(&visit.document().await?)?.as_array().context("points")?.len(), 3);
    visit.press("[aria-label=\"take out point 2 of radius along it\"]").await?;
    visit.kept().await?;
    assert_eq!(points(&visit.document().await?)?, pulled);
    visit.end().await
}

#[tokio::test]
async fn a_stream_loops_and_the_dial_tells_how_many_are_there() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Stream down a slide").await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    visit.until("lives on the Dial", "return document.querySelector('.lives path') != null").await?;
    let told = visit.js("return document.querySelector('.lives path title').textContent").await?;
    let rows = baked(&visit).await?;
    let frames = visit.document().await?["frames"].as_i64().context("frames")?;
    let there: Vec<usize> = (0..frames).map(|frame| at(&rows, frame).len()).collect();
    let (low, high) = (there.iter().min().context("frames")?, there.iter().max().context("frames")?);
    // Between frames there may be one more or less.
    let numbers: Vec<usize> = told.as_str().context("told")?.split(' ').filter_map(|word| word.parse().ok()).collect();
    let (least, most) = (numbers[0], numbers[numbers.len() - 1]);
    assert!(least <= *low && most >= *high && *low - least <= 5 && most - *high <= 5, "{told} {low} {high}");

    // Twice as many births are twice as many there, and it still loops.
    visit.choose_node("Stream").await?;
    visit.fill("births a loop", "600").await?;
    visit.kept().await?;
    visit
        .until(
            "the other lives",
            &format!(
                "return document.querySelector('.lives path title')?.textContent !== '{}'",
                told.as_str().context("told")?
            ),
        )
        .await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    let more = at(&baked(&visit).await?, 10).len() as f64;
    assert!((more / at(&rows, 10).len() as f64 - 2.0).abs() < 0.2, "{more}");
    visit.end().await
}

fn apart(a: [f64; 3], b: [f64; 3]) -> f64 {
    a.into_iter().zip(b).map(|(a, b)| (a - b) * (a - b)).sum::<f64>().sqrt()
}

/// How far the things at a frame are from the nearest of the others there, the least.
fn nearest(rows: &[Row], frame: i64) -> f64 {
    let all = at(rows, frame);
    let pairs = all.iter().enumerate().flat_map(|(i, a)| all[..i].iter().map(move |b| apart(a.place, b.place)));
    pairs.fold(f64::INFINITY, f64::min)
}

#[tokio::test]
async fn a_flock_is_found_as_boids_keeps_its_distance_and_closes() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    visit.add_node("boid").await?;
    visit.fill("things", "40").await?;
    visit.fill("never closer", "1.5").await?;
    visit.kept().await?;
    visit.add_node("Output").await?;
    visit.until("the seam", SEAM).await?;
    visit.until("what flies on does not close", "return document.querySelector('.badge.closed') == null").await?;
    let rows = baked(&visit).await?;
    let size = 0.2;
    for frame in [0, 20, 40] {
        assert_eq!(at(&rows, frame).len(), 40);
        assert!(nearest(&rows, frame) >= 1.5 * size * (1.0 - 1e-4), "{} at {frame}", nearest(&rows, frame));
    }

    visit.choose_node("Output").await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit.until("no output", "return document.querySelectorAll('.slip').length === 1").await?;
    visit.choose_node("Flock").await?;
    visit.add_node("Close loop").await?;
    visit.add_node("Output").await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    visit.end().await
}

#[tokio::test]
async fn moths_chase_the_lamp_that_they_are_given_and_their_loop_closes() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Flock behind a leader").await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    let rows = baked(&visit).await?;
    let frames = visit.document().await?["frames"].as_i64().context("frames")?;
    let lamp = |frame: i64| rows.iter().find(|row| row.frame == frame).map(|row| row.place);
    for frame in [frames / 2, frames - 1] {
        let lamp = lamp(frame).context("the lamp comes first")?;
        let moths = at(&rows, frame);
        let with = moths.iter().filter(|row| apart(row.place, lamp) < 3.0).count();
        assert!(with * 10 >= moths.len() * 9, "{with} of {} at {frame}", moths.len());
    }

    // What nothing draws leaves it.
    visit.choose_node("Moths").await?;
    visit.fill("pull", "0").await?;
    visit.kept().await?;
    let rows = baked(&visit).await?;
    let lost = at(&rows, frames / 2).iter().filter(|row| apart(row.place, [0.0; 3]) > 9.0).count();
    assert!(lost > 20, "{lost}");
    visit.end().await
}

/// Takes the Output of a starter out, and has what comes before it play the clips of a model of the demo.
async fn with_clips(visit: &Visit, model: &str) -> Result<()> {
    visit.press(".react-flow__node[data-id=\"out\"]").await?;
    visit.keys(&char::from(Key::Delete).to_string(), &[]).await?;
    visit.kept().await?;
    visit.press(".react-flow__node[data-id=\"ahead\"]").await?;
    visit.add_node("animation").await?;
    visit
        .until(
            "no model yet",
            "return document.querySelector('.card .warned')?.textContent.includes('No model is chosen')",
        )
        .await?;
    visit.give_file("file", &root().join(model)).await?;
    visit
        .until("its clips", "return document.querySelector('.card [role=combobox][aria-label=\"clip\"]') !== null")
        .await?;
    visit.kept().await
}

/// Where each thing of what the Output shows is in its clips at a frame.
async fn clips(visit: &Visit, things: usize, frame: usize) -> Result<Vec<[f64; 2]>> {
    let node = visit.node("Output").await?;
    let mut found = Vec::with_capacity(things);
    for object in 0..things {
        let script = format!("return window.zickzack?.clip('{node}', {object}, {frame}) ?? null");
        let clip = visit.until("what it plays", &script).await?;
        let number = |i: usize| clip[i].as_f64().context("a number");
        found.push([number(0)?, number(1)?]);
    }
    Ok(found)
}

#[tokio::test]
async fn wings_beat_by_speed_each_from_its_own_start_and_their_loop_closes() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Flock behind a leader").await?;
    with_clips(&visit, "demo/moth.glb").await?;
    visit.choose("clip", "glide").await?;
    visit.kept().await?;
    visit.choose("mixed by", "speed").await?;
    visit.kept().await?;
    visit.choose("second clip", "beat").await?;
    visit.kept().await?;
    visit.add_node("Output").await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    visit.press(".badge.closed").await?;
    let row = "return [...document.querySelectorAll('.seam-report tbody tr')].some((row) => row.textContent.startsWith('clips') && row.textContent.includes('0 cycles'))";
    visit.until("no gap in clips", row).await?;

    let (first, later) = (clips(&visit, 12, 0).await?, clips(&visit, 12, 7).await?);
    for (i, a) in first.iter().enumerate() {
        assert!(first[..i].iter().all(|b| (a[1] - b[1]).abs() > 1e-4), "each from its own start: {first:?}");
        assert!(a != &later[i], "it goes on");
    }
    // At the end each is where some other, or it, began.
    let all = clips(&visit, 50, 0).await?;
    for end in clips(&visit, 12, 192).await? {
        let round = |a: f64, b: f64| ((a - b) - (a - b).round()).abs();
        assert!(all.iter().any(|start| round(start[1], end[1]) < 1e-5 && (start[0] - end[0]).abs() < 1e-5), "{end:?}");
    }

    // Not made to close, the seam says so, and the Card offers what would.
    visit.choose_node("Clip").await?;
    visit.press("input[aria-label=\"whole cycles\"]").await?;
    visit.kept().await?;
    visit.until("an open loop", "return document.querySelector('.badge.closed') == null").await?;
    visit.click("play whole cycles in the loop").await?;
    visit.kept().await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    visit.end().await
}

#[tokio::test]
async fn a_thousand_follow_a_path_loosely_with_blended_clips_from_their_own_starts() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Follow a path loosely").await?;
    visit.press(".react-flow__node[data-id=\"flock\"]").await?;
    visit.fill("things", "1000").await?;
    visit.kept().await?;
    with_clips(&visit, "demo/kite.glb").await?;
    visit.fill("blend", "0.2").await?;
    visit.kept().await?;
    visit.add_node("Output").await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    let rows = baked(&visit).await?;
    let frames = visit.document().await?["frames"].as_i64().context("frames")?;
    for frame in [0, frames / 2, frames - 1] {
        let there = at(&rows, frame);
        assert_eq!(there.len(), 1000);
        // A polygon of 4.5 m two metres up, in a tube of four sizes of 0.2 m; some stray.
        let near = there
            .iter()
            .filter(|row| (row.place[1] - 2.0).abs() < 1.6 && apart([row.place[0], 0.0, row.place[2]], [0.0; 3]) < 7.0);
        assert!(near.count() >= 900, "at {frame}");
    }
    let starts = clips(&visit, 40, 0).await?;
    let quarters: Vec<usize> =
        (0..4).map(|part| starts.iter().filter(|clip| (clip[1] * 4.0) as usize == part).count()).collect();
    assert!(quarters.iter().all(|count| *count > 2), "spread over the cycle: {quarters:?}");
    visit.end().await
}

#[tokio::test]
async fn joint_motion_of_a_bvh_file_is_played_by_what_rides() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let scene = json!({
        "format": "zickzack-scene", "version": 1, "name": "Stilts", "space": "deep", "fps": "24", "frames": 48,
        "nodes": {
            "ring": { "type": "figure", "name": "Ring", "at": [24, 40], "params": { "radius": 3, "plane": "ground" } },
            "ride": { "type": "ride", "name": "Round", "at": [24, 170], "params": { "riders": 6 } },
            "ahead": { "type": "face-travel", "name": "Ahead", "at": [24, 300] },
            "out": { "type": "output", "name": "Shown", "at": [24, 430] },
        },
        "threads": {
            "a": { "from": "ring", "to": "ride", "port": "path" },
            "b": { "from": "ride", "to": "ahead", "port": "motion" },
            "c": { "from": "ahead", "to": "out", "port": "motion" },
        },
    });
    let id = visit.bring_in(&scene).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    visit.until("a seam", "return document.querySelector('.badge') != null").await?;
    with_clips(&visit, "formats/tests/stilt.bvh").await?;
    let document = visit.document().await?;
    assert_eq!(node(&document, "clip")?["params"]["file"], "stilt.bvh");
    let kept = document["assets"]["stilt.bvh"]["text"].as_str().context("it travels as text")?;
    assert!(kept.starts_with("HIERARCHY"));
    visit.add_node("Output").await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    let (first, later) = (clips(&visit, 6, 0).await?, clips(&visit, 6, 7).await?);
    assert!(first.iter().zip(&later).all(|(a, b)| a != b), "it goes on: {first:?}, {later:?}");
    // A model that is not there yet, or could not be drawn, is said.
    let drawn = visit.js("return document.body.innerText.includes('not kept here')").await?;
    assert_eq!(drawn, false);
    visit.end().await
}

/// A number of the only node of a kind.
async fn number(visit: &Visit, kind: &str, param: &str) -> Result<f64> {
    let document = visit.document().await?;
    node(&document, kind)?["params"][param].as_f64().with_context(|| format!("{param} of {kind}"))
}

/// Where the thing round which its sight is drawn is on the page: the first point of what is drawn of less than a
/// whole circle.
async fn thing_that_sees(visit: &Visit) -> Result<(f64, f64)> {
    let script = "const path = document.querySelector('.shaft.surround:not(.tube) path'); \
        const at = path?.getAttribute('d')?.match(/^M(\\S+) ([^LM]+)/); \
        const { x, y } = path?.ownerSVGElement.getBoundingClientRect() ?? {}; \
        return at && [x + Number(at[1]), y + Number(at[2])]";
    let at = visit.rests("what is seen", script).await?;
    Ok((at[0].as_f64().context("x")?, at[1].as_f64().context("y")?))
}

#[tokio::test]
async fn a_tube_and_what_a_flock_sees_are_pulled_in_the_view() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Follow a path loosely").await?;
    visit.press(".react-flow__node[data-id=\"flock\"]").await?;
    let knob = |what: &str| format!("button[aria-label^=\"{what} of Shoal\"]");
    for (what, by) in [("tube", 24.0), ("sight", 30.0)] {
        let at = visit.middle(&knob(what)).await?;
        visit.fill(what, "6").await?;
        visit.kept().await?;
        let before = number(&visit, "flock", what).await?;
        // The thing that sees goes elsewhere when what it does is worked out anew.
        let done = "return !(document.querySelector('.badge')?.textContent ?? 'working').startsWith('working')";
        visit.until("worked out", done).await?;
        let moved = visit.middle(&knob(what)).await?;
        assert!(at != moved, "the knob of {what} goes with the number");
        // Away from what it is drawn about: a thing goes elsewhere with another sight, a path stays.
        let about = match what {
            "sight" => thing_that_sees(&visit).await?,
            _ => at,
        };
        let away = (moved.0 - about.0, moved.1 - about.1);
        let length = (away.0 * away.0 + away.1 * away.1).sqrt();
        visit.drag(moved, (by * away.0 / length, by * away.1 / length)).await?;
        visit.kept().await?;
        let pulled = number(&visit, "flock", what).await?;
        assert!(pulled > 1.05 * before, "{what}: {pulled} of {before}");
        visit.js(&format!("document.querySelector('{}').focus()", knob(what))).await?;
        visit.keys(&char::from(Key::Down).to_string(), &[]).await?;
        visit.kept().await?;
        let less = number(&visit, "flock", what).await?;
        assert!((less / pulled - 1.0 / 1.02).abs() < 1e-3, "{what}: {less} of {pulled}");
    }
    visit.end().await
}

#[tokio::test]
async fn the_front_of_what_fills_a_path_is_pulled_along_it() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let scene = json!({
        "format": "zickzack-scene", "version": 1, "name": "Filled", "space": "deep", "fps": "24", "frames": 48,
        "nodes": {
            "line": { "type": "figure", "name": "Line", "at": [24, 40], "params": { "figure": "line", "length": 8 } },
            "swarm": { "type": "swarm", "name": "Beads", "at": [24, 170], "params": { "does": "fills it", "things": 40, "radius": 0, "filled": 0.25, "from": "its end" } },
            "out": { "type": "output", "name": "Shown", "at": [24, 300] },
        },
        "threads": {
            "a": { "from": "line", "to": "swarm", "port": "path" },
            "b": { "from": "swarm", "to": "out", "port": "motion" },
        },
    });
    let id = visit.bring_in(&scene).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    visit.press(".react-flow__node[data-id=\"swarm\"]").await?;
    let knob = "button[aria-label^=\"front of Beads\"]";
    let quarter = visit.middle(knob).await?;
    visit.fill("filled", "0.75").await?;
    visit.kept().await?;
    let three = visit.middle(knob).await?;
    // Half way back to where it was is a half.
    visit.drag(three, ((quarter.0 - three.0) / 2.0, (quarter.1 - three.1) / 2.0)).await?;
    visit.kept().await?;
    let filled = number(&visit, "swarm", "filled").await?;
    assert!((filled - 0.5).abs() < 0.03, "{filled}");
    let there = at(&baked(&visit).await?, 0).len() as f64;
    assert!((there - 40.0 * filled).abs() <= 2.0, "{there} of 40 are there");
    visit.js(&format!("document.querySelector('{knob}').focus()")).await?;
    visit.keys(&char::from(Key::Up).to_string(), &[]).await?;
    visit.kept().await?;
    assert!((number(&visit, "swarm", "filled").await? - filled - 0.01).abs() < 1e-6);
    // Beyond 1 it empties: what is held then is its rear.
    visit.fill("filled", "1.5").await?;
    visit.kept().await?;
    visit.middle("button[aria-label^=\"rear of Beads\"]").await?;
    visit.end().await
}
