//! Files by content hash.

use sqlx::{PgExecutor, PgPool};

/// The hash by which a file is known.
pub fn hash(content: &str) -> String {
    blake3::hash(content.as_bytes()).to_hex().to_string()
}

/// Keeps a file and gives its hash; keeping it again changes nothing.
pub async fn keep(executor: impl PgExecutor<'_>, media: &str, content: &str) -> Result<String, sqlx::Error> {
    let hash = hash(content);
    sqlx::query("INSERT INTO assets (hash, media, content) VALUES ($1, $2, $3) ON CONFLICT (hash) DO NOTHING")
        .bind(&hash)
        .bind(media)
        .bind(content)
        .execute(executor)
        .await?;
    Ok(hash)
}

/// A file's text, if it is kept.
pub async fn text(pool: &PgPool, hash: &str) -> Result<Option<String>, sqlx::Error> {
    sqlx::query_scalar("SELECT content FROM assets WHERE hash = $1").bind(hash).fetch_optional(pool).await
}
