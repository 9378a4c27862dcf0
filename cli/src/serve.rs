use anyhow::{Context, Result, anyhow, bail};
use clap::Args;
use std::fs;
use std::io::IsTerminal;
use std::net::{IpAddr, Ipv4Addr, TcpListener};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;
use tracing_subscriber::filter::LevelFilter;
use tracing_subscriber::fmt::format::FmtSpan;
use zickzack_formats::files::hash;
use zickzack_server::jobs::{self, Habits, Results, Stopping};
use zickzack_server::memory::Ceiling;
use zickzack_server::recorder::Shelf;
use zickzack_server::store::purge::{Kept, purge_daily};
use zickzack_server::{Shop, api, loopback_hosts, serve, store};
use zickzack_session::Session;

#[derive(Args)]
pub struct Database {
    /// Where the database is.
    #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
    database: String,
    /// How long the database may take until it is there, seconds.
    #[arg(long, value_name = "SECONDS", default_value_t = 60)]
    wait: u64,
}

#[derive(Args)]
pub struct Serve {
    /// The port on the loopback interface; 0 takes a free one.
    #[arg(long, default_value_t = 8470)]
    port: u16,
    /// Load the demo scenes from this folder first.
    #[arg(long, value_name = "FOLDER")]
    demo: Option<PathBuf>,
    #[command(flatten)]
    means: Means,
    /// How many ordered files are worked at within the server at a time; 0 leaves them to `zickzack work`.
    #[arg(long, value_name = "NUMBER", default_value_t = Habits::default().at_once)]
    at_once: usize,
    /// How long deleted scenes and versions, and files that nothing refers to, can be brought back, days.
    #[arg(long, value_name = "DAYS", default_value_t = Kept::default().deleted)]
    keep_deleted: u32,
    /// How long edits are kept, days; the last thousand of each scene are kept for ever.
    #[arg(long, value_name = "DAYS", default_value_t = Kept::default().edits)]
    keep_edits: u32,
}

/// What whoever works has to work with.
#[derive(Args)]
pub struct Means {
    #[command(flatten)]
    places: Places,
    /// Keeps what rigid bodies were worked out in this folder, so that nobody waits for it twice.
    #[arg(long, value_name = "FOLDER")]
    recordings: Option<PathBuf>,
    /// The most that may lie in that folder, MiB.
    #[arg(long, value_name = "MIB", default_value_t = 1024)]
    recordings_size: u64,
    /// How much is told on standard error: off, error, warn, info (every request, what is slow), debug.
    #[arg(long, value_name = "LEVEL", default_value = "warn")]
    log: LevelFilter,
    /// Tells it as JSON, a line each.
    #[arg(long)]
    log_json: bool,
    /// The most memory that the work for scenes may hold, MiB; beyond it the costliest is given up. Without it three fifths
    /// of what the machine has.
    #[arg(long, value_name = "MIB")]
    memory: Option<usize>,
}

/// Where things are.
#[derive(Args)]
pub struct Places {
    #[command(flatten)]
    database: Database,
    /// Where files lie that were ordered, for all servers and workers of a database: a folder, or s3://BUCKET/PREFIX, with what
    /// AWS_ACCESS_KEY_ID, AWS_SECRET_ACCESS_KEY, AWS_REGION and AWS_ENDPOINT_URL say. Left out, a folder of this machine.
    #[arg(long, value_name = "PLACE", env = "ZICKZACK_FILES")]
    files: Option<String>,
    /// The most that they may have together, MiB; the oldest are thrown away.
    #[arg(long, value_name = "MIB", default_value_t = 4096)]
    files_size: u64,
}

/// Works at files that were ordered, beside the server or on other machines.
#[derive(Args)]
pub struct Work {
    #[command(flatten)]
    means: Means,
    /// How many files are worked at at a time.
    #[arg(long, value_name = "NUMBER", default_value_t = Habits::default().at_once)]
    at_once: usize,
    /// How many threads each has; as many as there are cores when left out.
    #[arg(long, value_name = "NUMBER")]
    threads: Option<usize>,
    /// After how long without a sign of life another worker takes over what this one was at, seconds.
    #[arg(long, value_name = "SECONDS", default_value_t = Habits::default().gone.as_secs(), value_parser = clap::value_parser!(u64).range(1..=3600))]
    gone: u64,
}

#[derive(Args)]
pub struct Demo {
    #[command(flatten)]
    database: Database,
    /// The folder of the demo scenes.
    #[arg(long, value_name = "FOLDER", default_value = "demo")]
    from: PathBuf,
}

async fn shop(database: &Database, hosts: Vec<String>, kept: (Shelf, Results)) -> Result<Arc<Shop>> {
    let patience = Duration::from_secs(database.wait);
    let waits = |why: &_| eprintln!("zickzack: waiting for the database, {} s at most: {why}", patience.as_secs());
    let pool = store::connect(&database.database, patience, waits);
    let pool = pool.await.context("the database cannot be reached or brought up to date")?;
    Ok(Shop::new(pool, hosts, kept))
}

impl Places {
    /// The store of files. Where none is named it is a folder for this database alone.
    fn results(&self) -> Result<Results> {
        let own = || format!("/var/tmp/zickzack-files-{}", &hash(self.database.database.as_bytes())[..16]);
        let place = self.files.clone().unwrap_or_else(own);
        Results::open(&place, self.files_size << 20, std::env::vars()).map_err(anyhow::Error::msg)
    }

    /// What a command that does no work itself needs.
    pub async fn shop(&self) -> Result<Arc<Shop>> {
        shop(&self.database, Vec::new(), (Shelf::nowhere(), self.results()?)).await
    }
}

impl Means {
    /// Begins to tell what happens.
    fn tell(&self) {
        let log = tracing_subscriber::fmt()
            .with_max_level(self.log)
            .with_span_events(FmtSpan::CLOSE)
            .with_ansi(std::io::stderr().is_terminal())
            .with_writer(std::io::stderr);
        if self.log_json { log.json().init() } else { log.init() }
    }

    async fn shop(&self, hosts: Vec<String>) -> Result<Arc<Shop>> {
        let shelf = match &self.recordings {
            Some(folder) => Shelf::new(folder.clone(), self.recordings_size << 20),
            None => Shelf::nowhere(),
        };
        let shop = shop(&self.places.database, hosts, (shelf, self.places.results()?)).await?;
        if let Some(most) = self.memory.map(|mib| mib << 20).or_else(most_memory) {
            let held = || crate::HELD.allocated();
            shop.hold_at_most(Ceiling { most, held }).context("the machine gives no more threads")?;
        }
        Ok(shop)
    }
}

/// Until somebody asks the process to end.
async fn stopped() {
    use tokio::signal::unix::{SignalKind, signal};
    let ends = [SignalKind::terminate(), SignalKind::interrupt()].map(|kind| async move {
        match signal(kind) {
            Ok(mut asked) => {
                asked.recv().await;
            }
            // It is ended without a farewell then.
            Err(error) => {
                tracing::warn!("signals cannot be heard: {error}");
                std::future::pending().await
            }
        }
    });
    let [terminate, interrupt] = ends;
    tokio::select! { () = terminate => {}, () = interrupt => {} }
}

/// Part of the memory of the machine that the server may hold: the database and the system have the rest.
const OF_THE_MACHINE: f64 = 0.6;

/// The most memory that may be held where nothing else is asked for: of the machine, or of the group that the process is
/// in, where the system tells.
fn most_memory() -> Option<usize> {
    let machine = fs::read_to_string("/proc/meminfo").ok().and_then(|text| {
        let line = text.lines().find_map(|line| line.strip_prefix("MemTotal:"))?;
        line.trim().strip_suffix(" kB")?.parse::<usize>().ok().map(|kib| kib << 10)
    });
    let group = fs::read_to_string("/sys/fs/cgroup/memory.max").ok().and_then(|text| text.trim().parse::<usize>().ok());
    [machine, group].into_iter().flatten().min().map(|bytes| (bytes as f64 * OF_THE_MACHINE) as usize)
}

impl Serve {
    pub fn run(self) -> Result<()> {
        self.means.tell();
        let listener = TcpListener::bind((IpAddr::V4(Ipv4Addr::LOCALHOST), self.port))
            .with_context(|| format!("port {} is taken: choose another with --port", self.port))?;
        let port = listener.local_addr()?.port();
        actix_web::rt::System::new().block_on(async move {
            let shop = self.means.shop(loopback_hosts(port)).await?;
            if let Some(folder) = &self.demo {
                load_folder(&shop, folder).await?;
            }
            let kept = Kept { deleted: self.keep_deleted, edits: self.keep_edits };
            actix_web::rt::spawn(purge_daily(shop.pool.clone(), kept));
            actix_web::rt::spawn(jobs::tidy(shop.clone()));
            let stopping = Stopping::default();
            let worker = (self.at_once > 0).then(|| {
                let habits = Habits { at_once: self.at_once, ..Habits::default() };
                actix_web::rt::spawn(jobs::work(shop.clone(), habits, stopping.clone()))
            });
            println!("Zickzack is open at http://127.0.0.1:{port}/");
            let own = stopping.clone();
            let stops = async move {
                stopped().await;
                own.stop();
            };
            let served = serve(shop, listener, stops).await.context("the server stopped");
            stopping.stop();
            if let Some(worker) = worker {
                farewell(worker).await;
            }
            served
        })
    }
}

/// How long a worker may take to give back what it is at; after that it is taken for gone.
const FAREWELL: Duration = Duration::from_secs(5);

async fn farewell(worker: actix_web::rt::task::JoinHandle<()>) {
    if tokio::time::timeout(FAREWELL, worker).await.is_err() {
        tracing::warn!("what was worked at is not given back: another worker takes it over later");
    }
}

impl Work {
    pub fn run(self) -> Result<()> {
        self.means.tell();
        actix_web::rt::System::new().block_on(async move {
            let shop = self.means.shop(Vec::new()).await?;
            let stopping = Stopping::default();
            let habits = Habits {
                at_once: self.at_once.max(1),
                threads: self.threads.unwrap_or(Habits::default().threads),
                gone: Duration::from_secs(self.gone),
            };
            let worker = actix_web::rt::spawn(jobs::work(shop.clone(), habits, stopping.clone()));
            println!("working at what is ordered, {} at a time", habits.at_once);
            stopped().await;
            stopping.stop();
            farewell(worker).await;
            Ok(())
        })
    }
}

impl Demo {
    pub fn run(self) -> Result<()> {
        actix_web::rt::System::new().block_on(async move {
            let shop = shop(&self.database, Vec::new(), (Shelf::nowhere(), Results::in_memory())).await?;
            let loaded = load_folder(&shop, &self.from).await?;
            println!("{loaded} demo scenes loaded");
            Ok(())
        })
    }
}

/// Loads every scene file of a folder, with the files beside it, in order of names.
async fn load_folder(shop: &Shop, folder: &Path) -> Result<usize> {
    let entries =
        fs::read_dir(folder).with_context(|| format!("the demo folder {} cannot be read", folder.display()))?;
    let mut paths: Vec<PathBuf> =
        entries.collect::<Result<Vec<_>, _>>()?.into_iter().map(|entry| entry.path()).collect();
    paths.retain(|path| path.extension().is_some_and(|ending| ending == "json"));
    paths.sort();
    if paths.is_empty() {
        bail!("there is no scene in {}", folder.display());
    }
    let mut loaded = 0;
    for path in paths {
        let session = Session::read(&path, shop.registry.clone())?;
        let scene = session.as_one_file().map_err(|why| anyhow!("{}: {why}", path.display()))?;
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        let done = api::load_demo(shop, &name, serde_json::to_value(&scene)?).await;
        loaded += usize::from(done.map_err(|refusal| anyhow!("{}: {refusal}", path.display()))?);
    }
    Ok(loaded)
}
