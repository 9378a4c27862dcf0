//! What things look like in a GLB: read back by the gltf crate, corner by corner.

use crate::glb::{shown, written_as};
use glam::{DMat4, DQuat, DVec3, Mat4, Vec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::io::Cursor;
use std::sync::Arc;
use zickzack_core::colour::light;
use zickzack_core::keys::{Keys, bake_dense};
use zickzack_core::mesh::{THINGS, thing};
use zickzack_core::motion::{Cancel, Frames};
use zickzack_core::nodes::ModelPlace;
use zickzack_formats::glb::{Dye, GlbError, Writer};
use zickzack_formats::model;

const SWAN: &[u8] = include_bytes!("../../../demo/swan-boat.glb");
const MOTH: &[u8] = include_bytes!("../../../demo/moth.glb");
const KITE: &[u8] = include_bytes!("../../../demo/kite.glb");

/// So many riders on a ring, at every frame of a short range.
fn keys(riders: usize) -> Keys {
    let nodes = json!({
        "path": { "type": "figure", "name": "Path" },
        "ride": { "type": "ride", "name": "Ride", "params": { "riders": riders } }, "out": { "type": "output", "name": "Out" },
    });
    let threads = json!({
        "a": { "from": "path", "to": "ride", "port": "path" }, "b": { "from": "ride", "to": "out", "port": "motion" },
    });
    let (compiled, _) = shown("24", nodes, threads);
    bake_dense(&compiled.ends[0].motion, Frames { from: 0.0, to: 4.0 }, 1.0, &Cancel::default()).unwrap()
}

/// Corners of the triangles below a node, in its parent's axes, as they are drawn one after the other.
fn drawn(node: &gltf::Node<'_>, above: DMat4, blob: &[u8], found: &mut Vec<DVec3>) {
    let here = above * Mat4::from_cols_array_2d(&node.transform().matrix()).as_dmat4();
    for part in node.mesh().iter().flat_map(gltf::Mesh::primitives) {
        let reader = part.reader(|_| Some(blob));
        let places: Vec<DVec3> = reader.read_positions().unwrap().map(|at| Vec3::from(at).as_dvec3()).collect();
        let order: Vec<usize> = match reader.read_indices() {
            Some(indices) => indices.into_u32().map(|i| i as usize).collect(),
            None => (0..places.len()).collect(),
        };
        found.extend(order.into_iter().map(|i| here.transform_point3(places[i])));
    }
    node.children().for_each(|child| drawn(&child, here, blob, found));
}

/// The scene's own nodes with what is drawn of each below itself, without its own place.
fn all_drawn(file: &gltf::Gltf) -> Vec<Vec<DVec3>> {
    let blob = file.blob.as_deref().unwrap();
    let one = |node: gltf::Node<'_>| {
        let mut found = Vec::new();
        let back = Mat4::from_cols_array_2d(&node.transform().matrix()).as_dmat4().inverse();
        drawn(&node, back, blob, &mut found);
        found
    };
    file.scenes().next().unwrap().nodes().map(one).collect()
}

fn close(a: &[DVec3], b: &[DVec3], within: f64) -> bool {
    a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.distance(*b) <= within)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Whatever is shown: its triangles are those of its mesh, as large as it is shown, in its colour and shades; things
    /// that look alike share a mesh, and those of another colour its corners.
    #[test]
    fn meshes_are_there_once_in_their_size_and_colour(
        word in prop::sample::select(THINGS.to_vec()), size in 0.01..50.0f64,
        colours in prop::collection::vec(prop::array::uniform3(0u8..=255), 1..4), shines: bool, thin: bool,
    ) {
        let mesh = Arc::new(thing(word).unwrap());
        let keys = keys(2 * colours.len());
        let mut file = Writer::new(24.0, Cursor::new(Vec::new()));
        for (i, object) in keys.objects.iter().enumerate() {
            let [r, g, b] = colours[i % colours.len()];
            let colour = light(&format!("#{r:02x}{g:02x}{b:02x}")).unwrap();
            let form = file.mesh(word, &mesh, size, Dye { colour, shines, thin }).unwrap();
            file.thing(&format!("Out {i}"), object, 0.0, Some(&form)).unwrap();
        }
        let mut bytes = Vec::new();
        file.finish("Fair", &mut bytes).unwrap();
        let file = gltf::Gltf::from_slice(&bytes).unwrap();
        let wanted: Vec<DVec3> = mesh.triangles.iter().flatten().map(|i| mesh.places[*i as usize] * size).collect();
        for found in all_drawn(&file) {
            prop_assert!(close(&found, &wanted, 1e-5 * size), "{word}");
        }
        let mut different = colours.clone();
        different.sort_unstable();
        different.dedup();
        prop_assert_eq!(file.meshes().count(), different.len());
        let lists: std::collections::BTreeSet<usize> = file.meshes().flat_map(|mesh| mesh.primitives().map(|part| part.get(&gltf::Semantic::Positions).unwrap().index()).collect::<Vec<_>>()).collect();
        prop_assert_eq!(lists.len(), 1, "corners are there once");
        for (i, node) in file.scenes().next().unwrap().nodes().enumerate() {
            let part = node.mesh().unwrap().primitives().next().unwrap();
            let look = part.material();
            let factor = look.pbr_metallic_roughness().base_color_factor();
            prop_assert_eq!(look.double_sided(), thin);
            prop_assert_eq!(look.emissive_factor().iter().any(|x| *x > 0.0), shines && colours[i % colours.len()] != [0; 3]);
            for (part, level) in factor.iter().zip(colours[i % colours.len()]) {
                // Back by the other half of the definition.
                let light = f64::from(*part);
                let back = if light <= 0.003_130_8 { 12.92 * light } else { 1.055 * libm::pow(light, 1.0 / 2.4) - 0.055 };
                prop_assert!((back * 255.0 - f64::from(level)).abs() < 0.01, "{back} for {level}");
            }
            let shades = part.reader(|_| file.blob.as_deref()).read_colors(0).map(|all| all.into_rgb_f32().collect::<Vec<_>>());
            match shades {
                Some(shades) => prop_assert!(shades.iter().zip(&mesh.shades).all(|(a, b)| a.iter().all(|x| (f64::from(*x) - b).abs() < 1e-6))),
                None => prop_assert!(mesh.shades.iter().all(|shade| *shade == 1.0)),
            }
        }
    }

    /// Models of one's own are in the file once, wherever their numbers come to lie, as they lie in their things.
    #[test]
    fn models_are_there_once_as_they_lie_in_their_things(
        which in 0usize..3, at in prop::array::uniform3(-3.0..3.0f64), axis in prop::array::uniform3(-1.0..1.0f64), angle in -3.0..3.0f64,
        scale in 0.1..4.0f64, riders in 1usize..4, before: bool,
    ) {
        let axis = DVec3::from_array(axis);
        prop_assume!(axis.length() > 0.1);
        let own = [SWAN, MOTH, KITE][which];
        let place = ModelPlace { at: DVec3::from_array(at), turn: DQuat::from_axis_angle(axis.normalize(), angle), scale };
        let bytes = written_as(&keys(riders), 24.0, |file| {
            if before {
                file.model("other", MOTH, place).unwrap();
                file.mesh("ball", &Arc::new(thing("ball").unwrap()), 1.0, Dye { colour: [1.0; 3], shines: false, thin: false }).unwrap();
            }
            Some(file.model("own", own, place).unwrap())
        });
        let (file, model) = (gltf::Gltf::from_slice(&bytes).unwrap(), gltf::Gltf::from_slice(own).unwrap());
        let carried = DMat4::from_scale_rotation_translation(DVec3::splat(scale), place.turn, place.at);
        let mut wanted = Vec::new();
        for node in model.scenes().next().unwrap().nodes() {
            drawn(&node, carried, model.blob.as_deref().unwrap(), &mut wanted);
        }
        let found = all_drawn(&file);
        prop_assert_eq!(found.len(), riders);
        for found in found {
            prop_assert!(close(&found, &wanted, 2e-5));
        }
        let meshes = model.meshes().count() + if before { 1 + gltf::Gltf::from_slice(MOTH).unwrap().meshes().count() } else { 0 };
        prop_assert_eq!(file.meshes().count(), meshes, "meshes are there once");
        // What its parts are made of is what it was.
        let of = |file: &gltf::Gltf| -> Vec<(Option<String>, [f32; 4])> {
            let parts = file.nodes().filter_map(|node| node.mesh()).flat_map(|mesh| mesh.primitives().map(|part| {
                let look = part.material();
                (look.name().map(str::to_owned), look.pbr_metallic_roughness().base_color_factor())
            }).collect::<Vec<_>>());
            parts.collect()
        };
        prop_assert_eq!(of(&file), (0..riders).flat_map(|_| of(&model)).collect::<Vec<_>>());
    }
}

/// A file with a picture on a square, in a material whose extension has another one; and things beside it.
fn pictured() -> Vec<u8> {
    let picture = [137u8, 80, 78, 71, 13, 10, 26, 10, 1, 2, 3];
    let mut bin: Vec<u8> = Vec::new();
    let corners = [[0.0f32, 0.0, 0.0], [1.0, 0.0, 0.0], [1.0, 1.0, 0.0]];
    corners.iter().flatten().for_each(|x| bin.extend(x.to_le_bytes()));
    let at = bin.len();
    bin.extend(picture);
    let length = bin.len();
    bin.resize(length.next_multiple_of(4), 0);
    let root = json!({
        "asset": { "version": "2.0" }, "scene": 1, "extensionsUsed": ["KHR_materials_clearcoat", "KHR_lights_punctual"],
        "scenes": [{ "nodes": [] }, { "nodes": [1] }],
        "nodes": [{ "mesh": 0 }, { "name": "hung", "children": [2], "scale": [2, 2, 2] }, { "mesh": 0, "camera": 0, "extensions": { "KHR_lights_punctual": { "light": 0 } } }],
        "cameras": [{ "type": "perspective", "perspective": { "yfov": 1.0, "znear": 0.1 } }],
        "extensions": { "KHR_lights_punctual": { "lights": [{ "type": "point" }] } },
        "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0 }, "material": 0 }] }],
        "materials": [{
            "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } }, "emissiveTexture": { "index": 1, "texCoord": 0 },
            "extensions": { "KHR_materials_clearcoat": { "clearcoatTexture": { "index": 1 }, "clearcoatFactor": 0.5 } },
        }],
        "textures": [{ "source": 0, "sampler": 0 }, { "source": 0 }], "samplers": [{}],
        "images": [{ "bufferView": 1, "mimeType": "image/png" }],
        "accessors": [{ "bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0] }],
        "bufferViews": [{ "buffer": 0, "byteLength": at }, { "buffer": 0, "byteOffset": at, "byteLength": picture.len() }],
        "buffers": [{ "byteLength": length }],
    });
    let mut text = root.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut file = b"glTF".to_vec();
    for number in [2, (28 + text.len() + bin.len()) as u32, text.len() as u32] {
        file.extend(number.to_le_bytes());
    }
    file.extend(b"JSON");
    file.extend(text);
    file.extend((bin.len() as u32).to_le_bytes());
    file.extend(b"BIN\0");
    file.extend(bin);
    file
}

#[test]
fn pictures_and_what_extensions_refer_to_come_along_and_cameras_and_lights_stay_behind() {
    let place = ModelPlace { at: DVec3::ZERO, turn: DQuat::IDENTITY, scale: 1.0 };
    let bytes = written_as(&keys(1), 24.0, |file| {
        file.model("first", &pictured(), place).unwrap();
        Some(file.model("own", &pictured(), place).unwrap())
    });
    let length = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let root: Value = serde_json::from_slice(&bytes[20..20 + length]).unwrap();
    let bin = &bytes[28 + length..];
    let material = &root["materials"][1];
    assert_eq!(material["pbrMetallicRoughness"]["baseColorTexture"]["index"], 2);
    assert_eq!(material["emissiveTexture"]["index"], 3);
    assert_eq!(material["extensions"]["KHR_materials_clearcoat"]["clearcoatTexture"]["index"], 3);
    assert_eq!(material["extensions"]["KHR_materials_clearcoat"]["clearcoatFactor"], 0.5);
    assert_eq!((&root["textures"][2]["source"], &root["textures"][2]["sampler"]), (&json!(1), &json!(1)));
    let view = &root["bufferViews"][root["images"][1]["bufferView"].as_u64().unwrap() as usize];
    let at = view["byteOffset"].as_u64().unwrap() as usize;
    assert_eq!(&bin[at..at + 11], &[137u8, 80, 78, 71, 13, 10, 26, 10, 1, 2, 3]);
    assert_eq!(root["extensionsUsed"], json!(["KHR_materials_clearcoat"]));
    let text = root.to_string();
    assert!(!text.contains("punctual") && !text.contains("camera"), "{text}");
    // Of its two scenes the one that is shown: a node, one below it, and the thing with what it hangs on.
    assert_eq!(root["nodes"].as_array().unwrap().len(), 4);
    let file = gltf::Gltf::from_slice(&bytes).unwrap();
    assert_eq!(all_drawn(&file)[0], [DVec3::ZERO, DVec3::X * 2.0, DVec3::new(2.0, 2.0, 0.0)]);
}

#[test]
fn what_is_no_model_is_refused_by_its_name() {
    let place = ModelPlace { at: DVec3::ZERO, turn: DQuat::IDENTITY, scale: 1.0 };
    for bytes in [&b""[..], b"glTF", &SWAN[..40], b"{}"] {
        let mut file = Writer::new(24.0, Cursor::new(Vec::new()));
        let Err(GlbError::Model { name, why }) = file.model("own.glb", bytes, place) else { panic!("{bytes:?}") };
        assert!(name == "own.glb" && !why.is_empty());
    }
    assert!(model::read(SWAN).is_ok());
}
