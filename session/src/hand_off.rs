//! The Outputs of a compiled scene as files.

use crate::Session;
use std::io::Write;
use std::sync::Arc;
use zickzack_core::graph::{Compiled, End, OUTPUT};
use zickzack_core::keys::{Keys, bake_dense, bake_reduced};
use zickzack_core::motion::{Cancel, Frames, Motion, MotionError};
use zickzack_core::nodes::model_place;
use zickzack_formats::csv::{self, CsvError};
use zickzack_formats::glb::{self, GlbError};

/// Why there is no file.
#[derive(Debug, thiserror::Error)]
pub enum HandOffError {
    /// The motion cannot be looked at.
    #[error(transparent)]
    Motion(#[from] MotionError),
    /// The file cannot be written.
    #[error(transparent)]
    Table(#[from] CsvError),
    /// The file cannot be made.
    #[error(transparent)]
    Model(#[from] GlbError),
    /// What is to stand for things is not there.
    #[error("The model of \"{output}\" cannot be put in: {why}.")]
    Missing { output: String, why: String },
}

/// How many keys there are.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Keying {
    /// One at every so many frames, above 0.
    Every(f64),
    /// As few as keep places and orientations so near, both above 0.
    Within {
        /// Of a place.
        metres: f64,
        /// Of an orientation.
        radians: f64,
    },
}

impl Keying {
    /// As it is asked for: within so many metres and degrees where these are said, or else every `step` frames. Where
    /// nothing is said of degrees, what is a metre away stays within the metres too.
    pub fn asked(step: f64, metres: Option<f64>, degrees: Option<f64>) -> Self {
        metres.map_or(Self::Every(step), |metres| Self::Within {
            metres,
            radians: degrees.map_or(metres, f64::to_radians),
        })
    }

    /// The keys of a motion over a range of frames that count from 0.
    ///
    /// # Errors
    /// Where the motion cannot be looked at.
    pub fn keys(self, motion: &Arc<dyn Motion>, range: Frames, cancel: &Cancel) -> Result<Keys, MotionError> {
        match self {
            Self::Every(step) => bake_dense(motion, range, step, cancel),
            Self::Within { metres, radians } => bake_reduced(motion, range, (metres, radians), cancel),
        }
    }
}

/// Outputs that are handed off together.
pub struct HandOff<'a> {
    session: &'a Session,
    nodes: Vec<&'a str>,
    outputs: Vec<(String, Arc<dyn Motion>)>,
    broken: Vec<(&'a str, String)>,
}

impl<'a> HandOff<'a> {
    /// The Outputs that are `wanted` by the ids of their nodes, in the order in which the scene shows them.
    pub fn of(session: &'a Session, compiled: &'a Compiled, wanted: impl Fn(&str) -> bool) -> Self {
        let ends: Vec<&End> = compiled.ends.iter().filter(|end| end.output && wanted(&end.node)).collect();
        let nodes = session.scene.nodes.iter().filter(|(id, node)| node.kind == OUTPUT && wanted(id));
        let broken = nodes.filter_map(|(id, node)| Some((node.name.as_str(), compiled.amiss(&session.scene, id)?)));
        Self {
            session,
            nodes: ends.iter().map(|end| end.node.as_str()).collect(),
            outputs: ends.iter().map(|end| (end.name.clone(), end.motion.clone())).collect(),
            broken: broken.collect(),
        }
    }

    /// Names and motions of those that work.
    pub fn outputs(&self) -> &[(String, Arc<dyn Motion>)] {
        &self.outputs
    }

    /// Names of those that do not work, each with a sentence that says why.
    pub fn broken(&self) -> &[(&'a str, String)] {
        &self.broken
    }

    /// How many things there are in all.
    pub fn things(&self) -> usize {
        self.outputs.iter().map(|(_, motion)| motion.len()).sum()
    }

    /// Writes a table with a row for every thing at every `step` frames, above 0; frames count from 0, both ends included.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, the step fits no table, or `out` does not take what is written.
    pub fn write_csv(&self, range: Frames, step: f64, out: impl Write, cancel: &Cancel) -> Result<(), HandOffError> {
        let table = csv::Table { outputs: &self.outputs, range, step, first_frame: self.session.scene.first_frame };
        Ok(csv::write(&table, out, cancel)?)
    }

    /// The keys of each Output over a range of frames that count from 0.
    ///
    /// # Errors
    /// Where a motion cannot be looked at.
    pub fn keys(&self, range: Frames, keying: Keying, cancel: &Cancel) -> Result<Vec<Keys>, HandOffError> {
        Ok(self.outputs.iter().map(|(_, motion)| keying.keys(motion, range, cancel)).collect::<Result<_, _>>()?)
    }

    /// A binary glTF file of the keys of each Output, with the models that stand for their things.
    ///
    /// # Errors
    /// Where a model is not there, or the file would be larger than its format allows.
    pub fn write_glb(&self, keys: &[Keys]) -> Result<Vec<u8>, HandOffError> {
        let Session { scene, files, .. } = self.session;
        let parts = self.outputs.iter().zip(&self.nodes).zip(keys).map(|(((name, _), node), keys)| {
            let model = model_place(scene, node, &**files)
                .map_err(|why| HandOffError::Missing { output: name.clone(), why })?;
            Ok(glb::Part { name, keys, model })
        });
        Ok(glb::write(&parts.collect::<Result<Vec<_>, HandOffError>>()?, &scene.name, scene.fps.value())?)
    }
}
