//! What the things of an Output look like, for files that hold it.

use super::model::{ModelPlace, model_place};
use super::output::{MODEL, Output, OutputFields};
use crate::graph::{Assets, Maker, Timing};
use crate::mesh::{Mesh, letter, slab, thing};
use crate::motion::{Dents, Kind, Limbs, Own};
use crate::scene::{Fields, Params, Scene, Signals, resolve, sentences};
use crate::schema::Choice;
use std::collections::BTreeMap;
use std::sync::Arc;

/// What one thing looks like.
#[derive(Debug, Clone)]
pub enum Form {
    /// Triangles in a colour.
    Mesh(Solid),
    /// A file with a model, and how that lies in the thing.
    Model { file: String, place: ModelPlace },
    /// What hangs on joints that move.
    Jointed(Jointed),
    /// A surface that is dented, another at every frame.
    Dented(Own<Dents>),
}

/// What hangs on the joints of a thing.
#[derive(Debug, Clone)]
pub struct Jointed {
    /// What moves them.
    pub limbs: Limbs,
    /// The file with the model that hangs on them; none of a strip.
    pub file: Option<String>,
    /// How the model lies in the thing, its joints with it.
    pub place: ModelPlace,
}

/// Triangles in a colour.
#[derive(Debug, Clone)]
pub struct Solid {
    /// What it is, in a word.
    pub name: String,
    /// Its corners, sizes.
    pub mesh: Arc<Mesh>,
    /// Metres that are one of them.
    pub size: f64,
    /// It shines by itself.
    pub shines: bool,
    /// It is seen from behind too.
    pub thin: bool,
}

/// What an Output says of how its things look. Meshes are made once.
pub struct Appearance {
    thing: String,
    letter: String,
    size: f64,
    model: Option<(String, ModelPlace)>,
    made: BTreeMap<String, Arc<Mesh>>,
}

/// What is seen where there is no model yet.
const STAND_IN: &str = "box";
const LETTER: &str = "letter";
const LANTERN: &str = "lantern";

impl Appearance {
    /// Of an Output of a scene.
    ///
    /// # Errors
    /// Where its numbers cannot be read, or the file of its model.
    pub fn of(scene: &Scene, output: &str, assets: &dyn Assets) -> Result<Self, String> {
        let schema = Output.schema();
        let node = scene.nodes.get(output).ok_or("there is no such Output")?;
        let (signals, clock) = (Signals::new(), Timing::of(scene).clock());
        let resolved = resolve(&schema, node, &signals, clock, (0.0, false)).map_err(|marks| sentences(&marks))?;
        let own = OutputFields::read(&Params::new(&schema, node, (&resolved.values, &signals), clock));
        let thing = own.thing.word().to_owned();
        let model = model_place(&own, assets)?.map(|place| (own.model.clone(), place));
        Ok(Self { thing, letter: own.letter, size: own.size, model, made: BTreeMap::new() })
    }

    /// How a thing of a kind looks.
    ///
    /// # Errors
    /// Where a letter has no form.
    pub fn form(&mut self, kind: &Kind) -> Result<Form, String> {
        if let Some(dents) = &kind.dented {
            return Ok(Form::Dented(dents.clone()));
        }
        if let Some(limbs) = Limbs::of(kind) {
            return Ok(Form::Jointed(self.jointed(limbs)));
        }
        if let Some(glyph) = &kind.glyph {
            let (name, size) = (format!("letter {}", glyph.sign), 1.0);
            let key = format!("{name} {:?} {}", glyph.contours, glyph.thickness);
            let mesh = self.once(key, || slab(&glyph.contours, glyph.thickness).map_err(|why| why.to_string()))?;
            return Ok(Form::Mesh(Solid { name, mesh, size, shines: false, thin: glyph.thickness == 0.0 }));
        }
        let word = if kind.thing.is_empty() { self.thing.clone() } else { kind.thing.clone() };
        if let Some((file, place)) = self.model.as_ref().filter(|_| word == MODEL) {
            return Ok(Form::Model { file: file.clone(), place: *place });
        }
        let (size, thin, shines) = (self.size, word == LETTER, word == LANTERN);
        if thin {
            let sign = if kind.letter.is_empty() { self.letter.clone() } else { kind.letter.clone() };
            let name = format!("letter {}", sign.chars().take(1).collect::<String>());
            let mesh = self.once(name.clone(), || letter(&sign).map_err(|why| format!("{name}: {why}")))?;
            return Ok(Form::Mesh(Solid { name, mesh, size, shines, thin }));
        }
        let name = if word == MODEL { STAND_IN.to_owned() } else { word };
        let mesh =
            self.once(name.clone(), || thing(&name).ok_or_else(|| format!("there is no form for \"{name}\"")))?;
        Ok(Form::Mesh(Solid { name, mesh, size, shines, thin }))
    }

    fn jointed(&self, limbs: Limbs) -> Jointed {
        let (file, place) = match &limbs {
            // Both are written in metres, as they lie in their things.
            Limbs::Bent(bend) => (bend.form().file(), ModelPlace::AS_IT_IS),
            Limbs::Walked(walk) => (Some(walk.file()), ModelPlace::AS_IT_IS),
            Limbs::Played(animated) => {
                let rig = animated.repertoire.rig();
                let scale = self.size / rig.size().max(f64::MIN_POSITIVE);
                let place = ModelPlace::fitted(rig.around(), (animated.nose, animated.top), scale);
                (Some(animated.file.as_str()), place)
            }
        };
        Jointed { file: file.map(str::to_owned), place, limbs }
    }

    fn once(&mut self, key: String, make: impl FnOnce() -> Result<Mesh, String>) -> Result<Arc<Mesh>, String> {
        if let Some(mesh) = self.made.get(&key) {
            return Ok(mesh.clone());
        }
        let mesh = Arc::new(make()?);
        self.made.insert(key, mesh.clone());
        Ok(mesh)
    }
}
