//! Things that change their form, through the real interface, their results as the command line gives them.

use crate::baking::{Row, at, baked, node};
use crate::day::{SEAM, new_scene};
use anyhow::{Context, Result};
use fantoccini::key::Key;
use serde_json::json;
use std::time::Instant;
use zickzack_e2e::{PATIENCE, Visit, root};

fn apart(a: [f64; 3], b: [f64; 3]) -> f64 {
    (0..3).map(|i| (a[i] - b[i]) * (a[i] - b[i])).sum::<f64>().sqrt()
}

/// Where a thing's +y points.
fn up(row: &Row) -> [f64; 3] {
    let [x, y, z, w] = row.turn;
    [2.0 * (x * y - w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + w * x)]
}

fn only(rows: &[Row], frame: i64) -> Result<&Row> {
    at(rows, frame).first().copied().with_context(|| format!("nothing at {frame}"))
}

/// Pulls a thread from a node to a port of another.
async fn thread(visit: &Visit, from: &str, to: &str, port: &str) -> Result<()> {
    visit.click("Tidy").await?;
    visit.weave_rests().await?;
    let from = visit.middle(&format!(".react-flow__node[data-id=\"{from}\"] .react-flow__handle.source")).await?;
    let to = visit.middle(&format!(".react-flow__node[data-id=\"{to}\"] [data-handleid={port}]")).await?;
    visit.drag(from, (to.0 - from.0, to.1 - from.1)).await
}

/// Drawn, bent, grown from its start to its end, and turned to a second path.
#[tokio::test]
async fn a_ribbon_grows_along_a_drawn_path_and_turns_to_a_second_one() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    let (x, y) = visit.middle(".view-body canvas").await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("p", &[]).await?;
    for (dx, dy) in [(-170.0, 40.0), (-40.0, 110.0), (120.0, 70.0), (170.0, -50.0)] {
        visit.tap((x + dx, y + dy)).await?;
        visit.kept().await?;
    }
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.add_node("ribbon").await?;
    visit.choose("takes up", "from here to there").await?;
    visit.kept().await?;
    visit.give("to", "Formula").await?;
    visit.fill("to, formula", "loop").await?;
    visit.kept().await?;
    visit.add_node("Output").await?;
    visit.until("the seam", SEAM).await?;

    // Its middle is where half of what it takes up is: at its start at first, in the middle of the path in the end.
    let points = node(&visit.document().await?, "drawn-path")?["params"]["points"].clone();
    let first: [f64; 3] = serde_json::from_value(points[0]["at"].clone())?;
    let last: [f64; 3] = serde_json::from_value(points[3]["at"].clone())?;
    let frames = visit.document().await?["frames"].as_i64().context("frames")?;
    let rows = baked(&visit).await?;
    assert!(at(&rows, 0).is_empty(), "what takes up nothing is not there");
    let steps: Vec<f64> =
        (2..frames).map(|f| Ok(apart(only(&rows, f)?.place, only(&rows, f - 1)?.place))).collect::<Result<_>>()?;
    let most = steps.iter().fold(0.0, |most: f64, step| most.max(*step));
    assert!(apart(only(&rows, 1)?.place, first) < 1.2 * most);
    assert!(steps.iter().all(|step| *step > 0.9 * most), "it grows evenly");
    // Half a path in a loop: as far as it is from its start to its end, and more where it bends.
    assert!(2.0 * most * frames as f64 > apart(first, last), "{most}");

    // Its face is up, until it points to the same path moved aside.
    assert!(up(only(&rows, 30)?)[1] > 0.99);
    visit.choose_node("Bend along").await?;
    visit.choose("up from", "second path").await?;
    visit.kept().await?;
    visit
        .until(
            "a sentence",
            "return document.querySelector('.card .wrong')?.textContent.includes('needs a second path')",
        )
        .await?;
    visit.choose_node("Path").await?;
    visit.add_node("Move").await?;
    visit.fill("position x", "-4").await?;
    visit.fill("position z", "-4").await?;
    visit.kept().await?;
    let (aside, bend) = (visit.node("Move").await?, visit.node("Bend along").await?);
    thread(&visit, &aside, &bend, "beside").await?;
    visit.until("it works again", "return document.querySelector('.slip.error') == null").await?;
    visit.kept().await?;
    let rows = baked(&visit).await?;
    for frame in [10, frames / 2, frames - 1] {
        let up = up(only(&rows, frame)?);
        assert!(up[1].abs() < 1e-6, "it stands on its edge: {up:?}");
        assert!(up[0] + up[2] < 0.0, "it points aside: {up:?}");
    }

    // As long as it is, riding on a closed path, it closes.
    visit.choose_node("Bend along").await?;
    visit.choose("takes up", "as long as it is").await?;
    visit.fill("length", "2").await?;
    visit.kept().await?;
    assert_eq!(node(&visit.document().await?, "bend-along")?["params"]["length"], json!(2));
    visit.until("what lies still closes", "return document.querySelector('.badge.closed') != null").await?;
    visit.end().await
}

/// What is seen is what is met: a click where a strip is bent to chooses it, and none where it is not while it is straight.
#[tokio::test]
async fn a_ribbon_is_chosen_where_it_is_bent_to() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let point = |id: &str, at: [f64; 3]| json!({ "id": id, "at": at, "kind": "corner" });
    let scene = json!({
        "format": "zickzack-scene", "version": 1, "name": "Round a corner", "space": "deep", "fps": "24", "frames": 48,
        "nodes": {
            "way": { "type": "drawn-path", "name": "Way", "at": [24, 40], "params": { "points": [
                point("p1", [-4.0, 1.0, 0.0]), point("p2", [2.0, 1.0, 0.0]), point("p3", [2.0, 1.0, 5.0]),
            ] } },
            "bend": { "type": "bend-along", "name": "Ribbon", "at": [24, 170], "params": { "length": 11, "width": 0.8 } },
            "out": { "type": "output", "name": "Cloth", "at": [24, 300] },
        },
        "threads": {
            "a": { "from": "way", "to": "bend", "port": "path" },
            "b": { "from": "bend", "to": "out", "port": "motion" },
        },
    });
    let id = visit.bring_in(&scene).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    visit.until("the seam", SEAM).await?;
    visit.choose_node("Way").await?;
    let corner = visit.middle("button[aria-label^=\"Point 2 of Way\"]").await?;
    let end = visit.middle("button[aria-label^=\"Point 3 of Way\"]").await?;
    // Beside the path, within the ribbon.
    let there = (corner.0 + 0.6 * (end.0 - corner.0), corner.1 + 0.6 * (end.1 - corner.1) + 5.0);
    let chosen = |kind: &str| format!("return document.querySelector('.card')?.textContent.startsWith('{kind}')");
    visit.tap(there).await?;
    visit.until("it is chosen", &chosen("Output")).await?;

    // Straight it lies elsewhere, and a click there is one on the path.
    visit.choose_node("Ribbon").await?;
    visit.fill("bend", "0").await?;
    visit.kept().await?;
    visit.choose_node("Way").await?;
    visit.tap((there.0, there.1 - 5.0)).await?;
    visit.until("the path is", &chosen("Drawn path")).await?;
    assert_eq!(visit.js(&chosen("Output")).await?, false);
    visit.end().await
}

/// A picture that is brought in is seen on the strip, until it is taken away; and it leans into its bends as the speed asks for.
#[tokio::test]
async fn a_ribbon_has_a_picture_on_it_and_leans_into_its_bends() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let scene = json!({
        "format": "zickzack-scene", "version": 1, "name": "Painted", "space": "deep", "fps": "24", "frames": 48,
        "nodes": {
            "round": { "type": "figure", "name": "Round", "at": [24, 40], "params": { "radius": 2.5 } },
            "bend": { "type": "bend-along", "name": "Ribbon", "at": [24, 170], "params": { "length": 5, "width": 1.2 } },
            "out": { "type": "output", "name": "Cloth", "at": [24, 300] },
        },
        "threads": {
            "a": { "from": "round", "to": "bend", "port": "path" },
            "b": { "from": "bend", "to": "out", "port": "motion" },
        },
    });
    let id = visit.bring_in(&scene).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    visit.until("the seam", SEAM).await?;
    visit.choose_node("Ribbon").await?;
    // Four green pixels beside each other.
    const GREEN: &[u8] =
        b"\x89PNG\x0d\x0a\x1a\x0a\x00\x00\x00\x0dIHDR\x00\x00\x00\x04\x00\x00\x00\x01\x08\x02\x00\x00\x00v^\x98\x9a\
        \x00\x00\x00\x0dIDATx\x9cc`\xf8\xcf\x00G\x00\x19\xf3\x03\xfd=C\xdc\xf4\x00\x00\x00\x00IEND\xaeB`\x82";
    let file = visit.downloads.join("green.png");
    std::fs::write(&file, GREEN)?;
    let green = "g > 100 && g > 1.5 * r && g > 1.5 * b";
    let plain = visit.pixels(green).await?;
    visit.give_file("picture", &file).await?;
    let told = "return document.querySelector('.card').textContent.includes('its picture keeps its shape at a length of 4.80 m')";
    visit.until("what the picture is like", told).await?;
    let begun = Instant::now();
    while visit.pixels(green).await? < plain + 1500.0 {
        assert!(begun.elapsed() < PATIENCE, "the picture is not seen");
    }

    let inwards = |row: &Row| {
        let ([x, _, z], up) = (row.place, up(row));
        -(x * up[0] + z * up[2]) / (x * x + z * z).sqrt()
    };
    assert!(inwards(only(&baked(&visit).await?, 0)?).abs() < 1e-6, "it lies flat");
    visit.fill("bank at speed", "4").await?;
    visit.kept().await?;
    let steep: f64 = 16.0 / (2.5 * 9.81);
    let wanted = steep / (1.0 + steep * steep).sqrt();
    let leant = inwards(only(&baked(&visit).await?, 0)?);
    assert!((leant - wanted).abs() < 1e-4, "{leant} and not {wanted}");

    visit.click("No picture").await?;
    visit.kept().await?;
    assert_eq!(node(&visit.document().await?, "bend-along")?["params"]["picture"], json!(""));
    let begun = Instant::now();
    while visit.pixels(green).await? > plain + 500.0 {
        assert!(begun.elapsed() < PATIENCE, "the picture is still seen");
    }
    visit.end().await
}

/// One's own model in place of the strip, its nose picked on it.
#[tokio::test]
async fn a_model_is_bent_along_the_nose_that_is_picked_by_its_arrow() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.begin_from("Ribbon along a path").await?;
    visit.until("the seam", SEAM).await?;
    visit.choose_node("Ribbon").await?;
    visit.choose("takes up", "as long as it is").await?;
    visit.choose("what bends", "own model").await?;
    visit.kept().await?;
    let lacks = "return document.querySelector('.card .wrong')?.textContent.includes('No model is chosen')";
    visit.until("no model yet", lacks).await?;
    visit.give_file("file", &root().join("demo/swan-boat.glb")).await?;
    visit.until("it works", "return document.querySelector('.slip.error') == null").await?;
    visit.kept().await?;
    visit.click("Pick nose and top").await?;
    visit.until("six arrows", "return document.querySelectorAll('.model-arrow').length === 6").await?;
    visit.tap(visit.middle("button[aria-label=\"nose +z\"]").await?).await?;
    visit.until("four arrows", "return document.querySelectorAll('.model-arrow').length === 4").await?;
    visit.tap(visit.middle("button[aria-label=\"top +y\"]").await?).await?;
    visit.kept().await?;
    let bent = node(&visit.document().await?, "bend-along")?["params"].clone();
    assert_eq!((bent["nose"].as_str(), bent["top"].as_str()), (Some("+z"), Some("+y")));
    assert_eq!(bent["file"], "swan-boat.glb");
    visit
        .until(
            "what it is bent by",
            "return /\\d+ joints, off by at most/.test(document.querySelector('.card').textContent)",
        )
        .await?;
    visit.end().await
}

/// A word that is typed rides round, letter by letter, upright, and is the same again after a lap.
#[tokio::test]
async fn a_word_rides_a_circle_upright_letter_by_letter() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    visit.add_node("Figure").await?;
    visit.fill("radius", "3").await?;
    visit.kept().await?;
    visit.add_node("text on a path").await?;
    visit.fill("text", "Lake").await?;
    visit.kept().await?;
    visit.add_node("Output").await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;
    let rows = baked(&visit).await?;
    let middle = node(&visit.document().await?, "figure")?["params"]["at"].clone();
    let middle: [f64; 3] = serde_json::from_value(middle).unwrap_or([0.0; 3]);
    for frame in [0, 20, 40] {
        let letters = at(&rows, frame);
        assert_eq!(letters.len(), 4);
        assert!(letters.iter().all(|row| (apart(row.place, middle) - 3.0).abs() < 1e-6), "{letters:?}");
        assert!(letters.iter().any(|row| row.turn != [0.0, 0.0, 0.0, 1.0]), "they turn with it");
    }
    visit.choose_node("Letters").await?;
    visit.choose("stand", "not turned").await?;
    visit.kept().await?;
    let rows = baked(&visit).await?;
    assert!(rows.iter().all(|row| row.turn == [0.0, 0.0, 0.0, 1.0]));
    visit.until("still closed", "return document.querySelector('.badge.closed') != null").await?;

    // Half as far again apart they take up half as much more of the path.
    let spread = |rows: &[Row]| {
        let letters = at(rows, 0);
        apart(letters[0].place, letters[3].place)
    };
    let before = spread(&rows);
    visit.fill("spread", "1.5").await?;
    visit.kept().await?;
    let after = spread(&baked(&visit).await?);
    assert!(after > 1.3 * before && after < 1.5 * before, "{before} {after}");
    visit.end().await
}

/// How far corners of the dented thing of an Output are moved at a frame, as the page has it.
async fn dents(visit: &Visit, output: &str, frame: i64) -> Result<Vec<f64>> {
    let numbers = visit.js(&format!("return window.zickzack.form('{output}', 0, {frame})")).await?;
    serde_json::from_value(numbers).context("a form")
}

/// Balls that wind round a ring press into it as deep as they are told, leave something behind, and all of it closes.
#[tokio::test]
async fn balls_wind_round_a_ring_and_dent_it_over_the_seam() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    visit.add_node("Torus winding").await?;
    visit.add_node("Ride").await?;
    visit.fill("riders", "6").await?;
    visit.fill("laps per loop", "1/3").await?;
    visit.kept().await?;
    visit.add_node("ripple").await?;
    visit
        .until(
            "a sentence",
            "return document.querySelector('.card .wrong')?.textContent.includes('Dent needs a surface')",
        )
        .await?;
    let dent = visit.node("Dent").await?;
    visit.add_node("Output").await?;
    let output = visit.node("Output").await?;
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.add_node("inflated ring").await?;
    let torus = visit.node("Torus").await?;
    thread(&visit, &torus, &dent, "surface").await?;
    visit.until("it works", "return document.querySelector('.slip.error') == null").await?;
    visit.kept().await?;
    visit.until("a closed loop", "return document.querySelector('.badge.closed') != null").await?;

    // As deep as it is told, wherever a ball is, and nothing elsewhere; after the loop as before it.
    visit.choose_node("Dent").await?;
    visit.fill("depth", "0.2").await?;
    visit.fill("recovers in", "0").await?;
    visit.kept().await?;
    let frames = visit.document().await?["frames"].as_i64().context("frames")?;
    let whole = format!("return window.zickzack.form('{output}', 0, {frames}) != null");
    visit.until("all frames", &whole).await?;
    let touched = |dents: &[f64]| dents.iter().filter(|moved| **moved != 0.0).count();
    let (start, end) = (dents(&visit, &output, 0).await?, dents(&visit, &output, frames).await?);
    assert!(start.iter().all(|moved| (-0.2 - 1e-6..=0.0).contains(moved)));
    assert!(start.iter().copied().fold(0.0, f64::min) < -0.18);
    assert!(touched(&start) < start.len() / 3, "{} of {}", touched(&start), start.len());
    let apart = start.iter().zip(&end).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    assert!(apart < 1e-6, "{apart}");

    // What comes back slowly is left behind, over the seam too.
    visit.fill("recovers in", "20").await?;
    visit.kept().await?;
    visit.until("all frames", &whole).await?;
    let behind = dents(&visit, &output, 0).await?;
    assert!(touched(&behind) > touched(&start) * 3 / 2, "{} of {}", touched(&behind), touched(&start));
    visit.until("still closed", "return document.querySelector('.badge.closed') != null").await?;
    visit.choose("things", "raise").await?;
    visit.kept().await?;
    visit.until("all frames", &whole).await?;
    let raised = dents(&visit, &output, 0).await?;
    assert!(raised.iter().all(|moved| *moved >= 0.0));
    let rows = baked(&visit).await?;
    assert!(rows.iter().all(|row| row.thing == 0 && row.place == [0.0; 3]), "the ring itself stays where it is");
    visit.end().await
}

/// How far the ends of stilts slip at most while they are on the ground, from what the page draws and where the command line has the
/// walker; and for how many frames some stand.
async fn stilts_slip(visit: &Visit, output: &str) -> Result<(f64, usize)> {
    /// Where the end of each stilt is in the recording at rest, centimetres, and the bone that it hangs on.
    const TIPS: [(usize, [f64; 3]); 2] = [(13, [9.0, -142.0, 0.0]), (17, [-9.0, -142.0, 0.0])];
    let (mut most, mut stands) = (0.0, 0);
    let mut began = [None::<[f64; 3]>; 2];
    for row in baked(visit).await?.iter().filter(|row| row.thing == 0) {
        let form = visit.js(&format!("return window.zickzack.form('{output}', 0, {})", row.frame)).await?;
        let bones: Vec<f64> = serde_json::from_value(form).context("bones")?;
        for ((bone, rest), began) in TIPS.iter().zip(&mut began) {
            let matrix = bones.get(12 * bone..12 * (bone + 1)).context("a bone")?;
            let own: [f64; 3] = std::array::from_fn(|i| {
                (0..3).map(|axis| matrix[4 * i + axis] * rest[axis]).sum::<f64>() + matrix[4 * i + 3]
            });
            if own[1] > 0.0005 {
                *began = None;
                continue;
            }
            stands += 1;
            let [x, y, z, w] = row.turn;
            // The walker stands upright: it is turned about y alone.
            assert!(x.abs() < 1e-9 && z.abs() < 1e-9);
            let (sine, cosine) = (2.0 * y * w, 1.0 - 2.0 * y * y);
            let turned = [cosine * own[0] + sine * own[2], own[1], cosine * own[2] - sine * own[0]];
            let place: [f64; 3] = std::array::from_fn(|i| row.place[i] + turned[i]);
            most = apart(*began.get_or_insert(place), place).max(most);
        }
    }
    Ok((most, stands))
}

/// A recording is brought in and walked by along a path that is drawn; what slips is told, and held.
#[tokio::test]
async fn a_recording_is_walked_by_along_a_drawn_arc_and_its_feet_are_held() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    new_scene(&visit).await?;
    let (x, y) = visit.middle(".view-body canvas").await?;
    visit.js("document.querySelector('.view-body').focus()").await?;
    visit.keys("p", &[]).await?;
    for (dx, dy) in [(-130.0, 60.0), (-60.0, 110.0), (40.0, 110.0), (110.0, 60.0)] {
        visit.tap((x + dx, y + dy)).await?;
        visit.kept().await?;
    }
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.add_node("Ride").await?;
    visit.add_node("mocap").await?;
    let nothing = "return document.querySelector('.card .warned')?.textContent.includes('Nothing is walked by yet')";
    visit.until("nothing yet", nothing).await?;
    visit.give_file("file", &root().join("demo/stilt-walker.bvh")).await?;
    let told = |what: &str| format!("return document.querySelector('.card')?.textContent.includes({})", json!(what));
    visit.until("what a foot slips", &told("foot 2 slips by at most 0.0 mm")).await?;
    visit.kept().await?;
    visit.add_node("Output").await?;
    visit.kept().await?;
    let output = visit.node("Output").await?;
    let frames = visit.document().await?["frames"].as_i64().context("frames")?;
    let whole = format!("return window.zickzack?.form('{output}', 0, {frames}) != null");
    visit.until("all frames", &whole).await?;
    let (held, stands) = stilts_slip(&visit, &output).await?;
    assert!(held < 0.003 && stands as i64 > frames / 3, "{held} m, {stands} frames");

    // As recorded it slips where the path bends.
    visit.choose_node("Walk").await?;
    visit.press("input[aria-label=\"hold feet\"]").await?;
    visit.until("that they are not held", &told("% of a cycle")).await?;
    visit.kept().await?;
    assert_eq!(node(&visit.document().await?, "walk")?["params"]["holds"], json!(false));
    visit.until("all frames", &whole).await?;
    let (free, _) = stilts_slip(&visit, &output).await?;
    assert!(free > 0.005, "{free}");

    // The end of what is repeated is pulled elsewhere, over how far it is from its start, and told to be off it.
    visit.js("document.querySelector('.recorded').scrollIntoView()").await?;
    let end = visit.middle("[aria-label=\"end of the cycle\"]").await?;
    visit.drag(end, (-30.0, 0.0)).await?;
    visit.kept().await?;
    visit.until("that it does not fit", &told("it is off its start")).await?;
    let walk = node(&visit.document().await?, "walk")?["params"].clone();
    assert_eq!(walk["cycle"], json!("given"));
    let (from, to) = (walk["from"].as_f64().context("from")?, walk["to"].as_f64().context("to")?);
    assert!((0.03..0.04).contains(&from) && (0.5..1.0).contains(&to), "{from} {to}");
    visit.end().await
}
