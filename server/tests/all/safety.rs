//! What happens when the database fails: nothing that was acknowledged is lost, nothing is done twice.

use crate::common::{PATIENCE, Served, new_database, scene};
use serde_json::{Value, json};
use std::net::SocketAddr;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};
use zickzack_server::store;

fn named(id: &str, name: &str) -> Value {
    json!([{ "op": "put", "at": ["nodes", id], "value": { "type": "launch", "name": name } }])
}

#[actix_web::test]
async fn a_full_disk_is_said_and_the_edit_is_taken_when_there_is_room() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    served
        .in_database(
            "CREATE FUNCTION no_room() RETURNS trigger LANGUAGE plpgsql AS \
             $$ BEGIN RAISE EXCEPTION 'could not extend file' USING ERRCODE = '53100'; END $$; \
             CREATE TRIGGER no_room BEFORE INSERT ON edits FOR EACH ROW EXECUTE FUNCTION no_room();",
        )
        .await;
    let sequence = page.edit(named("a", "A")).await;
    let refused = page.kind("refused").await;
    assert_eq!((refused["sequence"].as_i64(), refused["later"].as_bool()), (Some(sequence), Some(true)));
    assert!(refused["message"].as_str().unwrap().contains("disk of the database is full"), "{refused}");
    served.in_database("DROP TRIGGER no_room ON edits").await;
    page.sequence -= 1;
    assert_eq!(page.edited(named("a", "A")).await.unwrap(), 1);
}

/// Each error of the database passes or lasts, and what is said of it fits.
#[actix_web::test]
async fn every_error_of_the_database_says_whether_it_passes() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    let kinds = [
        ("53200", true, "cannot be reached just now"),
        ("40P01", true, "cannot be reached just now"),
        ("57014", true, "cannot be reached just now"),
        ("23505", true, "cannot be reached just now"),
        ("28P01", true, "cannot be reached just now"),
        ("3D000", true, "cannot be reached just now"),
        ("XX000", true, "cannot be reached just now"),
        ("22P05", false, "cannot keep this text or number"),
        ("54000", false, "larger than the database can keep"),
        ("23514", false, "refuses that for good"),
        ("42703", false, "refuses that for good"),
    ];
    for (i, (code, passes, words)) in kinds.into_iter().enumerate() {
        served
            .in_database(&format!(
                "CREATE OR REPLACE FUNCTION trouble() RETURNS trigger LANGUAGE plpgsql AS \
                 $$ BEGIN RAISE EXCEPTION 'trouble' USING ERRCODE = '{code}'; END $$; \
                 CREATE TRIGGER trouble BEFORE INSERT ON edits FOR EACH ROW EXECUTE FUNCTION trouble();",
            ))
            .await;
        let sequence = page.edit(named(&format!("n{i}"), "A")).await;
        let refused = page.kind("refused").await;
        assert_eq!(
            (refused["sequence"].as_i64(), refused["later"].as_bool()),
            (Some(sequence), Some(passes)),
            "{code}: {refused}"
        );
        assert!(refused["message"].as_str().unwrap().contains(words), "{code}: {refused}");
        served.in_database("DROP TRIGGER trouble ON edits").await;
        if passes {
            // Asked again it is kept: once.
            page.sequence -= 1;
            page.edited(named(&format!("n{i}"), "A")).await.unwrap();
        }
    }
}

#[actix_web::test]
async fn connections_that_break_at_any_moment_lose_and_double_nothing() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    let mut other = served.open(&id, "two").await;
    page.kind("scene").await;
    other.kind("scene").await;
    let database = served.database.clone();
    let breaker = actix_web::rt::spawn(async move {
        use sqlx::{Connection, Executor, PgConnection};
        for round in 0..40u64 {
            let mut connection = PgConnection::connect(&database).await.unwrap();
            let kill = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity \
                        WHERE datname = current_database() AND pid <> pg_backend_pid()";
            let _ = connection.execute(kill).await;
            tokio::time::sleep(std::time::Duration::from_millis(3 + 7 * (round % 5))).await;
        }
    });
    let mut last = 0;
    for i in 0..60 {
        let revision = page.edited_at_last(named(&format!("n{i}"), &format!("Throw {i}"))).await;
        assert!(revision > last, "in the order in which they were made");
        last = revision;
    }
    breaker.await.unwrap();
    assert_eq!(last, 60, "each exactly once");
    let again = Served::on(served.database.clone()).await;
    let (_, file) = again.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!((0..60).filter(|i| file["nodes"][format!("n{i}")].is_object()).count(), 60);
    // The other page was told of every one, by edits or by the scene as it was read anew.
    let revision = other.edited_at_last(named("end", "End")).await;
    assert_eq!(revision, 61);
}

#[actix_web::test]
async fn what_another_server_did_meanwhile_is_read_anew_and_then_the_edit_fits() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut here = served.open(&id, "one").await;
    here.kind("scene").await;
    let elsewhere = Served::on(served.database.clone()).await;
    let mut there = elsewhere.open(&id, "two").await;
    there.kind("scene").await;
    assert_eq!(there.edited(named("b", "B")).await.unwrap(), 1);
    assert_eq!(here.edited_at_last(named("a", "A")).await, 2);
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert!(file["nodes"]["a"].is_object() && file["nodes"]["b"].is_object());
}

#[actix_web::test]
async fn an_edit_left_behind_by_a_page_that_is_gone_is_taken_once_under_its_name() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "new").await;
    page.kind("scene").await;
    let left = json!({ "kind": "edit", "sequence": 7, "label": "left", "client": "gone", "ops": named("a", "A") });
    for _ in 0..2 {
        page.say(&left).await;
        let done = page.until(|m| m["kind"] == "edited" && m["client"] == "gone").await;
        assert_eq!((done["revision"].as_i64(), done["sequence"].as_i64()), (Some(1), Some(7)));
    }
    assert!(page.undo().await.unwrap_err().contains("nothing to undo"), "it was not this page's doing");
}

#[actix_web::test]
async fn an_edit_of_a_deleted_scene_waits_until_it_is_brought_back() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let room = served.shop.hub.room(&served.shop, id.parse().unwrap()).await.unwrap();
    let wish = || zickzack_server::live::Wish::Edit {
        label: "test".to_owned(),
        ops: serde_json::from_value(named("a", "A")).unwrap(),
    };
    let address = format!("{}/api/scenes/{id}", served.base);
    served.client.delete(&address).send().await.unwrap();
    assert!(room.act(&served.shop, "one", 1, wish()).await.is_err());
    let refused = room.act(&served.shop, "one", 1, wish()).await.unwrap_err();
    assert!(refused.is_missing(), "{refused}");
    served.post(&format!("/api/scenes/{id}/restore"), &json!(null)).await;
    assert!(room.act(&served.shop, "one", 1, wish()).await.unwrap().is_none());
}

#[actix_web::test]
async fn a_page_that_asks_is_told_that_the_server_is_there() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    page.edited(named("a", "A")).await.unwrap();
    page.say(&json!({ "kind": "here" })).await;
    assert_eq!(page.kind("here").await["revision"], 1);
}

/// Passes on what comes at `from` to a database.
async fn stands_in(from: SocketAddr, database: SocketAddr) {
    let listener = TcpListener::bind(from).await.unwrap();
    loop {
        let (mut page, _) = listener.accept().await.unwrap();
        actix_web::rt::spawn(async move {
            let mut database = TcpStream::connect(database).await.unwrap();
            let _ = tokio::io::copy_bidirectional(&mut page, &mut database).await;
        });
    }
}

/// An address of the loopback interface at which nobody listens.
fn nobody() -> SocketAddr {
    std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap()
}

/// The address in the name of a database, and the name with another address.
fn moved(database: &str, to: SocketAddr) -> (SocketAddr, String) {
    let (start, rest) = database.split_once("//").unwrap();
    let (host, name) = rest.split_once('/').unwrap();
    let (user, address) = host.rsplit_once('@').map_or((String::new(), host), |(user, at)| (format!("{user}@"), at));
    let address = address.replace("localhost", "127.0.0.1");
    let address = if address.contains(':') { address } else { format!("{address}:5432") };
    (address.parse().unwrap(), format!("{start}//{user}{to}/{name}"))
}

#[actix_web::test]
async fn a_database_that_comes_later_is_waited_for_and_that_is_said_once() {
    let at = nobody();
    let (real, url) = moved(&new_database().await, at);
    let mut said = Vec::new();
    let pool = store::connect(&url, PATIENCE, |why| {
        said.push(why.to_string());
        // It is asked some times in vain first.
        actix_web::rt::spawn(async move {
            tokio::time::sleep(Duration::from_secs(1)).await;
            stands_in(at, real).await;
        });
    });
    let pool = pool.await.unwrap();
    let scenes: i64 = sqlx::query_scalar("SELECT count(*) FROM scenes").fetch_one(&pool).await.unwrap();
    assert_eq!((scenes, said.len()), (0, 1), "{said:?}");
}

#[actix_web::test]
async fn waiting_ends_and_what_waiting_does_not_mend_is_said_at_once() {
    let mut waited = 0;
    let (_, nowhere) = moved(&new_database().await, nobody());
    let gone = store::connect(&nowhere, Duration::from_secs(1), |_| waited += 1).await.unwrap_err();
    assert!(matches!(gone, sqlx::Error::Io(_)), "{gone}");
    assert_eq!(waited, 1);
    let unknown = format!("{}_unknown", new_database().await);
    for wrong in [unknown.as_str(), "postgres://:port/", "no address"] {
        let refused = store::connect(wrong, PATIENCE, |why| panic!("waits for {why}")).await.unwrap_err();
        assert!(matches!(refused, sqlx::Error::Database(_) | sqlx::Error::Configuration(_)), "{wrong}: {refused}");
    }
}
