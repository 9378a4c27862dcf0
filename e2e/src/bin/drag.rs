//! Speed check of the interface: what a drag of a number, of a path point, of a throw's tip and of the Dial costs in
//! the demo scenes, and with 1,000 things over 240 frames. Computing and sending, decoding, the page's longest task
//! and drawing are told apart, since drawing by software is slow where there is no graphics hardware.

use anyhow::{Context, Result};
use serde_json::Value;
use zickzack_e2e::{Visit, loads};

const WATCH: &str = "window.longTasks = []; new PerformanceObserver((list) => { for (const entry of list.getEntries()) window.longTasks.push(entry.duration); }).observe({ entryTypes: ['longtask'] }); window.zickzack.beginMeasuring();";

/// Middle, 95th percentile and largest, as text in milliseconds.
fn told(mut times: Vec<f64>) -> String {
    if times.is_empty() {
        return "nothing measured".to_owned();
    }
    times.sort_by(f64::total_cmp);
    let at = |share: f64| times[((times.len() - 1) as f64 * share).round() as usize];
    format!("{:6.1} {:6.1} {:6.1} ms  ({} times)", at(0.5), at(0.95), at(1.0), times.len())
}

async fn measure(visit: &Visit, what: &str, from: (f64, f64), by: (f64, f64)) -> Result<()> {
    visit.js(WATCH).await?;
    visit.drag(from, by).await?;
    visit.kept().await?;
    let happened = visit.js("return window.zickzack.endMeasuring()").await?;
    let tasks = visit.js("return window.longTasks").await?;
    let list = happened.as_array().context("what happened")?;
    let named = |name: &'static str| list.iter().filter(move |entry| entry["name"] == name);
    let number = |entry: &Value, field: &str| entry[field].as_f64().unwrap_or_default();
    let took = |name| named(name).map(|entry| number(entry, "took")).collect::<Vec<f64>>();
    let answers = named("decoded").filter(|entry| entry["preview"] != 0).filter_map(|decoded| {
        let sent = named("sent").find(|sent| sent["preview"] == decoded["preview"])?;
        Some(number(decoded, "at") - number(sent, "at"))
    });
    // Until the first block of a preview: the one that holds the frame on screen.
    let first = named("sent").filter(|sent| sent["preview"] != 0).filter_map(|sent| {
        let decoded = named("decoded").find(|decoded| decoded["preview"] == sent["preview"])?;
        Some(number(decoded, "at") - number(sent, "at"))
    });
    let longest = tasks.as_array().into_iter().flatten().filter_map(Value::as_f64).fold(0.0, f64::max);
    println!("{what}");
    println!("  change → frame on screen    {}", told(first.collect()));
    println!("  change → any block decoded  {}", told(answers.collect()));
    println!("  of which decoding           {}", told(took("decoded")));
    println!("  a picture                   {}", told(took("picture")));
    println!("  longest task of the page    {longest:6.1} ms");
    Ok(())
}

async fn open(visit: &Visit, scene: &str, node: &str) -> Result<()> {
    visit.client.goto(&visit.base).await?;
    visit.click(scene).await?;
    visit.until("a seam", "return document.querySelector('.badge') != null").await?;
    visit.choose_node(node).await
}

/// A starter with 1,000 things over 240 frames, without what would only be drawn.
async fn crowd(visit: &Visit) -> Result<()> {
    visit.begin_from("One path, many riders").await?;
    visit.tap((30.0, 560.0)).await?;
    visit.fill("loop length", "240").await?;
    visit.choose_node("Lanterns").await?;
    visit.choose("thing", "arrow").await?;
    visit.fill("size", "0.05").await?;
    visit.choose_node("Twelve").await?;
    visit.fill("riders", "1000").await?;
    visit.kept().await?;
    visit.until("a band", "return document.querySelectorAll('.dial .band line').length > 0").await?;
    Ok(())
}

/// The middle of something in the Card, scrolled to where it is seen.
async fn in_sight(visit: &Visit, css: &str) -> Result<(f64, f64)> {
    visit.find(css).await?;
    visit.js(&format!("document.querySelector('{css}').scrollIntoView({{ block: 'center' }})")).await?;
    visit.middle(css).await
}

/// Puts a Meander between the path and what rides it.
async fn reshape(visit: &Visit) -> Result<()> {
    visit.choose_node("Jetty walk").await?;
    visit.add_node("meander").await?;
    tokio::time::sleep(std::time::Duration::from_millis(2500)).await;
    let meander = visit.node("Meander").await?;
    let from = visit.middle(&format!(".react-flow__node[data-id=\"{meander}\"] .react-flow__handle.source")).await?;
    let to = visit.middle(".react-flow__node[data-id=\"ride\"] .react-flow__handle.target").await?;
    visit.drag(from, (to.0 - from.0, to.1 - from.1)).await?;
    let fed =
        "return [...document.querySelectorAll('.card .use')].some((e) => e.textContent.includes('used by Twelve'))";
    visit.until("riders on the reshaped path", fed).await?;
    visit.kept().await?;
    visit.choose_node("Jetty walk").await
}

/// A model of 50,000 corners that swims along a path.
async fn bend(visit: &Visit) -> Result<()> {
    let id = visit.bring_in(&loads::bent()).await?;
    visit.client.goto(&format!("{}/bench/{id}", visit.base)).await?;
    visit.choose_node("Eel").await?;
    let file = visit.downloads.join("eel.glb");
    std::fs::write(&file, loads::eel(250, 200))?;
    visit.give_file("file", &file).await?;
    visit.until("a seam", "return document.querySelector('.badge') != null").await?;
    visit.kept().await?;
    visit.choose_node("Way").await
}

#[tokio::main]
async fn main() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    println!("                                middle    95 %   most");
    open(&visit, "Lantern round", "Lanterns").await?;
    let start = in_sight(&visit, "input[aria-label=\"start\"]").await?;
    measure(&visit, "Lantern round, a number", start, (80.0, 0.0)).await?;
    let point = visit.middle("button[aria-label^=\"Point 4 of Promenade\"]").await?;
    measure(&visit, "Lantern round, a path point", point, (70.0, 30.0)).await?;
    let tick = visit.middle("[aria-label=\"Phase of Round 3\"] .tick-mark").await?;
    measure(&visit, "Lantern round, a tick of the Dial", tick, (-20.0, 20.0)).await?;
    open(&visit, "Puck on the boards", "Flick").await?;
    let bounce = visit.middle("input[aria-label=\"bounciness\"]").await?;
    measure(&visit, "Puck on the boards, a number", bounce, (-30.0, 0.0)).await?;
    let tip = visit.middle("button[aria-label^=\"Tip of Flick\"]").await?;
    measure(&visit, "Puck on the boards, the throw's tip", tip, (40.0, 50.0)).await?;
    crowd(&visit).await?;
    let start = in_sight(&visit, "input[aria-label=\"start\"]").await?;
    measure(&visit, "1,000 things × 240 frames, a number", start, (80.0, 0.0)).await?;
    let point = visit.middle("button[aria-label^=\"Point 4 of Jetty\"]").await?;
    measure(&visit, "1,000 things × 240 frames, a path point", point, (50.0, 30.0)).await?;
    let (x, y) = visit.middle(".dial .band").await?;
    measure(&visit, "1,000 things × 240 frames, the band of the Dial", (x + 70.0, y), (-10.0, 40.0)).await?;
    visit.choose_node("Twelve").await?;
    visit.choose("pace given as", "progress").await?;
    visit.give("progress", "Keys").await?;
    visit.press(".dial .bead").await?;
    visit.keys(&char::from(fantoccini::key::Key::Right).to_string().repeat(120), &[]).await?;
    visit.fill("progress", "1").await?;
    visit.kept().await?;
    let key = "const c = document.querySelector('.trace-canvas'); const b = c.getBoundingClientRect(); \
        const k = JSON.parse(c.dataset.keys)[1]; return k && [b.left + k.x * b.width, b.top + k.y]";
    let key = visit.until("a key", key).await?;
    let key = (key[0].as_f64().context("x")?, key[1].as_f64().context("y")?);
    measure(&visit, "1,000 things × 240 frames, a key in the Traces", key, (70.0, 12.0)).await?;
    visit.choose("pace given as", "laps per loop").await?;
    reshape(&visit).await?;
    let point = visit.middle("button[aria-label^=\"Point 4 of Jetty\"]").await?;
    measure(&visit, "1,000 things × 240 frames, a point of a reshaped path", point, (50.0, 30.0)).await?;
    bend(&visit).await?;
    let point = visit.middle("button[aria-label^=\"Point 2 of Way\"]").await?;
    measure(
        &visit,
        "a model of 50,000 corners × 240 frames, a point of the path it is bent along",
        point,
        (50.0, 30.0),
    )
    .await?;
    visit.end().await
}
