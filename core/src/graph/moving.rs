//! Paths, surfaces and signals whose making changes over time: the node that makes them is evaluated again for each frame.

use super::assets::Assets;
use super::node::{Context, NodeType, Outcome, Timing};
use super::product::{PathProduct, Product};
use super::recorder::AtOnce;
use crate::curve::{Curve, Path};
use crate::motion::Cancel;
use crate::remembered::Remembered;
use crate::scene::{Node, Params, Signals, Space, resolve, sentences};
use crate::schema::Schema;
use crate::signal::Signal;
use crate::surface::{Ground, Surface};
use crate::work::spend;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

/// True for a path or a surface that changes over time.
pub(super) fn moves(product: &Product) -> bool {
    match product {
        Product::Path(product) => product.path.unmoving().is_none(),
        Product::Surface(ground) => ground.unmoving().is_none(),
        Product::Motion(_) | Product::Signal(_) => false,
    }
}

/// Looks that it counts as to evaluate a node again, beside those that are counted within.
const REMADE: u64 = 64;

/// What is needed to evaluate a node again.
pub(super) struct Again {
    pub kind: Arc<dyn NodeType>,
    pub schema: Schema,
    pub node: Node,
    pub inputs: BTreeMap<String, Product>,
    pub signals: Signals,
    pub timing: Timing,
    pub assets: Arc<dyn Assets>,
}

impl Again {
    fn at(&self, frame: f64) -> Result<Product, String> {
        if !spend(REMADE) {
            return Err("It was given up.".to_owned());
        }
        let clock = self.timing.clock();
        let resolved = resolve(&self.schema, &self.node, &self.signals, clock, (frame, false))
            .map_err(|marks| sentences(&marks))?;
        let context = Context {
            params: Params::new(&self.schema, &self.node, (&resolved.values, &self.signals), clock),
            inputs: self.inputs.clone(),
            frame,
            told: false,
            timing: self.timing,
            assets: &*self.assets,
            cancel: &Cancel::default(),
            recorder: &AtOnce,
            stands_for: ("", [0; 32]),
            unsettled: &AtomicBool::new(false),
        };
        let product = self.kind.evaluate(&context)?.product;
        Ok(if self.timing.space == Space::Flat { product.flattened() } else { product })
    }
}

/// Frames of the loop that are tried at once, to say where it cannot be made.
const TRIED: usize = 24;

/// Results by frame.
struct Frames<T> {
    again: Again,
    first: T,
    known: Remembered<T>,
    take: fn(Product) -> Option<T>,
}

impl<T: Clone> Frames<T> {
    /// Where it cannot be made it is as at frame 0.
    fn at(&self, frame: f64) -> T {
        if frame == 0.0 {
            return self.first.clone();
        }
        self.known.at(frame, || self.again.at(frame).ok().and_then(self.take).unwrap_or_else(|| self.first.clone()))
    }
}

fn curve_at_0(product: Product) -> Option<Arc<Curve>> {
    match product {
        Product::Path(product) => Some(product.path.at(0.0)),
        _ => None,
    }
}

fn surface_at_0(product: Product) -> Option<Surface> {
    match product {
        Product::Surface(ground) => Some(ground.at(0.0)),
        _ => None,
    }
}

fn signal_of(product: Product) -> Option<Arc<dyn Signal>> {
    match product {
        Product::Signal(signal) => Some(signal),
        _ => None,
    }
}

/// At every frame what the signal gives there that is made for that frame.
struct Remade(Frames<Arc<dyn Signal>>);

impl std::fmt::Debug for Remade {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Remade({:?})", self.0.first)
    }
}

impl Signal for Remade {
    fn at(&self, frame: f64) -> f64 {
        self.0.at(frame).at(frame)
    }
}

/// The outcome of frame 0 for all frames.
pub(super) fn over_time(again: Again, outcome: Outcome) -> Outcome {
    let frames = again.timing.frames;
    let tried = (1..TRIED).map(|i| (frames * i as f64 / TRIED as f64).floor());
    let trouble = tried.filter(|frame| *frame > 0.0).find_map(|frame| Some((frame, again.at(frame).err()?)));
    let product = match outcome.product {
        Product::Path(product) => {
            let frames = Frames { again, first: product.path.at(0.0), known: Remembered::default(), take: curve_at_0 };
            let path = Path::Moving(Arc::new(move |frame| frames.at(frame)));
            Product::Path(PathProduct { path, ..product })
        }
        Product::Surface(ground) => {
            let frames = Frames { again, first: ground.at(0.0), known: Remembered::default(), take: surface_at_0 };
            Product::Surface(Ground::Moving(Arc::new(move |frame| frames.at(frame))))
        }
        Product::Signal(first) => {
            Product::Signal(Arc::new(Remade(Frames { again, first, known: Remembered::default(), take: signal_of })))
        }
        motion => motion,
    };
    let mut outcome = Outcome { product, ..outcome };
    outcome.facts.push("changes over time".to_owned());
    if let Some((frame, why)) = trouble {
        outcome.warnings.push(format!("At frame {frame} it stays as at frame 0: {why}"));
    }
    outcome
}
