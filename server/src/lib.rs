//! The web server: scenes in PostgreSQL, edits and samples over a live connection, the web interface.

pub mod api;
pub mod crew;
pub mod guard;
pub mod jobs;
pub mod live;
pub mod memory;
pub mod recorder;
pub mod store;
pub mod told;
pub mod trial;
mod web;

use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::{App, HttpResponse, HttpServer, web as routes};
use serde::Serialize;
use sqlx::PgPool;
use std::net::TcpListener;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use tracing_actix_web::{RootSpanBuilder, TracingLogger};
use uuid::Uuid;
use zickzack_core::motion::Cancel;
use zickzack_core::nodes::Registry;

/// What all requests share.
pub struct Shop {
    /// The database.
    pub pool: PgPool,
    /// Node types.
    pub registry: Arc<Registry>,
    /// Scenes that are open somewhere.
    pub hub: live::Hub,
    /// What requests wait for.
    pub background: crew::Background,
    /// What is counted.
    pub told: Arc<told::Told>,
    /// What may have to be given up for want of memory.
    pub memory: Arc<memory::Memory>,
    /// What is being worked out, for the server that comes after this one.
    pub trials: Arc<trial::Trials>,
    /// Where files lie that were ordered.
    pub results: Arc<jobs::Results>,
    /// Recordings that were worked out.
    pub shelf: Arc<recorder::Shelf>,
    /// How long others may keep silent.
    pub limits: Limits,
    /// Names under which the server may be addressed, such as `127.0.0.1:8470`.
    pub hosts: Vec<String>,
    stopping: AtomicBool,
}

impl Shop {
    /// For a database that was migrated.
    pub fn new(pool: PgPool, hosts: Vec<String>, kept: (recorder::Shelf, jobs::Results)) -> Arc<Self> {
        Self::limited(pool, hosts, kept, Limits::default())
    }

    /// The same with other limits.
    pub fn limited(
        pool: PgPool,
        hosts: Vec<String>,
        (shelf, results): (recorder::Shelf, jobs::Results),
        limits: Limits,
    ) -> Arc<Self> {
        let (registry, shelf) = (Arc::new(Registry::default()), Arc::new(shelf));
        Arc::new(Self {
            pool,
            registry,
            hub: live::Hub::default(),
            background: crew::Background::default(),
            told: Arc::default(),
            memory: Arc::default(),
            trials: Arc::default(),
            stopping: AtomicBool::new(false),
            results: Arc::new(results),
            shelf,
            limits,
            hosts,
        })
    }
}

impl Shop {
    /// True once the server was asked to stop.
    pub fn is_stopping(&self) -> bool {
        self.stopping.load(Ordering::Relaxed)
    }

    /// As [`work`](Self::work); what comes of it is an answer as JSON. It may be long, so it is written where it is worked
    /// out, apart from what others wait for.
    ///
    /// # Errors
    /// As there.
    pub async fn answer<T: Serialize>(
        &self,
        scene: Uuid,
        work: impl FnOnce(&Cancel) -> Result<T, api::Refusal> + Send + 'static,
    ) -> Result<HttpResponse, api::Refusal> {
        let written = self.work(scene, move |cancel| {
            serde_json::to_string(&work(cancel)?).map_err(|error| {
                tracing::error!(%scene, "an answer cannot be written: {error}");
                api::Refusal::broken()
            })
        });
        Ok(HttpResponse::Ok().content_type("application/json").body(written.await?))
    }

    /// Does `work` for a scene in the background, as [`crew::Background::work`] does, and tells how long it took.
    ///
    /// # Errors
    /// As there, and where the scene is not worked out by itself.
    pub async fn work<T: Send + 'static>(
        &self,
        scene: Uuid,
        work: impl FnOnce(&Cancel) -> Result<T, api::Refusal> + Send + 'static,
    ) -> Result<T, api::Refusal> {
        if self.trials.holds(scene) {
            return Err(api::Refusal::conflict(trial::HELD));
        }
        // Also where nobody waits for it any more, and this is dropped on the way.
        let mut timed = told::Timed::new(&self.told, scene);
        let (memory, trials) = (self.memory.clone(), self.trials.clone());
        let counted = move |cancel: &Cancel| {
            let mut trial = trials.begins(scene);
            let _counted = memory.count(scene, cancel);
            let done = work(cancel);
            trial.done = !cancel.stopped();
            done
        };
        let done = self.background.work(scene, counted).await;
        timed.given_up = false;
        done
    }

    /// Watches that no more memory is held than this.
    ///
    /// # Errors
    /// Where the machine gives no thread for it.
    pub fn hold_at_most(&self, ceiling: memory::Ceiling) -> std::io::Result<()> {
        self.told.in_use.get_or_init(|| ceiling.held);
        self.memory.watch(ceiling, &self.told)
    }

    /// Tells the pages that the server stops, and puts down what is worked at.
    pub fn stop(&self) {
        self.stopping.store(true, Ordering::Relaxed);
        self.background.stop();
        self.hub.stop();
    }
}

/// How long others may keep silent.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// A body of a request.
    pub body_silence: Duration,
    /// A page that is open: no word from it, or nothing taken of what it is sent.
    pub page_silence: Duration,
    /// Whoever is sent an answer, and takes nothing of it.
    pub answer_silence: Duration,
    /// The database, asked whether it is there.
    pub database_silence: Duration,
    /// The database, for what work waits for until it is written down: without it the work is done all the same.
    pub writing_silence: Duration,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            body_silence: Duration::from_secs(30),
            page_silence: Duration::from_secs(90),
            answer_silence: Duration::from_secs(90),
            database_silence: Duration::from_secs(2),
            writing_silence: Duration::from_millis(500),
        }
    }
}

/// Largest body of a request, bytes.
pub const LARGEST_BODY: usize = 64 << 20;

/// The names by which a server on a port of the loopback interface may be called.
pub fn loopback_hosts(port: u16) -> Vec<String> {
    let names = ["127.0.0.1", "localhost", "[::1]"];
    // At its usual port a browser leaves the number out.
    let plain = names.iter().filter(|_| port == 80).map(|name| (*name).to_owned());
    names.iter().map(|name| format!("{name}:{port}")).chain(plain).collect()
}

/// How long pages have to be told that the server stops.
const FAREWELL: Duration = Duration::from_millis(300);

/// Serves on a bound socket until `stops`: then pages are told, work is put down, and what is asked is answered.
///
/// # Errors
/// What the socket says, and the database where it cannot be asked what the last server left.
pub async fn serve(
    shop: Arc<Shop>,
    listener: TcpListener,
    stops: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    shop.trials.open(&shop.pool, shop.limits.writing_silence).await.map_err(std::io::Error::other)?;
    let (own, at_rest) = (shop.clone(), shop.clone());
    let stopped = async move {
        stops.await;
        own.stop();
        tokio::time::sleep(FAREWELL).await;
    };
    let silence = shop.limits.answer_silence;
    let server = HttpServer::new(move || {
        App::new()
            .app_data(routes::Data::from(shop.clone()))
            .wrap(actix_web::middleware::from_fn(guard::check))
            .wrap(TracingLogger::<Span>::new())
            .wrap(actix_web::middleware::Compress::default())
            .configure(api::routes)
            .configure(live::routes)
            .configure(told::routes)
            .default_service(routes::to(web::page))
    });
    // Who closes the connection does not wait for the answer any more: what is worked out for it is given up.
    let server = server.on_connect(move |connection, _| {
        if let Some(stream) = connection.downcast_ref::<actix_web::rt::net::TcpStream>() {
            limited(stream, silence);
        }
    });
    let server = server.workers(2).shutdown_timeout(3).h1_allow_half_closed(false).shutdown_signal(stopped);
    server.listen(listener)?.run().await?;
    at_rest.trials.rest(&at_rest.pool).await;
    Ok(())
}

/// A connection on which nothing is taken for so long is given up by the system, with what waits to be sent on it.
fn limited(stream: &actix_web::rt::net::TcpStream, silence: Duration) {
    #[cfg(target_os = "linux")]
    if let Err(why) = socket2::SockRef::from(stream).set_tcp_user_timeout(Some(silence)) {
        tracing::debug!("a connection has no limit for its silence: {why}");
    }
    #[cfg(not(target_os = "linux"))]
    let _ = (stream, silence);
}

/// What is told of a request: what kind it is and how it ended, and nothing that somebody wrote.
struct Span;

impl RootSpanBuilder for Span {
    fn on_request_start(request: &ServiceRequest) -> tracing::Span {
        let kind = request.match_pattern().unwrap_or_else(|| "page".to_owned());
        tracing::info_span!(
            "request",
            method = %request.method(),
            kind,
            scene = tracing::field::Empty,
            status = tracing::field::Empty
        )
    }

    fn on_request_end<B: MessageBody>(span: tracing::Span, outcome: &Result<ServiceResponse<B>, actix_web::Error>) {
        let status = match outcome {
            Ok(response) => {
                // Only who answered knows what stood in the address.
                let id = response.request().match_info().get("id");
                if let Some(scene) = id.and_then(|id| Uuid::parse_str(id).ok()) {
                    span.record("scene", tracing::field::display(scene));
                }
                response.status()
            }
            Err(error) => error.as_response_error().status_code(),
        };
        span.record("status", status.as_u16());
    }
}
