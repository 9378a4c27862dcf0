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

/// A model of an eel, `along` × `around` corners with normals, its nose along +x, as a binary glTF file.
pub fn eel(along: u32, around: u32) -> Vec<u8> {
    let part = |i: u32, of: u32| f64::from(i) as f32 / f64::from(of) as f32;
    let (mut places, mut normals) = (Vec::new(), Vec::new());
    for i in 0..along {
        let x = part(i, along - 1);
        let thick = 0.06 * (4.0 * x * (1.0 - x)).sqrt() + 0.002;
        for j in 0..around {
            // Round a circle by halves.
            let (half, side) = (around / 2, if j < around / 2 { 1.0 } else { -1.0 });
            let t = 2.0 * part(j % half, half) - 1.0;
            let (cosine, sine) = (side * (1.0 - t * t) / (1.0 + t * t), side * 2.0 * t / (1.0 + t * t));
            places.extend([2.0 * x - 1.0, thick * cosine, thick * sine]);
            normals.extend([0.0, cosine, sine]);
        }
    }
    let corner = |i: u32, j: u32| i * around + j % around;
    let ring = |i: u32| {
        (0..around).flat_map(move |j| {
            [corner(i, j), corner(i, j + 1), corner(i + 1, j), corner(i + 1, j), corner(i, j + 1), corner(i + 1, j + 1)]
        })
    };
    let indices: Vec<u32> = (0..along - 1).flat_map(ring).collect();
    let floats = |all: &[f32]| all.iter().flat_map(|number| number.to_le_bytes()).collect::<Vec<u8>>();
    let (places, normals) = (floats(&places), floats(&normals));
    let (each, count, faces) = (places.len(), along * around, indices.len());
    let binary: Vec<u8> = [places, normals, indices.iter().flat_map(|index| index.to_le_bytes()).collect()].concat();
    let told = json!({
        "asset": { "version": "2.0" }, "scene": 0, "scenes": [{ "nodes": [0] }], "nodes": [{ "mesh": 0 }],
        "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0, "NORMAL": 1 }, "indices": 2 }] }],
        "accessors": [
            { "bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3", "min": [-1.0, -0.1, -0.1], "max": [1.0, 0.1, 0.1] },
            { "bufferView": 1, "componentType": 5126, "count": count, "type": "VEC3" },
            { "bufferView": 2, "componentType": 5125, "count": faces, "type": "SCALAR" },
        ],
        "bufferViews": [
            { "buffer": 0, "byteOffset": 0, "byteLength": each }, { "buffer": 0, "byteOffset": each, "byteLength": each },
            { "buffer": 0, "byteOffset": 2 * each, "byteLength": 4 * faces },
        ],
        "buffers": [{ "byteLength": binary.len() }],
    });
    let mut text = told.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let chunk = |kind: &[u8; 4], bytes: &[u8]| [&(bytes.len() as u32).to_le_bytes()[..], kind, bytes].concat();
    let chunks = [chunk(b"JSON", &text), chunk(b"BIN\0", &binary)].concat();
    let size = 12 + chunks.len() as u32;
    [&b"glTF"[..], &2u32.to_le_bytes(), &size.to_le_bytes(), &chunks].concat()
}

/// A model, whose file is still to be chosen, that swims along a drawn path.
pub fn bent() -> Value {
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Eel", "space": "deep", "fps": "24", "frames": 240,
        "nodes": {
            "path": { "type": "drawn-path", "name": "Way", "at": [24, 24], "params": { "closed": true, "points": [
                { "id": "a", "at": [-4, 1, 0] }, { "id": "b", "at": [0, 2, 3] }, { "id": "c", "at": [4, 1, 0] }, { "id": "d", "at": [0, 0, -3] } ] } },
            "bend": { "type": "bend-along", "name": "Eel", "at": [24, 150], "params": { "what": "own model", "length": 6, "offset": { "formula": "loop" } } },
            "out": { "type": "output", "name": "Out", "at": [24, 280] },
        },
        "threads": {
            "a": { "from": "path", "to": "bend", "port": "path" }, "b": { "from": "bend", "to": "out", "port": "motion" },
        },
    })
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
