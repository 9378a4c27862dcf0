//! What the things of an Output look like in a file.

use crate::{HandOffError, Session};
use std::io::Write;
use std::sync::Arc;
use zickzack_core::colour::{Light, light};
use zickzack_core::motion::{Cancel, Columns, Frames, Kind, Motion, Sample, prepared};
use zickzack_core::nodes::{Appearance, Form};
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
        })
    }

    /// What a thing looks like, put into a file where it is not there yet; nothing where that changes all the time.
    pub(crate) fn form<S: Write>(
        &mut self,
        session: &Session,
        file: &mut glb::Writer<S>,
        object: usize,
    ) -> Result<Option<glb::Form>, HandOffError> {
        let kind = if self.motion.kinds().is_empty() { 0 } else { self.motion.kind(object) };
        match &self.forms[kind] {
            Form::Changing => Ok(None),
            Form::Mesh(solid) => {
                let tint = self.tints.get(object).copied().unwrap_or(0.0);
                let dye = Dye { colour: colour(&self.kinds[kind], tint), shines: solid.shines, thin: solid.thin };
                Ok(Some(file.mesh(&solid.name, &solid.mesh, solid.size, dye)?))
            }
            Form::Model { file: name, place } => {
                if self.models[kind].is_none() {
                    let missing = |why| HandOffError::Missing { output: self.output.clone(), why };
                    let gone = || Err(format!("the file \"{name}\" is not there: bring it in again"));
                    let content = session.files.content(name).cloned().unwrap_or_else(gone).map_err(missing)?;
                    let model = as_glb(&content).map_err(|error| missing(error.to_string()))?;
                    self.models[kind] = Some(file.model(name, &model, *place)?);
                }
                Ok(self.models[kind].clone())
            }
        }
    }
}

/// How much light a kind's colour is, so far on its way to its last.
fn colour(kind: &Kind, tint: f64) -> Light {
    let steps = (tint * STEPS).round() / STEPS;
    kind.light(steps).or_else(|| light(PAPER)).unwrap_or([1.0; 3])
}
