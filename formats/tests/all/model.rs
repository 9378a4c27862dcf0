//! Models and pictures: what can be shown is taken, anything else is refused with a sentence.

use glam::DVec3;
use proptest::prelude::*;
use zickzack_formats::{model, picture};

const SWAN: &[u8] = include_bytes!("../../../demo/swan-boat.glb");

/// The model with its JSON part changed.
fn changed(change: impl Fn(&mut serde_json::Value)) -> Vec<u8> {
    let length = u32::from_le_bytes(SWAN[12..16].try_into().unwrap()) as usize;
    let mut json: serde_json::Value = serde_json::from_slice(&SWAN[20..20 + length]).unwrap();
    change(&mut json);
    let mut text = json.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let rest = &SWAN[20 + length..];
    let mut file = b"glTF".to_vec();
    for number in [2, (20 + text.len() + rest.len()) as u32, text.len() as u32] {
        file.extend(number.to_le_bytes());
    }
    file.extend(b"JSON");
    file.extend(text);
    file.extend(rest);
    file
}

#[test]
fn the_boat_of_the_demo_is_taken() {
    let facts = model::read(SWAN).unwrap();
    assert!(facts.triangles > 200 && facts.parts == 1 && facts.clips == 0, "{facts:?}");
}

#[test]
fn corners_lie_where_the_model_has_them() {
    let bounds = |bytes: &[u8]| {
        let corners = model::corners(bytes).unwrap();
        let far = (DVec3::INFINITY, DVec3::NEG_INFINITY);
        corners.iter().fold(far, |(low, high), corner| (low.min(*corner), high.max(*corner)))
    };
    let length = u32::from_le_bytes(SWAN[12..16].try_into().unwrap()) as usize;
    let json: serde_json::Value = serde_json::from_slice(&SWAN[20..20 + length]).unwrap();
    let parts = json["meshes"][0]["primitives"].as_array().unwrap();
    let lists: Vec<usize> =
        parts.iter().map(|part| part["attributes"]["POSITION"].as_u64().unwrap() as usize).collect();
    let said = |name: &str, all: fn(DVec3, DVec3) -> DVec3| {
        let one = |list: &usize| {
            let numbers = json["accessors"][*list][name].as_array().unwrap().iter();
            DVec3::from_slice(&numbers.map(|x| x.as_f64().unwrap()).collect::<Vec<_>>())
        };
        lists.iter().map(one).reduce(all).unwrap() * 2.0
    };
    // Turned a quarter about y and twice as large under a node that is moved up.
    let turned = changed(|j| {
        j["nodes"] = serde_json::json!([
            { "translation": [0, 5, 0], "children": [1] },
            { "mesh": 0, "rotation": [0, std::f64::consts::FRAC_1_SQRT_2, 0, std::f64::consts::FRAC_1_SQRT_2], "scale": [2, 2, 2] }
        ]);
        j["scenes"] = serde_json::json!([{ "nodes": [0] }]);
        j["scene"] = 0.into();
    });
    let (low, high) = bounds(&turned);
    let (min, max) = (said("min", DVec3::min), said("max", DVec3::max));
    assert!(low.distance(DVec3::new(min.z, min.y + 5.0, -max.x)) < 1e-4, "{low} {min} {max}");
    assert!(high.distance(DVec3::new(max.z, max.y + 5.0, -min.x)) < 1e-4, "{high} {min} {max}");
}

#[test]
fn models_with_missing_parts_are_refused_with_what_to_do() {
    let cases: Vec<(Vec<u8>, &str)> = vec![
        (Vec::new(), "not a binary glTF"),
        (b"solid fair".to_vec(), "not a binary glTF"),
        (SWAN[..40].to_vec(), "export it again"),
        (changed(|j| j["buffers"][0]["byteLength"] = 1_000_000.into()), "cut off"),
        (changed(|j| j["buffers"][0]["uri"] = "hull.bin".into()), "in other files"),
        (changed(|j| j["bufferViews"][1]["byteLength"] = 4_000_000.into()), "cut off"),
        (changed(|j| j["accessors"][0]["count"] = 4_000_000_000u32.into()), "cut off"),
        (changed(|j| j["images"] = serde_json::json!([{ "uri": "paint.png" }])), "in other files"),
        (changed(|j| j["images"] = serde_json::json!([{ "bufferView": 0, "mimeType": "image/png" }])), "picture"),
        (changed(|j| j["nodes"][0]["mesh"] = 7.into()), "damaged"),
        (changed(|j| j["nodes"] = serde_json::json!([{ "name": "nothing" }])), "no mesh"),
        (changed(|j| j["meshes"][0]["primitives"][0]["attributes"] = serde_json::json!({ "NORMAL": 1 })), "POSITION"),
        (changed(|j| j["nodes"] = serde_json::json!([{ "mesh": 0, "children": [0] }])), "circle"),
        (changed(|j| j["extensionsRequired"] = serde_json::json!(["FAIR_squeezed"])), "without compression"),
    ];
    for (bytes, words) in cases {
        let told = model::read(&bytes).expect_err(words).to_string();
        assert!(told.contains(words), "\"{told}\" does not say \"{words}\"");
    }
    let many: Vec<_> = (0..900).map(|_| serde_json::json!({ "mesh": 0 })).collect();
    let roots: Vec<usize> = (0..900).collect();
    let crowd = changed(|j| {
        j["nodes"] = serde_json::Value::Array(many.clone());
        j["scenes"][0]["nodes"] = serde_json::json!(roots);
    });
    assert!(model::read(&crowd).unwrap_err().to_string().contains("triangles"));
}

proptest! {
    #[test]
    fn a_damaged_model_is_taken_or_refused_but_never_breaks(places in prop::collection::vec((0..SWAN.len(), any::<u8>()), 1..12), cut in 0..SWAN.len()) {
        let mut bytes = SWAN.to_vec();
        for (place, byte) in places {
            bytes[place] = byte;
        }
        let _ = model::read(&bytes);
        let _ = model::corners(&bytes);
        bytes.truncate(cut);
        let _ = model::read(&bytes);
    }

    #[test]
    fn any_bytes_are_a_picture_or_refused(bytes in prop::collection::vec(any::<u8>(), 0..64)) {
        let _ = picture::read(&bytes);
    }
}

/// The beginning of a PNG of a size.
fn png(width: u32, height: u32) -> Vec<u8> {
    let mut bytes = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR".to_vec();
    bytes.extend(width.to_be_bytes());
    bytes.extend(height.to_be_bytes());
    bytes.extend([8, 6, 0, 0, 0, 0, 0, 0, 0]);
    bytes
}

#[test]
fn pictures_are_told_by_what_they_are_and_kept_within_bounds() {
    assert_eq!(picture::read(&png(1920, 1080)), Ok(("image/png", 1920, 1080)));
    assert!(picture::read(&png(9000, 10)).unwrap_err().to_string().contains("8192"));
    assert!(picture::read(&png(0, 10)).is_err());
    assert!(picture::read(b"GIF89a\x01\0\x01\0").unwrap_err().to_string().contains("PNG, JPEG or WebP"));
    assert!(picture::read(b"<svg/>").is_err());
    assert!(picture::read(&vec![0; picture::LARGEST + 1]).unwrap_err().to_string().contains("16 MB"));
}
