//! Which scenes are being worked out, for the server that comes after this one.

use sqlx::PgPool;
use uuid::Uuid;

/// Ends of servers after which a scene is not worked out by itself any more.
const MOST: i32 = 2;

/// The scenes that are held back from now on. Those that were being worked out when the last server ended have that
/// counted: one alone has brought it down, and of several whichever is there when another one ends too.
///
/// # Errors
/// What the database says.
pub async fn judged(pool: &PgPool) -> Result<Vec<Uuid>, sqlx::Error> {
    let mut transaction = pool.begin().await?;
    let running: i64 =
        sqlx::query_scalar("SELECT count(*) FROM trials WHERE running").fetch_one(&mut *transaction).await?;
    let counts = if running == 1 { MOST } else { 1 };
    sqlx::query("UPDATE trials SET running = false, ended = ended + $1 WHERE running")
        .bind(counts)
        .execute(&mut *transaction)
        .await?;
    let held = sqlx::query_scalar("SELECT scene FROM trials WHERE ended >= $1").bind(MOST).fetch_all(&mut *transaction);
    let held = held.await?;
    transaction.commit().await?;
    Ok(held)
}

/// A scene is being worked out. One that is gone meanwhile is nobody's.
///
/// # Errors
/// What the database says.
pub async fn begins(pool: &PgPool, scene: Uuid) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO trials (scene, running) SELECT id, true FROM scenes WHERE id = $1 \
         ON CONFLICT (scene) DO UPDATE SET running = true",
    )
    .bind(scene)
    .execute(pool)
    .await
    .map(|_| ())
}

/// It is not any more; where it was done, nothing is held against it.
///
/// # Errors
/// What the database says.
pub async fn ends(pool: &PgPool, scene: Uuid, done: bool) -> Result<(), sqlx::Error> {
    sqlx::query("UPDATE trials SET running = false, ended = CASE WHEN $2 THEN 0 ELSE ended END WHERE scene = $1")
        .bind(scene)
        .bind(done)
        .execute(pool)
        .await
        .map(|_| ())
}

/// Somebody wants it worked out all the same: once more.
///
/// # Errors
/// What the database says.
pub async fn again(pool: &PgPool, scene: Uuid) -> Result<(), sqlx::Error> {
    sqlx::query("UPDATE trials SET ended = $2 WHERE scene = $1")
        .bind(scene)
        .bind(MOST - 1)
        .execute(pool)
        .await
        .map(|_| ())
}

/// The server stops in order: nothing of what it was at has brought it down.
///
/// # Errors
/// What the database says.
pub async fn rest(pool: &PgPool) -> Result<(), sqlx::Error> {
    sqlx::query("UPDATE trials SET running = false WHERE running").execute(pool).await.map(|_| ())
}
