//! Every edit of every scene, with what undoes it.

use super::scenes::Listed;
use serde_json::Value;
use sqlx::types::Json;
use sqlx::{FromRow, PgPool};
use uuid::Uuid;
use zickzack_core::scene::Op;

/// An edit as it is kept.
#[derive(Debug, Clone, FromRow)]
pub struct Row {
    pub revision: i64,
    pub label: String,
    pub ops: Json<Vec<Op>>,
    pub inverse: Json<Vec<Op>>,
    pub after: Json<Vec<(Vec<String>, Option<Value>)>>,
}

/// An edit to be kept, its lists as JSON.
pub struct New {
    pub revision: i64,
    pub client: String,
    pub sequence: i64,
    pub kind: &'static str,
    pub label: String,
    pub ops: String,
    pub inverse: String,
    pub after: String,
}

/// The scene after them.
pub struct Now<'a> {
    /// What is listed of it.
    pub listed: &'a Listed,
    /// As JSON, where it is time to write it down.
    pub document: Option<&'a str>,
    /// The revision before them.
    pub from: i64,
    /// The edit that the only one of them takes back.
    pub takes_back: Option<i64>,
}

/// Keeps edits of a scene, one after the other, and the scene after them: all of it or nothing. It gives how many were
/// kept: none where the scene is at another revision, or gone.
///
/// # Errors
/// What the database says.
pub async fn keep(pool: &PgPool, scene: Uuid, now: &Now<'_>, edits: &[&New]) -> Result<u64, sqlx::Error> {
    let text = |of: fn(&New) -> &str| edits.iter().map(|edit| of(edit).to_owned()).collect::<Vec<String>>();
    let number = |of: fn(&New) -> i64| edits.iter().map(|edit| of(edit)).collect::<Vec<i64>>();
    sqlx::query(
        "WITH kept AS ( \
           UPDATE scenes SET name = $2, document = coalesce($3::text::json, document), revision = $4 + $6, \
             written = CASE WHEN $3 IS NULL THEN written ELSE $4 + $6 END, frames = $15, fps = $16, space = $17, \
             changed_at = now() \
           WHERE id = $1 AND revision = $4 AND deleted_at IS NULL RETURNING id), \
         taken_back AS ( \
           UPDATE edits SET undone_by = $4 + 1 FROM kept WHERE edits.scene = kept.id AND edits.revision = $5) \
         INSERT INTO edits (scene, revision, client, sequence, kind, label, ops, inverse, after) \
         SELECT kept.id, e.revision, e.client, e.sequence, e.kind, e.label, e.ops::json, e.inverse::json, e.after::json \
         FROM kept, unnest($7::bigint[], $8::text[], $9::bigint[], $10::text[], $11::text[], $12::text[], $13::text[], $14::text[]) \
           AS e (revision, client, sequence, kind, label, ops, inverse, after)",
    )
    .bind(scene)
    .bind(&now.listed.name)
    .bind(now.document)
    .bind(now.from)
    .bind(now.takes_back)
    .bind(edits.len() as i64)
    .bind(number(|edit| edit.revision))
    .bind(text(|edit| &edit.client))
    .bind(number(|edit| edit.sequence))
    .bind(text(|edit| edit.kind))
    .bind(text(|edit| &edit.label))
    .bind(text(|edit| &edit.ops))
    .bind(text(|edit| &edit.inverse))
    .bind(text(|edit| &edit.after))
    .bind(&now.listed.frames)
    .bind(&now.listed.fps)
    .bind(&now.listed.space)
    .execute(pool)
    .await
    .map(|done| done.rows_affected())
}

/// What was done from one revision up to another, in order, as JSON.
///
/// # Errors
/// What the database says.
pub async fn between(pool: &PgPool, scene: Uuid, from: i64, to: i64) -> Result<Vec<String>, sqlx::Error> {
    sqlx::query_scalar(
        "SELECT ops::text FROM edits WHERE scene = $1 AND revision > $2 AND revision <= $3 ORDER BY revision",
    )
    .bind(scene)
    .bind(from)
    .bind(to)
    .fetch_all(pool)
    .await
}

/// The last sequence number of a client, and the revision that its message with this number led to, when it arrived
/// before.
///
/// # Errors
/// What the database says.
pub async fn sent(
    pool: &PgPool,
    scene: Uuid,
    client: &str,
    sequence: i64,
) -> Result<(Option<i64>, Option<i64>), sqlx::Error> {
    sqlx::query_as(
        "SELECT max(sequence), max(revision) FILTER (WHERE sequence = $3) FROM edits WHERE scene = $1 AND client = $2",
    )
    .bind(scene)
    .bind(client)
    .bind(sequence)
    .fetch_one(pool)
    .await
}

/// The client's last edit that was not undone.
const UNDOABLE: &str = "FROM edits WHERE scene = $1 AND client = $2 AND kind IN ('edit', 'redo') AND undone_by IS NULL \
                        ORDER BY revision DESC LIMIT 1";
/// The client's last undo that was not taken back, unless it has edited since.
const REDOABLE: &str = "FROM edits u WHERE scene = $1 AND client = $2 AND kind = 'undo' AND undone_by IS NULL \
                        AND NOT EXISTS (SELECT 1 FROM edits e WHERE e.scene = $1 AND e.client = $2 \
                                        AND e.kind = 'edit' AND e.revision > u.revision) \
                        ORDER BY revision DESC LIMIT 1";

/// What a client would take back, or do again.
#[derive(Debug, Clone, Copy)]
pub enum Last {
    Undoable,
    Redoable,
}

impl Last {
    const fn found(self) -> &'static str {
        match self {
            Self::Undoable => UNDOABLE,
            Self::Redoable => REDOABLE,
        }
    }

    /// All of it.
    ///
    /// # Errors
    /// What the database says.
    pub async fn row(self, pool: &PgPool, scene: Uuid, client: &str) -> Result<Option<Row>, sqlx::Error> {
        let query = format!("SELECT revision, label, ops, inverse, after {}", self.found());
        sqlx::query_as(sqlx::AssertSqlSafe(query)).bind(scene).bind(client).fetch_optional(pool).await
    }

    /// Its name alone: the rest may be large.
    ///
    /// # Errors
    /// What the database says.
    pub async fn label(self, pool: &PgPool, scene: Uuid, client: &str) -> Result<Option<String>, sqlx::Error> {
        let query = format!("SELECT label {}", self.found());
        sqlx::query_scalar(sqlx::AssertSqlSafe(query)).bind(scene).bind(client).fetch_optional(pool).await
    }
}
