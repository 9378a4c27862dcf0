//! What is kept in PostgreSQL: one file per table.

pub mod assets;
pub mod edits;
pub mod jobs;
pub mod purge;
pub mod scenes;
pub mod trials;
pub mod versions;

use apalis_postgres::PostgresStorage;
use sqlx::migrate::MigrateError;
use sqlx::postgres::{PgConnectOptions, PgPoolOptions};
use sqlx::{Connection, PgConnection, PgPool};
use std::str::FromStr;
use std::time::{Duration, Instant};

/// Most connections that a server has to its database.
const CONNECTIONS: u32 = 8;
/// How long a request waits for one of them.
const FOR_A_CONNECTION: Duration = Duration::from_secs(10);
/// How long a connection may have idled before it is asked whether it still stands; asking costs as much as an edit.
const UNASKED: Duration = Duration::from_secs(1);
/// How long the database is left alone before it is asked again while the server starts.
const BETWEEN: Duration = Duration::from_millis(250);

/// Connects and brings the tables up to date. A database that is not there yet is waited for; `waits` is told once,
/// when the waiting begins, what is waited for and why.
///
/// # Errors
/// What the database said last when it was not there within `patience`, and at once what waiting does not mend: an
/// address that is none, a password, a database that does not exist, tables of a later version.
pub async fn connect(
    url: &str,
    patience: Duration,
    mut waits: impl FnMut(&sqlx::Error),
) -> Result<PgPool, sqlx::Error> {
    let options = PgConnectOptions::from_str(url)?;
    let since = Instant::now();
    let mut told = false;
    loop {
        let left = patience.saturating_sub(since.elapsed());
        match ready(&options, left.max(BETWEEN)).await {
            Err(error) if may_come(&error) && since.elapsed() < patience => {
                if !std::mem::replace(&mut told, true) {
                    waits(&error);
                }
            }
            Err(error) => return Err(error),
            Ok(()) => {
                let pool = PgPoolOptions::new()
                    .max_connections(CONNECTIONS)
                    .acquire_timeout(FOR_A_CONNECTION)
                    .test_before_acquire(false)
                    .before_acquire(|connection, meta| {
                        Box::pin(async move { Ok(meta.idle_for < UNASKED || connection.ping().await.is_ok()) })
                    });
                return Ok(pool.connect_lazy_with(options));
            }
        }
        tokio::time::sleep(BETWEEN).await;
    }
}

/// Brings the tables up to date over a connection of its own: a pool would keep to itself why there is none.
async fn ready(options: &PgConnectOptions, patience: Duration) -> Result<(), sqlx::Error> {
    let late = |_| sqlx::Error::Io(std::io::Error::from(std::io::ErrorKind::TimedOut));
    let mut connection = tokio::time::timeout(patience, PgConnection::connect_with(options)).await.map_err(late)??;
    sqlx::migrate!("./migrations").run(&mut connection).await?;
    // The queue has tables of its own.
    PostgresStorage::<()>::migrations().run(&mut connection).await?;
    connection.close().await
}

/// True where the database may be there later: nobody answers, it starts or stops, it is full of others, or the
/// connection broke.
fn may_come(error: &sqlx::Error) -> bool {
    match error {
        sqlx::Error::Io(_) | sqlx::Error::Protocol(_) => true,
        sqlx::Error::Database(error) => {
            error.code().is_some_and(|code| ["08", "53", "57"].iter().any(|class| code.starts_with(class)))
        }
        sqlx::Error::Migrate(error) => match &**error {
            MigrateError::Execute(error) | MigrateError::ExecuteMigration(error, _) => may_come(error),
            _ => false,
        },
        _ => false,
    }
}
