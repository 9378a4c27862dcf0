//! Files that a scene refers to, as nodes see them.

use crate::curve::Outline;
use crate::rig::{Clip, Rig};
use glam::DVec3;
use std::sync::{Arc, LazyLock};

/// Files that a scene refers to, read by somebody who may.
pub trait Assets: Send + Sync {
    /// The outlines in a drawing, or a sentence that says why there are none.
    fn outlines(&self, name: &str) -> Result<Arc<Vec<Outline>>, String>;

    /// Corners of the meshes of a binary glTF model, metres, or a sentence that says why there are none.
    fn corners(&self, name: &str) -> Result<Arc<Vec<DVec3>>, String>;

    /// Joints and clips of a binary glTF model, or a sentence that says why there are none.
    fn animated(&self, name: &str) -> Result<Arc<(Rig, Vec<Clip>)>, String>;

    /// The rows of a table of places, x, y, z each, or a sentence that says why there are none.
    fn places(&self, name: &str) -> Result<Arc<Vec<DVec3>>, String>;

    /// How many times as wide as high a picture is, or a sentence that says why there is none.
    fn picture(&self, name: &str) -> Result<f64, String>;
}

/// Those of a scene without files.
pub fn no_assets() -> &'static Arc<dyn Assets> {
    static NONE: LazyLock<Arc<dyn Assets>> = LazyLock::new(|| Arc::new(NoAssets));
    &NONE
}

fn missing<T>(name: &str) -> Result<T, String> {
    Err(format!("the file \"{name}\" is not there: bring it in again"))
}

/// For scenes without files.
struct NoAssets;

impl Assets for NoAssets {
    fn outlines(&self, name: &str) -> Result<Arc<Vec<Outline>>, String> {
        missing(name)
    }

    fn places(&self, name: &str) -> Result<Arc<Vec<DVec3>>, String> {
        missing(name)
    }

    fn picture(&self, name: &str) -> Result<f64, String> {
        missing(name)
    }

    fn corners(&self, name: &str) -> Result<Arc<Vec<DVec3>>, String> {
        missing(name)
    }

    fn animated(&self, name: &str) -> Result<Arc<(Rig, Vec<Clip>)>, String> {
        missing(name)
    }
}
