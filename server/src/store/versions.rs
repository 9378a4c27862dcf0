//! States of scenes that were kept under a name.

use chrono::{DateTime, Utc};
use serde_json::Value;
use sqlx::types::Json;
use sqlx::{FromRow, PgPool};
use uuid::Uuid;

/// A version without its document.
#[derive(Debug, Clone, FromRow)]
pub struct Row {
    pub id: Uuid,
    pub name: String,
    pub revision: i64,
    pub made_at: DateTime<Utc>,
}

/// Keeps a state.
///
/// # Errors
/// What the database says.
pub async fn insert(
    pool: &PgPool,
    scene: Uuid,
    name: &str,
    revision: i64,
    document: &Value,
) -> Result<Row, sqlx::Error> {
    sqlx::query_as(
        "INSERT INTO versions (id, scene, name, revision, document) VALUES ($1, $2, $3, $4, $5) \
         RETURNING id, name, revision, made_at",
    )
    .bind(Uuid::new_v4())
    .bind(scene)
    .bind(name)
    .bind(revision)
    .bind(Json(document))
    .fetch_one(pool)
    .await
}

/// All of a scene, the newest first.
///
/// # Errors
/// What the database says.
pub async fn list(pool: &PgPool, scene: Uuid) -> Result<Vec<Row>, sqlx::Error> {
    sqlx::query_as(
        "SELECT id, name, revision, made_at FROM versions WHERE scene = $1 AND deleted_at IS NULL \
         ORDER BY made_at DESC LIMIT 500",
    )
    .bind(scene)
    .fetch_all(pool)
    .await
}

/// The document of one.
///
/// # Errors
/// What the database says.
pub async fn document(pool: &PgPool, scene: Uuid, id: Uuid) -> Result<Option<Value>, sqlx::Error> {
    sqlx::query_scalar("SELECT document FROM versions WHERE scene = $1 AND id = $2")
        .bind(scene)
        .bind(id)
        .fetch_optional(pool)
        .await
        .map(|found| found.map(|Json(document)| document))
}

/// Another name; false when it is not there.
///
/// # Errors
/// What the database says.
pub async fn rename(pool: &PgPool, scene: Uuid, id: Uuid, name: &str) -> Result<bool, sqlx::Error> {
    sqlx::query("UPDATE versions SET name = $3 WHERE scene = $1 AND id = $2 AND deleted_at IS NULL")
        .bind(scene)
        .bind(id)
        .bind(name)
        .execute(pool)
        .await
        .map(|done| done.rows_affected() > 0)
}

/// Marks as deleted, or takes that back; false when it is not there.
///
/// # Errors
/// What the database says.
pub async fn set_deleted(pool: &PgPool, scene: Uuid, id: Uuid, deleted: bool) -> Result<bool, sqlx::Error> {
    sqlx::query("UPDATE versions SET deleted_at = CASE WHEN $3 THEN now() END WHERE scene = $1 AND id = $2")
        .bind(scene)
        .bind(id)
        .bind(deleted)
        .execute(pool)
        .await
        .map(|done| done.rows_affected() > 0)
}
