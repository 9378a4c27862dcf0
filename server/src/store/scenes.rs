//! Scenes with their documents, as they were written last.

use chrono::{DateTime, Utc};
use serde_json::Value;
use sqlx::types::Json;
use sqlx::{FromRow, PgExecutor, PgPool};
use uuid::Uuid;
use zickzack_core::scene::{Scene, Space};

/// A scene as it is kept.
#[derive(Debug, Clone, FromRow)]
pub struct Row {
    /// JSON.
    pub document: String,
    /// The revision at which its document was written.
    pub written: i64,
    pub revision: i64,
}

/// What is listed of a scene, as it stands in its document.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    pub name: String,
    pub frames: String,
    pub fps: String,
    pub space: String,
}

impl From<&Scene> for Listed {
    fn from(scene: &Scene) -> Self {
        let space = match scene.space {
            Space::Flat => "flat",
            Space::Deep => "deep",
        };
        Self {
            name: scene.name.clone(),
            frames: scene.frames.to_string(),
            fps: scene.fps.to_string(),
            space: space.to_owned(),
        }
    }
}

/// What is listed of a scene; its document is not read.
#[derive(Debug, Clone, FromRow)]
pub struct Summary {
    pub id: Uuid,
    pub name: String,
    pub revision: i64,
    pub changed_at: DateTime<Utc>,
    /// As it stands in the document.
    pub frames: Option<String>,
    pub fps: Option<String>,
    pub space: Option<String>,
}

/// At most `most` that were not deleted, the one changed last first, whose names hold all of `words`; those that come
/// after the one that was changed at `after`.
///
/// # Errors
/// What the database says.
pub async fn list(
    pool: &PgPool,
    words: &[String],
    after: Option<(DateTime<Utc>, Uuid)>,
    most: i64,
) -> Result<Vec<Summary>, sqlx::Error> {
    let (at, id) = after.unzip();
    let plain = |word: &String| word.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_");
    let patterns: Vec<String> = words.iter().map(|word| format!("%{}%", plain(word))).collect();
    sqlx::query_as(
        "SELECT id, name, revision, changed_at, frames, fps, space FROM scenes \
         WHERE deleted_at IS NULL AND name ILIKE ALL ($1) AND ($2::timestamptz IS NULL OR (changed_at, id) < ($2, $3)) \
         ORDER BY changed_at DESC, id DESC LIMIT $4",
    )
    .bind(patterns)
    .bind(at)
    .bind(id)
    .bind(most)
    .fetch_all(pool)
    .await
}

/// The scenes of a name.
///
/// # Errors
/// What the database says.
pub async fn named(pool: &PgPool, name: &str) -> Result<Vec<Uuid>, sqlx::Error> {
    sqlx::query_scalar("SELECT id FROM scenes WHERE name = $1 AND deleted_at IS NULL").bind(name).fetch_all(pool).await
}

/// One that was not deleted, as far as it was written.
///
/// # Errors
/// What the database says.
pub async fn find(pool: &PgPool, id: Uuid) -> Result<Option<Row>, sqlx::Error> {
    let found = "SELECT document::text AS document, written, revision FROM scenes WHERE id = $1 AND deleted_at IS NULL";
    sqlx::query_as(found).bind(id).fetch_optional(pool).await
}

/// Keeps a new scene. With the name of a demo that is there already nothing happens.
///
/// # Errors
/// What the database says.
pub async fn insert(
    executor: impl PgExecutor<'_>,
    listed: &Listed,
    document: &Value,
    demo: Option<&str>,
) -> Result<Option<Uuid>, sqlx::Error> {
    sqlx::query_scalar(
        "INSERT INTO scenes (id, name, document, demo, frames, fps, space) VALUES ($1, $2, $3, $4, $5, $6, $7) \
         ON CONFLICT (demo) DO NOTHING RETURNING id",
    )
    .bind(Uuid::new_v4())
    .bind(&listed.name)
    .bind(Json(document))
    .bind(demo)
    .bind(&listed.frames)
    .bind(&listed.fps)
    .bind(&listed.space)
    .fetch_optional(executor)
    .await
}

/// Marks as deleted, or takes that back; false when there is no such scene.
///
/// # Errors
/// What the database says.
pub async fn set_deleted(pool: &PgPool, id: Uuid, deleted: bool) -> Result<bool, sqlx::Error> {
    sqlx::query("UPDATE scenes SET deleted_at = CASE WHEN $2 THEN now() END WHERE id = $1")
        .bind(id)
        .bind(deleted)
        .execute(pool)
        .await
        .map(|done| done.rows_affected() > 0)
}
