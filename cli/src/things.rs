//! The meshes of all things as the page reads them.

use serde_json::{Map, Value, json};
use zickzack_core::mesh::{THINGS, thing};

/// By word: places and shades of corners, and corners of triangles, each as one list of numbers; places to a hundredth of a
/// millimetre of a thing of one metre.
pub fn things() -> Value {
    let one = |word: &&str| {
        let mesh = thing(word)?;
        let places: Vec<f64> = mesh.places.iter().flat_map(|place| place.to_array()).map(rounded).collect();
        let triangles: Vec<u32> = mesh.triangles.into_iter().flatten().collect();
        Some(((*word).to_owned(), json!({ "places": places, "shades": mesh.shades, "triangles": triangles })))
    };
    Value::Object(THINGS.iter().filter_map(one).collect::<Map<String, Value>>())
}

/// Without a sign at 0.
fn rounded(x: f64) -> f64 {
    (x * 1e5).round() / 1e5 + 0.0
}
