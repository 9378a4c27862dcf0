//! Many pages at many scenes for MINUTES, heavy scenes and such as double themselves among them, server and database
//! killed now and then: what is lost, what is shown otherwise than it is kept, and how long the others wait. Before that,
//! how long small edits of one large scene wait.

use anyhow::{Context, Result, anyhow, ensure};
use serde_json::{Value, json};
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::process::Command;
use std::rc::Rc;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use zickzack_e2e::asks::Asks;
use zickzack_e2e::live::{Heard, Live, Screen, baked};
use zickzack_e2e::loads::{change, heavy, large, usual};
use zickzack_e2e::{Cluster, Process, memory, serve};

/// Scenes of the usual kind, and pages at them where nothing is said.
const SCENES: usize = 20;
const PAGES: usize = 50;
/// Small edits of the large scene.
const SMALL_EDITS: i64 = 60;
/// How long a page stays until it comes anew.
const STAY: Duration = Duration::from_secs(20);
/// How long anything may take.
const PATIENCE: Duration = Duration::from_secs(120);
/// Between two kills.
const BETWEEN_KILLS: Duration = Duration::from_secs(40);

/// What happens.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Part {
    /// Not all pages are there yet: nothing is measured.
    Coming,
    Alone,
    AmongHeavy,
    Killed,
    End,
}

/// What a part of the time showed of the usual scenes.
#[derive(Default)]
struct Waits {
    edits: Vec<Duration>,
    firsts: Vec<Duration>,
}

struct Site {
    asks: Asks,
    part: Cell<Part>,
    waits: RefCell<BTreeMap<Part, Waits>>,
    /// By page: the edits that were acknowledged.
    kept: RefCell<BTreeMap<String, BTreeSet<i64>>>,
    wrong: RefCell<Vec<String>>,
}

impl Site {
    fn waited(&self, note: impl FnOnce(&mut Waits)) {
        note(self.waits.borrow_mut().entry(self.part.get()).or_default());
    }
}

/// How long small edits of a large scene take until they are kept, and until the page has seen what comes of them.
async fn at_large(asks: &Asks) -> Result<()> {
    let scene = large();
    let (megabytes, id) = (scene.to_string().len() as f64 / 1e6, asks.bring_in(&scene).await?);
    let came = Instant::now();
    let mut live = Live::open(&asks.base, &id, "large").await?;
    let (mut kept, mut seen) = (Vec::new(), Vec::new());
    let mut first = None;
    for sequence in 0..=SMALL_EDITS {
        let said = Instant::now();
        if sequence > 0 {
            say(&mut live, &Waiting { sequence, said, again: false }).await?;
        }
        while seen.len() <= sequence as usize {
            match live.heard(PATIENCE).await?.context("nothing comes")? {
                Heard::Said(told) if told["kind"] == "edited" => kept.push(said.elapsed()),
                Heard::Said(told) if told["kind"] == "ends" && told["revision"] == sequence => {
                    seen.push(said.elapsed())
                }
                Heard::Block(header, _) if header["kind"] == "poses" && first.is_none() => first = Some(came.elapsed()),
                _ => {}
            }
        }
    }
    seen.remove(0);
    println!(
        "a scene of {megabytes:.1} MB: first block after {:.0} ms; small edits kept after p50 {:.0} ms, p99 {:.0} ms, all of them seen after p50 {:.0} ms",
        first.unwrap_or_default().as_secs_f64() * 1e3,
        quantile(&mut kept, 0.5),
        quantile(&mut kept, 0.99),
        quantile(&mut seen, 0.5),
    );
    Ok(())
}

/// What a page has said and not heard of yet.
struct Waiting {
    sequence: i64,
    said: Instant,
    again: bool,
}

/// Comes, looks, edits, and goes, again and again; first after a while, so that not all pages come at once.
async fn page(site: Rc<Site>, scene: String, number: usize, later: Duration) {
    tokio::time::sleep(later).await;
    let client = format!("page {number}");
    let (mut sequence, mut waiting) = (0, None);
    while site.part.get() != Part::End {
        let stayed = stay(&site, &scene, &client, (&mut sequence, &mut waiting)).await;
        if stayed.is_err() {
            // The server may be gone just now.
            tokio::time::sleep(Duration::from_millis(300 + 7 * number as u64)).await;
        }
    }
    // What is left is brought in; then nobody changes anything any more.
    let begun = Instant::now();
    while let Err(why) = settled(&site, &scene, &client, &mut waiting).await {
        if begun.elapsed() > PATIENCE {
            site.wrong.borrow_mut().push(format!("{client}: {why:#}"));
            return;
        }
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
}

async fn say(live: &mut Live, waiting: &Waiting) -> Result<()> {
    live.say(
        &json!({ "kind": "edit", "sequence": waiting.sequence, "label": "steady", "ops": change(waiting.sequence) }),
    )
    .await
}

/// What a message says of the edit that waits.
async fn answered(
    site: &Site,
    live: &mut Live,
    client: &str,
    said: &Value,
    waiting: &mut Option<Waiting>,
) -> Result<()> {
    if said["kind"] == "held" {
        // A server was killed while it worked this scene out.
        live.say(&json!({ "kind": "work-out" })).await?;
    }
    let Some(own) = waiting.as_mut().filter(|own| said["sequence"] == own.sequence) else { return Ok(()) };
    if said["kind"] == "edited" && said["client"] == client {
        site.kept.borrow_mut().entry(client.to_owned()).or_default().insert(own.sequence);
        if !own.again {
            let waited = own.said.elapsed();
            site.waited(|waits| waits.edits.push(waited));
        }
        *waiting = None;
    } else if said["kind"] == "refused" {
        ensure!(said["later"] == true, "refused for good: {said}");
        own.again = true;
        tokio::time::sleep(Duration::from_millis(200)).await;
        say(live, own).await?;
    }
    Ok(())
}

async fn stay(
    site: &Site,
    scene: &str,
    client: &str,
    (sequence, waiting): (&mut i64, &mut Option<Waiting>),
) -> Result<()> {
    let (came, part) = (Instant::now(), site.part.get());
    let mut live = Live::open(&site.asks.base, scene, client).await?;
    if let Some(own) = waiting {
        own.again = true;
        say(&mut live, own).await?;
    }
    let (mut seen, mut next) = (false, Instant::now() + Duration::from_millis(100 + 13 * (client.len() as u64)));
    while came.elapsed() < STAY && site.part.get() != Part::End {
        if waiting.is_none() && Instant::now() >= next && seen {
            *sequence += 1;
            let own = waiting.insert(Waiting { sequence: *sequence, said: Instant::now(), again: false });
            say(&mut live, own).await?;
            next = Instant::now() + Duration::from_millis(700);
        }
        match live.heard(Duration::from_millis(50)).await? {
            Some(Heard::Said(said)) => answered(site, &mut live, client, &said, waiting).await?,
            Some(Heard::Block(header, _)) if header["kind"] == "poses" && !seen => {
                seen = true;
                if part == site.part.get() {
                    site.waited(|waits| waits.firsts.push(came.elapsed()));
                }
            }
            _ => {}
        }
    }
    Ok(())
}

/// Brings in the edit that waits, and compares what is shown then with what is kept.
async fn settled(site: &Site, scene: &str, client: &str, waiting: &mut Option<Waiting>) -> Result<()> {
    let mut live = Live::open(&site.asks.base, scene, client).await?;
    if let Some(own) = waiting {
        own.again = true;
        say(&mut live, own).await?;
    }
    let (mut screen, mut shown, begun) = (Screen::default(), None, Instant::now());
    // All pages come to rest at about the same time.
    while begun.elapsed() < PATIENCE {
        match live.heard(Duration::from_secs(5)).await? {
            Some(Heard::Said(said)) => {
                screen.hear(&said);
                if said["kind"] == "ends" {
                    shown = said["revision"].as_i64();
                }
                answered(site, &mut live, client, &said, waiting).await?;
            }
            Some(Heard::Block(header, numbers)) => screen.take((header, numbers.all())),
            None if waiting.is_some() || shown.is_none() => {}
            None => {
                let kept = site.asks.ask("GET", &format!("/api/scenes/{scene}/file"), None).await?;
                screen.shows(&baked(kept)).map_err(|why| anyhow!("{why}"))?;
                return Ok(());
            }
        }
    }
    anyhow::bail!("it never came to rest")
}

/// Looks at a heavy scene, changes it, asks for its picture and goes away, again and again.
async fn at_heavy(asks: Asks, scene: String, number: usize, going: Arc<AtomicBool>) {
    let (mut sequence, client) = (0, format!("heavy {number}"));
    let going = || going.load(Ordering::Relaxed);
    while going() {
        let looked = async {
            let mut live = Live::open(&asks.base, &scene, &client).await?;
            let came = Instant::now();
            while came.elapsed() < Duration::from_secs(8) && going() {
                sequence += 1;
                let ops = json!([{ "op": "put", "at": ["first_frame"], "value": sequence }]);
                live.say(&json!({ "kind": "edit", "sequence": sequence, "label": "heavy", "ops": ops })).await?;
                let until = Instant::now() + Duration::from_secs(2);
                while Instant::now() < until {
                    live.heard(Duration::from_millis(200)).await?;
                }
            }
            anyhow::Ok(())
        };
        let _ = looked.await;
        // Somebody who looks at the Pattern book and does not wait.
        let picture = format!("/api/scenes/{scene}/miniature");
        let _ = tokio::time::timeout(Duration::from_secs(1), asks.ask("GET", &picture, None)).await;
    }
}

/// All that happens at heavy scenes, apart from what is measured.
fn among_heavy(asks: Asks, scenes: Vec<String>, going: Arc<AtomicBool>) {
    actix_rt::System::new().block_on(async move {
        let all = scenes.into_iter().enumerate();
        let all = all.map(|(i, scene)| actix_rt::spawn(at_heavy(asks.clone(), scene, i, going.clone())));
        futures_util::future::join_all(all.collect::<Vec<_>>()).await;
    });
}

fn quantile(all: &mut [Duration], part: f64) -> f64 {
    all.sort_unstable();
    let at = ((all.len() as f64 * part) as usize).min(all.len().saturating_sub(1));
    all.get(at).map_or(f64::NAN, |waited| waited.as_secs_f64() * 1e3)
}

/// Edits of usual pages that were acknowledged and are not there, and such as are there twice.
fn lost_and_doubled(cluster: &Cluster, kept: &BTreeMap<String, BTreeSet<i64>>) -> Result<(usize, usize)> {
    let query = "SELECT client, sequence FROM edits WHERE client LIKE 'page %'";
    let output = Command::new("psql").args([&cluster.url(), "-q", "-A", "-t", "-F", "\t", "-c", query]).output()?;
    ensure!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let mut there: BTreeMap<(String, i64), usize> = BTreeMap::new();
    for line in String::from_utf8(output.stdout)?.lines() {
        let (client, sequence) = line.split_once('\t').context("two columns")?;
        *there.entry((client.to_owned(), sequence.parse()?)).or_default() += 1;
    }
    let all = kept.iter().flat_map(|(client, all)| all.iter().map(move |sequence| (client.clone(), *sequence)));
    let lost = all.filter(|edit| !there.contains_key(edit)).count();
    Ok((lost, there.values().filter(|times| **times > 1).count()))
}

async fn run(minutes: f64, pages: usize) -> Result<()> {
    let cluster = Cluster::start()?;
    let (server, base) = serve(&cluster.url(), "0")?;
    let port = base.rsplit(':').next().context("a port")?.to_owned();
    let site = Rc::new(Site {
        asks: Asks { base },
        part: Cell::new(Part::Coming),
        waits: RefCell::default(),
        kept: RefCell::default(),
        wrong: RefCell::default(),
    });
    let (mut usual_scenes, mut heavy_scenes) = (Vec::new(), Vec::new());
    for number in 0..SCENES {
        usual_scenes.push(site.asks.bring_in(&usual(number)).await?);
    }
    for scene in heavy()? {
        heavy_scenes.push(site.asks.bring_in(&scene).await?);
    }
    let in_use = async || anyhow::Ok(site.asks.told("zickzack_heap_bytes").await? / f64::from(1 << 20));
    let (start, used_at_start) = (memory(server.id())?, in_use().await?);
    at_large(&site.asks).await?;
    let pages = (0..pages).map(|i| {
        actix_rt::spawn(page(site.clone(), usual_scenes[i % SCENES].clone(), i, STAY.mul_f64(i as f64 / pages as f64)))
    });
    let pages: Vec<_> = pages.collect();
    let part = Duration::from_secs_f64(minutes * 60.0 / 3.0);
    // The same pages are to be measured alone and among heavy scenes.
    tokio::time::sleep(STAY).await;
    site.part.set(Part::Alone);
    tokio::time::sleep(part).await;
    site.part.set(Part::AmongHeavy);
    let going = Arc::new(AtomicBool::new(true));
    let (asks, apart) = (site.asks.clone(), going.clone());
    let heavy = std::thread::spawn(move || among_heavy(asks, heavy_scenes, apart));
    tokio::time::sleep(part).await;
    let mut most = memory(server.id())?.most;
    site.part.set(Part::Killed);
    let mut server: Option<Process> = Some(server);
    let (begun, mut kills) = (Instant::now(), [0, 0]);
    while begun.elapsed() < part {
        tokio::time::sleep(BETWEEN_KILLS.min(part / 3)).await;
        if kills[0] <= kills[1] {
            if let Some(server) = &server {
                most = most.max(memory(server.id())?.most);
            }
            drop(server.take());
            tokio::time::sleep(Duration::from_secs(1)).await;
            server = Some(serve(&cluster.url(), &port)?.0);
            kills[0] += 1;
        } else {
            cluster.kill()?;
            cluster.bring_back()?;
            kills[1] += 1;
        }
    }
    site.part.set(Part::End);
    going.store(false, Ordering::Relaxed);
    for task in pages {
        task.await?;
    }
    heavy.join().map_err(|_| anyhow!("what happened at heavy scenes failed"))?;
    let server = server.context("a server")?;
    most = most.max(memory(server.id())?.most);
    // Threads that nothing is asked of end after some seconds, and give back what they had.
    let rest = Duration::from_secs_f64((minutes * 6.0).clamp(30.0, 300.0));
    tokio::time::sleep(rest).await;
    let end = memory(server.id())?;
    let used = in_use().await?;
    for (part, waits) in site.waits.borrow_mut().iter_mut().filter(|(part, _)| **part != Part::Coming) {
        let counts = (waits.edits.len(), waits.firsts.len());
        println!(
            "{part:?}: {} edits acknowledged after p50 {:.0} ms, p99 {:.0} ms; {} first blocks after p50 {:.0} ms, p99 {:.0} ms",
            counts.0,
            quantile(&mut waits.edits, 0.5),
            quantile(&mut waits.edits, 0.99),
            counts.1,
            quantile(&mut waits.firsts, 0.5),
            quantile(&mut waits.firsts, 0.99),
        );
    }
    println!("{} kills of the server, {} of the database", kills[0], kills[1]);
    let (lost, doubled) = lost_and_doubled(&cluster, &site.kept.borrow())?;
    println!("edits lost {lost}, doubled {doubled}");
    let wrong = site.wrong.borrow();
    println!("pages that do not show what is kept: {}", wrong.len());
    wrong.iter().for_each(|why| println!("  {why}"));
    let rest = rest.as_secs_f64();
    println!(
        "memory: {} MiB at the start ({} of its own, {used_at_start:.1} in use), {most} at most, {} ({}, {used:.1}) after {rest:.0} s of rest",
        start.resident, start.own, end.resident, end.own
    );
    ensure!(lost == 0 && doubled == 0 && wrong.is_empty(), "not steady");
    Ok(())
}

fn main() -> Result<()> {
    let mut given = std::env::args().skip(1);
    let minutes = given.next().map_or(Ok(60.0), |text| text.parse())?;
    let pages = given.next().map_or(Ok(PAGES), |text| text.parse())?;
    actix_rt::System::new().block_on(run(minutes, pages))
}
