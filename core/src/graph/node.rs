//! What the graph asks of a node type, and what it hands to it.

use super::assets::Assets;
use super::closing::offers::OfferMaker;
use super::memo::Key;
use super::product::{Product, curve_facts};
use super::recorder::{Order, Recorder, Taken};
use crate::curve::{Curve, Path};
use crate::motion::{Cancel, Motion, Progress, Simulated};
use crate::scene::{Params, Picture, Scene, Space};
use crate::schema::Schema;
use crate::signal::{Clock, Signal};
use crate::surface::{Ground, Surface};
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// The type of the node that hands a motion off.
pub const OUTPUT: &str = "output";

/// A kind of node: its schema and the call into the room that does the work.
pub trait NodeType: Send + Sync {
    /// What it declares.
    fn schema(&self) -> Schema;

    /// Its result, or a sentence that says what is wrong and what to do. Paths and surfaces are made for the
    /// frame of the context, from inputs as they are then.
    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String>;

    /// True when a path or surface that it gives changes over time even where nothing that it takes does.
    fn moves(&self, params: &Params<'_>) -> bool {
        let _ = params;
        false
    }

    /// The number that says how large a thing is, and what part that is of its size from end to end; of three numbers
    /// the first. Nothing where that changes nothing, as things stand and with what is threaded.
    fn sized_by(&self, params: &Params<'_>, threaded: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        let _ = (params, threaded);
        None
    }

    /// The number by which a path that it makes is brought to another length, where there is such a one.
    fn fitted_by(&self, params: &Params<'_>) -> Option<&'static str> {
        let _ = params;
        None
    }
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
    /// What a frame means.
    pub const fn clock(&self) -> Clock {
        Clock { fps: self.fps, frames: self.frames }
    }

    /// Of a scene.
    pub fn of(scene: &Scene) -> Self {
        Self { fps: scene.fps.value(), frames: f64::from(scene.frames), space: scene.space, picture: scene.picture }
    }
}

/// What a node sees while it is evaluated.
pub struct Context<'a> {
    /// Its parameters, defaults filled in.
    pub params: Params<'a>,
    /// What its inputs bring, by port; every declared input is there, unless it is optional.
    pub inputs: BTreeMap<String, Product>,
    /// The frame for which paths and surfaces are made.
    pub frame: f64,
    /// Whether somebody reads what is said of it, or only its product is taken.
    pub told: bool,
    /// Settings of the scene.
    pub timing: Timing,
    /// Files.
    pub assets: &'a dyn Assets,
    /// Looked at by long work.
    pub cancel: &'a Cancel,
    /// Works out what is kept frame by frame.
    pub recorder: &'a dyn Recorder,
    /// The node's id, and what stands for all that it is evaluated from.
    pub stands_for: (&'a str, Key),
    /// Set where what came of it may be another thing the next time, since what was to be recorded was not there.
    pub unsettled: &'a AtomicBool,
}

impl Context<'_> {
    /// What there is so far of `of` frames from one on that are worked out one after the other, at least 1.
    ///
    /// # Errors
    /// Why nothing is there: it is still worked out, was stopped, or cannot be made.
    pub fn recorded(
        &self,
        from: f64,
        of: usize,
        make: &dyn Fn() -> Result<Box<dyn Simulated>, String>,
    ) -> Result<Taken, String> {
        let (node, key) = self.stands_for;
        let taken = self.recorder.take(&Order { node, key, from, of, make, cancel: self.cancel });
        self.unsettled.fetch_or(taken.is_err(), Ordering::Relaxed);
        taken
    }

    /// The path at a port.
    ///
    /// # Errors
    /// Where none arrives there.
    pub fn path(&self, port: &str) -> Result<Path, String> {
        match self.inputs.get(port) {
            Some(Product::Path(product)) => Ok(product.path.clone()),
            _ => Err(format!("No path arrives at the port \"{port}\".")),
        }
    }

    /// The curve that the path at a port is at the frame.
    ///
    /// # Errors
    /// Where no path arrives there.
    pub fn curve(&self, port: &str) -> Result<Arc<Curve>, String> {
        Ok(self.path(port)?.at(self.frame))
    }

    /// The motion at a port that may be left open.
    pub fn motion_if_any(&self, port: &str) -> Option<Arc<dyn Motion>> {
        self.motion(port).ok()
    }

    /// The path at a port that may be left open.
    pub fn path_if_any(&self, port: &str) -> Option<Path> {
        self.path(port).ok()
    }

    /// The surface at a port that may be left open, at every frame.
    pub fn ground_if_any(&self, port: &str) -> Option<Ground> {
        match self.inputs.get(port) {
            Some(Product::Surface(ground)) => Some(ground.clone()),
            _ => None,
        }
    }

    /// What the surface at a port is at the frame.
    ///
    /// # Errors
    /// Where none arrives there.
    pub fn surface(&self, port: &str) -> Result<Surface, String> {
        let ground = self.ground_if_any(port).ok_or_else(|| format!("No surface arrives at the port \"{port}\"."))?;
        Ok(ground.at(self.frame))
    }

    /// The signal at a port.
    ///
    /// # Errors
    /// Where none arrives there.
    pub fn signal(&self, port: &str) -> Result<Arc<dyn Signal>, String> {
        match self.inputs.get(port) {
            Some(Product::Signal(signal)) => Ok(signal.clone()),
            _ => Err(format!("No signal arrives at the port \"{port}\".")),
        }
    }

    /// The motion at a port.
    ///
    /// # Errors
    /// Where none arrives there.
    pub fn motion(&self, port: &str) -> Result<Arc<dyn Motion>, String> {
        match self.inputs.get(port) {
            Some(Product::Motion(motion)) => Ok(motion.clone()),
            _ => Err(format!("No motion arrives at the port \"{port}\".")),
        }
    }
}

/// A value of one of a node's parameters that mends what its warnings or facts speak of.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Mend {
    /// The node whose parameter it is; the one that says so where it is absent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub node: Option<String>,
    /// Name of the parameter.
    pub param: &'static str,
    /// The value offered.
    pub value: Value,
    /// What it is about, in words.
    pub text: String,
}

impl Mend {
    /// Of a parameter of the node that says so.
    pub const fn new(param: &'static str, value: Value, text: String) -> Self {
        Self { node: None, param, value, text }
    }
}

/// A recording of which a part is repeated.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Recorded {
    /// How long it is.
    pub seconds: f64,
    /// Where the part that is repeated begins, seconds.
    pub from: f64,
    /// And where it ends.
    pub to: f64,
    /// How far it is at even moments, the first and the last among them, from where that part begins: 0 where it is the same, about 1
    /// where it is as far as it ever is.
    pub apart: Vec<f32>,
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
    /// What would close the loop.
    pub offers: Option<OfferMaker>,
    /// What would keep its things from leaping in sight: a parameter, its value, and what it is about in words.
    pub unleaping: Vec<(&'static str, Value, String)>,
    /// The flag that would close the path that it gives, where that is open.
    pub closed_by: Option<&'static str>,
    /// The angle in degrees that a closed path had left after a lap, from −180 to 180, where one is spread over it.
    pub closing: Option<f64>,
    /// What would mend it.
    pub mends: Vec<Mend>,
    /// Lengths of the path it travels on that would mend it, metres, each with what it brings.
    pub lengths: Vec<(f64, String)>,
    /// The frame at which one shot cuts to another.
    pub cut: Option<f64>,
    /// First and last frame between which a signal does something, where it is not always.
    pub span: Option<(f64, f64)>,
    /// How far it is, where it is still being worked out or was stopped.
    pub progress: Option<Progress>,
    /// Values of parameters that a choice leaves out and that would say the same as those that are used.
    pub alike: Vec<(&'static str, Value)>,
    /// The nearest that two of its things come to each other, metres, which two, and the frame; where that was looked at.
    pub closest: Option<(f64, [usize; 2], f64)>,
    /// A recording of which a part is taken.
    pub recorded: Option<Recorded>,
    /// What a parameter may name, where that is known: the clips of a model.
    pub names: Vec<(&'static str, Vec<String>)>,
}

impl Outcome {
    /// Only a product.
    pub fn new(product: impl Into<Product>) -> Self {
        Self {
            unleaping: Vec::new(),
            product: product.into(),
            warnings: Vec::new(),
            facts: Vec::new(),
            offers: None,
            closed_by: None,
            closing: None,
            mends: Vec::new(),
            lengths: Vec::new(),
            cut: None,
            span: None,
            recorded: None,
            progress: None,
            alike: Vec::new(),
            closest: None,
            names: Vec::new(),
        }
    }

    /// A curve with its length and the number of its strands as facts.
    pub fn of_curve(curve: Curve) -> Self {
        let facts = curve_facts(&curve);
        Self { facts, ..Self::new(curve) }
    }
}
