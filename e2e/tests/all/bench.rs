//! The work of a first day, through the real interface: pointer, keys, files.

use anyhow::{Context, Result};
use fantoccini::Locator;
use fantoccini::key::Key;
use glam::{DQuat, DVec3};
use serde_json::Value;
use zickzack_e2e::{Visit, root};

async fn open(visit: &Visit, scene: &str) -> Result<()> {
    visit.client.goto(&visit.base).await?;
    visit.click(scene).await?;
    visit.until("the seam", "return document.querySelector('.badge') != null").await?;
    Ok(())
}

/// The seam was measured, and the loop closes.
const CLOSES: &str = "return document.querySelector('.seam-knot')?.dataset.closes === 'true'";

/// Those of groups that are shut are drawn once.
const SIX_THREADS: &str = "return document.querySelectorAll('.react-flow__edge-path').length === 6";

/// How many edits the server has kept.
async fn edits(visit: &Visit) -> Result<i64> {
    let told = visit.js("return document.querySelector('.save-state').textContent").await?;
    let told = told.as_str().context("a save state")?;
    told.rsplit(' ').next().and_then(|n| n.parse().ok()).with_context(|| format!("no number in \"{told}\""))
}

/// What the command line prints for a demo scene is what the View shows.
async fn compare_with_command_line(visit: &Visit, scene: &str, output: &str) -> Result<()> {
    let baked = std::process::Command::new(root().join("target/debug/zickzack"))
        .arg("bake")
        .arg(root().join("demo").join(scene))
        .args(["--to", "-"])
        .output()?;
    assert!(baked.status.success(), "{}", String::from_utf8_lossy(&baked.stderr));
    let table = String::from_utf8(baked.stdout)?;
    let document = document(visit).await?;
    let first = document["first_frame"].as_i64().unwrap_or(0);
    let name = document["nodes"][output]["name"].as_str().context("a name")?.to_owned();
    let mut shown = Vec::new();
    for frame in [0, 1, 17, 50, 95] {
        shown.push((frame, 0, visit.pose(output, 0, frame).await?));
    }
    compare_csv(&table, &name, first, &shown)
}

async fn undo_everything(visit: &Visit) -> Result<usize> {
    let mut undone = 0;
    loop {
        visit.kept().await?;
        let enabled = visit.js("return !Array.from(document.querySelectorAll('.bar button')).find((b) => b.textContent === 'Undo').disabled").await?;
        if enabled != true {
            return Ok(undone);
        }
        let before = visit.js("return document.querySelector('.save-state').textContent").await?;
        visit.find("[aria-label=\"Playhead\"]").await?;
        visit.js("document.querySelector('.panel.view').focus()").await?;
        visit.keys("z", &[Key::Control]).await?;
        let changed = format!("return document.querySelector('.save-state').textContent !== {before}");
        visit.until("an undo", &changed).await?;
        undone += 1;
    }
}

async fn document(visit: &Visit) -> Result<Value> {
    let script = "const [done] = [arguments[0]]; fetch(location.pathname.replace('/bench/', '/api/scenes/') + '/file').then((r) => r.json()).then(done)";
    Ok(visit.client.execute_async(script, vec![]).await?)
}

#[tokio::test]
async fn a_lantern_is_moved_by_a_point_and_the_loop_is_closed_by_an_offer() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Lantern round").await?;
    let before = document(&visit).await?;
    let output = visit.node("Round").await?;
    let poses = visit.pose(&output, 3, 20).await?;
    visit.until("the demo closes", CLOSES).await?;
    compare_with_command_line(&visit, "lantern-round.json", &output).await?;
    visit.until("six threads", SIX_THREADS).await?;

    let point = visit.middle("button[aria-label^=\"Point 4 of Promenade\"]").await?;
    visit.drag(point, (60.0, 25.0)).await?;
    visit.kept().await?;
    let moved = format!(
        "const p = window.zickzack.pose('{output}', 3, 20); return p && Math.hypot(p[0] - {}, p[2] - {}) > 0.001",
        poses[0], poses[2]
    );
    visit.until("other poses", &moved).await?;

    visit.choose_node("Lanterns").await?;
    let edits = edits(&visit).await?;
    visit.fill("laps per loop", "1.3").await?;
    visit.kept().await?;
    assert_eq!(self::edits(&visit).await?, edits + 1, "what is typed is one edit");
    visit.until("an open dial", "return document.querySelector('.seam-knot').dataset.closes === 'false'").await?;
    let gap = visit.find(".seam-knot").await?.text().await?;
    let metres: f64 = gap.trim().strip_suffix(" m").context(format!("\"{gap}\" is not in metres"))?.parse()?;
    assert!(metres > 0.05 && metres < 3.0, "{metres}");

    visit.press(".seam-knot").await?;
    visit.click("laps 1.3 → 9/7 (7 riders trade places)").await?;
    visit.until("a knot", "return document.querySelector('.seam-knot').dataset.closes === 'true'").await?;

    assert!(undo_everything(&visit).await? >= 3);
    assert_eq!(document(&visit).await?, before, "everything is as it was");
    visit.client.refresh().await?;
    let again = visit.pose(&output, 3, 20).await?;
    assert_eq!(again, poses, "and is found so after a reload");
    visit.end().await
}

#[tokio::test]
async fn switching_a_side_off_takes_its_contact_away() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Puck on the boards").await?;
    compare_with_command_line(&visit, "puck-on-the-boards.json", &visit.node("Puck").await?).await?;
    let contacts =
        "return Array.from(document.querySelectorAll('.dial .nick title')).map((t) => t.textContent).join('; ')";
    let both =
        format!("const told = (() => {{ {contacts} }})(); return told.includes('right') && told.includes('top')");
    visit.until("contacts at both sides", &both).await?;
    visit.choose_node("Flick").await?;
    visit.press("input[aria-label=\"right\"]").await?;
    let gone = format!("{}.includes('right') ? null : true", contacts.replacen("return ", "return (", 1) + ")");
    visit.until("no contact at the right", &gone).await?;
    let tip = visit.middle("button[aria-label^=\"Tip of Flick\"]").await?;
    visit.drag(tip, (0.0, 60.0)).await?;
    visit.kept().await?;
    let velocity = document(&visit).await?["nodes"]["throw"]["params"]["velocity"][1].clone();
    assert!(velocity.as_f64().is_some_and(|v| v < 2.0), "the tip was pulled down: {velocity}");
    visit.end().await
}

#[tokio::test]
async fn a_scene_is_built_from_nothing_and_handed_off() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    visit.click("New scene").await?;
    visit.click("Guided start").await?;
    visit.until("an empty bench", "return document.querySelector('.view-empty') != null").await?;
    // As the guided start leads, step by step.
    let leads = |title: &str| format!("return document.querySelector('.guide h3')?.textContent === '{title}'");
    visit.until("the first step", &leads("Draw a path")).await?;
    let (x, y) = visit.middle(".view-body canvas").await?;
    visit.keys("p", &[]).await?;
    for (dx, dy) in [(-150.0, 60.0), (40.0, 130.0), (180.0, 30.0), (60.0, -50.0)] {
        visit.tap((x + dx, y + dy)).await?;
        visit.kept().await?;
    }
    visit.keys("c", &[]).await?;
    visit.until("a closed path", "return document.querySelector('.path-name') != null").await?;
    for (name, title) in
        [("ride", "Put something on it"), ("face travel", "Let it look ahead"), ("output", "Hand it off")]
    {
        visit.until("the next step", &leads(title)).await?;
        visit.keys("n", &[]).await?;
        visit.find("input[aria-label=\"Node to add\"]").await?;
        visit.keys(name, &[]).await?;
        visit.keys(&char::from(Key::Enter).to_string(), &[]).await?;
        visit.kept().await?;
    }
    let output = visit.node("Output").await?;
    visit.until("the last step", &leads("Make them many")).await?;
    visit.choose_node("Ride").await?;
    visit.fill("riders", "2 + 1").await?;
    visit.until("that it loops", &leads("Press Space")).await?;
    visit.keys(" ", &[]).await?;
    visit.until("it plays", "return window.zickzack.frame() > 2").await?;
    visit.keys(" ", &[]).await?;
    visit.until("a knot", "return document.querySelector('.seam-knot.closed') != null").await?;
    visit.until("three things", &format!("return window.zickzack.pose('{output}', 2, 0)")).await?;
    let mut shown = Vec::new();
    for frame in [0, 7, 60, 119] {
        for object in 0..3 {
            shown.push((frame, object, visit.pose(&output, object, frame).await?));
        }
    }

    visit.click("Hand-off").await?;
    visit.until("key counts", "return document.querySelector('[data-testid=keys-after]')").await?;
    visit.click("Write file").await?;
    // The tolerance of reduced keys is 1 mm for each coordinate, 1 mm at a metre for the turn.
    compare_glb(&visit.download("glb").await?, &shown, 1.8e-3)?;
    visit.choose("keys", "every step").await?;
    visit.click("Write file").await?;
    compare_glb(&visit.download("glb").await?, &shown, WIRE)?;
    visit.choose("form", "USD, as text").await?;
    visit.click("Write file").await?;
    compare_usd(&String::from_utf8(visit.download("usda").await?)?, &shown)?;
    visit.choose("form", "USD, packed").await?;
    visit.click("Write file").await?;
    let package = visit.download("usdz").await?;
    anyhow::ensure!(package.starts_with(b"PK") && package.windows(9).any(|part| part == b"#usda 1.0"), "a stage in it");
    visit.choose("form", "CSV, every step").await?;
    visit.click("Write file").await?;
    compare_csv(&String::from_utf8(visit.download("csv").await?)?, "Output", 0, &shown)?;

    visit.click("◂ Bench").await?;
    visit.until("the bench again", "return document.querySelector('.badge') != null").await?;
    undo_everything(&visit).await?;
    visit.until("nothing left", "return document.querySelectorAll('.slip').length === 0").await?;
    visit.client.refresh().await?;
    visit.until("still nothing", "return document.querySelector('.view-empty') != null").await?;
    visit.end().await
}

/// The View shows single precision: 1e-5 m of some metres.
const WIRE: f64 = 1e-5;

/// A key at every frame, as it stands in the text.
fn compare_usd(stage: &str, shown: &[(usize, usize, Vec<f64>)]) -> Result<()> {
    for (frame, object, pose) in shown {
        let thing = stage.split(&format!("def Xform \"Output_{}\"", object + 1)).nth(1).context("the thing")?;
        let places = thing.split("xformOp:translate.timeSamples = {").nth(1).context("its places")?;
        let begins = format!("{frame}: (");
        let place = places.lines().find_map(|line| line.trim().strip_prefix(&begins)).context("a place")?;
        let numbers = place.split(')').next().unwrap_or_default().split(", ").map(str::parse);
        for (a, b) in numbers.collect::<Result<Vec<f64>, _>>()?.iter().zip(pose) {
            assert!((a - b).abs() <= WIRE, "frame {frame}, thing {object}: {a} in the stage, {b} in the View");
        }
    }
    Ok(())
}

fn compare_csv(table: &str, name: &str, first: i64, shown: &[(usize, usize, Vec<f64>)]) -> Result<()> {
    for (frame, object, pose) in shown {
        let begins = format!("{},{name},{object},", *frame as i64 + first);
        let row = table.lines().find(|line| line.starts_with(&begins)).context("a row")?;
        let numbers: Vec<f64> = row.split(',').skip(4).take(7).map(str::parse).collect::<Result<_, _>>()?;
        for (a, b) in numbers.iter().zip(pose) {
            assert!((a - b).abs() <= WIRE, "frame {frame}, thing {object}: {a} in the table, {b} in the View");
        }
    }
    Ok(())
}

/// By the rules of glTF 2.0 for cubic splines and straight interpolation.
fn compare_glb(bytes: &[u8], shown: &[(usize, usize, Vec<f64>)], tolerance: f64) -> Result<()> {
    use gltf::animation::Interpolation;
    use gltf::animation::util::ReadOutputs;
    let file = gltf::Gltf::from_slice(bytes)?;
    for (frame, object, pose) in shown {
        let time = *frame as f32 / 24.0;
        let animation = file.animations().next().context("an animation")?;
        let mut seen = 0;
        for channel in animation.channels().filter(|channel| channel.target().node().index() == *object) {
            let reader = channel.reader(|_| file.blob.as_deref());
            let times: Vec<f32> = reader.read_inputs().context("times")?.collect();
            let values: Vec<Vec<f64>> = match reader.read_outputs().context("values")? {
                ReadOutputs::Translations(all) | ReadOutputs::Scales(all) => {
                    all.map(|v| v.map(f64::from).to_vec()).collect()
                }
                ReadOutputs::Rotations(all) => all.into_f32().map(|v| v.map(f64::from).to_vec()).collect(),
                ReadOutputs::MorphTargetWeights(_) => continue,
            };
            let cubic = channel.sampler().interpolation() == Interpolation::CubicSpline;
            let value = value_at(&times, &values, time, cubic);
            if value.len() == 3 {
                let off = DVec3::from_slice(&value).distance(DVec3::from_slice(pose));
                assert!(off <= tolerance, "frame {frame}, thing {object}: off by {off} m");
            } else {
                let (a, b) = (DQuat::from_slice(&value).normalize(), DQuat::from_slice(&pose[3..7]).normalize());
                let off = (a - b * a.dot(b).signum()).length();
                assert!(off <= tolerance, "frame {frame}, thing {object}: {a} {b}");
            }
            seen += 1;
        }
        assert_eq!(seen, 2, "position and orientation are there");
    }
    Ok(())
}

fn value_at(times: &[f32], values: &[Vec<f64>], time: f32, cubic: bool) -> Vec<f64> {
    let after = times.partition_point(|&t| t <= time).clamp(1, times.len() - 1);
    let d = f64::from(times[after] - times[after - 1]);
    let x = f64::from(time - times[after - 1]) / d;
    if !cubic {
        return values[after - 1].iter().zip(&values[after]).map(|(a, b)| a + x * (b - a)).collect();
    }
    let (a, out) = (&values[3 * after - 2], &values[3 * after - 1]);
    let (into, b) = (&values[3 * after], &values[3 * after + 1]);
    (0..a.len())
        .map(|i| {
            let h = 2.0 * x * x * x - 3.0 * x * x;
            (h + 1.0) * a[i] - h * b[i] + d * ((x * x * x - 2.0 * x * x + x) * out[i] + (x * x * x - x * x) * into[i])
        })
        .collect()
}

#[tokio::test]
async fn wrong_numbers_are_refused_at_their_place_and_nothing_is_lost() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Lantern round").await?;
    visit.choose_node("Lanterns").await?;
    for (label, text, words) in [
        ("riders", "0", "Choose from 1"),
        ("riders", "two", "missing before"),
        ("start", "1/0", "finite"),
        ("laps per loop", "x", "missing"),
    ] {
        visit.fill(label, text).await?;
        let told = visit.find(".field-wrong").await?.text().await?;
        assert!(told.contains(words), "{label} {text}: {told}");
        visit
            .fill(
                label,
                if label == "riders" {
                    "7"
                } else if label == "start" {
                    "0.12"
                } else {
                    "9/7"
                },
            )
            .await?;
    }
    visit.fill("riders", "1000000").await?;
    visit.until("the node says so", "return document.querySelector('.slip.error') && document.querySelector('.card .wrong')?.textContent.includes('million')").await?;
    visit.client.refresh().await?;
    visit.until("it is still there", "return document.querySelector('.slip.error') != null").await?;
    let message = visit.client.wait().for_element(Locator::Css(".slip[data-name=\"Lanterns\"].error")).await;
    assert!(message.is_ok());
    visit.end().await
}

#[tokio::test]
async fn letters_work_wherever_no_text_is_edited_and_in_an_open_menu_they_choose() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    open(&visit, "Lantern round").await?;
    // As a scene comes, before anything was clicked.
    visit.js("document.activeElement?.blur()").await?;
    visit.keys("n", &[]).await?;
    visit.find("input[aria-label=\"Node to add\"]").await?;
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.until("it is put away", "return document.querySelector('.add-node') === null").await?;
    visit.js("document.querySelector('[data-area=dial]').focus()").await?;
    visit.keys("p", &[]).await?;
    visit.until("a path is begun", "return document.querySelector('.view-body.drawing') !== null").await?;
    visit.keys("p", &[]).await?;
    visit.until("and ended", "return document.querySelector('.view-body.drawing') === null").await?;
    // A letter in an open menu keeps no version.
    visit.choose_node("Lanterns").await?;
    visit.press("[role=combobox][aria-label=\"spacing\"]").await?;
    visit.until("a list", "return document.querySelector('[role=listbox]') !== null").await?;
    visit.keys("v", &[]).await?;
    visit.keys("n", &[]).await?;
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.until("no list", "return document.querySelector('[role=listbox]') === null").await?;
    let nothing = "return document.querySelector('input[aria-label=\"Name of the version\"]') === null && document.querySelector('.add-node') === null";
    assert_eq!(visit.js(nothing).await?, true);
    visit.end().await
}

/// Whatever is drawn while a scene opens is drawn as it stays: no row of the Traces is laid for another height first.
#[tokio::test]
async fn traces_are_laid_before_they_are_seen_and_find_takes_what_is_marked_whatever_the_pointer_rests_on() -> Result<()>
{
    let visit = Visit::start(1280, 800).await?;
    // After every change of the page, before it is painted.
    let watch = "window.heights = {}; const look = () => { const rows = document.querySelectorAll('.trace-label'); if (rows.length > 0) (window.heights[rows.length] ??= new Set()).add(Math.round(rows[0].getBoundingClientRect().height)); }; new MutationObserver(look).observe(document.body, { childList: true, subtree: true, attributes: true })";
    visit.js(watch).await?;
    visit.click("Lantern round").await?;
    visit.until("traces", "return document.querySelector('.trace-label') != null").await?;
    visit.rests("the traces", "return document.querySelectorAll('.trace-label').length").await?;
    let heights =
        visit.js("return Object.entries(window.heights).map(([rows, seen]) => [Number(rows), ...seen])").await?;
    let heights = heights.as_array().context("rows were watched")?;
    assert!(!heights.is_empty(), "rows were watched");
    for seen in heights {
        assert_eq!(seen.as_array().map(Vec::len), Some(2), "so many rows had several heights, px: {seen}");
    }

    visit.keys("f", &[Key::Control]).await?;
    let at = visit.middle("#find-option-1").await?;
    visit.keys(&char::from(Key::Escape).to_string(), &[]).await?;
    visit.until("no list", "return document.querySelector('#find-listbox') === null").await?;
    visit.hover(at).await?;
    visit.keys("f", &[Key::Control]).await?;
    visit.find("#find-listbox").await?;
    visit.keys("lanterns · ", &[]).await?;
    visit
        .until(
            "the first is marked",
            "return document.querySelector('#find')?.getAttribute('aria-activedescendant') === 'find-option-0'",
        )
        .await?;
    let first = visit.rests("the first", "return document.querySelector('#find-option-0 strong')?.textContent").await?;
    let label = first.as_str().and_then(|name| name.split(" · ").nth(1)).context("a number")?.to_owned();
    visit.keys(&char::from(Key::Enter).to_string(), &[]).await?;
    let focused =
        format!("return document.activeElement?.getAttribute('aria-label')?.startsWith({})", Value::from(label));
    visit.until("its field has the focus", &focused).await?;
    visit.end().await
}
