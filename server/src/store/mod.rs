//! What is kept in PostgreSQL: one file per table.

pub mod assets;
pub mod edits;
pub mod scenes;
pub mod versions;

use sqlx::PgPool;
use sqlx::postgres::PgPoolOptions;
use std::time::Duration;

/// Connects and brings the tables up to date.
pub async fn connect(url: &str) -> Result<PgPool, sqlx::Error> {
    let pool = PgPoolOptions::new().max_connections(8).acquire_timeout(Duration::from_secs(3)).connect(url).await?;
    sqlx::migrate!("./migrations").run(&pool).await?;
    Ok(pool)
}
