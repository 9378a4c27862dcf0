//! Every edit of every scene, with what undoes it.

use serde_json::Value;
use sqlx::types::Json;
use sqlx::{FromRow, PgExecutor, PgPool};
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

/// An edit to be kept.
pub struct New<'a> {
    pub scene: Uuid,
    pub revision: i64,
    pub client: &'a str,
    pub sequence: i64,
    pub kind: &'static str,
    pub label: &'a str,
    pub ops: &'a [Op],
    pub inverse: &'a [Op],
    pub after: &'a [(Vec<String>, Option<Value>)],
}

/// Keeps an edit.
pub async fn insert(executor: impl PgExecutor<'_>, edit: &New<'_>) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO edits (scene, revision, client, sequence, kind, label, ops, inverse, after) \
         VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)",
    )
    .bind(edit.scene)
    .bind(edit.revision)
    .bind(edit.client)
    .bind(edit.sequence)
    .bind(edit.kind)
    .bind(edit.label)
    .bind(Json(edit.ops))
    .bind(Json(edit.inverse))
    .bind(Json(edit.after))
    .execute(executor)
    .await?;
    Ok(())
}

/// The revision that a client's message led to, when it arrived before.
pub async fn known(pool: &PgPool, scene: Uuid, client: &str, sequence: i64) -> Result<Option<i64>, sqlx::Error> {
    sqlx::query_scalar("SELECT revision FROM edits WHERE scene = $1 AND client = $2 AND sequence = $3")
        .bind(scene)
        .bind(client)
        .bind(sequence)
        .fetch_optional(pool)
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
    pub async fn row(self, pool: &PgPool, scene: Uuid, client: &str) -> Result<Option<Row>, sqlx::Error> {
        let query = format!("SELECT revision, label, ops, inverse, after {}", self.found());
        sqlx::query_as(sqlx::AssertSqlSafe(query)).bind(scene).bind(client).fetch_optional(pool).await
    }

    /// Its name alone: the rest may be large.
    pub async fn label(self, pool: &PgPool, scene: Uuid, client: &str) -> Result<Option<String>, sqlx::Error> {
        let query = format!("SELECT label {}", self.found());
        sqlx::query_scalar(sqlx::AssertSqlSafe(query)).bind(scene).bind(client).fetch_optional(pool).await
    }
}

/// Marks an edit as taken back by another.
pub async fn mark_undone(
    executor: impl PgExecutor<'_>,
    scene: Uuid,
    revision: i64,
    by: i64,
) -> Result<(), sqlx::Error> {
    sqlx::query("UPDATE edits SET undone_by = $3 WHERE scene = $1 AND revision = $2")
        .bind(scene)
        .bind(revision)
        .bind(by)
        .execute(executor)
        .await?;
    Ok(())
}
