//! A server of its own for each test, with a database of its own.
#![allow(dead_code)]

use awc::ws::{Codec, Frame, Message};
use awc::{BoxedSocket, Client};
use futures_util::{SinkExt, StreamExt};
use serde_json::{Value, json};
use sqlx::{Connection, Executor, PgConnection};
use std::net::TcpListener;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;
use zickzack_server::jobs::Results;
use zickzack_server::{Limits, Shop, loopback_hosts, serve, store};

/// How long an answer may take, on whatever machine.
pub const PATIENCE: Duration = Duration::from_secs(60);

pub struct Served {
    pub base: String,
    pub host: String,
    pub client: Client,
    pub database: String,
    pub shop: Arc<Shop>,
}

/// Where tests may make databases; `./test` starts one.
fn server_url() -> String {
    std::env::var("DATABASE_URL").expect("DATABASE_URL must name a PostgreSQL server: ./test starts one")
}

pub async fn new_database() -> String {
    static COUNT: AtomicU64 = AtomicU64::new(0);
    let name = format!("test_{}_{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
    let mut connection = PgConnection::connect(&server_url()).await.unwrap();
    // What an earlier run left under this name is nobody's.
    connection.execute(sqlx::AssertSqlSafe(format!("DROP DATABASE IF EXISTS {name} WITH (FORCE)"))).await.unwrap();
    connection.execute(sqlx::AssertSqlSafe(format!("CREATE DATABASE {name}"))).await.unwrap();
    let base = server_url();
    format!("{}/{name}", base.rsplit_once('/').unwrap().0)
}

/// Those of a server on a machine that may be at other work: whatever a test does not ask to end takes its time.
pub fn patient() -> Limits {
    Limits { database_silence: PATIENCE, writing_silence: PATIENCE, ..Limits::default() }
}

impl Served {
    pub async fn start() -> Self {
        Self::on(new_database().await).await
    }

    /// A server with other limits.
    pub async fn limited(limits: Limits) -> Self {
        Self::with(new_database().await, limits).await
    }

    /// A server on a database that is there already, as after a restart.
    pub async fn on(database: String) -> Self {
        Self::with(database, patient()).await
    }

    async fn with(database: String, limits: Limits) -> Self {
        Self::stopped_by(database, limits, std::future::pending()).await
    }

    /// One that stops when it is asked to.
    pub async fn stopped_by(
        database: String,
        limits: Limits,
        stops: impl Future<Output = ()> + Send + 'static,
    ) -> Self {
        Self::all(database, (limits, Results::in_memory()), stops).await
    }

    /// A server whose files lie somewhere.
    pub async fn keeping(results: Results) -> Self {
        Self::all(new_database().await, (patient(), results), std::future::pending()).await
    }

    async fn all(
        database: String,
        (limits, results): (Limits, Results),
        stops: impl Future<Output = ()> + Send + 'static,
    ) -> Self {
        let pool = store::connect(&database, PATIENCE, |_| ()).await.unwrap();
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let port = listener.local_addr().unwrap().port();
        let shelf = zickzack_server::recorder::Shelf::nowhere();
        let shop = Shop::limited(pool, loopback_hosts(port), (shelf, results), limits);
        actix_web::rt::spawn(serve(shop.clone(), listener, stops));
        let host = format!("127.0.0.1:{port}");
        let served = Self { base: format!("http://{host}"), host, client: Client::default(), database, shop };
        // Until then it has not judged what the server before it left.
        let path = format!("{}/health/alive", served.base);
        let answered = served.client.get(path).timeout(PATIENCE).force_close().send().await;
        assert_eq!(answered.unwrap().status().as_u16(), 204);
        served
    }

    pub async fn post(&self, path: &str, body: &Value) -> (u16, Value) {
        let mut response = self
            .client
            .post(format!("{}{path}", self.base))
            .timeout(PATIENCE)
            .force_close()
            .send_json(body)
            .await
            .unwrap();
        (response.status().as_u16(), response.json().await.unwrap_or(Value::Null))
    }

    pub async fn get(&self, path: &str) -> (u16, Value) {
        let mut response =
            self.client.get(format!("{}{path}", self.base)).timeout(PATIENCE).force_close().send().await.unwrap();
        (response.status().as_u16(), response.json().limit(64 << 20).await.unwrap_or(Value::Null))
    }

    /// Runs a statement in the database, as somebody else would.
    pub async fn in_database(&self, statement: &str) {
        let mut connection = PgConnection::connect(&self.database).await.unwrap();
        connection.execute(sqlx::AssertSqlSafe(statement.to_owned())).await.unwrap();
    }

    pub async fn bring_in(&self, scene: &Value) -> String {
        let (status, made) = self.post("/api/scenes/bring-in", scene).await;
        assert_eq!(status, 200, "{made}");
        made["id"].as_str().unwrap().to_owned()
    }

    pub async fn open(&self, scene: &str, client: &str) -> Page {
        self.open_holding(scene, client, None).await
    }

    /// As a page that holds so many bytes of poses.
    pub async fn open_holding(&self, scene: &str, client: &str, holds: Option<u64>) -> Page {
        let url = format!("ws://{}/api/scenes/{scene}/live", self.host);
        let (_, socket) = self.client.ws(url).max_frame_size(16 << 20).connect().await.unwrap();
        let mut page = Page { socket, client: client.to_owned(), sequence: 0, blocks: Vec::new() };
        page.say(&json!({ "kind": "hello", "client": client, "holds": holds })).await;
        page
    }
}

/// A page's end of a live connection.
pub struct Page {
    socket: actix_codec::Framed<BoxedSocket, Codec>,
    client: String,
    pub sequence: i64,
    /// Binary blocks that came while something else was waited for.
    pub blocks: Vec<(Value, Vec<f32>)>,
}

impl Page {
    pub async fn say(&mut self, message: &Value) {
        self.text(message.to_string()).await;
    }

    pub async fn text(&mut self, text: String) {
        self.socket.send(Message::Text(text.into())).await.unwrap();
    }

    /// The next JSON message that fits; blocks that come before it are kept.
    pub async fn until(&mut self, fits: impl Fn(&Value) -> bool) -> Value {
        loop {
            if let Some(message) = self.next().await.filter(&fits) {
                return message;
            }
        }
    }

    /// The next binary block of a kind, or one that came before.
    pub async fn block(&mut self, kind: &str) -> (Value, Vec<f32>) {
        loop {
            if let Some(index) = self.blocks.iter().position(|(header, _)| header["kind"] == kind) {
                return self.blocks.remove(index);
            }
            self.next().await;
        }
    }

    /// Reads one frame: a JSON message, or a block that is kept.
    pub async fn next(&mut self) -> Option<Value> {
        let frame = tokio::time::timeout(PATIENCE, self.socket.next()).await;
        match frame.expect("an answer within a minute").expect("the connection is open").expect("a frame") {
            Frame::Text(text) => return Some(serde_json::from_slice(&text).unwrap()),
            Frame::Binary(bytes) => self.blocks.push(decode(&bytes)),
            Frame::Close(reason) => panic!("closed: {reason:?}"),
            _ => {}
        }
        None
    }

    /// True when the other end closes the connection.
    pub async fn closes(&mut self) -> bool {
        let end = async {
            while let Some(Ok(frame)) = self.socket.next().await {
                if matches!(frame, Frame::Close(_)) {
                    break;
                }
            }
        };
        tokio::time::timeout(PATIENCE, end).await.is_ok()
    }

    pub async fn kind(&mut self, kind: &str) -> Value {
        self.until(|message| message["kind"] == kind).await
    }

    pub async fn edit(&mut self, ops: Value) -> i64 {
        self.sequence += 1;
        let sequence = self.sequence;
        self.say(&json!({ "kind": "edit", "sequence": sequence, "label": "test", "ops": ops })).await;
        sequence
    }

    /// Edits and waits for the answer: the revision, or the refusal's sentence.
    pub async fn edited(&mut self, ops: Value) -> Result<i64, String> {
        let sequence = self.edit(ops).await;
        self.answer(sequence).await
    }

    pub async fn undo(&mut self) -> Result<i64, String> {
        self.sequence += 1;
        let sequence = self.sequence;
        self.say(&json!({ "kind": "undo", "sequence": sequence })).await;
        self.answer(sequence).await
    }

    pub async fn redo(&mut self) -> Result<i64, String> {
        self.sequence += 1;
        let sequence = self.sequence;
        self.say(&json!({ "kind": "redo", "sequence": sequence })).await;
        self.answer(sequence).await
    }

    /// Edits again and again until the answer is not that it shall be asked later.
    pub async fn edited_at_last(&mut self, ops: Value) -> i64 {
        let (sequence, client) = (self.edit(ops.clone()).await, self.client.clone());
        let own = |m: &Value| m["kind"] == "refused" || (m["kind"] == "edited" && m["client"] == client.as_str());
        for _ in 0..400 {
            let answer = self.until(|m| own(m) && m["sequence"] == sequence).await;
            if let Some(revision) = answer["revision"].as_i64() {
                return revision;
            }
            assert_eq!(answer["later"], true, "{answer}");
            tokio::time::sleep(Duration::from_millis(20)).await;
            self.say(&json!({ "kind": "edit", "sequence": sequence, "label": "test", "ops": ops })).await;
        }
        panic!("the edit was never taken");
    }

    async fn answer(&mut self, sequence: i64) -> Result<i64, String> {
        let client = self.client.clone();
        let own = |m: &Value| m["kind"] == "refused" || (m["kind"] == "edited" && m["client"] == client.as_str());
        let answer = self.until(|m| own(m) && m["sequence"] == sequence).await;
        answer["revision"].as_i64().ok_or_else(|| answer["message"].as_str().unwrap().to_owned())
    }
}

fn decode(bytes: &[u8]) -> (Value, Vec<f32>) {
    let length = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
    let header = serde_json::from_slice(&bytes[4..4 + length]).unwrap();
    let numbers = bytes[4 + length..].chunks_exact(4).map(|b| f32::from_le_bytes(b.try_into().unwrap())).collect();
    (header, numbers)
}

/// Seven riders on a drawn path at 1.3 laps, and a throw.
pub fn scene() -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Round", "space": "deep", "fps": "24", "frames": 96,
        "nodes": {
            "path": { "type": "drawn-path", "name": "Way", "params": { "closed": true, "points": [
                { "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [4, 1, 0] }, { "id": "c", "at": [4, 0, 3] }, { "id": "d", "at": [0, 2, 4] } ] } },
            "ride": { "type": "ride", "name": "Riders", "params": { "riders": 7, "laps": "1.3" } },
            "out": { "type": "output", "name": "Out" },
            "throw": { "type": "launch", "name": "Throw" },
            "out2": { "type": "output", "name": "Thrown" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" },
            "t2": { "from": "ride", "to": "out", "port": "motion" },
            "t3": { "from": "throw", "to": "out2", "port": "motion" }
        }
    })
}
