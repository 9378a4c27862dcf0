//! What is thrown away in the end, and what is not.

use crate::common::{Served, scene};
use serde_json::{Value, json};
use sqlx::Row;
use zickzack_server::store::purge::{Kept, Purged, purge};

async fn count(served: &Served, what: &str) -> i64 {
    let statement = sqlx::AssertSqlSafe(format!("SELECT count(*) FROM {what}"));
    sqlx::query(statement).fetch_one(&served.shop.pool).await.unwrap().get(0)
}

/// A file that was brought in so many days ago; its hash.
async fn file(served: &Served, text: &str, days: u32) -> String {
    let hash = zickzack_server::store::assets::keep(&served.shop.pool, "text/plain", text.as_bytes()).await.unwrap();
    served
        .in_database(&format!("UPDATE assets SET kept_at = now() - interval '{days} days' WHERE hash = '{hash}'"))
        .await;
    hash
}

/// A scene that refers to a file and was deleted so many days ago.
async fn deleted(served: &Served, hash: &str, days: u32) -> String {
    let mut document = scene();
    document["assets"] = json!({ "a.svg": { "hash": hash, "media": "image/svg+xml" } });
    let id = served.bring_in(&document).await;
    served
        .in_database(&format!("UPDATE scenes SET deleted_at = now() - interval '{days} days' WHERE id = '{id}'"))
        .await;
    id
}

#[actix_web::test]
async fn what_was_kept_for_long_enough_is_thrown_away_and_nothing_else() {
    let served = Served::start().await;
    let pool = &served.shop.pool;
    let id = served.bring_in(&scene()).await;
    let hashes = [file(&served, "old scene's", 400).await, file(&served, "new scene's", 400).await];
    let (long, short) = (deleted(&served, &hashes[0], 31).await, deleted(&served, &hashes[1], 29).await);
    let undone = file(&served, "in an edit that can be taken back", 400).await;
    let (unused, new) = (file(&served, "unused", 31).await, file(&served, "unused and new", 29).await);
    // What was brought in again since is as new; so is what was referred to, of which the scenes' files are.
    served
        .in_database("UPDATE assets SET kept_at = now() - interval '400 days' WHERE kept_at > now() - interval '1 day'")
        .await;
    let again = file(&served, "brought in again", 400).await;
    assert_eq!(zickzack_server::store::assets::keep(pool, "text/plain", b"brought in again").await.unwrap(), again);
    let edits = format!(
        "INSERT INTO edits (scene, revision, client, sequence, kind, label, ops, inverse, after, at) \
         SELECT '{id}', i, 'c', i, 'edit', 'x', '[]', CASE i WHEN 300 THEN '[\"{undone}\"]' ELSE '[]' END::json, '[]', \
         now() - (CASE WHEN i <= 250 THEN 366 ELSE 364 END) * interval '1 day' FROM generate_series(1, 1400) AS i"
    );
    served.in_database(&edits).await;
    served.in_database(&format!("UPDATE scenes SET revision = 1400, written = 200 WHERE id = '{id}'")).await;
    for (name, days) in [("Long", 31), ("Short", 29)] {
        let (_, made) = served.post(&format!("/api/scenes/{id}/versions"), &json!({ "name": name })).await;
        let version = made["id"].as_str().unwrap();
        let past = format!("UPDATE versions SET deleted_at = now() - interval '{days} days' WHERE id = '{version}'");
        served.in_database(&past).await;
    }
    let purged = purge(pool, Kept::default()).await.unwrap();
    // Those that lead from the document to the scene are needed, however old they are.
    assert_eq!(purged, Purged { scenes: 1, versions: 1, edits: 200, files: 2, jobs: 0 });
    served.in_database(&format!("UPDATE scenes SET written = 1400 WHERE id = '{id}'")).await;
    assert_eq!(purge(pool, Kept::default()).await.unwrap(), Purged { edits: 50, ..Purged::default() });
    for (id, there) in [(&id, 1), (&long, 0), (&short, 1)] {
        assert_eq!(count(&served, &format!("scenes WHERE id = '{id}'")).await, there);
    }
    for (hash, there) in [(&hashes[0], 0), (&unused, 0), (&hashes[1], 1), (&undone, 1), (&new, 1), (&again, 1)] {
        assert_eq!(count(&served, &format!("assets WHERE hash = '{hash}'")).await, there, "{hash}");
    }
    assert_eq!(count(&served, "edits WHERE revision > 250").await, 1150);
    assert_eq!(purge(pool, Kept::default()).await.unwrap(), Purged::default());
    // The last thousand edits are kept however old they are, and a scene that comes back is whole.
    assert_eq!(purge(pool, Kept { edits: 0, ..Kept::default() }).await.unwrap().edits, 150);
    assert_eq!(served.post(&format!("/api/scenes/{short}/restore"), &Value::Null).await.0, 204);
    assert_eq!(served.get(&format!("/api/scenes/{short}/file")).await.1["assets"]["a.svg"]["text"], "new scene's");
}
