//! Scenes as USD (Universal Scene Description): as text (`.usda`), or packed with their pictures (`.usdz`).
//!
//! What things look like stands once, as classes below `Forms`; things refer to it. Metres, y upwards, a time code for every frame
//! as shown. Where a value jumps there are two, [`JUST`] apart.

mod carried;
mod crowd;
mod forms;
mod lines;
mod model;
mod package;
mod skeleton;
mod stage;
mod surface;
mod things;
mod values;

pub use crowd::{Crowd, Crowded};
pub use forms::{Coloured, Form};
pub use model::{holds_picture, pictures_of};
pub use package::pack;
pub use stage::Head;

use crate::model::ModelError;
use forms::Body;
use model::Own;
use stage::Stage;
use std::io::{self, Write};
use values::{Name, Names};

/// Time codes between the two sides of a jump.
pub const JUST: f64 = 1.0 / 65536.0;

/// The prim that holds all others.
const ROOT: &str = "Scene";
/// Below it: what things look like, and what that is made of.
const FORMS: &str = "Forms";
const MATERIALS: &str = "Materials";

/// Why there is no file.
#[derive(Debug, thiserror::Error)]
pub enum UsdError {
    #[error("the file would be larger than 4 GB: hand off fewer things or frames, or as .usda")]
    TooLarge,
    #[error("the model \"{name}\" cannot be put in: {why}")]
    Model { name: String, why: String },
    #[error("the file cannot be written: {0}")]
    Io(#[from] io::Error),
}

impl UsdError {
    fn model(name: &str) -> impl Fn(ModelError) -> Self {
        move |error| Self::Model { name: name.to_owned(), why: error.to_string() }
    }
}

/// A picture that a stage refers to by its name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// Where it lies beside the stage.
    pub path: String,
    /// PNG or JPEG.
    pub bytes: Vec<u8>,
}

/// A stage that is written Output by Output. Frames count from 0.
pub struct Writer<W> {
    stage: Stage<W>,
    /// The number that frame 0 is shown as.
    first: f64,
    /// Prims below the root.
    names: Names,
    /// Prims with things of the Output that is open.
    inside: Names,
    forms: Vec<(Name, Body)>,
    form_names: Names,
    /// Materials of models of one's own.
    own: Vec<(Name, Own)>,
    material_names: Names,
    /// Pictures that go along; nothing where none can.
    pictures: Option<Vec<Picture>>,
}

impl<W: Write> Writer<W> {
    /// A stage with nothing in it yet; with pictures only where they can go along.
    ///
    /// # Errors
    /// Where `out` does not take it.
    pub fn new(out: W, head: &Head<'_>, pictures: bool) -> Result<Self, UsdError> {
        let mut names = Names::default();
        [FORMS, MATERIALS].into_iter().for_each(|own| drop(names.name(own)));
        let mut material_names = Names::default();
        surface::PLAIN.into_iter().for_each(|own| drop(material_names.name(own)));
        let mut stage = Stage::new(out, head, ROOT)?;
        stage.begin("def Xform", &Name { identifier: ROOT.to_owned(), shown: head.title.to_owned() }, &[])?;
        Ok(Self {
            stage,
            first: head.first,
            names,
            inside: Names::default(),
            forms: Vec::new(),
            form_names: Names::default(),
            own: Vec::new(),
            material_names,
            pictures: pictures.then(Vec::new),
        })
    }

    /// Opens an Output.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn begin(&mut self, output: &str) -> Result<(), UsdError> {
        let name = self.names.name(output);
        self.inside = Names::default();
        Ok(self.stage.begin("def Xform", &name, &[])?)
    }

    /// Closes it.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn end(&mut self) -> Result<(), UsdError> {
        Ok(self.stage.end()?)
    }

    /// Writes what things look like, and gives back what was written to and the pictures that go along.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn finish(mut self) -> Result<(W, Vec<Picture>), UsdError> {
        self.put_forms()?;
        self.put_materials()?;
        self.stage.end()?;
        Ok((self.stage.finish()?, self.pictures.unwrap_or_default()))
    }
}
