//! Files that were ordered, and how far they are.

use chrono::{DateTime, Utc};
use serde_json::Value;
use sqlx::{FromRow, PgExecutor, PgPool};
use uuid::Uuid;

/// One that is ordered.
pub struct Ordered<'a> {
    /// Its number and that of the ticket for it.
    pub id: Uuid,
    pub ticket: Uuid,
    /// The scene, its name, and its document as it is, as JSON.
    pub scene: Uuid,
    pub scene_name: &'a str,
    pub document: &'a str,
    /// Name of the file.
    pub file: &'a str,
    /// Who orders it.
    pub asked_by: &'a str,
    /// What it is to hold, and how.
    pub wanted: &'a Value,
}

/// What is told of one.
#[derive(FromRow)]
pub struct Row {
    pub id: Uuid,
    pub scene: Uuid,
    pub scene_name: String,
    pub file: String,
    pub asked_by: String,
    pub asked_at: DateTime<Utc>,
    pub state: String,
    pub worker: Option<String>,
    pub doing: Option<String>,
    /// From 0 to 1.
    pub reached: f64,
    /// Seconds that it has been worked at, or was.
    pub seconds: Option<f64>,
    pub failure: Option<String>,
    /// Whether its file is still there.
    pub there: bool,
    pub bytes: Option<i64>,
    pub wanted: Value,
}

const ROW: &str = "SELECT id, scene, scene_name, file, asked_by, asked_at, state, worker, doing, reached, \
    extract(epoch FROM coalesce(ended_at, now()) - begun_at)::double precision AS seconds, failure, \
    result IS NOT NULL AS there, bytes, wanted FROM jobs ";

/// One that a worker has begun with.
#[derive(FromRow)]
pub struct Begun {
    pub turn: i32,
    /// How often a worker was gone while it was at it.
    pub lost: i32,
    pub scene: Uuid,
    pub document: Option<String>,
    pub wanted: Value,
    pub file: String,
}

/// Where a file lies.
#[derive(FromRow)]
pub struct Lies {
    pub file: String,
    pub state: String,
    pub result: Option<String>,
    pub wanted: Value,
}

/// Takes an order.
///
/// # Errors
/// What the database says.
pub async fn order(executor: impl PgExecutor<'_>, ordered: &Ordered<'_>) -> Result<(), sqlx::Error> {
    let insert = "INSERT INTO jobs (id, ticket, scene, scene_name, document, file, asked_by, wanted) \
                  VALUES ($1, $2, $3, $4, $5::json, $6, $7, $8)";
    let Ordered { id, ticket, scene, scene_name, document, file, asked_by, wanted } = ordered;
    let insert = sqlx::query(insert).bind(id).bind(ticket).bind(scene).bind(scene_name).bind(document);
    insert.bind(file).bind(asked_by).bind(wanted).execute(executor).await.map(|_| ())
}

/// The last that were ordered: first what is worked at, then what waits in the order in which it has its turn.
///
/// # Errors
/// What the database says.
pub async fn list(pool: &PgPool, most: i64) -> Result<Vec<Row>, sqlx::Error> {
    let order = "ORDER BY CASE state WHEN 'running' THEN 0 WHEN 'waiting' THEN 1 ELSE 2 END, \
                 CASE state WHEN 'waiting' THEN asked_at END, asked_at DESC LIMIT $1";
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{ROW}{order}"))).bind(most).fetch_all(pool).await
}

/// One of them.
///
/// # Errors
/// What the database says.
pub async fn find(pool: &PgPool, id: Uuid) -> Result<Option<Row>, sqlx::Error> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{ROW}WHERE id = $1"))).bind(id).fetch_optional(pool).await
}

/// What is told of its file; nothing while there is none.
///
/// # Errors
/// What the database says.
pub async fn report(pool: &PgPool, id: Uuid) -> Result<Option<Value>, sqlx::Error> {
    let report: Option<Option<Value>> =
        sqlx::query_scalar("SELECT report FROM jobs WHERE id = $1").bind(id).fetch_optional(pool).await?;
    Ok(report.flatten())
}

/// Where its file lies.
///
/// # Errors
/// What the database says.
pub async fn result(pool: &PgPool, id: Uuid) -> Result<Option<Lies>, sqlx::Error> {
    let found = "SELECT file, state, result, wanted FROM jobs WHERE id = $1";
    sqlx::query_as(found).bind(id).fetch_optional(pool).await
}

/// Begins with what a ticket is for; nothing where it is not wanted any more. Who was at it has lost it.
///
/// # Errors
/// What the database says.
pub async fn begin(pool: &PgPool, (id, ticket): (Uuid, Uuid), worker: &str) -> Result<Option<Begun>, sqlx::Error> {
    let begin = "UPDATE jobs SET turn = turn + 1, lost = lost + (state = 'running')::integer, state = 'running', \
                 worker = $3, doing = NULL, reached = 0, begun_at = now(), ended_at = NULL, failure = NULL \
                 WHERE id = $1 AND ticket = $2 AND state IN ('waiting', 'running') \
                 RETURNING turn, lost, scene, document::text AS document, wanted, file";
    sqlx::query_as(begin).bind(id).bind(ticket).bind(worker).fetch_optional(pool).await
}

/// Which turn of which job a worker has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Turn {
    pub id: Uuid,
    pub turn: i32,
}

/// Says how far it is. False where it is not the worker's any more.
///
/// # Errors
/// What the database says.
pub async fn tell(pool: &PgPool, turn: Turn, (doing, reached): (&str, f64)) -> Result<bool, sqlx::Error> {
    let tell = "UPDATE jobs SET doing = $3, reached = $4 WHERE id = $1 AND turn = $2 AND state = 'running'";
    let told = sqlx::query(tell).bind(turn.id).bind(turn.turn).bind(doing).bind(reached).execute(pool).await?;
    Ok(told.rows_affected() > 0)
}

/// Its file lies somewhere. False where it is not the worker's any more: then nobody has that file.
///
/// # Errors
/// What the database says.
pub async fn done(
    pool: &PgPool,
    turn: Turn,
    (result, bytes): (&str, i64),
    report: &Value,
) -> Result<bool, sqlx::Error> {
    let done = "UPDATE jobs SET state = 'done', result = $3, bytes = $4, report = $5, document = NULL, doing = NULL, \
                reached = 1, ended_at = now() WHERE id = $1 AND turn = $2 AND state = 'running'";
    let done = sqlx::query(done).bind(turn.id).bind(turn.turn).bind(result).bind(bytes).bind(report);
    Ok(done.execute(pool).await?.rows_affected() > 0)
}

/// There will be no file, for a reason.
///
/// # Errors
/// What the database says.
pub async fn fail(pool: &PgPool, turn: Turn, why: &str) -> Result<bool, sqlx::Error> {
    let fail = "UPDATE jobs SET state = 'failed', failure = $3, doing = NULL, ended_at = now() \
                WHERE id = $1 AND turn = $2 AND state = 'running'";
    // What no text of a database can hold is nothing that anybody could read.
    let failed = sqlx::query(fail).bind(turn.id).bind(turn.turn).bind(why.replace('\0', "")).execute(pool).await?;
    Ok(failed.rows_affected() > 0)
}

/// It waits for another worker.
///
/// # Errors
/// What the database says.
pub async fn give_back(pool: &PgPool, turn: Turn) -> Result<bool, sqlx::Error> {
    let back = "UPDATE jobs SET state = 'waiting', worker = NULL, doing = NULL, reached = 0, begun_at = NULL \
                WHERE id = $1 AND turn = $2 AND state = 'running'";
    Ok(sqlx::query(back).bind(turn.id).bind(turn.turn).execute(pool).await?.rows_affected() > 0)
}

/// It is not wanted any more. False where it had ended already.
///
/// # Errors
/// What the database says.
pub async fn stop(pool: &PgPool, id: Uuid) -> Result<bool, sqlx::Error> {
    let stop = "UPDATE jobs SET state = 'stopped', doing = NULL, ended_at = now() \
                WHERE id = $1 AND state IN ('waiting', 'running')";
    Ok(sqlx::query(stop).bind(id).execute(pool).await?.rows_affected() > 0)
}

/// One that failed or was stopped is wanted again, by a new ticket. False where it is not such.
///
/// # Errors
/// What the database says.
pub async fn again(pool: &PgPool, id: Uuid, ticket: Uuid) -> Result<bool, sqlx::Error> {
    let again = "UPDATE jobs SET state = 'waiting', ticket = $2, lost = 0, worker = NULL, reached = 0, begun_at = NULL, \
                 ended_at = NULL, failure = NULL, asked_at = now() WHERE id = $1 AND state IN ('failed', 'stopped')";
    Ok(sqlx::query(again).bind(id).bind(ticket).execute(pool).await?.rows_affected() > 0)
}

/// It is forgotten; gives where its file lay, and nothing where there was no such job.
///
/// # Errors
/// What the database says.
pub async fn forget(pool: &PgPool, id: Uuid) -> Result<Option<Option<String>>, sqlx::Error> {
    sqlx::query_scalar("DELETE FROM jobs WHERE id = $1 RETURNING result").bind(id).fetch_optional(pool).await
}

/// Files of jobs that are to be thrown away so that those that are left have at most so many bytes, oldest first. The jobs know it at
/// once.
///
/// # Errors
/// What the database says.
pub async fn tidy(pool: &PgPool, most: i64) -> Result<Vec<String>, sqlx::Error> {
    let tidy = "UPDATE jobs SET result = NULL FROM \
                (SELECT id, result, sum(bytes) OVER (ORDER BY ended_at DESC, id) AS filled FROM jobs WHERE result IS NOT NULL) AS lies \
                WHERE jobs.id = lies.id AND lies.filled > $1 RETURNING lies.result";
    sqlx::query_scalar(tidy).bind(most).fetch_all(pool).await
}

/// Those of some keys that are the file of no job.
///
/// # Errors
/// What the database says.
pub async fn of_none(pool: &PgPool, keys: &[String]) -> Result<Vec<String>, sqlx::Error> {
    let none = "SELECT key FROM unnest($1::text[]) AS given (key) \
                WHERE NOT EXISTS (SELECT FROM jobs WHERE result = given.key)";
    sqlx::query_scalar(none).bind(keys).fetch_all(pool).await
}
