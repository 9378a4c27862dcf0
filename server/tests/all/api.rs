//! HTTP: scenes, assets, hand-off, guards.

use crate::common::{Served, scene};
use serde_json::{Value, json};

#[actix_web::test]
async fn a_scene_goes_out_as_a_file_and_comes_in_again() {
    let served = Served::start().await;
    let svg = include_str!("../../../demo/promenade.svg");
    let mut document: Value = serde_json::from_str(include_str!("../../../demo/lantern-round.json")).unwrap();
    document["assets"]["promenade.svg"]["text"] = json!(svg);
    let id = served.bring_in(&document).await;
    let (_, file) = served.get(&format!("/api/scenes/{id}/file")).await;
    assert_eq!(file["assets"]["promenade.svg"]["text"], svg);
    let again = served.bring_in(&file).await;
    assert_ne!(id, again);
    let (_, same) = served.get(&format!("/api/scenes/{again}/file")).await;
    assert_eq!(file, same);
}

#[actix_web::test]
async fn scenes_are_made_listed_duplicated_deleted_and_brought_back() {
    let served = Served::start().await;
    let (status, made) = served.post("/api/scenes", &json!({ "name": "Fair", "space": "flat" })).await;
    assert_eq!(status, 200);
    let id = made["id"].as_str().unwrap();
    let (_, copy) = served.post(&format!("/api/scenes/{id}/duplicate"), &json!(null)).await;
    let names = |list: &Value| {
        list.as_array().unwrap().iter().map(|s| s["name"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let mut listed = names(&served.get("/api/scenes").await.1["scenes"]);
    listed.sort();
    assert_eq!(listed, ["Fair", "Fair copy"]);
    let gone = copy["id"].as_str().unwrap();
    let deleted = served.client.delete(format!("{}/api/scenes/{gone}", served.base)).send().await.unwrap();
    assert_eq!(deleted.status().as_u16(), 204);
    assert_eq!(names(&served.get("/api/scenes").await.1["scenes"]), ["Fair"]);
    assert_eq!(served.get(&format!("/api/scenes/{gone}/file")).await.0, 404);
    served.post(&format!("/api/scenes/{gone}/restore"), &json!(null)).await;
    assert_eq!(names(&served.get("/api/scenes").await.1["scenes"]).len(), 2);
}

/// Each once, in order, however many there are, and found by what they are called.
#[actix_web::test]
async fn any_number_of_scenes_is_listed_a_page_at_a_time_and_found_by_its_words() {
    let served = Served::start().await;
    let made = "INSERT INTO scenes (id, name, document, changed_at) SELECT gen_random_uuid(), 'Lantern ' || i || CASE \
        WHEN i % 100 = 7 THEN ' Über_100%' ELSE ' plain' END, '{\"frames\": 24, \"fps\": \"25\", \"space\": \"flat\"}', \
        now() - i / 3 * interval '1 second' FROM generate_series(1, 700) AS i";
    served.in_database(made).await;
    let all = async |search: &str| {
        let (mut listed, mut after) = (Vec::new(), String::new());
        loop {
            let (status, page) = served.get(&format!("/api/scenes?search={search}{after}")).await;
            assert_eq!(status, 200, "{page}");
            let scenes = page["scenes"].as_array().unwrap();
            assert!(scenes.len() <= 60);
            listed.extend(scenes.iter().map(|scene| (scene["changed_at"].to_string(), scene["name"].to_string())));
            match page["more"].as_str() {
                Some(more) => after = format!("&after={more}"),
                None => return listed,
            }
        }
    };
    let listed = all("").await;
    assert_eq!(listed.len(), 700);
    assert!(listed.windows(2).all(|pair| pair[0].0 >= pair[1].0));
    assert_eq!(listed.iter().map(|(_, name)| name).collect::<std::collections::BTreeSet<_>>().len(), 700);
    assert_eq!(all("%C3%BCBER%20lantern").await.len(), 7);
    assert_eq!(all("r_100%25").await.len(), 7);
    assert_eq!(all("lantern%20_%20plain").await.len(), 0, "what stands for others elsewhere stands for itself");
    assert_eq!(all("%5C").await.len(), 0);
    assert_eq!(all("Lantern%20700").await.len(), 1);
    // What cannot be opened is listed, and says so where it is looked at.
    let broken = "INSERT INTO scenes (id, name, document) VALUES (gen_random_uuid(), 'Broken', '{\"version\": 99, \"frames\": []}')";
    served.in_database(broken).await;
    let id = served.get("/api/scenes").await.1["scenes"][0]["id"].as_str().unwrap().to_owned();
    let (status, why) = served.get(&format!("/api/scenes/{id}/miniature")).await;
    assert!(status == 422 && why["message"].as_str().is_some_and(|why| why.ends_with('.')), "{status} {why}");
    for wrong in ["after=7", "after=7.7", "after=x.00000000-0000-0000-0000-000000000000", "search=%00", "find=x"] {
        let status = served.get(&format!("/api/scenes?{wrong}")).await.0;
        assert!([400, 422].contains(&status), "{wrong}: {status}");
    }
    let words = "a%20".repeat(21);
    assert_eq!(served.get(&format!("/api/scenes?search={words}")).await.0, 422);
}

#[actix_web::test]
async fn a_scene_is_renamed_under_the_eyes_of_an_open_page() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let mut page = served.open(&id, "one").await;
    page.kind("scene").await;
    let rename = async |name: &str| {
        let request = served.client.patch(format!("{}/api/scenes/{id}", served.base));
        request.send_json(&json!({ "name": name })).await.unwrap().status().as_u16()
    };
    assert_eq!(rename("Round the lake").await, 204);
    assert_eq!(page.kind("edited").await["ops"][0]["value"], "Round the lake");
    assert_eq!(served.get("/api/scenes").await.1["scenes"][0]["name"], "Round the lake");
    for wrong in ["", "  ", "two\nlines", "nul\0", &"x".repeat(201)] {
        assert_eq!(rename(wrong).await, 422, "{wrong:?}");
    }
    assert!(page.undo().await.unwrap_err().contains("nothing to undo"), "it was not this page's doing");
}

#[actix_web::test]
async fn demo_scenes_are_loaded_once() {
    let served = Served::start().await;
    let puck: Value = serde_json::from_str(include_str!("../../../demo/puck-on-the-boards.json")).unwrap();
    assert!(zickzack_server::api::load_demo(&served.shop, "puck.json", puck.clone()).await.unwrap());
    assert!(!zickzack_server::api::load_demo(&served.shop, "puck.json", puck).await.unwrap());
    assert_eq!(served.get("/api/scenes").await.1["scenes"].as_array().unwrap().len(), 1);
}

#[actix_web::test]
async fn what_is_no_scene_or_no_drawing_is_refused_with_a_sentence() {
    let served = Served::start().await;
    let mut later = scene();
    later["version"] = json!(99);
    let mut circle = scene();
    circle["nodes"]["f"] = json!({ "type": "face-travel", "name": "F" });
    circle["threads"]["x"] = json!({ "from": "f", "to": "f", "port": "motion" });
    for (document, words) in
        [(json!({}), "format"), (json!([1]), "format"), (later, "later version"), (circle, "circle")]
    {
        let (status, refused) = served.post("/api/scenes/bring-in", &document).await;
        assert_eq!(status, 422);
        assert!(refused["message"].as_str().unwrap().contains(words), "{refused}");
    }
    let drawings = [
        ("", "empty"),
        ("<svg", "XML"),
        ("<svg xmlns='http://www.w3.org/2000/svg'/>", "no paths"),
        ("<!DOCTYPE svg [<!ENTITY x SYSTEM 'file:///etc/hostname'>]><svg>&x;</svg>", "document type"),
        ("<svg xmlns='http://www.w3.org/2000/svg'><use href='http://fair.example/a.svg#b'/></svg>", "outside the file"),
    ];
    for (text, words) in drawings {
        let request =
            served.client.post(format!("{}/api/assets", served.base)).insert_header(("content-type", "image/svg+xml"));
        let mut response = request.send_body(text.to_owned()).await.unwrap();
        assert_eq!(response.status().as_u16(), 422);
        let refused: Value = response.json().await.unwrap();
        assert!(refused["message"].as_str().unwrap().contains(words), "{refused}");
    }
}

#[actix_web::test]
async fn other_names_and_other_pages_are_kept_out_and_answers_are_hardened() {
    let served = Served::start().await;
    let asked = |host: &str, origin: Option<&str>| {
        let mut request =
            served.client.post(format!("{}/api/scenes", served.base)).insert_header(("host", host.to_owned()));
        if let Some(origin) = origin {
            request = request.insert_header(("origin", origin.to_owned()));
        }
        request.send_json(&json!({ "name": "Fair", "space": "flat" }))
    };
    assert_eq!(asked("fair.example", None).await.unwrap().status().as_u16(), 403);
    assert_eq!(asked(&served.host, Some("http://fair.example")).await.unwrap().status().as_u16(), 403);
    assert_eq!(asked(&served.host, Some("null")).await.unwrap().status().as_u16(), 403);
    assert_eq!(asked(&served.host, Some(&served.base)).await.unwrap().status().as_u16(), 200);
    let page = served.client.get(format!("{}/", served.base)).send().await.unwrap();
    let policy = page.headers().get("content-security-policy").unwrap().to_str().unwrap().to_owned();
    assert!(policy.contains("script-src 'self';") && !policy.contains("unsafe"), "{policy}");
    let (_, scenes) = served.get("/api/scenes").await;
    let id = scenes["scenes"][0]["id"].as_str().unwrap();
    let foreign = served
        .client
        .ws(format!("ws://{}/api/scenes/{id}/live", served.host))
        .origin("http://fair.example")
        .connect()
        .await;
    assert!(foreign.is_err(), "a foreign page gets no live connection");
}

#[actix_web::test]
async fn a_body_that_is_too_large_is_refused() {
    let served = Served::start().await;
    let request = served.client.post(format!("{}/api/scenes/bring-in", served.base));
    let sent = request
        .insert_header(("content-type", "application/json"))
        .send_body("x".repeat(zickzack_server::LARGEST_BODY + 1))
        .await;
    // The server may answer while it is still being talked to; either way it does not take it.
    assert!(sent.map_or(true, |response| response.status().as_u16() == 413));
    assert_eq!(served.get("/api/scenes").await.0, 200);
}

#[actix_web::test]
async fn a_hand_off_counts_keys_and_refuses_nonsense() {
    let served = Served::start().await;
    let id = served.bring_in(&scene()).await;
    let (status, look) =
        served.get(&format!("/api/scenes/{id}/handoff?node=out2&from=0&to=96&step=1&tolerance=0.001")).await;
    assert_eq!(status, 200, "{look}");
    let height = &look["channels"][1];
    assert!(height["after"].as_u64().unwrap() < 40 && height["before"] == 97, "{height}");
    assert!(height["error"].as_f64().unwrap() <= 0.001);
    for (query, words) in [
        ("from=0&to=96&step=0", "step"),
        ("from=9&to=3&step=1", "after the first"),
        ("from=0&to=NaN&step=1", "finite"),
        ("from=0&to=96&step=1&tolerance=-1", "tolerance"),
        ("from=0&to=96&step=1&node=path", "no working Output"),
    ] {
        let (status, refused) = served.get(&format!("/api/scenes/{id}/handoff?{query}")).await;
        assert_eq!(status, 422, "{query}");
        assert!(refused["message"].as_str().unwrap().contains(words), "{refused}");
    }
}

#[actix_web::test]
async fn an_output_that_does_not_work_is_named_where_it_is_left_out_and_why_where_it_is_asked_for() {
    let served = Served::start().await;
    let mut document = scene();
    document["nodes"]["path"]["params"]["points"] = json!([{ "id": "a", "at": [0, 0, 0] }]);
    let id = served.bring_in(&document).await;
    let (status, look) = served.get(&format!("/api/scenes/{id}/handoff?from=0&to=96&step=1")).await;
    assert_eq!(status, 200, "{look}");
    let left_out = look["left_out"].as_array().unwrap();
    assert!(left_out.contains(&json!("\"Out\", which does not work")), "{look}");
    let (status, refused) = served.get(&format!("/api/scenes/{id}/handoff?node=out&from=0&to=96&step=1")).await;
    // Not what waits is to blame, but what it waits for.
    assert_eq!(status, 422, "{refused}");
    assert!(refused["message"].as_str().unwrap().starts_with("\"Way\" does not work: "), "{refused}");
}

#[actix_web::test]
async fn a_long_step_gets_no_more_past_the_limit_of_poses_than_is_looked_at() {
    let served = Served::start().await;
    let mut document = scene();
    document["nodes"]["ride"]["params"]["riders"] = json!(5000);
    let id = served.bring_in(&document).await;
    // Keys that are made few begin with one at every frame, whatever the step is.
    let ask = |more: &str| format!("/api/scenes/{id}/handoff{more}&from=0&to=5000&node=out");
    for path in [ask("?step=1000000&tolerance=0.001"), ask("?form=csv&step=1")] {
        let (status, told) = served.get(&path).await;
        assert_eq!(status, 422, "{path}");
        assert!(told["message"].as_str().unwrap().starts_with("25 million poses are more"), "{path}: {told}");
    }
}

#[actix_web::test]
async fn the_openapi_document_names_every_message() {
    let served = Served::start().await;
    let (_, document) = served.get("/api/openapi.json").await;
    for name in ["FromPage", "ToPage", "Scene", "Schema", "Look"] {
        assert!(document["components"]["schemas"][name].is_object(), "{name}");
    }
}

#[actix_web::test]
async fn a_file_is_kept_as_what_it_is_whatever_a_scene_says_of_it() {
    let served = Served::start().await;
    let page = "<html><script>alert(1)</script></html>";
    let drawing = "<?xml version='1.0'?><!-- one --><svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'><path d='M0 0 L9 9'/></svg>";
    for (text, said, is) in [
        (page, "text/html", "text/plain"),
        (page, "image/svg+xml", "text/plain"),
        (drawing, "application/javascript", "image/svg+xml"),
        ("x,y\n1,2\n", "text/csv\r\nX-Other: 1", "text/plain"),
    ] {
        let hash = zickzack_formats::files::hash(text.as_bytes());
        let mut document = scene();
        document["assets"] = json!({ "file": { "hash": hash, "media": said, "text": text } });
        let id = served.bring_in(&document).await;
        let (_, kept) = served.get(&format!("/api/scenes/{id}/file")).await;
        assert_eq!(kept["assets"]["file"]["media"], is, "{said}");
        // What an earlier version kept under another name is not given out under it.
        served.in_database(&format!("UPDATE assets SET media = 'text/html' WHERE hash = '{hash}'")).await;
        let path = format!("{}/api/assets/{hash}", served.base);
        let answer = served.client.get(path).force_close().send().await.unwrap();
        assert_eq!(answer.headers().get("content-type").unwrap(), "application/octet-stream");
        served.in_database("DELETE FROM assets").await;
    }
}

#[actix_web::test]
async fn a_download_keeps_the_letters_of_its_name_and_no_name_breaks_a_header() {
    let served = Served::start().await;
    for (name, whole, plain) in [
        ("Ringelspiel – Größe 3", "Ringelspiel%20%E2%80%93%20Gr%C3%B6%C3%9Fe%203.json", "ringelspiel-gr-e-3.json"),
        ("../../etc/passwd", "-..-etc-passwd.json", "etc-passwd.json"),
        ("a: b; d", "a-%20b%3B%20d.json", "a-b-d.json"),
        ("回転", "%E5%9B%9E%E8%BB%A2.json", "scene.json"),
    ] {
        let mut document = scene();
        document["name"] = json!(name);
        let id = served.bring_in(&document).await;
        let path = format!("{}/api/scenes/{id}/file", served.base);
        let answer = served.client.get(path).force_close().send().await.unwrap();
        let told = answer.headers().get("content-disposition").unwrap().to_str().unwrap().to_owned();
        assert!(told.starts_with("attachment; ") && told.contains(&format!("filename=\"{plain}\"")), "{told}");
        let told = told.replace("%2D", "-");
        assert!(told.contains(&format!("filename*=UTF-8''{whole}")), "{told}");
    }
}
