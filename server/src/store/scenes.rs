//! Scenes with their current document.

use chrono::{DateTime, Utc};
use serde_json::Value;
use sqlx::types::Json;
use sqlx::{FromRow, PgExecutor, PgPool};
use uuid::Uuid;

/// A scene as it is kept.
#[derive(Debug, Clone, FromRow)]
pub struct Row {
    pub id: Uuid,
    pub name: String,
    pub document: Json<Value>,
    pub revision: i64,
    pub changed_at: DateTime<Utc>,
}

/// All that were not deleted, the one changed last first.
pub async fn list(pool: &PgPool) -> Result<Vec<Row>, sqlx::Error> {
    sqlx::query_as(
        "SELECT id, name, document, revision, changed_at FROM scenes WHERE deleted_at IS NULL \
         ORDER BY changed_at DESC, name LIMIT 500",
    )
    .fetch_all(pool)
    .await
}

/// One that was not deleted.
pub async fn find(pool: &PgPool, id: Uuid) -> Result<Option<Row>, sqlx::Error> {
    sqlx::query_as("SELECT id, name, document, revision, changed_at FROM scenes WHERE id = $1 AND deleted_at IS NULL")
        .bind(id)
        .fetch_optional(pool)
        .await
}

/// Keeps a new scene. With the name of a demo that is there already nothing happens.
pub async fn insert(
    executor: impl PgExecutor<'_>,
    name: &str,
    document: &Value,
    demo: Option<&str>,
) -> Result<Option<Uuid>, sqlx::Error> {
    sqlx::query_scalar(
        "INSERT INTO scenes (id, name, document, demo) VALUES ($1, $2, $3, $4) ON CONFLICT (demo) DO NOTHING RETURNING id",
    )
    .bind(Uuid::new_v4())
    .bind(name)
    .bind(Json(document))
    .bind(demo)
    .fetch_optional(executor)
    .await
}

/// Marks as deleted, or takes that back; false when there is no such scene.
pub async fn set_deleted(pool: &PgPool, id: Uuid, deleted: bool) -> Result<bool, sqlx::Error> {
    sqlx::query("UPDATE scenes SET deleted_at = CASE WHEN $2 THEN now() END WHERE id = $1")
        .bind(id)
        .bind(deleted)
        .execute(pool)
        .await
        .map(|done| done.rows_affected() > 0)
}
