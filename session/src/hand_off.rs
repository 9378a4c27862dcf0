//! The Outputs of a compiled scene as files.

use crate::Session;
use crate::dressed::{Dressed, moments};
use std::io::{self, Read, Seek, Write};
use std::sync::Arc;
use zickzack_core::curve::{Path, Traced};
use zickzack_core::graph::{Compiled, End, OUTPUT, Product};
use zickzack_core::keys::{FileForm, Keying, ObjectKeys, Tally};
use zickzack_core::motion::{Cancel, Frames, Motion, MotionError};
use zickzack_core::scene::Node;
use zickzack_formats::bvh::UnwrittenBvh;
use zickzack_formats::csv::{self, CsvError};
use zickzack_formats::eye::Eye;
use zickzack_formats::glb::{self, GlbError};
use zickzack_formats::usd::UsdError;

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
    /// The file cannot be made.
    #[error(transparent)]
    Stage(#[from] UsdError),
    /// The file cannot be made.
    #[error(transparent)]
    Bones(#[from] UnwrittenBvh),
    /// Which thing a file of one thing is to hold is not known, and why.
    #[error("{0}")]
    Joints(String),
    /// It cannot be written.
    #[error("the file cannot be written: {0}")]
    Unwritten(#[from] io::Error),
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
pub(crate) const FILM: f64 = 36.0;
/// Parts of its length by which a line may be off the path that it shows.
const FINE: f64 = 1e-4;
/// The colour of lines.
pub(crate) const CHALK: [f64; 3] = [0.8, 0.8, 0.8];

/// Frames between looks at what keys do not say.
pub(crate) fn step_of(keying: Keying) -> f64 {
    match keying {
        Keying::Every(step) => step,
        Keying::Within { .. } | Keying::Straight { .. } => 1.0,
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
    pub const fn session(&self) -> &Session {
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
        let motion = &self.outputs[output].1;
        let (mut limbs, mut keying) = (Vec::new(), keying);
        if form.has_keys() {
            let dressed = self.dress(output, (range, step_of(keying)), cancel)?;
            limbs = dressed.limbs();
            if form.is_stage() {
                keying = if dressed.together() { Keying::Every(step_of(keying)) } else { keying.straightened() };
            }
        }
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
        let looks = self.dressed((range, step_of(keying)), cancel)?;
        let mut file = glb::Writer::new(scene.fps.value(), aside);
        file.note("fps", scene.fps.to_string());
        file.note("first_frame", range.from + scene.first_frame as f64);
        file.note("last_frame", range.to + scene.first_frame as f64);
        let mut tallies = Vec::with_capacity(self.outputs.len());
        for (number, ((name, motion), mut looks)) in self.outputs.iter().zip(looks).enumerate() {
            self.spans(number, cancel);
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
        let frames = moments(range, step_of(keying));
        for (name, path) in self.paths() {
            if let Some(traced) = self.traced(&path, &frames, cancel)? {
                file.lines(&name, (&traced, &frames), range.from, CHALK)?;
            }
        }
        if let Some(eye) = self.eye() {
            file.camera(eye);
        }
        file.finish(&scene.name, out)?;
        Ok(tallies)
    }

    /// What is worked at from now on are the things of one Output, by its number.
    pub(crate) fn spans(&self, output: usize, cancel: &Cancel) {
        let things =
            |some: &[(String, Arc<dyn Motion>)]| some.iter().map(|(_, motion)| motion.len()).sum::<usize>() as f64;
        let (before, own) = (things(&self.outputs[..output]), self.outputs[output].1.len() as f64);
        let all = (self.things() as f64).max(1.0);
        cancel.span(before / all, (before + own) / all);
    }

    /// What the things of an Output look like, by its number; what changes its form at steps of so many frames.
    pub(crate) fn dress(
        &self,
        output: usize,
        (range, step): (Frames, f64),
        cancel: &Cancel,
    ) -> Result<Dressed, HandOffError> {
        let (name, motion) = &self.outputs[output];
        Dressed::of(self.session, (name, self.nodes[output]), (motion, range, step), cancel)
    }

    /// The same of all.
    pub(crate) fn dressed(&self, steps: (Frames, f64), cancel: &Cancel) -> Result<Vec<Dressed>, HandOffError> {
        (0..self.outputs.len()).map(|output| self.dress(output, steps, cancel)).collect()
    }

    /// The paths that things are on, and tethers, with their names.
    pub(crate) fn paths(&self) -> impl Iterator<Item = (String, Path)> {
        let ridden =
            |(name, motion): &(String, Arc<dyn Motion>)| Some((format!("{name} path"), motion.path()?.clone()));
        self.outputs.iter().filter_map(ridden).chain(self.tethers.iter().cloned())
    }

    /// A path as lines; nothing where it has other strands at other frames.
    pub(crate) fn traced(&self, path: &Path, frames: &[f64], cancel: &Cancel) -> Result<Option<Traced>, HandOffError> {
        let traced = cancel.watched(|| Traced::of(path, frames, FINE));
        if cancel.cancelled() { Err(MotionError::Cancelled.into()) } else { Ok(traced) }
    }

    /// The camera of the scene.
    pub(crate) fn eye(&self) -> Option<Eye> {
        let (scene, camera) = (&self.session.scene, self.session.scene.camera.as_ref()?);
        let aspect = scene.picture.width / scene.picture.height;
        let wide = FILM / camera.lens;
        Some(Eye { place: camera.position.into(), target: camera.target.into(), wide, aspect })
    }
}
