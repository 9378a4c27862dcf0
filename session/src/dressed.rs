//! What the things of an Output look like in a file.

use crate::{HandOffError, Session};
use std::io::{Read, Seek, Write};
use std::sync::Arc;
use zickzack_core::colour::{Light, light};
use zickzack_core::motion::{BentForm, Cancel, Columns, Dents, Frames, Kind, Limbs, Motion, Sample, prepared};
use zickzack_core::nodes::{Appearance, Form, Jointed, Solid, upright};
use zickzack_formats::glb::{self, Dye};
use zickzack_formats::model::as_glb;

/// The colour of things that have none of their own.
const PAPER: &str = "#f5efe3";
/// Steps between two colours, so that things of many colours share what is alike.
const STEPS: f64 = 255.0;

/// The forms of an Output's kinds, and which of them its things have.
pub(crate) struct Dressed {
    output: String,
    motion: Arc<dyn Motion>,
    /// The same, ready where the range begins, and that frame.
    ready: Arc<dyn Motion>,
    start: f64,
    kinds: Vec<Kind>,
    forms: Vec<Form>,
    /// Models that are in the file, by kind.
    models: Vec<Option<glb::Form>>,
    /// Where things lie between the two colours of their kinds.
    tints: Vec<f64>,
}

impl Dressed {
    /// As things look at the start of a range.
    pub(crate) fn of(
        session: &Session,
        (output, node): (&str, &str),
        (motion, range): (&Arc<dyn Motion>, Frames),
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
            start: range.from,
        })
    }

    /// What a thing looks like, put into a file where it is not there yet; of what is dented as it is at the start.
    pub(crate) fn form<S: Read + Write + Seek>(
        &mut self,
        session: &Session,
        file: &mut glb::Writer<S>,
        object: usize,
    ) -> Result<Option<glb::Form>, HandOffError> {
        let kind = if self.motion.kinds().is_empty() { 0 } else { self.motion.kind(object) };
        match &self.forms[kind] {
            Form::Dented(dents) => {
                let solid = self.dented(dents, kind, object)?;
                Ok(Some(file.mesh(&solid.name, &solid.mesh, solid.size, self.dye(kind, object, &solid))?))
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
                Ok(Some(file.mesh(&solid.name, &solid.mesh, solid.size, self.dye(kind, object, solid))?))
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

    /// What moves the joints of each kind, with how many metres are one of the units of what hangs on them.
    pub(crate) fn limbs(&self) -> Vec<Option<(Limbs, f64)>> {
        let limbs = |form: &Form| match form {
            Form::Jointed(jointed) => Some((jointed.limbs.clone(), jointed.place.scale)),
            _ => None,
        };
        self.forms.iter().map(limbs).collect()
    }

    fn missing(&self, why: String) -> HandOffError {
        HandOffError::Missing { output: self.output.clone(), why }
    }

    fn content(&self, session: &Session, name: &str) -> Result<Arc<Vec<u8>>, HandOffError> {
        let gone = || Err(format!("the file \"{name}\" is not there: bring it in again"));
        session.files.content(name).cloned().unwrap_or_else(gone).map_err(|why| self.missing(why))
    }

    /// A file as binary glTF.
    fn model(&self, session: &Session, name: &str) -> Result<Vec<u8>, HandOffError> {
        let content = self.content(session, name)?;
        let model = as_glb(&content).map_err(|error| self.missing(error.to_string()))?;
        Ok(model.into_owned())
    }

    fn dye(&self, kind: usize, object: usize, solid: &Solid) -> Dye {
        let tint = self.tints.get(object).copied().unwrap_or(0.0);
        Dye { colour: colour(&self.kinds[kind], tint), shines: solid.shines, thin: solid.thin }
    }

    /// A surface as it is dented at the start.
    fn dented(&self, dents: &Dents, kind: usize, object: usize) -> Result<Solid, HandOffError> {
        let mut sample = Sample::default();
        self.ready.sample_at(&[(object, self.start)], Columns::DENTED, &mut sample);
        let mesh = Arc::new(dents.mesh(sample.dents[0]));
        let name = format!("{} {}", self.output, kind + 1);
        Ok(Solid { name, mesh, size: 1.0, shines: false, thin: false })
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

/// How much light a kind's colour is, so far on its way to its last.
fn colour(kind: &Kind, tint: f64) -> Light {
    let steps = (tint * STEPS).round() / STEPS;
    kind.light(steps).or_else(|| light(PAPER)).unwrap_or([1.0; 3])
}
