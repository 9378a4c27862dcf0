//! Files that are ordered: written by whoever takes the ticket, and there once.

use crate::common::{PATIENCE, Served, scene};
use serde_json::{Value, json};
use std::io::Cursor;
use std::sync::Arc;
use std::time::Duration;
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::motion::Cancel;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;
use zickzack_server::jobs::{Habits, Results, Stopping, Ticket, Wanted, hand_in, work};
use zickzack_server::store::jobs::{self, Turn};
use zickzack_session::{HandOff, Session};

/// A worker within this process.
struct Worker {
    stopping: Stopping,
    task: actix_web::rt::task::JoinHandle<()>,
}

impl Worker {
    fn at(served: &Served) -> Self {
        let stopping = Stopping::default();
        let habits = Habits { gone: Duration::from_secs(2), ..Habits::default() };
        let task = actix_web::rt::spawn(work(served.shop.clone(), habits, stopping.clone()));
        Self { stopping, task }
    }

    /// Stops it in order.
    async fn stop(self) {
        self.stopping.stop();
        tokio::time::timeout(PATIENCE, self.task).await.expect("it stops").unwrap();
    }

    /// Ends it as when its process is killed.
    fn kill(self) {
        self.task.abort();
    }
}

impl Served {
    async fn order(&self, scene: &str, wanted: Value) -> String {
        let (status, made) =
            self.post(&format!("/api/scenes/{scene}/files"), &json!({ "wanted": wanted, "browser": "me" })).await;
        assert_eq!(status, 200, "{made}");
        made["id"].as_str().unwrap().to_owned()
    }

    async fn told(&self, id: &str) -> Value {
        let (_, told) = self.get("/api/files?browser=me").await;
        told["files"].as_array().unwrap().iter().find(|file| file["id"] == id).cloned().unwrap_or(Value::Null)
    }

    /// What is told of a file once that fits.
    async fn file(&self, id: &str, what: &str, fits: impl Fn(&Value) -> bool) -> Value {
        let mut told = Value::Null;
        let waited = tokio::time::timeout(PATIENCE, async {
            loop {
                told = self.told(id).await;
                if fits(&told) {
                    return;
                }
                tokio::time::sleep(Duration::from_millis(20)).await;
            }
        });
        assert!(waited.await.is_ok(), "{what}: {told}");
        told
    }

    async fn in_state(&self, id: &str, state: &str) -> Value {
        self.file(id, state, |told| told["state"] == state).await
    }

    async fn content(&self, id: &str) -> Result<Vec<u8>, String> {
        let path = format!("{}/api/files/{id}/content", self.base);
        let mut answer = self.client.get(path).timeout(PATIENCE).force_close().send().await.unwrap();
        let body = answer.body().limit(256 << 20).await.unwrap().to_vec();
        if answer.status().is_success() { Ok(body) } else { Err(String::from_utf8(body).unwrap()) }
    }
}

fn few(form: &str) -> Value {
    json!({ "from": 0, "to": 24, "step": 1, "form": form })
}

/// What takes long enough to be stopped at: it counts on being stopped.
fn long() -> Value {
    json!({ "from": 0, "to": 900_000, "step": 0.1, "form": "csv", "node": "out" })
}

/// What a form holds of a scene, written here.
fn written_here(document: &Value, wanted: &Value) -> Vec<u8> {
    let registry = Arc::new(Registry::default());
    let scene = Scene::from_value(document.clone(), &registry.schemas).unwrap();
    let session = Session::new(registry, scene, Arc::default());
    let (cancel, wanted) = (Cancel::default(), serde_json::from_value::<Wanted>(wanted.clone()).unwrap());
    let compiled = session.compile(&Memo::default(), &AtOnce, &cancel);
    let hand_off = HandOff::of(&session, &compiled, |node| wanted.wants(node));
    let mut out = Cursor::new(Vec::new());
    let order = wanted.order(&session.scene).unwrap();
    hand_off.write(&order, || Ok(Cursor::new(Vec::new())), &mut out, &cancel).unwrap();
    out.into_inner()
}

#[actix_web::test]
async fn files_of_every_form_come_as_they_are_written_elsewhere_with_what_is_told_of_them() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let worker = Worker::at(&served);
    for form in ["csv", "contacts", "glb", "usda", "usdz"] {
        let file = served.order(&id, few(form)).await;
        let told = served.in_state(&file, "done").await;
        assert_eq!(
            told["file"],
            if form == "contacts" { "Round contacts.csv".to_owned() } else { format!("Round.{form}") }
        );
        assert!(told["own"] == true && told["there"] == true && told["reached"] == 1.0, "{told}");
        let content = served.content(&file).await.unwrap();
        assert_eq!(told["bytes"], content.len());
        assert!(content == written_here(&scene(), &few(form)), "{form}");
        let (status, report) = served.get(&format!("/api/files/{file}/report")).await;
        assert_eq!((status, &report["form"], &report["frames"]), (200, &json!(form), &json!([0.0, 24.0])), "{report}");
        let read_back = report["outputs"][0]["read_back"].as_array().unwrap();
        assert_eq!(read_back.is_empty(), form != "glb", "{report}");
    }
    worker.stop().await;
}

#[actix_web::test]
async fn what_is_not_right_is_refused_when_it_is_ordered_and_what_does_not_work_when_it_is_worked_at() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    for (wanted, words) in [
        (json!({ "from": 9, "to": 3, "step": 1 }), "after the first"),
        (json!({ "from": 0, "to": 9, "step": 0 }), "step"),
        (json!({ "from": 0, "to": 9, "step": 1, "form": "gif" }), "form must be"),
    ] {
        let (status, told) = served.post(&format!("/api/scenes/{id}/files"), &json!({ "wanted": wanted })).await;
        assert_eq!(status, 422, "{told}");
        assert!(told["message"].as_str().unwrap().contains(words), "{told}");
    }
    let nowhere = format!("/api/scenes/{}/files", uuid::Uuid::new_v4());
    assert_eq!(served.post(&nowhere, &json!({ "wanted": few("csv") })).await.0, 404);
    assert_eq!(served.get("/api/files").await.1["files"], json!([]));
    let worker = Worker::at(&served);
    for (wanted, words) in [
        (json!({ "from": 0, "to": 9, "step": 1, "node": "path" }), "no working Output"),
        (few("bvh"), "No Output has things with joints"),
        (json!({ "from": 0, "to": 1e6, "step": 0.001, "form": "csv" }), "million poses are more"),
    ] {
        let file = served.order(&id, wanted).await;
        let told = served.in_state(&file, "failed").await;
        assert!(told["failure"].as_str().unwrap().contains(words), "{told}");
        assert!(served.content(&file).await.unwrap_err().contains("not there yet"));
        assert_eq!(served.get(&format!("/api/files/{file}/report")).await.0, 404);
    }
    worker.stop().await;
}

#[actix_web::test]
async fn a_file_is_of_the_scene_as_it_was_ordered_and_of_none_that_was_deleted() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let file = served.order(&id, few("csv")).await;
    assert_eq!(served.get("/api/files").await.1["workers"], 0);
    let mut page = served.open(&id, "a").await;
    page.edited(json!([{ "op": "put", "at": ["nodes", "ride", "params", "riders"], "value": 2 }])).await.unwrap();
    let worker = Worker::at(&served);
    served.in_state(&file, "done").await;
    assert_eq!(served.get("/api/files").await.1["workers"], 1);
    assert!(served.content(&file).await.unwrap() == written_here(&scene(), &few("csv")));
    worker.stop().await;
    let file = served.order(&id, few("csv")).await;
    let gone = served.client.delete(format!("{}/api/scenes/{id}", served.base)).send().await.unwrap();
    assert_eq!(gone.status().as_u16(), 204);
    let worker = Worker::at(&served);
    let told = served.in_state(&file, "failed").await;
    assert!(told["failure"].as_str().unwrap().starts_with("Its scene was deleted"), "{told}");
    served.post(&format!("/api/scenes/{id}/restore"), &Value::Null).await;
    assert_eq!(served.post(&format!("/api/files/{file}/again"), &Value::Null).await.0, 204);
    served.in_state(&file, "done").await;
    worker.stop().await;
}

#[actix_web::test]
async fn the_scene_is_kept_as_it_is_to_the_last_bit_until_its_file_is_there() {
    let served = Served::start().await;
    let mut document = scene();
    document["nodes"]["path"]["params"]["points"][0]["at"] = json!([0.0, 5e-324, 0.1 + 0.2]);
    let id = served.bring_in(&document).await;
    let file = served.order(&id, few("csv")).await;
    let mut connection = <sqlx::PgConnection as sqlx::Connection>::connect(&served.database).await.unwrap();
    let kept = "SELECT document::text FROM jobs";
    let text: String = sqlx::query_scalar(kept).fetch_one(&mut connection).await.unwrap();
    let exported = served.get(&format!("/api/scenes/{id}/file")).await.1;
    assert_eq!(text, serde_json::to_string(&exported).unwrap());
    assert!(text.contains("[0.0,5e-324,0.30000000000000004]"), "{text}");
    let worker = Worker::at(&served);
    served.in_state(&file, "done").await;
    let text: Option<String> = sqlx::query_scalar(kept).fetch_one(&mut connection).await.unwrap();
    assert_eq!(text, None);
    worker.stop().await;
}

#[actix_web::test]
async fn what_is_stopped_leaves_no_file_whether_it_waited_or_was_worked_at_and_can_be_ordered_again() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let waits = served.order(&id, few("csv")).await;
    let act = async |file: &str, what: &str| served.post(&format!("/api/files/{file}/{what}"), &Value::Null).await;
    assert_eq!(act(&waits, "stop").await.0, 204);
    let runs = served.order(&id, long()).await;
    let worker = Worker::at(&served);
    let told = served
        .file(&runs, "some of it", |told| told["state"] == "running" && told["reached"].as_f64() > Some(0.0))
        .await;
    assert!(told["doing"] == "writing" && told["worker"].is_string(), "{told}");
    assert_eq!(act(&runs, "again").await.0, 409);
    assert_eq!(act(&runs, "stop").await.0, 204);
    assert_eq!(served.told(&runs).await["state"], "stopped");
    // The worker is free for others.
    let other = served.order(&id, few("glb")).await;
    served.in_state(&other, "done").await;
    assert_eq!(act(&other, "stop").await.0, 409);
    assert!(served.content(&runs).await.is_err());
    assert_eq!(served.told(&waits).await["state"], "stopped");
    assert_eq!(act(&waits, "again").await.0, 204);
    served.in_state(&waits, "done").await;
    // Off the list, its file is gone too.
    let path = format!("{}/api/files/{waits}", served.base);
    assert_eq!(served.client.delete(&path).send().await.unwrap().status().as_u16(), 204);
    assert!(served.content(&waits).await.unwrap_err().contains("no such order"));
    assert_eq!(served.client.delete(&path).send().await.unwrap().status().as_u16(), 404);
    worker.stop().await;
}

#[actix_web::test]
async fn a_worker_that_stops_gives_back_what_it_was_at_and_one_that_is_killed_has_it_taken_over() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let file = served.order(&id, long()).await;
    let running = |told: &Value| told["state"] == "running" && told["reached"].as_f64() > Some(0.0);
    let worker = Worker::at(&served);
    served.file(&file, "begun", running).await;
    worker.stop().await;
    served.in_state(&file, "waiting").await;
    let worker = Worker::at(&served);
    served.file(&file, "begun again", running).await;
    worker.kill();
    // Whoever takes it over does something that ends.
    served.in_database(&format!("UPDATE jobs SET wanted = '{}' WHERE id = '{file}'", few("csv"))).await;
    let worker = Worker::at(&served);
    served.in_state(&file, "done").await;
    assert!(served.content(&file).await.unwrap() == written_here(&scene(), &few("csv")));
    worker.stop().await;
}

#[actix_web::test]
async fn who_comes_back_late_finds_that_another_has_its_work_and_what_ends_its_workers_is_given_up() {
    let served = Served::start().await;
    let (pool, id) = (&served.shop.pool, served.bring_in(&scene()).await);
    let file = served.order(&id, few("csv")).await;
    let number = file.parse().unwrap();
    let mut connection = <sqlx::PgConnection as sqlx::Connection>::connect(&served.database).await.unwrap();
    let ticket: uuid::Uuid = sqlx::query_scalar("SELECT ticket FROM jobs WHERE id = $1")
        .bind(number)
        .fetch_one(&mut connection)
        .await
        .unwrap();
    let begin = async |name: &str| jobs::begin(pool, (number, ticket), name).await.unwrap().unwrap();
    let (late, first) = (begin("late").await, begin("first").await);
    let [late, first] = [late.turn, first.turn].map(|turn| Turn { id: number, turn });
    assert!(jobs::tell(pool, first, ("writing", 0.5)).await.unwrap());
    assert!(!jobs::tell(pool, late, ("writing", 0.9)).await.unwrap());
    assert!(!jobs::done(pool, late, ("late", 1), &Value::Null).await.unwrap());
    assert!(!jobs::fail(pool, late, "late").await.unwrap() && !jobs::give_back(pool, late).await.unwrap());
    assert_eq!(served.told(&file).await["reached"], 0.5);
    assert!(jobs::done(pool, first, ("first", 1), &Value::Null).await.unwrap());
    assert!(jobs::begin(pool, (number, ticket), "another").await.unwrap().is_none(), "what is done is not begun with");
    // Another ticket than the one that counts is void.
    assert!(jobs::begin(pool, (number, uuid::Uuid::new_v4()), "another").await.unwrap().is_none());

    let file = served.order(&id, few("csv")).await;
    served.in_database(&format!("UPDATE jobs SET lost = 4, state = 'running' WHERE id = '{file}'")).await;
    let worker = Worker::at(&served);
    let told = served.in_state(&file, "failed").await;
    assert!(told["failure"].as_str().unwrap().starts_with("5 workers ended while they were at it"), "{told}");
    worker.stop().await;
}

#[actix_web::test]
async fn what_has_no_ticket_gets_one_and_two_tickets_are_one_file() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let file = served.order(&id, few("csv")).await;
    // As when the server ends right after it took the order.
    served.in_database("DELETE FROM apalis.jobs").await;
    served.in_database("UPDATE jobs SET asked_at = now() - interval '1 minute'").await;
    let worker = Worker::at(&served);
    served.in_state(&file, "done").await;
    let before = served.told(&file).await;
    let _ = hand_in(&served.shop.pool, Ticket { job: file.parse().unwrap(), ticket: uuid::Uuid::new_v4() }).await;
    let other = served.order(&id, few("csv")).await;
    served.in_state(&other, "done").await;
    assert_eq!(served.told(&file).await, before);
    worker.stop().await;
}

#[actix_web::test]
async fn files_stay_within_their_budget_and_what_was_thrown_away_says_so() {
    let one = written_here(&scene(), &few("csv")).len() as u64;
    let folder = tempfile::tempdir().unwrap();
    let results = Results::open(folder.path().to_str().unwrap(), 2 * one + one / 2, std::iter::empty()).unwrap();
    let served = Served::keeping(results).await;
    let id = served.bring_in(&scene()).await;
    let worker = Worker::at(&served);
    let mut files = Vec::new();
    for _ in 0..3 {
        files.push(served.order(&id, few("csv")).await);
        served.in_state(files.last().unwrap(), "done").await;
    }
    let told = served.file(&files[0], "thrown away", |told| told["there"] == false).await;
    assert_eq!(told["state"], "done");
    assert!(served.content(&files[0]).await.unwrap_err().contains("thrown away to make room"));
    assert!(served.content(&files[1]).await.is_ok() && served.content(&files[2]).await.is_ok());
    let mut lie = std::fs::read_dir(folder.path()).unwrap().count();
    for _ in 0..100 {
        if lie == 2 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
        lie = std::fs::read_dir(folder.path()).unwrap().count();
    }
    assert_eq!(lie, 2, "nothing else lies there");
    let large = served.order(&id, json!({ "from": 0, "to": 96, "step": 1, "form": "csv" })).await;
    let told = served.in_state(&large, "failed").await;
    assert!(told["failure"].as_str().unwrap().contains("all files together may have"), "{told}");
    // A file that somebody took away is said to be gone.
    for entry in std::fs::read_dir(folder.path()).unwrap() {
        std::fs::remove_file(entry.unwrap().path()).unwrap();
    }
    assert!(served.content(&files[2]).await.unwrap_err().contains("not there any more"));
    worker.stop().await;
    assert_eq!(served.get("/health").await.0, 200);
    std::fs::remove_dir_all(folder.path()).unwrap();
    let (status, told) = served.get("/health").await;
    assert!(status == 503 && told["files"].as_str().unwrap().starts_with("nothing can be put into"), "{told}");
}

#[test]
fn a_store_that_cannot_be_used_says_so_before_anybody_waits_for_a_file() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("file");
    std::fs::write(&file, "").unwrap();
    let told = Results::open(file.to_str().unwrap(), 1, std::iter::empty()).err().unwrap();
    assert!(told.contains("cannot be used"), "{told}");
}
