//! Files of a scene, held as they came and read when a node asks for them.

use crate::{animated, model, picture, svg, table};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use glam::DVec3;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use zickzack_core::curve::Outline;
use zickzack_core::graph::Assets;
use zickzack_core::rig::{Clip, Rig};
use zickzack_core::scene::Asset;

/// What was read of files before, by where their contents lie: a file of two names is read once.
type Read<T> = Mutex<BTreeMap<usize, Result<T, String>>>;

/// What a file holds, or a sentence that says why it is not there.
pub type Content = Result<Arc<Vec<u8>>, String>;

/// The files of one scene by name; each is read once.
#[derive(Default)]
pub struct Files {
    contents: BTreeMap<String, Content>,
    drawings: Read<Arc<Vec<Outline>>>,
    tables: Read<Arc<Vec<DVec3>>>,
    pictures: Read<f64>,
    models: Read<Arc<Vec<DVec3>>>,
    animated: Read<Arc<(Rig, Vec<Clip>)>>,
}

impl Files {
    /// From contents by name, or sentences that say why a file is not there.
    pub fn new(contents: BTreeMap<String, Result<Vec<u8>, String>>) -> Self {
        Self::shared(contents.into_iter().map(|(name, content)| (name, content.map(Arc::new))).collect())
    }

    /// The same, where names may share what they hold.
    pub fn shared(contents: BTreeMap<String, Content>) -> Self {
        Self { contents, ..Self::default() }
    }

    /// What a file holds, where one of that name is held at all.
    pub fn content(&self, name: &str) -> Option<&Content> {
        self.contents.get(name)
    }

    /// True when a file of that name is held, readable or not.
    pub fn holds(&self, name: &str) -> bool {
        self.contents.contains_key(name)
    }

    fn read<T: Clone>(
        &self,
        known: &Read<T>,
        name: &str,
        read: impl FnOnce(&[u8]) -> Result<T, String>,
    ) -> Result<T, String> {
        let bytes = match self.contents.get(name) {
            None => return Err(format!("the file \"{name}\" is not there: bring it in again")),
            Some(Err(why)) => return Err(why.clone()),
            Some(Ok(bytes)) => bytes,
        };
        let mut known = known.lock().unwrap_or_else(PoisonError::into_inner);
        let found = known.entry(Arc::as_ptr(bytes) as usize).or_insert_with(|| read(bytes));
        found.clone().map_err(|why| format!("\"{name}\": {why}"))
    }
}

fn text(bytes: &[u8], what: &str) -> Result<String, String> {
    String::from_utf8(bytes.to_vec()).map_err(|_| format!("it is not text: bring in {what}"))
}

impl Assets for Files {
    fn outlines(&self, name: &str) -> Result<Arc<Vec<Outline>>, String> {
        self.read(&self.drawings, name, |bytes| {
            svg::read(&text(bytes, "an SVG file")?).map(Arc::new).map_err(|error| error.to_string())
        })
    }

    fn places(&self, name: &str) -> Result<Arc<Vec<DVec3>>, String> {
        self.read(&self.tables, name, |bytes| {
            table::read(&text(bytes, "a CSV file")?).map(Arc::new).map_err(|error| error.to_string())
        })
    }

    fn picture(&self, name: &str) -> Result<f64, String> {
        self.read(&self.pictures, name, |bytes| {
            picture::read(bytes).map(|(_, wide, high)| wide as f64 / high as f64).map_err(|error| error.to_string())
        })
    }

    fn corners(&self, name: &str) -> Result<Arc<Vec<DVec3>>, String> {
        self.read(&self.models, name, |bytes| model::corners(bytes).map(Arc::new).map_err(|error| error.to_string()))
    }

    fn animated(&self, name: &str) -> Result<Arc<(Rig, Vec<Clip>)>, String> {
        self.read(&self.animated, name, |bytes| animated::read(bytes).map(Arc::new).map_err(|error| error.to_string()))
    }
}

/// The hash by which a file is known: BLAKE3 of its bytes, in hexadecimal digits.
pub fn hash(content: &[u8]) -> String {
    blake3::hash(content).to_hex().to_string()
}

/// What an asset carries inside a scene that travels as one file, if anything; taken out of it.
///
/// # Errors
/// Where what it carries is no base64.
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
