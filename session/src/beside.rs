//! A scene that is a file, with the files beside it.

use crate::Session;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Asset, Scene, SceneError};
use zickzack_formats::files::{Files, hash, put_content, take_content};

/// Largest scene file, bytes.
const LARGEST: u64 = 64 << 20;

/// Why a scene file gives no scene.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// There is no such file, or it may not be looked at.
    #[error("{0} cannot be opened: {1}")]
    Unopened(PathBuf, io::Error),
    /// It is not looked at.
    #[error("{0} is larger than {size} MB", size = LARGEST >> 20)]
    TooLarge(PathBuf),
    /// It is not UTF-8, or the disk does not give it.
    #[error("{0} cannot be read as text: {1}")]
    NotText(PathBuf, io::Error),
    /// It is no scene, and why.
    #[error("{0}: {1}")]
    NotAScene(PathBuf, SceneError),
}

impl Session {
    /// Reads a scene file and the files that it refers to: from inside it, or beside it under the same name. A file that is
    /// not there is told where a node asks for it.
    ///
    /// # Errors
    /// Where the scene file itself is not there, too large, not text, or no scene.
    pub fn read(path: &Path, registry: Arc<Registry>) -> Result<Self, ReadError> {
        let unopened = |error| ReadError::Unopened(path.to_owned(), error);
        if fs::metadata(path).map_err(unopened)?.len() > LARGEST {
            return Err(ReadError::TooLarge(path.to_owned()));
        }
        let text = fs::read_to_string(path).map_err(|error| ReadError::NotText(path.to_owned(), error))?;
        let scene = Scene::from_json(&text, &registry.schemas);
        let scene = scene.map_err(|error| ReadError::NotAScene(path.to_owned(), error))?;
        let folder = path.parent().unwrap_or(Path::new("."));
        let contents = scene.assets.iter().map(|(name, asset)| (name.clone(), content(folder, name, asset)));
        let files = Arc::new(Files::new(contents.collect()));
        Ok(Self::new(registry, scene, files))
    }

    /// The scene with all that it refers to inside it, as it travels as one file.
    ///
    /// # Errors
    /// A sentence about a file that is not there.
    pub fn as_one_file(&self) -> Result<Scene, String> {
        let mut scene = Scene::clone(&self.scene);
        for (name, asset) in &mut scene.assets {
            if asset.text.is_none() && asset.base64.is_none() {
                let missing = || Err(format!("the file \"{name}\" is not there: bring it in again"));
                let content = self.files.content(name).map_or_else(missing, Clone::clone)?;
                put_content(asset, content.to_vec());
            }
        }
        Ok(scene)
    }
}

fn content(folder: &Path, name: &str, asset: &Asset) -> Result<Vec<u8>, String> {
    let mut asset = asset.clone();
    let content = match take_content(&mut asset).map_err(|why| format!("the file \"{name}\" {why}"))? {
        Some(content) => content,
        None => fs::read(folder.join(name))
            .map_err(|error| format!("the file \"{name}\" beside the scene cannot be read: {error}"))?,
    };
    if hash(&content) == asset.hash {
        Ok(content)
    } else {
        Err(format!("the file \"{name}\" is not the one that the scene was saved with: bring it in again"))
    }
}
