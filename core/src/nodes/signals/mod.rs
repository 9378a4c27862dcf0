//! Signals: those that come from nothing else, and what is done to signals.

mod combine;
mod decay;
mod formula;
mod keys;
mod limit;
mod noise;
mod polynomial;
mod ramp;
mod repeat;
mod rescale;
mod span;
mod steps;
mod wave;

pub use combine::CombineNode;
pub use decay::DecayNode;
pub use formula::FormulaNode;
pub use keys::KeysNode;
pub use limit::LimitNode;
pub use noise::NoiseNode;
pub use polynomial::PolynomialNode;
pub use ramp::RampNode;
pub use repeat::RepeatNode;
pub use rescale::RescaleNode;
pub use span::SpanNode;
pub use steps::StepsNode;
pub use wave::WaveNode;

use crate::graph::{Context, Outcome, Timing};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::signal::{Repeat, RepeatWay, Signal};
use std::sync::Arc;

/// Looks at a frame for the range and the mean.
const LOOKS: f64 = 4.0;

/// A signal with what it covers as facts, where these are read.
fn outcome(signal: Arc<dyn Signal>, context: &Context<'_>) -> Outcome {
    if !context.told {
        return Outcome::new(signal);
    }
    let timing = context.timing;
    let count = (timing.frames * LOOKS) as usize;
    let values: Vec<f64> = (0..=count).map(|i| signal.at(i as f64 / LOOKS)).collect();
    let (low, high) = values.iter().fold((f64::MAX, f64::MIN), |(low, high), x| (low.min(*x), high.max(*x)));
    let sum = signal.integral(0.0, timing.frames);
    let mean = sum.map_or_else(|| values.iter().sum::<f64>() / values.len() as f64, |sum| sum / timing.frames);
    let mut facts = vec![format!("{} … {}", plain(low), plain(high)), format!("{} on average", plain(mean))];
    let gained = signal.at(timing.frames) - signal.at(0.0);
    if gained.abs() > 1e-9 * (1.0 + high.abs().max(low.abs())) {
        facts.push(format!("{}{} a loop", if gained > 0.0 { "+" } else { "" }, plain(gained)));
    }
    Outcome { facts, ..Outcome::new(signal) }
}

/// With at most three digits after the point.
fn plain(number: f64) -> String {
    let text = format!("{number:.3}");
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".to_owned() } else { text.to_owned() }
}

fn schema(name: &'static str, title: &'static str, help: &'static str, params: Vec<Param>) -> Schema {
    Schema {
        name,
        title,
        group: "Signals",
        help,
        inputs: vec![],
        output: Some(PortKind::Signal),
        params,
        uses_timing: true,
    }
    .remade_over_time()
}

const fn number(label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(label, Group::Form, (Unit::None, default, -1e9, 1e9), help)
}

const fn frames(label: &'static str, default: f64, least: f64, help: &'static str) -> Param {
    Param::number(label, Group::Time, (Unit::Frames, default, least, 1e6), help)
}

/// What becomes of the loop's stretch of a signal in the loops after it.
fn with_loops(inner: Arc<dyn Signal>, way: Option<RepeatWay>, timing: Timing) -> Arc<dyn Signal> {
    let Some(way) = way else { return inner };
    let (before, after) = (f64::INFINITY, f64::INFINITY);
    Arc::new(Repeat { inner, from: 0.0, length: timing.frames, before, after, way })
}

/// What is done to a signal.
fn effect(name: &'static str, title: &'static str, help: &'static str, params: Vec<Param>) -> Schema {
    let inputs = vec![Port::new("signal", PortKind::Signal, "What it is done to.")];
    Schema { inputs, ..schema(name, title, help, params) }
}
