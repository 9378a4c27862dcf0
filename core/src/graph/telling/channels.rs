//! What changes over time in a node's numbers, to be drawn.

use crate::graph::compile::Compiled;
use crate::graph::product::Product;
use crate::scene::{Field, Params, Scene, Signals};
use crate::schema::{Schema, Unit, Values};
use crate::signal::{Driven, Thing};
use std::collections::BTreeMap;

/// A number of a node that changes over time, or the signal that it gives.
#[derive(Debug, Clone)]
pub struct Channel {
    /// The port of the number, as a thread names it; empty for what the node gives.
    pub port: String,
    /// Name on screen.
    pub name: String,
    /// Unit on screen.
    pub unit: Unit,
    /// Its values.
    pub driven: Driven,
}

impl Channel {
    /// Value and rate of change, per frame, at a frame for the first thing.
    pub fn at(&self, frame: f64) -> (f64, f64) {
        let first = Thing { index: 0, count: 1 };
        (self.driven.at(frame, first), self.driven.slope(frame, first))
    }
}

impl Compiled {
    /// What changes over time in a node: the signal that it gives, then its numbers in the order of the Card.
    pub fn channels(&self, scene: &Scene, schemas: &[Schema], id: &str) -> Vec<Channel> {
        let Some(node) = scene.nodes.get(id) else { return Vec::new() };
        let Some(schema) = schemas.iter().find(|schema| schema.name == node.kind) else { return Vec::new() };
        let clock = self.timing.clock();
        let signal = |id: &str| match self.nodes.get(id)?.product()? {
            Product::Signal(signal) => Some(signal.clone()),
            _ => None,
        };
        let signals: Signals = scene
            .threads
            .values()
            .filter(|thread| thread.to == id && schema.input(&thread.port).is_none())
            .filter_map(|thread| Some((thread.port.clone(), signal(&thread.from)?)))
            .collect();
        let nothing = BTreeMap::new();
        let params = Params::new(schema, node, (&nothing, &signals), clock);
        let given = signal(id).map(|signal| Channel {
            port: String::new(),
            name: node.name.clone(),
            unit: Unit::None,
            driven: Driven::signal(signal, clock, f64::MIN, f64::MAX),
        });
        let mut channels: Vec<Channel> = given.into_iter().collect();
        for param in schema.params.iter().filter(|param| param.takes_formula()) {
            let (unit, parts) = match param.values {
                Values::Vector { unit, .. } => (unit, <[Driven; 3]>::of(&params, param.name).to_vec()),
                Values::Number { unit, .. } | Values::Fraction { unit, .. } => {
                    (unit, vec![Driven::of(&params, param.name)])
                }
                _ => (Unit::None, vec![Driven::of(&params, param.name)]),
            };
            for (driven, port) in parts.into_iter().zip(param.ports()).filter(|(driven, _)| driven.over_time()) {
                let name = match port.split_once('.') {
                    Some((_, axis)) => format!("{} {axis}", param.label),
                    None => param.label.to_owned(),
                };
                channels.push(Channel { port, name, unit, driven });
            }
        }
        channels
    }
}
