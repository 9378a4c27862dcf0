//! Versions, starters, models and rates over HTTP.

use crate::common::{Served, scene};
use serde_json::{Value, json};

fn put(at: &[&str], value: Value) -> Value {
    json!([{ "op": "put", "at": at, "value": value }])
}

#[actix_web::test]
async fn a_version_is_kept_compared_and_gone_back_to() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    let address = format!("/api/scenes/{id}/versions");
    let (status, version) = served.post(&address, &json!({ "name": " Before the fair " })).await;
    assert_eq!((status, version["name"].as_str()), (200, Some("Before the fair")));
    page.edited(put(&["nodes", "ride", "params", "start"], json!(0.25))).await.unwrap();
    page.edited(put(&["nodes", "ride", "name"], json!("Swans"))).await.unwrap();
    page.edited(json!([{ "op": "remove", "at": ["nodes", "throw"] }])).await.unwrap();
    let version = version["id"].as_str().unwrap().to_owned();
    let (_, compared) = served.get(&format!("{address}/{version}/compare")).await;
    let labels: Vec<&str> =
        compared["differences"].as_array().unwrap().iter().map(|d| d["label"].as_str().unwrap()).collect();
    assert_eq!(labels, ["Swans · name", "Swans · start", "Throw", "thread Throw → Thrown"]);
    assert_eq!(compared["differences"][1]["after"], 0.25);
    let output = &compared["outputs"][0];
    assert_eq!(output["node"], "out");
    assert!(output["distance"].as_f64().unwrap() > 1.0, "a quarter of a lap is far: {output}");
    page.edited(compared["back"].clone()).await.unwrap();
    let (_, after) = served.get(&format!("{address}/{version}/compare")).await;
    assert_eq!(after["differences"], json!([]));
    assert_eq!(after["outputs"][0]["distance"], 0.0);
    assert_eq!(after["back"], json!([]));

    let one = format!("{}{address}/{version}", served.base);
    let renamed = served.client.patch(&one).send_json(&json!({ "name": "First" })).await.unwrap();
    assert_eq!(renamed.status().as_u16(), 204);
    assert_eq!(served.get(&address).await.1[0]["name"], "First");
    assert_eq!(served.client.patch(&one).send_json(&json!({ "name": "\n" })).await.unwrap().status().as_u16(), 422);
    assert_eq!(served.client.delete(&one).send().await.unwrap().status().as_u16(), 204);
    assert_eq!(served.get(&address).await.1, json!([]));
    assert_eq!(served.post(&format!("{address}/{version}/restore"), &json!(null)).await.0, 204);
    assert_eq!(served.get(&address).await.1.as_array().unwrap().len(), 1);
    let strange = uuid::Uuid::new_v4();
    assert_eq!(served.get(&format!("{address}/{strange}/compare")).await.0, 404);
    assert_eq!(served.post(&format!("/api/scenes/{strange}/versions"), &json!({ "name": "X" })).await.0, 404);
}

#[actix_web::test]
async fn a_version_laid_beneath_sends_its_own_blocks_once() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (_, version) = served.post(&format!("/api/scenes/{id}/versions"), &json!({ "name": "Then" })).await;
    let mut page = served.open(&id, "one").await;
    page.say(&json!({ "kind": "watch", "node": "out", "object": 2, "frame": 0 })).await;
    page.block("traces").await;
    page.edited(put(&["nodes", "ride", "params", "start"], json!(0.25))).await.unwrap();
    page.block("traces").await;
    page.blocks.clear();
    page.say(&json!({ "kind": "compare", "version": version["id"] })).await;
    let mut seen = Vec::new();
    for kind in ["path", "poses", "traces"] {
        let (header, numbers) = page.block(kind).await;
        assert_eq!(header["stamp"]["compared"], true, "{header}");
        seen.push((header, numbers));
    }
    assert_eq!(seen[2].0["object"], 2);
    // What did not change is not sent again, on either side.
    page.blocks.clear();
    page.edited(put(&["nodes", "ride", "name"], json!("Swans"))).await.unwrap();
    page.kind("ends").await;
    assert!(page.blocks.iter().all(|(header, _)| header["kind"] != "poses"), "{:?}", page.blocks.len());
    page.say(&json!({ "kind": "compare", "version": uuid::Uuid::new_v4() })).await;
    assert!(page.kind("refused").await["message"].as_str().unwrap().contains("no such version"));
}

#[actix_web::test]
async fn every_starter_works_and_becomes_a_scene_of_ones_own() {
    let served = Served::start().await;
    let (status, starters) = served.get("/api/starters").await;
    assert_eq!(status, 200, "{starters}");
    assert!(starters.as_array().unwrap().len() >= 7);
    for starter in starters.as_array().unwrap() {
        assert!(starter["living"]["things"].as_u64().unwrap() > 0, "{}", starter["title"]);
        let (status, made) =
            served.post(&format!("/api/starters/{}", starter["id"].as_str().unwrap()), &json!(null)).await;
        assert_eq!(status, 200);
        let mut page = served.open(made["id"].as_str().unwrap(), "one").await;
        let nodes = page.kind("nodes").await;
        for (_, node) in nodes["nodes"].as_object().unwrap() {
            assert_eq!(node["state"], "worked", "{}: {node}", starter["title"]);
        }
    }
    assert_eq!(served.post("/api/starters/nothing", &json!(null)).await.0, 404);
    assert_eq!(
        served.get("/api/scenes").await.1["scenes"].as_array().unwrap().len(),
        starters.as_array().unwrap().len()
    );
}

#[actix_web::test]
async fn a_model_is_kept_given_back_and_travels_with_its_scene() {
    let served = Served::start().await;
    let swan = include_bytes!("../../../demo/swan-boat.glb");
    let send = async |media: &str, bytes: Vec<u8>| {
        let request = served.client.post(format!("{}/api/assets", served.base)).insert_header(("content-type", media));
        let mut response = request.send_body(bytes).await.unwrap();
        (response.status().as_u16(), response.json::<Value>().await.unwrap())
    };
    let (status, kept) = send("model/gltf-binary", swan.to_vec()).await;
    assert_eq!((status, kept["media"].as_str()), (200, Some("model/gltf-binary")));
    let hash = kept["hash"].as_str().unwrap();
    let mut response = served.client.get(format!("{}/api/assets/{hash}", served.base)).send().await.unwrap();
    assert_eq!(response.body().await.unwrap(), &swan[..]);
    let mut document = scene();
    document["assets"] = json!({ "swan-boat.glb": { "hash": hash, "media": "model/gltf-binary" } });
    document["nodes"]["out"]["params"] = json!({ "thing": "own model", "model": "swan-boat.glb", "nose": "+z" });
    let id = served.bring_in(&document).await;
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert!(file["assets"]["swan-boat.glb"]["base64"].as_str().unwrap().len() > 20_000);
    let fresh = Served::start().await;
    let brought = fresh.bring_in(&file).await;
    assert_eq!(fresh.get(&format!("/api/scenes/{brought}/file")).await.1, file);
    for (media, bytes, words) in [
        ("model/gltf-binary", swan[..3000].to_vec(), "export it again"),
        ("image/png", b"no picture".to_vec(), "PNG, JPEG or WebP"),
        ("text/plain", b"a,b".to_vec(), "Only SVG drawings"),
        ("model/gltf-binary", vec![0; (16 << 20) + 1], "larger than 16 MB"),
    ] {
        let (status, refused) = send(media, bytes).await;
        assert_eq!(status, 422);
        assert!(refused["message"].as_str().unwrap().contains(words), "{refused}");
    }
    let mut damaged = file.clone();
    damaged["assets"]["swan-boat.glb"]["base64"] = json!("%%%");
    let (status, refused) = fresh.post("/api/scenes/bring-in", &damaged).await;
    assert!(status == 422 && refused["message"].as_str().unwrap().contains("base64"), "{refused}");
}

/// Joint motion is kept as it came and given out as a model of its bones, with its poses.
#[actix_web::test]
async fn a_bvh_file_is_kept_as_it_is_and_shown_as_a_model() {
    let served = Served::start().await;
    let stilt = include_bytes!("../../../formats/tests/stilt.bvh");
    let request =
        served.client.post(format!("{}/api/assets", served.base)).insert_header(("content-type", "model/gltf-binary"));
    let mut response = request.send_body(&stilt[..]).await.unwrap();
    let kept: Value = response.json().await.unwrap();
    assert_eq!((response.status().as_u16(), kept["media"].as_str()), (200, Some("text/plain")));
    assert_eq!(kept["facts"], json!(["88 triangles in 1 part", "1 clip"]));
    let hash = kept["hash"].as_str().unwrap();
    let bytes = async |path: &str| {
        let mut response = served.client.get(format!("{}/api/assets/{path}", served.base)).send().await.unwrap();
        (response.status().as_u16(), response.body().await.unwrap())
    };
    assert_eq!(bytes(hash).await.1, &stilt[..]);
    let (status, model) = bytes(&format!("{hash}/model")).await;
    assert_eq!(status, 200);
    let facts = zickzack_formats::model::read(&model).unwrap();
    assert_eq!((&model[..4], facts.parts, facts.clips), (&b"glTF"[..], 1, 1));
    assert_eq!(bytes(&format!("{hash}/poses?clips=0:0")).await.0, 200);
    let mut document = scene();
    document["assets"] = json!({ "stilt.bvh": { "hash": hash, "media": "text/plain" } });
    let id = served.bring_in(&document).await;
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert!(file["assets"]["stilt.bvh"]["text"].as_str().unwrap().starts_with("HIERARCHY"));
    // What is no model is none, and what is not there is not there.
    let picture =
        served.client.post(format!("{}/api/assets", served.base)).insert_header(("content-type", "image/svg+xml"));
    let drawing = "<svg xmlns='http://www.w3.org/2000/svg'><circle r='2'/></svg>";
    let kept: Value = picture.send_body(drawing).await.unwrap().json().await.unwrap();
    assert_eq!(bytes(&format!("{}/model", kept["hash"].as_str().unwrap())).await.0, 422);
    assert_eq!(bytes(&format!("{}/model", "0".repeat(64))).await.0, 404);
}

#[actix_web::test]
async fn another_rate_comes_as_an_edit_or_a_sentence() {
    let served = Served::start().await;
    let ask = async |fps: &str, keep: &str| {
        served.post("/api/rate", &json!({ "document": scene(), "fps": fps, "keep": keep })).await
    };
    let (status, edit) = ask("48", "seconds").await;
    assert_eq!(status, 200, "{edit}");
    let frames = edit["ops"].as_array().unwrap().iter().find(|op| op["at"] == json!(["frames"]));
    assert_eq!(frames.unwrap()["value"], 192);
    assert_eq!(ask("24000/1001", "frames").await.1["ops"].as_array().unwrap().len(), 1);
    for (fps, words) in [("0", "1 to 1000"), ("fast", "fast"), ("1/0", "1/0"), ("1001", "1 to 1000")] {
        let (status, refused) = ask(fps, "frames").await;
        assert_eq!(status, 422);
        assert!(refused["message"].as_str().unwrap().contains(words), "{refused}");
    }
}
