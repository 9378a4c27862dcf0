//! No scene holds up another, what nobody waits for is given up, and what is on screen comes first.

use crate::common::{PATIENCE, Served, patient, scene};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;
use zickzack_server::Limits;
use zickzack_server::memory::Ceiling;

/// Rigid bodies for minutes.
pub fn heavy() -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Heap", "space": "deep", "fps": "24", "frames": 6000,
        "nodes": {
            "path": { "type": "figure", "name": "Ring" },
            "ride": { "type": "ride", "name": "Many", "params": { "riders": 120 } },
            "heap": { "type": "bodies", "name": "Heap" },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" },
            "t2": { "from": "ride", "to": "heap", "port": "motion" },
            "t3": { "from": "heap", "to": "out", "port": "motion" }
        }
    })
}

pub async fn until(what: &str, fits: impl Fn() -> bool) {
    let waited = tokio::time::timeout(PATIENCE, async {
        while !fits() {
            tokio::time::sleep(Duration::from_millis(5)).await;
        }
    });
    assert!(waited.await.is_ok(), "{what}");
}

#[actix_web::test]
async fn a_request_that_nobody_waits_for_stops_its_work() {
    let served = Served::start().await;
    let id = served.bring_in(&heavy()).await;
    let background = &served.shop.background;
    let asks = [
        format!("/api/scenes/{id}/miniature"),
        format!("/api/scenes/{id}/handoff?from=0&to=100&step=1"),
        format!("/api/scenes/{id}/bake?node=heap&tolerance=0.001&angle=1"),
    ];
    for path in asks {
        {
            let asked = served.client.get(format!("{}{path}", served.base)).timeout(PATIENCE).force_close().send();
            let mut asked = Box::pin(asked);
            let begun = until("it begins", || background.at_work() == 1);
            tokio::select! {
                answer = &mut asked => panic!("{path}: {:?}", answer.map(|answer| answer.status())),
                () = begun => {}
            }
        }
        until(&path, || background.at_work() == 0).await;
    }
}

#[actix_web::test]
async fn a_scene_that_is_deleted_is_worked_at_no_more() {
    let served = Served::start().await;
    let id = served.bring_in(&heavy()).await;
    let background = &served.shop.background;
    let path = format!("{}/api/scenes/{id}/miniature", served.base);
    let mut asked = Box::pin(served.client.get(path).timeout(PATIENCE).force_close().send());
    tokio::select! {
        answer = &mut asked => panic!("{:?}", answer.map(|answer| answer.status())),
        () = until("it begins", || background.at_work() == 1) => {}
    }
    let gone = served.client.delete(format!("{}/api/scenes/{id}", served.base)).send().await.unwrap();
    assert_eq!(gone.status(), 204);
    assert_eq!(asked.await.unwrap().status(), 404);
}

#[actix_web::test]
async fn the_frame_on_screen_comes_first_of_every_end() {
    let served = Served::start().await;
    let mut document = scene();
    // So many that their frames come in several blocks.
    for end in ["ride", "ride2", "ride3"] {
        document["threads"].as_object_mut().unwrap().remove("t1");
        document["nodes"][end] = json!({ "type": "ride", "name": end, "params": { "riders": 300, "laps": "1" } });
        document["threads"][format!("{end}path")] = json!({ "from": "path", "to": end, "port": "path" });
    }
    let id = served.bring_in(&document).await;
    let mut page = served.open(&id, "one").await;
    page.kind("ends").await;
    let ends: BTreeSet<String> = ["out", "out2", "ride2", "ride3"].map(str::to_owned).into();
    let poses: Vec<&Value> = page.blocks.iter().map(|(header, _)| header).filter(|h| h["kind"] == "poses").collect();
    let number = |header: &Value, name: &str| header[name].as_u64().unwrap();
    let first = &poses[..ends.len()];
    assert_eq!(first.iter().map(|header| header["node"].as_str().unwrap().to_owned()).collect::<BTreeSet<_>>(), ends);
    assert!(first.iter().all(|header| number(header, "from") == 0), "{first:?}");
    assert!(poses.len() > 2 * ends.len(), "all came at once");
    for end in &ends {
        let mut frames = BTreeSet::new();
        for header in poses.iter().filter(|header| header["node"] == **end) {
            frames.extend(number(header, "from")..number(header, "from") + number(header, "count"));
        }
        assert!(frames.into_iter().eq(0..=96), "{end}");
    }
}

/// A connection of one's own, to say what no client would say.
fn connected(served: &Served) -> TcpStream {
    let stream = TcpStream::connect(&served.host).unwrap();
    stream.set_read_timeout(Some(PATIENCE)).unwrap();
    stream
}

/// A message of a page, as it is on the wire.
fn framed(message: &Value) -> Vec<u8> {
    let text = message.to_string();
    let length = u8::try_from(text.len()).unwrap();
    assert!(length < 126);
    // A whole text, masked by nothing.
    [vec![0x81, 0x80 | length, 0, 0, 0, 0], text.into_bytes()].concat()
}

#[actix_web::test]
async fn a_page_that_takes_nothing_is_dropped_and_little_is_kept_for_it() {
    let limits = Limits { page_silence: Duration::from_millis(700), ..patient() };
    let served = Served::limited(limits).await;
    let mut document = scene();
    document["nodes"]["ride"]["params"]["riders"] = json!(900);
    document["frames"] = json!(2400);
    let id = served.bring_in(&document).await;
    let room = served.shop.hub.room(&served.shop, uuid::Uuid::parse_str(&id).unwrap()).await.unwrap();
    let mut page = connected(&served);
    let ask = format!(
        "GET /api/scenes/{id}/live HTTP/1.1\r\nHost: {}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n\
         Sec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\nSec-WebSocket-Version: 13\r\n\r\n",
        served.host
    );
    page.write_all(ask.as_bytes()).unwrap();
    page.write_all(&framed(&json!({ "kind": "hello", "client": "slow" }))).unwrap();
    until("it comes in", || room.inside() == 1).await;
    until("it is dropped", || room.inside() == 0).await;
    let came = tokio::task::spawn_blocking(move || page.read_to_end(&mut Vec::new()).unwrap_or(0)).await.unwrap();
    let all = 900 * 2400 * 7 * 4;
    assert!(came < all / 3, "{came} bytes of {all} were waiting for it");
}

#[actix_web::test]
async fn an_answer_of_which_nothing_is_taken_is_given_up() {
    let limits = Limits { answer_silence: Duration::from_millis(700), ..patient() };
    let served = Served::limited(limits).await;
    let mut document = scene();
    for name in ["long", "longer"] {
        let text = name.repeat(2 << 20);
        let hash = zickzack_formats::files::hash(text.as_bytes());
        document["assets"][name] = json!({ "hash": hash, "media": "text/plain", "text": text });
    }
    let id = served.bring_in(&document).await;
    let socket = socket2::Socket::new(socket2::Domain::IPV4, socket2::Type::STREAM, None).unwrap();
    socket.set_recv_buffer_size(4096).unwrap();
    socket.connect(&served.host.parse::<std::net::SocketAddr>().unwrap().into()).unwrap();
    let mut stream = TcpStream::from(socket);
    let ask = format!("GET /api/scenes/{id}/file HTTP/1.1\r\nHost: {}\r\n\r\n", served.host);
    stream.write_all(ask.as_bytes()).unwrap();
    // What is said to a connection that is not there any more is refused by the system.
    let refused = |stream: &mut TcpStream| stream.write_all(b"x").is_err() || stream.take_error().unwrap().is_some();
    let waited = tokio::time::timeout(PATIENCE, async {
        while !refused(&mut stream) {
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    });
    assert!(waited.await.is_ok(), "it is still connected");
}

#[actix_web::test]
async fn a_body_that_falls_silent_is_broken_off_with_a_sentence() {
    let limits = Limits { body_silence: Duration::from_millis(300), ..patient() };
    let served = Served::limited(limits).await;
    let id = served.bring_in(&scene()).await;
    for (method, path) in [
        ("POST", "/api/scenes".to_owned()),
        ("POST", "/api/scenes/bring-in".to_owned()),
        ("POST", "/api/assets".to_owned()),
        ("POST", "/api/rate".to_owned()),
        ("POST", format!("/api/scenes/{id}/edits")),
        ("POST", format!("/api/scenes/{id}/versions")),
        ("PATCH", format!("/api/scenes/{id}")),
    ] {
        let mut stream = connected(&served);
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: {}\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{{",
            served.host
        );
        stream.write_all(head.as_bytes()).unwrap();
        let answer = tokio::task::spawn_blocking(move || {
            let mut answer = Vec::new();
            let _ = stream.read_to_end(&mut answer);
            String::from_utf8_lossy(&answer).into_owned()
        });
        let answer = answer.await.unwrap();
        assert!(answer.starts_with("HTTP/1.1 408"), "{method} {path}: {answer}");
        assert!(answer.contains("That came too slowly"), "{method} {path}: {answer}");
    }
}

#[actix_web::test]
async fn a_compressed_body_is_limited_by_what_it_becomes() {
    let served = Served::start().await;
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    let zeros = vec![b' '; 1 << 20];
    (0..80).for_each(|_| packed.write_all(&zeros).unwrap());
    let packed = packed.finish().unwrap();
    assert!(packed.len() < 1 << 20);
    for path in ["/api/scenes/bring-in", "/api/scenes", "/api/assets"] {
        let request = served.client.post(format!("{}{path}", served.base)).timeout(PATIENCE).force_close();
        let request =
            request.insert_header(("content-encoding", "gzip")).insert_header(("content-type", "application/json"));
        let mut answer = request.send_body(packed.clone()).await.unwrap();
        let told: Value = answer.json().await.unwrap();
        assert_eq!(answer.status(), 413, "{path}: {told}");
        assert!(told["message"].as_str().unwrap().contains("larger than 64 MB"));
    }
}

#[actix_web::test]
async fn a_file_of_many_names_is_held_and_read_once() {
    use zickzack_core::graph::Assets;
    let served = Served::start().await;
    let drawing = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'><path d='M0 0 L9 9'/></svg>";
    let hash = zickzack_formats::files::hash(drawing.as_bytes());
    let mut document = scene();
    for i in 0..100 {
        document["assets"][format!("file {i}")] = json!({ "hash": hash, "media": "image/svg+xml", "text": drawing });
    }
    let id = uuid::Uuid::parse_str(&served.bring_in(&document).await).unwrap();
    let room = served.shop.hub.room(&served.shop, id).await.unwrap();
    let files = room.state().await.session.files;
    let first = files.outlines("file 0").unwrap();
    assert!((1..100).all(|i| std::sync::Arc::ptr_eq(&first, &files.outlines(&format!("file {i}")).unwrap())));
}

static HELD: AtomicUsize = AtomicUsize::new(0);

#[actix_web::test]
async fn what_there_is_no_memory_for_is_refused_at_its_node_and_all_else_is_shown() {
    let served = Served::start().await;
    served.shop.hold_at_most(Ceiling { most: 1000, held: || HELD.load(Ordering::Relaxed) }).unwrap();
    let mut document = scene();
    document["nodes"]["other"] = json!({ "type": "ride", "name": "Other", "params": { "riders": 3 } });
    let mut before = "path".to_owned();
    for i in 0..40 {
        let id = format!("m{i:02}");
        document["nodes"][&id] = json!({ "type": "meander", "name": id });
        document["threads"][format!("t{id}")] = json!({ "from": before, "to": id, "port": "path" });
        before = id;
    }
    document["threads"]["last"] = json!({ "from": before, "to": "other", "port": "path" });
    let first = document["threads"].as_object_mut().unwrap().shift_remove("tm00").unwrap();
    let id = served.bring_in(&document).await;
    let rounds = || served.shop.told.work.get_sample_count();
    let mut still = served.open(&served.bring_in(&scene()).await, "calm").await;
    let calm = still.kind("nodes").await;
    still.kind("ends").await;
    until("its round is over", || rounds() == 1).await;
    // All else is worked out before, so that it is a meander that is at work.
    let mut page = served.open(&id, "one").await;
    page.kind("ends").await;
    until("this round, too", || rounds() == 2).await;
    let threaded = page.edit(json!([{ "op": "put", "at": ["threads", "tm00"], "value": first }])).await;
    // What is given up between two nodes is done again.
    until("a meander is at work", || served.shop.memory.looks() > 1000).await;
    HELD.store(2000, Ordering::Relaxed);
    let starved = &served.shop.told.starved;
    until("it is given up", || starved.get() > 0).await;
    HELD.store(0, Ordering::Relaxed);
    let told = page.until(|told| told["kind"] == "nodes" && told["revision"] == threaded).await;
    let of =
        |node: &str| (told["nodes"][node]["state"].as_str().unwrap(), told["nodes"][node]["messages"][0].to_string());
    let meanders: Vec<_> = (0..40).map(|i| of(&format!("m{i:02}"))).collect();
    let refused = meanders.iter().position(|(state, _)| *state == "error").unwrap();
    assert!(meanders[refused].1.contains("not enough memory left for it"), "{:?}", meanders[refused]);
    assert!(meanders[refused + 1..].iter().all(|(_, why)| why.contains(" waits for ")), "{meanders:?}");
    assert!(of("other").1.contains(" waits for "));
    for (node, as_ever) in calm["nodes"].as_object().unwrap() {
        assert_eq!(told["nodes"][node]["state"], as_ever["state"], "{node}");
        assert_eq!(told["nodes"][node]["facts"], as_ever["facts"], "{node}");
    }
    assert!(!page.kind("ends").await["ends"].as_array().unwrap().is_empty());
    // It is tried again once something of it changes; of what hangs on it there would be much.
    let (name, cut) = (format!("m{refused:02}"), ["threads".to_owned(), format!("tm{:02}", refused + 1)]);
    let change = json!({ "op": "put", "at": ["nodes", name, "params", "seed"], "value": 7 });
    let revision = page.edit(json!([change, { "op": "remove", "at": cut }])).await;
    let told = page.until(|told| told["kind"] == "nodes" && told["revision"] == revision).await;
    assert!(told["nodes"][&name]["state"] != "error", "{}", told["nodes"][&name]);
}

static HELD_BY_ASKED: AtomicUsize = AtomicUsize::new(0);

#[actix_web::test]
async fn a_request_that_there_is_no_memory_for_is_refused_in_the_same_words() {
    let served = Served::start().await;
    served.shop.hold_at_most(Ceiling { most: 1000, held: || HELD_BY_ASKED.load(Ordering::Relaxed) }).unwrap();
    let id = served.bring_in(&heavy()).await;
    let starved = &served.shop.told.starved;
    for path in [
        format!("/api/scenes/{id}/handoff?from=0&to=100&step=1"),
        format!("/api/scenes/{id}/bake?node=heap&tolerance=0.001&angle=1"),
    ] {
        let before = starved.get();
        let asked = served.get(&path);
        let short = async {
            until("it begins", || served.shop.background.at_work() == 1).await;
            HELD_BY_ASKED.store(2000, Ordering::Relaxed);
            until("it is given up", || starved.get() > before).await;
            HELD_BY_ASKED.store(0, Ordering::Relaxed);
        };
        let ((status, told), ()) = tokio::join!(asked, short);
        assert_eq!(status, 422, "{path}: {told}");
        assert!(told["message"].as_str().unwrap().contains("not enough memory left for it"), "{path}: {told}");
    }
}
