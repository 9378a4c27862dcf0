//! Files of a scene, held as text and read when a node asks for them.

use crate::svg;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use zickzack_core::curve::Outline;
use zickzack_core::graph::Assets;

type Drawing = Result<Arc<Vec<Outline>>, String>;

/// The files of one scene by name; each drawing is parsed once.
#[derive(Default)]
pub struct Files {
    texts: BTreeMap<String, Result<String, String>>,
    drawings: Mutex<BTreeMap<String, Drawing>>,
}

impl Files {
    /// From texts by name, or sentences that say why a file is not there.
    pub const fn new(texts: BTreeMap<String, Result<String, String>>) -> Self {
        Self { texts, drawings: Mutex::new(BTreeMap::new()) }
    }

    /// True when a file of that name is held, readable or not.
    pub fn holds(&self, name: &str) -> bool {
        self.texts.contains_key(name)
    }
}

impl Assets for Files {
    fn outlines(&self, name: &str) -> Drawing {
        let mut drawings = self.drawings.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = drawings.get(name) {
            return known.clone();
        }
        let drawing = match self.texts.get(name) {
            None => Err(format!("the file \"{name}\" is not there: bring it in again")),
            Some(Err(why)) => Err(why.clone()),
            Some(Ok(text)) => svg::read(text).map(Arc::new).map_err(|error| format!("\"{name}\": {error}")),
        };
        drawings.insert(name.to_owned(), drawing.clone());
        drawing
    }
}
