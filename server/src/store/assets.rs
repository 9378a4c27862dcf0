//! Files by content hash.

use sqlx::{PgExecutor, PgPool};
use zickzack_formats::files::hash;

/// Keeps a file and gives its hash; keeping it again changes only when that was.
///
/// # Errors
/// What the database says.
pub async fn keep(executor: impl PgExecutor<'_>, media: &str, content: &[u8]) -> Result<String, sqlx::Error> {
    let hash = hash(content);
    let kept = "INSERT INTO assets (hash, media, content) VALUES ($1, $2, $3) \
                ON CONFLICT (hash) DO UPDATE SET kept_at = now()";
    sqlx::query(kept).bind(&hash).bind(media).bind(content).execute(executor).await?;
    Ok(hash)
}

/// A file's bytes, if it is kept.
///
/// # Errors
/// What the database says.
pub async fn content(pool: &PgPool, hash: &str) -> Result<Option<Vec<u8>>, sqlx::Error> {
    sqlx::query_scalar("SELECT content FROM assets WHERE hash = $1").bind(hash).fetch_optional(pool).await
}

/// True where a file is kept; it is kept anew, so that it is not thrown away before something refers to it.
///
/// # Errors
/// What the database says.
pub async fn is_there(executor: impl PgExecutor<'_>, hash: &str) -> Result<bool, sqlx::Error> {
    let found = sqlx::query("UPDATE assets SET kept_at = now() WHERE hash = $1").bind(hash).execute(executor).await?;
    Ok(found.rows_affected() > 0)
}

/// A file's media type and bytes, if it is kept.
///
/// # Errors
/// What the database says.
pub async fn find(pool: &PgPool, hash: &str) -> Result<Option<(String, Vec<u8>)>, sqlx::Error> {
    sqlx::query_as("SELECT media, content FROM assets WHERE hash = $1").bind(hash).fetch_optional(pool).await
}
