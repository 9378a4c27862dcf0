//! Scenes that a server is loaded with.

use crate::root;
use anyhow::Result;
use serde_json::{Value, json};

/// A scene of the usual kind: riders on a drawn path.
pub fn usual(number: usize) -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": format!("Usual {number}"), "space": "deep", "fps": "24", "frames": 120,
        "nodes": {
            "path": { "type": "drawn-path", "name": "Way", "params": { "closed": true, "points": [
                { "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [4, 1, 0] }, { "id": "c", "at": [4, 0, number] }, { "id": "d", "at": [0, 2, 4] } ] } },
            "ride": { "type": "ride", "name": "Riders", "params": { "riders": 40, "laps": "1" } },
            "face": { "type": "face-travel", "name": "Ahead" },
            "out": { "type": "output", "name": "Out" }
        },
        "threads": {
            "t1": { "from": "path", "to": "ride", "port": "path" }, "t2": { "from": "ride", "to": "face", "port": "motion" },
            "t3": { "from": "face", "to": "out", "port": "motion" }
        }
    })
}

/// Some 16 MB of baked keys beside a few riders.
pub fn large() -> Value {
    let key = |i: u32| json!({ "id": format!("key-{i}"), "frame": i, "value": f64::from(i) / 7.0, "handles": "joined", "before": [-0.3, 0.123_456_789], "after": [0.3, 0.987_654_321] });
    let keys: Value = (0..2000).map(key).collect();
    let mut scene = usual(3);
    for i in 0..64 {
        scene["nodes"][format!("baked-{i}")] = json!({ "type": "keys", "name": "Baked", "params": { "keys": keys } });
    }
    scene
}

/// A chain of `length` nodes of a type that each take the one before at all of these ports, and what comes last.
pub fn doubling(kind: &str, length: usize, ports: &[&str], first: &[Value], first_last: (&str, &str)) -> Value {
    let (mut nodes, mut threads) = (serde_json::Map::new(), serde_json::Map::new());
    let mut before = String::new();
    for (i, node) in first.iter().enumerate() {
        let id = format!("f{i}");
        nodes.insert(id.clone(), node.clone());
        if i > 0 {
            threads.insert(format!("s{i}"), json!({ "from": before, "to": id, "port": "path" }));
        }
        before = id;
    }
    for i in 0..length {
        let id = format!("n{i}");
        nodes.insert(id.clone(), json!({ "type": kind, "name": format!("{kind} {i}") }));
        for port in ports {
            threads.insert(format!("t{i}{port}"), json!({ "from": before, "to": id, "port": port }));
        }
        before = id;
    }
    let (last, port) = first_last;
    if !last.is_empty() {
        nodes.insert("last".to_owned(), json!({ "type": last, "name": "Last" }));
        threads.insert("l".to_owned(), json!({ "from": before, "to": "last", "port": port }));
        before = "last".to_owned();
    }
    nodes.insert("out".to_owned(), json!({ "type": "output", "name": "Out" }));
    threads.insert("o".to_owned(), json!({ "from": before, "to": "out", "port": "motion" }));
    json!({
        "format": "zickzack-scene", "version": 1, "name": format!("Heavy: {kind}"), "space": "deep", "fps": "24", "frames": 120,
        "nodes": nodes, "threads": threads
    })
}

pub fn heavy() -> Result<Vec<Value>> {
    let mut lanterns: Value = serde_json::from_str(&std::fs::read_to_string(root().join("demo/lantern-round.json"))?)?;
    lanterns["name"] = json!("Heavy: moving waterline");
    let key = |frame: i64, value: f64| json!({ "id": format!("k{frame}"), "frame": frame, "value": value });
    let height = json!({ "keys": [key(0, -2.2), key(60, -1.8), key(120, -2.2)] });
    lanterns["nodes"]["waterline"]["params"]["position"] = json!([0, height, 0]);
    let svg = std::fs::read(root().join("demo/promenade.svg"))?;
    lanterns["assets"]["promenade.svg"]["text"] = json!(String::from_utf8(svg)?);
    let figure = json!({ "type": "figure", "name": "Figure" });
    let ride = json!({ "type": "ride", "name": "Ride", "params": { "riders": 200 } });
    let wave = json!({ "type": "noise", "name": "Noise" });
    let meanders = doubling("meander", 300, &["path"], std::slice::from_ref(&figure), ("ride", "path"));
    let mut combines = doubling("combine", 40, &["first", "second"], &[wave], ("", ""));
    combines["threads"]["o"] = json!({ "from": "n39", "to": "ride", "port": "progress" });
    combines["nodes"]["f"] = figure.clone();
    combines["nodes"]["ride"] = ride.clone();
    combines["threads"]["r"] = json!({ "from": "f", "to": "ride", "port": "path" });
    combines["threads"]["q"] = json!({ "from": "ride", "to": "out", "port": "motion" });
    Ok(vec![
        lanterns,
        doubling("join", 24, &["path", "other"], std::slice::from_ref(&figure), ("ride", "path")),
        doubling("mimic", 40, &["motion", "other"], &[figure.clone(), ride.clone()], ("", "")),
        combines,
        meanders,
    ])
}

/// Something that a page changes; `number` is nowhere else.
pub fn change(number: i64) -> Value {
    json!([{ "op": "put", "at": ["nodes", "ride", "params", "start"], "value": number as f64 / 1000.0 }])
}
