//! What is ordered, as a page or a command line says it.

use crate::api::Refusal;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use zickzack_core::keys::{FileForm, Keying};
use zickzack_core::motion::Frames;
use zickzack_core::scene::Scene;
use zickzack_session::{HandOff, Order};

/// What is handed off, and how. Frames are shown numbers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, IntoParams, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Wanted {
    /// Id of the output's node; all outputs when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub node: Option<String>,
    /// First frame.
    pub from: f64,
    /// Last frame.
    pub to: f64,
    /// Frames from row to row or key to key.
    pub step: f64,
    /// Metres; left out for a key at every step.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tolerance: Option<f64>,
    /// Degrees; left out for as many as keep what is a metre from a thing within the tolerance.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub angle: Option<f64>,
    /// `csv`, `contacts`, `glb`, `usda`, `usdz` or `bvh`; `csv` when left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub form: Option<String>,
    /// Which thing is looked at, or is in a file that holds one, from 0.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub object: Option<usize>,
}

impl Wanted {
    /// The order for a scene.
    ///
    /// # Errors
    /// What is not right, and what would be.
    pub fn order(&self, scene: &Scene) -> Result<Order, Refusal> {
        let numbers = [self.from, self.to, self.step, self.tolerance.unwrap_or(1.0), self.angle.unwrap_or(1.0)];
        if numbers.iter().any(|x| !x.is_finite()) {
            return Err(Refusal::bad("Frames, step and tolerances must be finite numbers."));
        }
        let from = self.from - scene.first_frame as f64;
        let to = self.to - scene.first_frame as f64;
        if to <= from || to - from > 1e6 || from.abs() > 1e6 {
            return Err(Refusal::bad("The last frame must come after the first, and at most 1000000 frames after it."));
        }
        if !(1e-3..=1e6).contains(&self.step) {
            return Err(Refusal::bad("The step must be from 0.001 to 1000000 frames."));
        }
        if self.tolerance.is_some_and(|tolerance| !(1e-9..=1e3).contains(&tolerance)) {
            return Err(Refusal::bad("The tolerance must be from 0.000001 mm to 1000 m."));
        }
        if self.angle.is_some_and(|angle| !(1e-6..=1e3).contains(&angle)) {
            return Err(Refusal::bad("The tolerance of turns must be from 0.000001° to 1000°."));
        }
        let form = FileForm::of_word(self.form.as_deref().unwrap_or("csv"))
            .ok_or_else(|| Refusal::bad("The form must be csv, contacts, glb, usda, usdz or bvh."))?;
        Ok(Order {
            form,
            range: Frames { from, to },
            step: self.step,
            keying: Keying::asked(self.step, self.tolerance, self.angle),
            thing: self.object.unwrap_or(0),
        })
    }

    /// True where the Output of a node is wanted.
    pub fn wants(&self, node: &str) -> bool {
        self.node.as_ref().is_none_or(|wanted| wanted == node)
    }

    /// Whether what was found can be handed off, all of it in at most so many poses; `keyed` where it is in keys.
    ///
    /// # Errors
    /// Where there is nothing, or too much.
    pub fn check(&self, found: &HandOff<'_>, (order, keyed, most): (&Order, bool, f64)) -> Result<(), Refusal> {
        if found.outputs().is_empty() {
            let none =
                || "There is no working Output to hand off: add an Output node and thread a motion to it.".to_owned();
            return Err(Refusal::bad(found.broken().first().map_or_else(none, |(_, why)| why.clone())));
        }
        // Keys that are made few begin with one at each frame.
        let step = if keyed && self.tolerance.is_some() { self.step.min(1.0) } else { self.step };
        let rows = ((order.range.to - order.range.from) / step).floor() + 1.0;
        let poses = found.things() as f64 * rows;
        if poses > most {
            return Err(Refusal::bad(format!(
                "{:.0} million poses are more than can be taken here, which is {:.0} million: choose fewer frames, a larger step, or one Output.",
                poses / 1e6,
                most / 1e6
            )));
        }
        Ok(())
    }
}

/// The media type of a form of file.
pub const fn media(form: FileForm) -> &'static str {
    match form {
        FileForm::Table | FileForm::Contacts => "text/csv; charset=utf-8",
        FileForm::Model => "model/gltf-binary",
        FileForm::Stage => "model/vnd.usda",
        FileForm::Package => "model/vnd.usdz+zip",
        FileForm::Joints => "text/plain; charset=utf-8",
    }
}
