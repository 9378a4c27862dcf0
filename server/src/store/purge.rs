//! What is thrown away in the end: deleted scenes and versions, old edits, files that nothing refers to.

use sqlx::PgPool;
use std::time::Duration;

/// How long it is kept, days.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Kept {
    /// Scenes and versions that were deleted, and files since nothing refers to them or they were brought in last.
    pub deleted: u32,
    /// Edits, but for the last of each scene.
    pub edits: u32,
}

impl Default for Kept {
    fn default() -> Self {
        Self { deleted: 30, edits: 365 }
    }
}

/// Edits of each scene that are kept however old they are: they can be taken back.
const LAST_EDITS: i64 = 1000;
/// How often it is looked for.
const EVERY: Duration = Duration::from_secs(24 * 3600);

/// What was thrown away.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Purged {
    pub scenes: u64,
    pub versions: u64,
    pub edits: u64,
    pub files: u64,
    pub jobs: u64,
}

/// Throws away what was kept for long enough; all of it or nothing.
///
/// # Errors
/// What the database says.
pub async fn purge(pool: &PgPool, kept: Kept) -> Result<Purged, sqlx::Error> {
    let [deleted, edits] = [kept.deleted, kept.edits].map(f64::from);
    let mut transaction = pool.begin().await?;
    let scenes = sqlx::query("DELETE FROM scenes WHERE deleted_at < now() - $1 * interval '1 day'")
        .bind(deleted)
        .execute(&mut *transaction)
        .await?;
    let versions = sqlx::query("DELETE FROM versions WHERE deleted_at < now() - $1 * interval '1 day'")
        .bind(deleted)
        .execute(&mut *transaction)
        .await?;
    let old = sqlx::query(
        "DELETE FROM edits USING scenes WHERE edits.scene = scenes.id AND edits.revision <= least(scenes.revision - $2, scenes.written) \
         AND edits.at < now() - $1 * interval '1 day'",
    )
    .bind(edits)
    .bind(LAST_EDITS)
    .execute(&mut *transaction)
    .await?;
    // Where their files lie nobody wants them then, and they are taken away as such.
    let jobs = sqlx::query("DELETE FROM jobs WHERE ended_at < now() - $1 * interval '1 day'")
        .bind(deleted)
        .execute(&mut *transaction)
        .await?;
    // Whatever looks like the name of a file anywhere, also in what can be taken back or done again, refers to it.
    let files = sqlx::query(
        "DELETE FROM assets WHERE kept_at < now() - $1 * interval '1 day' AND hash NOT IN ( \
         SELECT found[1] FROM (SELECT document::text FROM scenes UNION ALL SELECT document::text FROM versions \
         UNION ALL SELECT document::text FROM jobs WHERE document IS NOT NULL UNION ALL SELECT ops::text FROM edits UNION ALL SELECT inverse::text FROM edits) AS texts (text), \
         regexp_matches(text, '[0-9a-f]{64}', 'g') AS found)",
    )
    .bind(deleted)
    .execute(&mut *transaction)
    .await?;
    transaction.commit().await?;
    Ok(Purged {
        jobs: jobs.rows_affected(),
        scenes: scenes.rows_affected(),
        versions: versions.rows_affected(),
        edits: old.rows_affected(),
        files: files.rows_affected(),
    })
}

/// Throws away once a day, from now on.
pub async fn purge_daily(pool: PgPool, kept: Kept) {
    loop {
        match purge(&pool, kept).await {
            Ok(purged) if purged == Purged::default() => {}
            Ok(Purged { scenes, versions, edits, files, jobs }) => {
                tracing::info!(scenes, versions, edits, files, jobs, "thrown away, since it was kept for long enough")
            }
            // It is tried again tomorrow; until then nothing is missing.
            Err(error) => tracing::warn!("nothing was thrown away: {error}"),
        }
        tokio::time::sleep(EVERY).await;
    }
}
