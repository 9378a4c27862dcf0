//! The web server: scenes in PostgreSQL, edits and samples over a live connection, the web interface.

pub mod api;
pub mod crew;
pub mod guard;
pub mod live;
pub mod recorder;
pub mod store;
mod web;

use actix_web::{App, HttpServer, web as routes};
use sqlx::PgPool;
use std::net::TcpListener;
use std::sync::Arc;
use std::time::Duration;
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
    /// Recordings that were worked out.
    pub shelf: Arc<recorder::Shelf>,
    /// How long others may keep silent.
    pub limits: Limits,
    /// Names under which the server may be addressed, such as `127.0.0.1:8470`.
    pub hosts: Vec<String>,
}

impl Shop {
    /// For a database that was migrated.
    pub fn new(pool: PgPool, hosts: Vec<String>, shelf: recorder::Shelf) -> Arc<Self> {
        Self::limited(pool, hosts, shelf, Limits::default())
    }

    /// The same with other limits.
    pub fn limited(pool: PgPool, hosts: Vec<String>, shelf: recorder::Shelf, limits: Limits) -> Arc<Self> {
        let (registry, shelf) = (Arc::new(Registry::default()), Arc::new(shelf));
        Arc::new(Self {
            pool,
            registry,
            hub: live::Hub::default(),
            background: crew::Background::default(),
            shelf,
            limits,
            hosts,
        })
    }
}

/// How long others may keep silent.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// A body of a request.
    pub body_silence: Duration,
    /// A page that is open: no word from it, or nothing taken of what it is sent.
    pub page_silence: Duration,
}

impl Default for Limits {
    fn default() -> Self {
        Self { body_silence: Duration::from_secs(30), page_silence: Duration::from_secs(90) }
    }
}

/// Largest body of a request, bytes.
pub const LARGEST_BODY: usize = 64 << 20;

/// The names by which a server on a port of the loopback interface may be called.
pub fn loopback_hosts(port: u16) -> Vec<String> {
    ["127.0.0.1", "localhost", "[::1]"].iter().map(|name| format!("{name}:{port}")).collect()
}

/// Serves on a bound socket until it is stopped.
pub async fn serve(shop: Arc<Shop>, listener: TcpListener) -> std::io::Result<()> {
    let server = HttpServer::new(move || {
        App::new()
            .app_data(routes::Data::from(shop.clone()))
            .wrap(actix_web::middleware::from_fn(guard::check))
            .wrap(actix_web::middleware::Compress::default())
            .configure(api::routes)
            .configure(live::routes)
            .default_service(routes::to(web::page))
    });
    // Who closes the connection does not wait for the answer any more: what is worked out for it is given up.
    let server = server.workers(2).shutdown_timeout(3).h1_allow_half_closed(false);
    server.listen(listener)?.run().await
}
