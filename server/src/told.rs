//! What the server tells of itself: whether it is alive and ready, and how much of what it does. Never what is in a scene.

use crate::Shop;
use crate::api::Refusal;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, get, web};
use prometheus::{Encoder, Histogram, HistogramOpts, IntCounter, IntGauge, Opts, Registry, TextEncoder};
use serde::Serialize;
use std::sync::OnceLock;
use std::time::{Duration, Instant};
use utoipa::ToSchema;
use uuid::Uuid;

/// What takes longer than this is told in the log.
pub const SLOW: Duration = Duration::from_secs(1);

/// What is counted.
pub struct Told {
    registry: Registry,
    /// Edits that were kept.
    pub edits: IntCounter,
    /// Edits and requests that were refused.
    pub refused: IntCounter,
    /// From when a page comes until the first poses are on their way, seconds.
    pub first_block: Histogram,
    /// Rounds of work for pages, and work that requests wait for, seconds.
    pub work: Histogram,
    /// Such work that was given up, since nobody waited for it any more.
    pub given_up: IntCounter,
    /// Work that was given up for want of memory.
    pub starved: IntCounter,
    /// Pages that are connected.
    pub pages: IntGauge,
    scenes: IntGauge,
    background: IntGauge,
    connections: IntGauge,
    memory: IntGauge,
    heap: IntGauge,
    /// What counts it.
    pub in_use: OnceLock<fn() -> usize>,
}

/// Names are ours: they are valid, and there is none twice.
fn sure<T>(made: Result<T, prometheus::Error>) -> T {
    made.expect("metrics have names of their own")
}

impl Default for Told {
    fn default() -> Self {
        let registry = Registry::new();
        let counter = |name: &str, help: &str| {
            let made = sure(IntCounter::new(name, help));
            sure(registry.register(Box::new(made.clone())));
            made
        };
        let gauge = |name: &str, help: &str| {
            let made = sure(IntGauge::with_opts(Opts::new(name, help)));
            sure(registry.register(Box::new(made.clone())));
            made
        };
        let seconds = |name: &str, help: &str| {
            let buckets = vec![0.003, 0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0, 30.0, 100.0];
            let made = sure(Histogram::with_opts(HistogramOpts::new(name, help).buckets(buckets)));
            sure(registry.register(Box::new(made.clone())));
            made
        };
        Self {
            edits: counter("zickzack_edits_total", "Edits that were kept."),
            refused: counter("zickzack_refused_total", "Edits and requests that were refused."),
            first_block: seconds("zickzack_first_block_seconds", "From when a page comes until its first poses."),
            work: seconds("zickzack_work_seconds", "Rounds of work for pages, and work that requests wait for."),
            given_up: counter("zickzack_given_up_total", "Work that was given up since nobody waited for it."),
            starved: counter("zickzack_starved_total", "Work that was given up for want of memory."),
            pages: gauge("zickzack_pages", "Pages that are connected."),
            scenes: gauge("zickzack_scenes", "Scenes that are open."),
            background: gauge("zickzack_background", "Pieces of work in the background."),
            connections: gauge("zickzack_database_connections", "Connections to the database, used or not."),
            memory: gauge("zickzack_memory_bytes", "Resident memory."),
            heap: gauge(
                "zickzack_heap_bytes",
                "Memory that is in use, without what is free and kept; 0 where it is not counted.",
            ),
            in_use: OnceLock::new(),
            registry,
        }
    }
}

/// Times work, until it is dropped.
pub struct Timed<'a> {
    told: &'a Told,
    scene: Uuid,
    begun: Instant,
    /// True where nobody waits for it any more.
    pub given_up: bool,
}

impl<'a> Timed<'a> {
    /// Begins now; what is not said to be done was given up.
    pub fn new(told: &'a Told, scene: Uuid) -> Self {
        Self { told, scene, begun: Instant::now(), given_up: true }
    }
}

impl Drop for Timed<'_> {
    fn drop(&mut self) {
        let (taken, scene, given_up) = (self.begun.elapsed(), self.scene, self.given_up);
        let millis = taken.as_millis() as u64;
        self.told.work.observe(taken.as_secs_f64());
        self.told.given_up.inc_by(given_up.into());
        if taken > SLOW {
            tracing::info!(%scene, millis, given_up, "slow work");
        } else {
            tracing::debug!(%scene, millis, given_up, "work");
        }
    }
}

impl Told {
    fn written(&self, shop: &Shop) -> Result<Vec<u8>, prometheus::Error> {
        self.scenes.set(shop.hub.open() as i64);
        self.background.set(shop.background.at_work() as i64);
        self.connections.set(i64::from(shop.pool.size()));
        self.memory.set(memory_stats::memory_stats().map_or(0, |stats| stats.physical_mem as i64));
        self.heap.set(self.in_use.get().map_or(0, |count| count() as i64));
        let mut text = Vec::new();
        TextEncoder::new().encode(&self.registry.gather(), &mut text)?;
        Ok(text)
    }
}

/// Whether the server can do its work.
#[derive(Serialize, ToSchema)]
pub struct Health {
    /// It answers.
    alive: bool,
    /// What it needs is there.
    ready: bool,
    /// Of the database: `there`, or what is wrong.
    database: String,
    /// Of the folder of recordings: `there`, `none` where nothing is kept, or what is wrong.
    recordings: String,
    /// Of the store of files that are ordered: `there`, or what is wrong.
    files: String,
}

/// Alive and ready, or what is missing.
#[utoipa::path(responses((status = 200, body = Health), (status = 503, body = Health)))]
#[get("/health")]
pub async fn health(shop: web::Data<Shop>) -> HttpResponse {
    let silence = shop.limits.database_silence;
    let asked = tokio::time::timeout(silence, sqlx::query("SELECT 1 FROM scenes LIMIT 1").execute(&shop.pool)).await;
    let database = match asked {
        Ok(Ok(_)) => Ok(()),
        Ok(Err(error)) => {
            tracing::error!("health: {error}");
            Err("it cannot be reached, or answers with an error: the log tells which".to_owned())
        }
        Err(_) => Err(format!("it does not answer within {} s", silence.as_secs())),
    };
    let recordings = shop.shelf.trouble();
    let files = shop.results.trouble();
    let ready = database.is_ok() && recordings.is_none() && files.is_none() && !shop.is_stopping();
    let told = Health {
        alive: true,
        ready,
        database: database.err().unwrap_or_else(|| "there".to_owned()),
        files: files.unwrap_or_else(|| "there".to_owned()),
        recordings: recordings.unwrap_or_else(|| if shop.shelf.is_kept() { "there" } else { "none" }.to_owned()),
    };
    if ready { HttpResponse::Ok() } else { HttpResponse::ServiceUnavailable() }.json(told)
}

/// It answers: no more is said.
#[utoipa::path(responses((status = 204)))]
#[get("/health/alive")]
pub async fn alive() -> HttpResponse {
    HttpResponse::NoContent().finish()
}

/// What is counted, as Prometheus reads it.
#[utoipa::path(responses((status = 200, body = String)))]
#[get("/metrics")]
pub async fn metrics(shop: web::Data<Shop>) -> Result<HttpResponse, Refusal> {
    let text = shop.told.written(&shop).map_err(|error| {
        tracing::error!("metrics: {error}");
        Refusal::broken()
    })?;
    Ok(HttpResponse::Ok().insert_header(ContentType(mime::TEXT_PLAIN_UTF_8)).body(text))
}

/// Their addresses.
pub fn routes(config: &mut web::ServiceConfig) {
    config.service(alive).service(health).service(metrics);
}
