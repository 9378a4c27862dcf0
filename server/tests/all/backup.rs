//! All that is kept goes into a file and comes back from it, by the scripts that the README names.

use crate::common::{Served, new_database, scene};
use serde_json::{Value, json};
use std::path::Path;
use std::process::Command;

/// What a script says, and whether it worked.
fn script(name: &str, database: &str, file: &Path) -> (bool, String) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../scripts").join(name);
    let done = Command::new(path).arg(file).env("DATABASE_URL", database).output().unwrap();
    let told = [done.stdout, done.stderr].map(|text| String::from_utf8_lossy(&text).into_owned());
    (done.status.success(), told.concat())
}

/// All that can be asked of a server.
async fn everything(served: &Served) -> Vec<Value> {
    let listed = served.get("/api/scenes").await.1;
    let mut all = vec![listed.clone()];
    for scene in listed["scenes"].as_array().unwrap() {
        let id = scene["id"].as_str().unwrap();
        all.push(served.get(&format!("/api/scenes/{id}/file")).await.1);
        all.push(served.get(&format!("/api/scenes/{id}/versions")).await.1);
    }
    all
}

#[actix_web::test]
async fn what_is_backed_up_comes_back_whole_and_in_place_of_all_else() {
    let folder = std::env::temp_dir().join(format!("zickzack-backup-{}", std::process::id()));
    std::fs::create_dir_all(&folder).unwrap();
    let (file, nonsense) = (folder.join("all"), folder.join("nonsense"));
    let database = new_database().await;
    let served = Served::on(database.clone()).await;
    let mut document = scene();
    document["assets"] = json!({ "a.svg": { "hash": blake3::hash(b"<svg/>").to_hex().to_string(), "media": "image/svg+xml", "text": "<svg/>" } });
    let id = served.bring_in(&document).await;
    let mut page = served.open(&id, "one").await;
    page.edited(json!([{ "op": "put", "at": ["nodes", "ride", "params", "start"], "value": 0.375 }])).await.unwrap();
    served.post(&format!("/api/scenes/{id}/versions"), &json!({ "name": "First" })).await;
    // While it runs.
    let (worked, told) = script("backup", &database, &file);
    assert!(worked, "{told}");
    let before = everything(&served).await;
    let (worked, told) = script("restore", &database, &file);
    assert!(!worked && told.contains("stop the server first"), "{told}");
    page.edited(json!([{ "op": "put", "at": ["nodes", "ride", "params", "start"], "value": 0.5 }])).await.unwrap();
    served.bring_in(&scene()).await;
    served.in_database("CREATE TABLE later (x int)").await;
    let changed = everything(&served).await;
    drop(page);
    served.shop.pool.close().await;
    // What is no backup, or half of one, changes nothing.
    std::fs::write(&nonsense, &std::fs::read(&file).unwrap()[..3000]).unwrap();
    let (worked, told) = script("restore", &database, &nonsense);
    assert!(!worked && told.contains("Nothing was changed"), "{told}");
    let served = Served::on(database.clone()).await;
    assert_eq!(everything(&served).await, changed);
    served.shop.pool.close().await;
    let (worked, told) = script("restore", &database, &file);
    assert!(worked, "{told}");
    let served = Served::on(database).await;
    assert_eq!(everything(&served).await, before);
    // The history is there, too.
    let mut page = served.open(&id, "one").await;
    assert!(page.kind("scene").await["undo"].is_string());
    std::fs::remove_dir_all(folder).unwrap();
}
