//! What the graph asks of a node type, and what it hands to it.

use crate::curve::{Joint, Outline, Path};
use crate::motion::{Cancel, Motion};
use crate::scene::{Params, Picture, Scene, Space};
use crate::schema::Schema;
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A kind of node: its schema and the call into the room that does the work.
pub trait NodeType: Send + Sync {
    /// What it declares.
    fn schema(&self) -> Schema;

    /// Its result, or a sentence that says what is wrong and what to do.
    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String>;
}

/// Settings of the scene that results may depend on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Timing {
    /// Frames per second.
    pub fps: f64,
    /// Loop length in frames.
    pub frames: f64,
    /// Flat or deep.
    pub space: Space,
    /// The picture's size.
    pub picture: Picture,
}

impl Timing {
    /// Of a scene.
    pub fn of(scene: &Scene) -> Self {
        Self { fps: scene.fps.value(), frames: f64::from(scene.frames), space: scene.space, picture: scene.picture }
    }
}

/// Files that a scene refers to, read by somebody who may.
pub trait Assets: Send + Sync {
    /// The outlines in a drawing, or a sentence that says why there are none.
    fn outlines(&self, name: &str) -> Result<Arc<Vec<Outline>>, String>;
}

/// For scenes without files.
pub struct NoAssets;

impl Assets for NoAssets {
    fn outlines(&self, name: &str) -> Result<Arc<Vec<Outline>>, String> {
        Err(format!("the file \"{name}\" is not there: bring it in again"))
    }
}

/// What a node sees while it is evaluated.
pub struct Context<'a> {
    /// Its parameters, defaults filled in.
    pub params: Params<'a>,
    /// What its inputs bring, by port; every declared input is there.
    pub inputs: BTreeMap<String, Product>,
    /// Settings of the scene.
    pub timing: Timing,
    /// Files.
    pub assets: &'a dyn Assets,
    /// Looked at by long work.
    pub cancel: &'a Cancel,
}

impl Context<'_> {
    /// The path at a port.
    pub fn path(&self, port: &str) -> Result<Path, String> {
        match self.inputs.get(port) {
            Some(Product::Path(product)) => Ok(product.path.clone()),
            _ => Err(format!("No path arrives at the port \"{port}\".")),
        }
    }

    /// The motion at a port.
    pub fn motion(&self, port: &str) -> Result<Arc<dyn Motion>, String> {
        match self.inputs.get(port) {
            Some(Product::Motion(motion)) => Ok(motion.clone()),
            _ => Err(format!("No motion arrives at the port \"{port}\".")),
        }
    }
}

/// What a node gives.
#[derive(Clone)]
pub enum Product {
    /// A path.
    Path(PathProduct),
    /// A motion.
    Motion(Arc<dyn Motion>),
}

/// A path and what can be taken hold of on it.
#[derive(Clone)]
pub struct PathProduct {
    /// The path.
    pub path: Path,
    /// Its points.
    pub joints: Vec<Joint>,
    /// The parameter that holds points that were moved, by id.
    pub points_param: &'static str,
}

/// A value of a parameter that would close the loop.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Offer {
    /// Id of the node.
    pub node: String,
    /// Name of its parameter.
    pub param: String,
    /// The value offered.
    pub value: Value,
    /// What it is about, in words.
    pub text: String,
}

/// What came of an evaluation.
#[derive(Clone)]
pub struct Outcome {
    /// What it gives.
    pub product: Product,
    /// What the user should know, in sentences.
    pub warnings: Vec<String>,
    /// Derived figures worth reading, such as a length.
    pub facts: Vec<String>,
    /// Values that close the loop, as (parameter, value, words).
    pub offers: Vec<(&'static str, Value, String)>,
}

impl Outcome {
    /// Only a product.
    pub const fn new(product: Product) -> Self {
        Self { product, warnings: Vec::new(), facts: Vec::new(), offers: Vec::new() }
    }
}
