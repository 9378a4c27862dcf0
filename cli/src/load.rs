//! Scene files, with the files beside them.

use anyhow::{Context, Result, bail};
use std::fs;
use std::path::Path;
use std::sync::Arc;
use std::time::Instant;
use zickzack_core::graph::{Assets, AtOnce, Compiled, Memo, Workshop, compile};
use zickzack_core::motion::Cancel;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Asset, Scene};
use zickzack_formats::files::{Files, take_content};

/// Largest scene file, bytes.
const LARGEST: u64 = 64 << 20;

/// Reads and checks a scene file.
pub fn scene(path: &Path, registry: &Registry) -> Result<Scene> {
    let size = fs::metadata(path).with_context(|| format!("{} cannot be opened", path.display()))?.len();
    if size > LARGEST {
        bail!("{} is larger than {} MB", path.display(), LARGEST >> 20);
    }
    let text = fs::read_to_string(path).with_context(|| format!("{} cannot be read as text", path.display()))?;
    Scene::from_json(&text, &registry.schemas).with_context(|| path.display().to_string())
}

/// The files a scene refers to: from inside it, or beside the scene file under the same name.
pub fn files(scene: &Scene, path: &Path) -> Files {
    let folder = path.parent().unwrap_or(Path::new("."));
    let contents = scene.assets.iter().map(|(name, asset)| (name.clone(), content(folder, name, asset)));
    Files::new(contents.collect())
}

fn content(folder: &Path, name: &str, asset: &Asset) -> Result<Vec<u8>, String> {
    let mut asset = asset.clone();
    let content = match take_content(&mut asset).map_err(|why| format!("the file \"{name}\" {why}"))? {
        Some(content) => content,
        None => fs::read(folder.join(name))
            .map_err(|error| format!("the file \"{name}\" beside the scene cannot be read: {error}"))?,
    };
    if zickzack_server::store::assets::hash(&content) == asset.hash {
        Ok(content)
    } else {
        Err(format!("the file \"{name}\" is not the one that the scene was saved with: bring it in again"))
    }
}

/// Compiles a scene file's scene.
pub fn compiled(scene: &Scene, path: &Path, registry: &Registry, cancel: &Cancel) -> Compiled {
    let begun = Instant::now();
    let clock = || begun.elapsed().as_micros() as u64;
    let assets: Arc<dyn Assets> = Arc::new(files(scene, path));
    let memo = Memo::default();
    let workshop = Workshop {
        types: &registry.types,
        schemas: &registry.schemas,
        memo: &memo,
        assets: &assets,
        clock: &clock,
        cancel,
        recorder: &AtOnce,
    };
    compile(scene, &workshop)
}
