//! Files of a scene, held as they came and read when a node asks for them.

use crate::svg;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use zickzack_core::curve::Outline;
use zickzack_core::graph::Assets;
use zickzack_core::scene::Asset;

type Drawing = Result<Arc<Vec<Outline>>, String>;

/// The files of one scene by name; each drawing is parsed once.
#[derive(Default)]
pub struct Files {
    contents: BTreeMap<String, Result<Vec<u8>, String>>,
    drawings: Mutex<BTreeMap<String, Drawing>>,
}

impl Files {
    /// From contents by name, or sentences that say why a file is not there.
    pub const fn new(contents: BTreeMap<String, Result<Vec<u8>, String>>) -> Self {
        Self { contents, drawings: Mutex::new(BTreeMap::new()) }
    }

    /// True when a file of that name is held, readable or not.
    pub fn holds(&self, name: &str) -> bool {
        self.contents.contains_key(name)
    }
}

impl Assets for Files {
    fn outlines(&self, name: &str) -> Drawing {
        let mut drawings = self.drawings.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = drawings.get(name) {
            return known.clone();
        }
        let drawing = match self.contents.get(name) {
            None => Err(format!("the file \"{name}\" is not there: bring it in again")),
            Some(Err(why)) => Err(why.clone()),
            Some(Ok(bytes)) => std::str::from_utf8(bytes)
                .map_err(|_| format!("\"{name}\" is not text: bring in an SVG file"))
                .and_then(|text| svg::read(text).map(Arc::new).map_err(|error| format!("\"{name}\": {error}"))),
        };
        drawings.insert(name.to_owned(), drawing.clone());
        drawing
    }
}

/// What an asset carries inside a scene that travels as one file, if anything; taken out of it.
pub fn take_content(asset: &mut Asset) -> Result<Option<Vec<u8>>, String> {
    if let Some(text) = asset.text.take() {
        asset.base64 = None;
        return Ok(Some(text.into_bytes()));
    }
    let Some(packed) = asset.base64.take() else { return Ok(None) };
    STANDARD.decode(packed).map(Some).map_err(|_| "is not base64: save the scene as a file again".to_owned())
}

/// Puts a file into a scene that travels as one: as text where it is text.
pub fn put_content(asset: &mut Asset, content: Vec<u8>) {
    match String::from_utf8(content) {
        Ok(text) => asset.text = Some(text),
        Err(other) => asset.base64 = Some(STANDARD.encode(other.as_bytes())),
    }
}
