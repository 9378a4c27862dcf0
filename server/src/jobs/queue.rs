//! Tickets for what was ordered: handed to one worker at a time, and to another one where that worker was not heard of.

use crate::api::Refusal;
use apalis::prelude::{TaskBuilder, TaskSink};
use apalis_postgres::{Config, PostgresStorage};
use serde::{Deserialize, Serialize};
use sqlx::PgPool;
use std::time::Duration;
use uuid::Uuid;

/// What a worker is handed: which job, and which order of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ticket {
    pub job: Uuid,
    pub ticket: Uuid,
}

/// Tickets of this version: workers of another one may work out something else, and are not handed any.
pub const QUEUE: &str = concat!("files ", env!("CARGO_PKG_VERSION"));

/// Handed out so many times at most: what ends its workers is given up before.
const HANDED_OUT: usize = 1000;
/// Parts of the time after which a worker counts as gone between its signs of life.
const SIGNS: u32 = 5;
/// Workers that were heard of so lately are there.
const THERE: &str = "interval '1 minute'";

/// As a worker or one that hands in sees it, where workers count as gone after so long.
pub fn storage(pool: &PgPool, gone: Duration) -> PostgresStorage<Ticket> {
    let config = Config::default()
        .queue(QUEUE)
        // One at a time: what one holds no other can have.
        .batch_size(1)
        .heartbeat_interval((gone / SIGNS).max(Duration::from_millis(200)))
        .missed_heartbeats(SIGNS as usize);
    PostgresStorage::new(pool).with_config(config)
}

/// Hands in a ticket; again is once.
///
/// # Errors
/// A passing refusal where the database does not take it.
pub async fn hand_in(pool: &PgPool, ticket: Ticket) -> Result<(), Refusal> {
    let task = TaskBuilder::new(ticket).idempotency_key(ticket.ticket.to_string()).max_attempts(HANDED_OUT).build();
    storage(pool, Duration::from_secs(20)).push_task(task).await.map_err(|error| {
        tracing::error!("a ticket cannot be handed in: {error}");
        Refusal::full("The queue does not take it just now: ask again.")
    })
}

/// Hands in tickets for what waits without one, since whoever took the order ended before that.
///
/// # Errors
/// What the database says.
pub async fn mend(pool: &PgPool) -> Result<(), Refusal> {
    let waiting: Vec<(Uuid, Uuid)> = sqlx::query_as(
        "SELECT id, ticket FROM jobs WHERE state IN ('waiting', 'running') AND asked_at < now() - interval '10 seconds' \
         AND NOT EXISTS (SELECT FROM apalis.jobs AS tickets WHERE tickets.idempotency_key = jobs.ticket::text)",
    )
    .fetch_all(pool)
    .await?;
    for (job, ticket) in waiting {
        hand_in(pool, Ticket { job, ticket }).await?;
    }
    Ok(())
}

/// How many workers are there for what waits.
///
/// # Errors
/// What the database says.
pub async fn workers(pool: &PgPool) -> Result<i64, sqlx::Error> {
    let there = format!("SELECT count(*) FROM apalis.workers WHERE worker_type = $1 AND last_seen > now() - {THERE}");
    sqlx::query_scalar(sqlx::AssertSqlSafe(there)).bind(QUEUE).fetch_one(pool).await
}

/// Forgets tickets that were done with, and workers that are gone, some time ago.
///
/// # Errors
/// What the database says.
pub async fn tidy(pool: &PgPool) -> Result<(), sqlx::Error> {
    sqlx::query("DELETE FROM apalis.jobs WHERE status IN ('Done', 'Killed') AND done_at < now() - interval '1 day'")
        .execute(pool)
        .await?;
    sqlx::query(
        "DELETE FROM apalis.workers WHERE last_seen < now() - interval '1 day' \
         AND NOT EXISTS (SELECT FROM apalis.jobs WHERE lock_by = workers.id)",
    )
    .execute(pool)
    .await
    .map(|_| ())
}
