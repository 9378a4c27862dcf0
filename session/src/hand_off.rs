//! The Outputs of a compiled scene as files.

use crate::Session;
use crate::dressed::{Dressed, moments};
use std::io::{Read, Seek, Write};
use std::sync::Arc;
use zickzack_core::curve::{Path, Traced};
use zickzack_core::graph::{Compiled, End, OUTPUT, Product};
use zickzack_core::keys::{FileForm, Keying, ObjectKeys, Tally};
use zickzack_core::motion::{Cancel, Frames, Motion, MotionError};
use zickzack_core::scene::Node;
use zickzack_formats::csv::{self, CsvError};
use zickzack_formats::glb::{self, Eye, GlbError};

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
    #[error("What \"{output}\" is shown as cannot be put in: {why}.")]
    Missing { output: String, why: String },
}

/// Outputs that are handed off together.
pub struct HandOff<'a> {
    session: &'a Session,
    nodes: Vec<&'a str>,
    outputs: Vec<(String, Arc<dyn Motion>)>,
    broken: Vec<(&'a str, String)>,
    /// Names and paths of the tethers of the scene.
    tethers: Vec<(String, Path)>,
}

/// The type of nodes that are lines between things.
const TETHER: &str = "tether";
/// Width of the film that lenses are for, millimetres.
const FILM: f64 = 36.0;
/// Parts of its length by which a line may be off the path that it shows.
const FINE: f64 = 1e-4;
/// The colour of lines.
const CHALK: [f64; 3] = [0.8, 0.8, 0.8];

/// Frames between looks at what keys do not say.
fn step_of(keying: Keying) -> f64 {
    match keying {
        Keying::Every(step) => step,
        Keying::Within { .. } => 1.0,
    }
}

impl<'a> HandOff<'a> {
    /// The Outputs that are `wanted` by the ids of their nodes, in the order in which the scene shows them.
    pub fn of(session: &'a Session, compiled: &'a Compiled, wanted: impl Fn(&str) -> bool) -> Self {
        let ends: Vec<&End> = compiled.ends.iter().filter(|end| end.output && wanted(&end.node)).collect();
        let nodes = session.scene.nodes.iter().filter(|(id, node)| node.kind == OUTPUT && wanted(id));
        let broken = nodes.filter_map(|(id, node)| Some((node.name.as_str(), compiled.amiss(&session.scene, id)?)));
        let tethers = session.scene.nodes.iter().filter(|(_, node)| node.kind == TETHER);
        let tether = |(id, node): (&String, &Arc<Node>)| match compiled.nodes.get(id)?.product() {
            Some(Product::Path(tether)) => Some((node.name.clone(), tether.path.clone())),
            _ => None,
        };
        Self {
            tethers: tethers.filter_map(tether).collect(),
            session,
            nodes: ends.iter().map(|end| end.node.as_str()).collect(),
            outputs: ends.iter().map(|end| (end.name.clone(), end.motion.clone())).collect(),
            broken: broken.collect(),
        }
    }

    /// The scene with its files.
    pub(crate) const fn session(&self) -> &Session {
        self.session
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

    /// Makes the keys of the things of one of its Outputs, by its number, one after another, as a file of a form would have them: those
    /// of joints too where it holds them.
    ///
    /// # Errors
    /// Where the motion cannot be looked at, or a model is not there; what `take` says.
    pub fn keys(
        &self,
        (output, form): (usize, FileForm),
        (range, keying): (Frames, Keying),
        cancel: &Cancel,
        mut take: impl FnMut(ObjectKeys),
    ) -> Result<(), HandOffError> {
        let (name, motion) = &self.outputs[output];
        let limbs = match form {
            FileForm::Model => {
                let step = step_of(keying);
                Dressed::of(self.session, (name, self.nodes[output]), (motion, range, step), cancel)?.limbs()
            }
            FileForm::Table | FileForm::Contacts => Vec::new(),
        };
        keying.each_jointed((motion, &limbs), range, cancel, |keys| {
            take(keys);
            Ok::<(), HandOffError>(())
        })
    }

    /// Writes a table with a row for every thing at every `step` frames, above 0; frames count from 0, both ends included.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, the step fits no table, or `out` does not take what is written.
    pub fn write_csv(&self, range: Frames, step: f64, out: impl Write, cancel: &Cancel) -> Result<(), HandOffError> {
        let table = csv::Table { outputs: &self.outputs, range, step, first_frame: self.session.scene.first_frame };
        Ok(csv::write(&table, out, cancel)?)
    }

    /// Writes a table with a row for every contact within a range of frames that count from 0.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, or `out` does not take what is written.
    pub fn write_contacts(&self, range: Frames, out: impl Write, cancel: &Cancel) -> Result<(), HandOffError> {
        let first_frame = self.session.scene.first_frame;
        let table = csv::Table { outputs: &self.outputs, range, step: 1.0, first_frame };
        Ok(csv::write_contacts(&table, out, cancel)?)
    }

    /// Writes a binary glTF file of the keys of each Output over a range of frames that count from 0, with what their
    /// things look like at its start. Numbers are put down in `aside`, an empty place, until what comes before them is known. Says
    /// what the keys of each Output are, in their order.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, a model is not there, the file would be larger than its format allows, or `aside`
    /// or `out` do not take what is written.
    pub fn write_glb(
        &self,
        (range, keying): (Frames, Keying),
        aside: impl Read + Write + Seek,
        out: &mut (impl Write + ?Sized),
        cancel: &Cancel,
    ) -> Result<Vec<Tally>, HandOffError> {
        let scene = &self.session.scene;
        // What is missing is told before any work is done.
        let dressed = |((name, motion), node): (&(String, Arc<dyn Motion>), &&str)| {
            Dressed::of(self.session, (name, node), (motion, range, step_of(keying)), cancel)
        };
        let looks = self.outputs.iter().zip(&self.nodes).map(dressed).collect::<Result<Vec<_>, HandOffError>>()?;
        let mut file = glb::Writer::new(scene.fps.value(), aside);
        file.note("fps", scene.fps.to_string());
        file.note("first_frame", range.from + scene.first_frame as f64);
        file.note("last_frame", range.to + scene.first_frame as f64);
        let mut tallies = Vec::with_capacity(self.outputs.len());
        for ((name, motion), mut looks) in self.outputs.iter().zip(looks) {
            let mut tally = Tally::default();
            let limbs = looks.limbs();
            keying.each_jointed((motion, &limbs), range, cancel, |keys| {
                tally.add(&keys);
                let form = looks.form(self.session, &mut file, tally.things - 1, cancel)?;
                file.thing(&format!("{name} {}", tally.things), &keys, range.from, form.as_ref())?;
                Ok::<(), HandOffError>(())
            })?;
            tallies.push(tally);
        }
        self.lines(&mut file, range, step_of(keying), cancel)?;
        if let Some(camera) = &scene.camera {
            let aspect = scene.picture.width / scene.picture.height;
            let wide = FILM / camera.lens;
            file.camera(Eye { place: camera.position.into(), target: camera.target.into(), wide, aspect });
        }
        file.finish(&scene.name, out)?;
        Ok(tallies)
    }

    /// The paths that things are on, and tethers, as lines.
    fn lines<S: Read + Write + Seek>(
        &self,
        file: &mut glb::Writer<S>,
        range: Frames,
        step: f64,
        cancel: &Cancel,
    ) -> Result<(), HandOffError> {
        let frames = moments(range, step);
        let ridden =
            self.outputs.iter().filter_map(|(name, motion)| Some((format!("{name} path"), motion.path()?.clone())));
        let tied = self.tethers.iter().cloned();
        for (name, path) in ridden.chain(tied) {
            let traced = cancel.watched(|| Traced::of(&path, &frames, FINE));
            if cancel.cancelled() {
                return Err(MotionError::Cancelled.into());
            }
            if let Some(traced) = traced {
                file.lines(&name, (&traced, &frames), range.from, CHALK)?;
            }
        }
        Ok(())
    }
}
