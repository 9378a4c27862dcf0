//! Drives the real interface in a real browser: a server, a database and a browser of its own for
//! each test, and what a person does with pointer, keys and files.

use anyhow::{Context, Result, bail};
use fantoccini::wd::TimeoutConfiguration;
use fantoccini::{Client, ClientBuilder};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::net::TcpListener;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

pub mod asks;
mod cluster;
mod hands;
mod kills;
pub mod live;
pub mod loads;
pub mod works;

pub use cluster::Cluster;
pub use kills::{Told, edits_through_kills};

/// How long anything may take to show on a slow machine with software graphics.
pub const PATIENCE: Duration = Duration::from_secs(150);
/// How long something that is there may take until it can be clicked.
const COMING: Duration = Duration::from_secs(5);

/// Places that a drag passes, and the time between them.
const DRAG_STEPS: u32 = 24;
/// How long something must stay where it is to count as resting, and how often it is looked at: what travels
/// never rests.
const REST: Duration = Duration::from_millis(150);
/// How often it must look the same, one look after the other, to count as resting.
const SAME_LOOKS: u32 = 4;
const REST_LOOKS: usize = 10;
const DRAG_STEP: Duration = Duration::from_millis(16);

/// The project's folder.
pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// A process that ends with its owner, and with it what it started.
pub struct Process(Child);

impl Process {
    /// Starts a process in a group of its own.
    pub fn start(command: &mut Command) -> Result<Self> {
        let child = command.process_group(0).spawn();
        Ok(Self(child.with_context(|| format!("{} does not start", command.get_program().display()))?))
    }
}

impl Process {
    /// Its number.
    pub fn id(&self) -> u32 {
        self.0.id()
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        // It may have ended by itself, which is as good. A browser outlives its driver if it is not told.
        let _ = Command::new("kill").args(["-KILL", "--", &format!("-{}", self.0.id())]).status();
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// A browser at a freshly served application.
pub struct Visit {
    pub client: Client,
    pub base: String,
    pub downloads: PathBuf,
    server: Option<Process>,
    database: String,
    _driver: Process,
    _folders: Folders,
}

/// Folders that are gone with their owner; dropped after whoever puts something there.
pub struct Folders(Vec<PathBuf>);

impl Drop for Folders {
    fn drop(&mut self) {
        for folder in &self.0 {
            // What is left lies in the folder for temporary files.
            let _ = std::fs::remove_dir_all(folder);
        }
    }
}

/// What was installed as the browser and its driver.
fn program(names: &[&str]) -> Result<PathBuf> {
    let found = names.iter().map(|name| Path::new("/usr/bin").join(name)).find(|path| path.exists());
    found.with_context(|| format!("{} is missing: ./test installs it", names[0]))
}

fn free_port() -> Result<u16> {
    Ok(TcpListener::bind("127.0.0.1:0")?.local_addr()?.port())
}

/// A number that nothing else has that runs now: of the process, and counted within it.
fn own_number() -> String {
    static COUNT: AtomicU64 = AtomicU64::new(0);
    format!("{}_{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed))
}

/// Memory of a process, MiB.
#[derive(Debug, Clone, Copy)]
pub struct Memory {
    /// What it has of its own now, without the code that it runs.
    pub own: u64,
    /// All that is resident now.
    pub resident: u64,
    /// All that was resident at most.
    pub most: u64,
}

/// Memory of a process.
pub fn memory(process: u32) -> Result<Memory> {
    let status = std::fs::read_to_string(format!("/proc/{process}/status"))?;
    let row = |name: &str| -> Result<u64> {
        let row = status.lines().find_map(|line| line.strip_prefix(name)).context("no memory in the status")?;
        Ok(row.trim().trim_end_matches("kB").trim().parse::<u64>()? / 1024)
    };
    Ok(Memory { own: row("RssAnon:")?, resident: row("VmRSS:")?, most: row("VmHWM:")? })
}

/// A new database beside the one that `./test` started.
pub fn new_database() -> Result<String> {
    let url = std::env::var("DATABASE_URL").context("DATABASE_URL must name a PostgreSQL server: ./test starts one")?;
    let name = format!("e2e_{}", own_number());
    // What an earlier run left under this name is nobody's.
    let (gone, new) = (format!("DROP DATABASE IF EXISTS {name} WITH (FORCE)"), format!("CREATE DATABASE {name}"));
    let made = Command::new("psql")
        .args([&url, "-q", "-c", "SET client_min_messages TO warning", "-c", &gone, "-c", &new])
        .status()?;
    if !made.success() {
        bail!("the database {name} could not be made");
    }
    let database = format!("{}/{name}", url.rsplit_once('/').context("DATABASE_URL has no database")?.0);
    let _ = std::fs::remove_dir_all(files_of(&database));
    Ok(database)
}

/// The program.
pub fn zickzack() -> Command {
    Command::new(std::env::var("ZICKZACK").map_or_else(|_| root().join("target/debug/zickzack"), PathBuf::from))
}

/// Where the files of a database lie.
pub fn files_of(database: &str) -> PathBuf {
    // By port and name: others may have databases of that name at the same time.
    let name = database.rsplit_once('@').map_or(database, |(_, place)| place);
    let name: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    std::env::temp_dir().join("zickzack-e2e-files").join(name)
}

/// Starts a server on a port, 0 for any, and gives its address.
pub fn serve(database: &str, port: &str) -> Result<(Process, String)> {
    serve_with(database, port, &[])
}

/// The same with more arguments.
pub fn serve_with(database: &str, port: &str, more: &[&str]) -> Result<(Process, String)> {
    let mut serve = zickzack();
    serve.args(["serve", "--port", port, "--demo"]).arg(root().join("demo")).args(more).env("DATABASE_URL", database);
    serve.arg("--files").arg(files_of(database));
    let mut process = Process::start(serve.stdout(Stdio::piped()))?;
    let output = process.0.stdout.take().context("no output")?;
    for line in BufReader::new(output).lines() {
        if let Some((_, address)) = line?.split_once("http://") {
            return Ok((process, format!("http://{}", address.trim_end_matches('/'))));
        }
    }
    bail!("the server ended before it said where it is")
}

impl Visit {
    /// Starts everything and opens the Pattern book in a window whose page is `width` × `height`.
    pub async fn start(width: u32, height: u32) -> Result<Self> {
        Self::start_on(new_database()?, width, height).await
    }

    /// The same on a database that is there already.
    pub async fn start_on(database: String, width: u32, height: u32) -> Result<Self> {
        let (server, base) = serve(&database, "0")?;
        let port = free_port()?;
        let mut drive = Command::new(program(&["chromedriver"])?);
        drive.arg(format!("--port={port}")).stdout(Stdio::null()).stderr(Stdio::null());
        let driver = Process::start(&mut drive)?;
        let profile = std::env::temp_dir().join(format!("zickzack-e2e-{}", own_number()));
        // An earlier process of the same number may have been ended before it could tidy up.
        let _ = std::fs::remove_dir_all(&profile);
        let downloads = profile.join("downloads");
        std::fs::create_dir_all(&downloads)?;
        let capabilities = json!({
            "goog:chromeOptions": {
                "binary": program(&["chromium"])?,
                "args": [
                    "--headless", "--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
                    "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update",
                    "--disable-sync", "--force-device-scale-factor=1", "--hide-scrollbars",
                    "--enable-precise-memory-info", "--js-flags=--expose-gc",
                    // Text and lists are drawn sooner without a graphics card that is software itself.
                    "--disable-gpu-rasterization", "--disable-accelerated-2d-canvas",
                    format!("--user-data-dir={}", profile.display()),
                ],
                "prefs": { "download.default_directory": downloads, "download.prompt_for_download": false },
            }
        });
        let Value::Object(capabilities) = capabilities else { unreachable!("written as an object") };
        let begun = Instant::now();
        let mut builder = ClientBuilder::new(HttpConnector::new());
        builder.capabilities(capabilities);
        let address = format!("http://127.0.0.1:{port}");
        let client = loop {
            match builder.connect(&address).await {
                Ok(client) => break client,
                Err(error) if begun.elapsed() > PATIENCE => return Err(error.into()),
                Err(_) => tokio::time::sleep(Duration::from_millis(200)).await,
            }
        };
        // A script may wait as long as everything else does.
        client.update_timeouts(TimeoutConfiguration::new(Some(PATIENCE), None, None)).await?;
        let server = Some(server);
        let own = Folders(vec![profile, files_of(&database)]);
        let visit = Self { client, base, downloads, server, database, _driver: driver, _folders: own };
        visit.size(width, height).await?;
        visit.client.goto(&visit.base).await?;
        Ok(visit)
    }

    /// Runs a statement in the server's database, as somebody else would.
    pub fn in_database(&self, statement: &str) -> Result<()> {
        let done =
            Command::new("psql").args([&self.database, "-q", "-v", "ON_ERROR_STOP=1", "-c", statement]).status()?;
        if !done.success() {
            bail!("the database did not take: {statement}");
        }
        Ok(())
    }

    /// Ends the server as a power cut would.
    pub fn kill_server(&mut self) {
        self.server = None;
    }

    /// Asks the server to stop, as whoever runs it does, and waits until it is gone.
    pub fn stop_server(&mut self) -> Result<()> {
        let mut server = self.server.take().context("the server does not run")?;
        let asked = Command::new("kill").args(["-TERM", &server.id().to_string()]).status()?;
        let ended = server.0.wait()?;
        if !asked.success() || !ended.success() {
            bail!("the server did not end by itself: {ended}");
        }
        Ok(())
    }

    /// Starts the server again where it was.
    pub fn bring_server_back(&mut self) -> Result<()> {
        let port = self.base.rsplit(':').next().context("a port")?.to_owned();
        let begun = Instant::now();
        loop {
            match serve(&self.database, &port) {
                Ok((server, _)) => {
                    self.server = Some(server);
                    return Ok(());
                }
                Err(error) if begun.elapsed() > PATIENCE => return Err(error),
                Err(_) => std::thread::sleep(Duration::from_millis(100)),
            }
        }
    }

    /// Makes the page, not the window, this large.
    pub async fn size(&self, width: u32, height: u32) -> Result<()> {
        self.client.set_window_size(width, height).await?;
        let inner = self.js("return [innerWidth, innerHeight]").await?;
        let missing = |i: usize, wanted: u32| wanted + wanted.saturating_sub(inner[i].as_u64().unwrap_or(0) as u32);
        self.client.set_window_size(missing(0, width), missing(1, height)).await?;
        Ok(())
    }

    /// Ends the browser.
    pub async fn end(self) -> Result<()> {
        Ok(self.client.clone().close().await?)
    }

    /// What a script gives.
    pub async fn js(&self, script: &str) -> Result<Value> {
        Ok(self.client.execute(script, vec![]).await?)
    }

    /// Waits until a script gives something true, and gives that.
    pub async fn until(&self, what: &str, script: &str) -> Result<Value> {
        let begun = Instant::now();
        loop {
            let value = self.js(script).await?;
            if !matches!(value, Value::Null | Value::Bool(false)) {
                return Ok(value);
            }
            if begun.elapsed() > PATIENCE {
                let seen = self.js("return document.body.innerText.slice(0, 1500)").await?;
                bail!("{what} did not come; on the page: {seen}");
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Waits until a script gives the same for a while, something true, and gives that: what is shown may still be on
    /// its way.
    pub async fn rests(&self, what: &str, script: &str) -> Result<Value> {
        let begun = Instant::now();
        let (mut last, mut looks) = (Value::Null, 0);
        loop {
            self.two_pictures().await?;
            let now = self.until(what, script).await?;
            looks = if now == last { looks + 1 } else { 0 };
            if looks >= SAME_LOOKS {
                return Ok(now);
            }
            if begun.elapsed() > PATIENCE {
                bail!("{what} did not come to rest: {last}, then {now}");
            }
            last = now;
            tokio::time::sleep(REST).await;
        }
    }

    /// Waits until the slips of the Weave lie still: it shows everything anew when something came or went, and glides
    /// there.
    pub async fn weave_rests(&self) -> Result<()> {
        let script = "return JSON.stringify([...document.querySelectorAll('.react-flow__node')].map((e) => { const b = e.getBoundingClientRect(); return [e.dataset.id, Math.round(b.x), Math.round(b.y)] }))";
        self.rests("the Weave", script).await?;
        Ok(())
    }

    /// Waits until the page has been drawn twice: on a busy machine it may long have run on without.
    async fn two_pictures(&self) -> Result<()> {
        let script = "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => done(true)))";
        self.client.execute_async(script, vec![]).await?;
        Ok(())
    }

    /// The scene as the server keeps it.
    pub async fn document(&self) -> Result<Value> {
        let script = "const done = arguments[0]; fetch(location.pathname.replace('/bench/', '/api/scenes/') + '/file').then((r) => r.json()).then(done)";
        Ok(self.client.execute_async(script, vec![]).await?)
    }

    /// The pose of a thing at a whole frame as the View shows it: position, orientation, scale.
    pub async fn pose(&self, node: &str, object: usize, frame: usize) -> Result<Vec<f64>> {
        let script = format!("return window.zickzack?.pose({}, {object}, {frame})", json!(node));
        let pose = self.until("a pose", &script).await?;
        Ok(pose.as_array().context("an array")?.iter().filter_map(Value::as_f64).collect())
    }

    /// The id of the node with this name, from its slip.
    pub async fn node(&self, name: &str) -> Result<String> {
        let script = format!(
            "return document.querySelector('.slip[data-name={}]')?.closest('.react-flow__node')?.dataset.id",
            json!(name)
        );
        Ok(self.until(name, &script).await?.as_str().context("an id")?.to_owned())
    }

    /// Waits until the server has kept everything, and everything that is shown is of what is kept.
    pub async fn kept(&self) -> Result<()> {
        let both = "const { state, measured } = document.querySelector('.save-state')?.dataset ?? {}; \
            return state === 'kept' && measured === 'true'";
        self.until("all kept and shown", both).await?;
        Ok(())
    }

    /// Waits for a file to be downloaded whole.
    pub async fn download(&self, ending: &str) -> Result<Vec<u8>> {
        let begun = Instant::now();
        loop {
            let found = std::fs::read_dir(&self.downloads)?
                .flatten()
                .map(|entry| entry.path())
                .find(|path| path.extension().is_some_and(|e| e == ending));
            if let Some(path) = found {
                let bytes = std::fs::read(&path)?;
                if !bytes.is_empty() {
                    std::fs::remove_file(path)?;
                    return Ok(bytes);
                }
            }
            if begun.elapsed() > PATIENCE {
                bail!("no .{ending} file was downloaded");
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
    }

    /// A picture of the page.
    pub async fn picture(&self, path: &Path) -> Result<()> {
        std::fs::write(path, self.client.screenshot().await?)?;
        Ok(())
    }
}
