//! What the things of an Output look like in a file.

use crate::{HandOffError, Session};
use std::io::{Read, Seek, Write};
use std::sync::Arc;
use zickzack_core::colour::{Light, light};
use zickzack_core::keys;
use zickzack_core::mesh::Mesh;
use zickzack_core::motion::{BentForm, Cancel, Columns, Frames, Kind, Limbs, Motion, MotionError, Sample, prepared};
use zickzack_core::nodes::{Appearance, Form, Jointed, upright};
use zickzack_formats::glb::{self, Dye};
use zickzack_formats::model::as_glb;

/// The colour of things that have none of their own.
const PAPER: &str = "#f5efe3";
/// Steps between two colours, so that things of many colours share what is alike.
const STEPS: f64 = 255.0;

/// The forms of an Output's kinds, and which of them its things have.
pub(crate) struct Dressed {
    output: String,
    pub motion: Arc<dyn Motion>,
    /// The same, ready for the range.
    pub ready: Arc<dyn Motion>,
    /// Frames at which what changes its form is looked at.
    pub moments: Vec<f64>,
    pub kinds: Vec<Kind>,
    pub forms: Vec<Form>,
    /// Models that are in the file, by kind.
    models: Vec<Option<glb::Form>>,
    /// Where things lie between the two colours of their kinds.
    tints: Vec<f64>,
}

impl Dressed {
    /// As things look at the start of a range; what changes its form at steps of so many frames.
    pub(crate) fn of(
        session: &Session,
        (output, node): (&str, &str),
        (motion, range, step): (&Arc<dyn Motion>, Frames, f64),
        cancel: &Cancel,
    ) -> Result<Self, HandOffError> {
        let missing = |why| HandOffError::Missing { output: output.to_owned(), why };
        let mut looks = Appearance::of(&session.scene, node, &*session.files).map_err(missing)?;
        let kinds = if motion.kinds().is_empty() { vec![Kind::PLAIN] } else { motion.kinds().to_vec() };
        let forms: Result<Vec<Form>, String> = kinds.iter().map(|kind| looks.form(kind)).collect();
        let ready = prepared(motion, range.widened(1.0), cancel)?;
        let mut sample = Sample::default();
        ready.sample(range.from, Columns::TINT, &mut sample);
        Ok(Self {
            output: output.to_owned(),
            motion: motion.clone(),
            models: vec![None; kinds.len()],
            kinds,
            forms: forms.map_err(missing)?,
            tints: sample.tints,
            ready,
            moments: moments(range, step),
        })
    }

    /// What a thing looks like, put into a file where it is not there yet; of what is dented as it is at the start.
    pub(crate) fn form<S: Read + Write + Seek>(
        &mut self,
        session: &Session,
        file: &mut glb::Writer<S>,
        object: usize,
        cancel: &Cancel,
    ) -> Result<Option<glb::Form>, HandOffError> {
        let kind = self.kind(object);
        match &self.forms[kind] {
            Form::Dented(dents) => {
                let name = format!("{} {}", self.output, kind + 1);
                let dye = self.dye(kind, object, (false, false));
                let triangles = dents.body().triangles.clone();
                let form = file.changing((&name, &triangles), self.moments.clone(), dye, |frame| {
                    if cancel.cancelled() {
                        return Err(MotionError::Cancelled.into());
                    }
                    Ok::<Mesh, HandOffError>(cancel.watched(|| self.dented(kind, object, frame)))
                })?;
                Ok(Some(form))
            }
            Form::Jointed(jointed) => {
                if self.models[kind].is_none() {
                    let name = format!("{} {}", self.output, kind + 1);
                    let dye = Dye { colour: colour(&self.kinds[kind], 0.0), shines: false, thin: false };
                    self.models[kind] = Some(self.jointed_form(session, file, (&name, jointed), dye)?);
                }
                Ok(self.models[kind].clone())
            }
            Form::Mesh(solid) => {
                let dye = self.dye(kind, object, (solid.shines, solid.thin));
                Ok(Some(file.mesh(&solid.name, &solid.mesh, solid.size, dye)?))
            }
            Form::Model { file: name, place } => {
                if self.models[kind].is_none() {
                    let model = self.model(session, name)?;
                    self.models[kind] = Some(file.model(name, &model, *place)?);
                }
                Ok(self.models[kind].clone())
            }
        }
    }

    /// The number of the kind that a thing is of.
    pub fn kind(&self, object: usize) -> usize {
        if self.motion.kinds().is_empty() { 0 } else { self.motion.kind(object) }
    }

    /// What moves the joints of each kind, with how many metres are one of the units of what hangs on them.
    pub(crate) fn limbs(&self) -> Vec<keys::Jointed> {
        let limbs = |form: &Form| match form {
            Form::Jointed(jointed) => Some((jointed.limbs.clone(), jointed.place.scale)),
            _ => None,
        };
        self.forms.iter().map(limbs).collect()
    }

    fn missing(&self, why: String) -> HandOffError {
        HandOffError::Missing { output: self.output.clone(), why }
    }

    pub fn content(&self, session: &Session, name: &str) -> Result<Arc<Vec<u8>>, HandOffError> {
        let gone = || Err(format!("the file \"{name}\" is not there: bring it in again"));
        session.files.content(name).cloned().unwrap_or_else(gone).map_err(|why| self.missing(why))
    }

    /// A file as binary glTF.
    pub fn model(&self, session: &Session, name: &str) -> Result<Vec<u8>, HandOffError> {
        let content = self.content(session, name)?;
        let model = as_glb(&content).map_err(|error| self.missing(error.to_string()))?;
        Ok(model.into_owned())
    }

    fn dye(&self, kind: usize, object: usize, (shines, thin): (bool, bool)) -> Dye {
        let tint = self.tints.get(object).copied().unwrap_or(0.0);
        Dye { colour: colour(&self.kinds[kind], tint), shines, thin }
    }

    /// A surface as it is dented at a frame.
    pub fn dented(&self, kind: usize, object: usize, frame: f64) -> Mesh {
        let mut sample = Sample::default();
        self.ready.sample_at(&[(object, frame)], Columns::DENTED, &mut sample);
        // What was made ready has its own.
        let dents = self.ready.kinds().get(kind).and_then(|kind| kind.dented.as_ref());
        dents.map_or_else(Mesh::default, |dents| dents.mesh(sample.dents[0]))
    }

    fn jointed_form<S: Read + Write + Seek>(
        &self,
        session: &Session,
        file: &mut glb::Writer<S>,
        (name, jointed): (&str, &Jointed),
        dye: Dye,
    ) -> Result<glb::Form, HandOffError> {
        let Limbs::Bent(bend) = &jointed.limbs else {
            let name = jointed.file.as_deref().unwrap_or_default();
            return Ok(file.rigged(name, &self.model(session, name)?, jointed.place)?);
        };
        let chain = (bend.length(), bend.joints());
        match bend.form() {
            BentForm::Strip(strip) => {
                let picture = &strip.picture;
                let content = if picture.is_empty() { None } else { Some(self.content(session, picture)?) };
                Ok(file.strip((name, strip), chain, content.as_ref().map(|content| &content[..]))?)
            }
            BentForm::Model { file: own, nose, top, .. } => {
                let model = self.model(session, own)?;
                Ok(file.bent((own, &model), upright((*nose, *top)), chain, dye)?)
            }
        }
    }
}

/// Moments of a range at which what changes its form is looked at, most of them.
const MOST_MOMENTS: f64 = 1000.0;

/// Frames at steps from the start of a range on, and its end; where there would be too many, at larger steps.
pub(crate) fn moments(range: Frames, step: f64) -> Vec<f64> {
    let step = step.max((range.to - range.from) / MOST_MOMENTS);
    let inside = (0..).map(|i| range.from + f64::from(i) * step).take_while(|frame| *frame < range.to - 1e-6);
    inside.chain([range.to]).collect()
}

/// How much light a kind's colour is, so far on its way to its last; in steps, so that things of many colours share what is alike.
pub(crate) fn colour(kind: &Kind, tint: f64) -> Light {
    exact_colour(kind, (tint * STEPS).round() / STEPS)
}

/// The same exactly.
pub(crate) fn exact_colour(kind: &Kind, tint: f64) -> Light {
    kind.light(tint).or_else(|| light(PAPER)).unwrap_or([1.0; 3])
}
