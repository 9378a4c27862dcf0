//! Paths brought to a wanted length by a number of the node that makes them.

use crate::graph::compile::{NodeResult, Workshop};
use crate::graph::node::{Context, Mend, NodeType, Timing};
use crate::graph::product::Product;
use crate::roots::try_halved;
use crate::scene::{Node, Params, Scene, Signals, resolve};
use crate::schema::{PortKind, Schema, Values};
use crate::work::OF_A_NODE;
use serde_json::json;
use std::collections::BTreeMap;
use std::sync::atomic::AtomicBool;

/// How often the room in which a number is looked for is made wider.
const WIDER: i32 = 40;
/// Halvings of that room.
const HALVINGS: u32 = 80;

/// What would mend nodes that ask for other lengths of their path: a number of the node that makes it.
pub(in crate::graph) fn mends(
    scene: &Scene,
    nodes: &BTreeMap<String, NodeResult>,
    timing: Timing,
    workshop: &Workshop<'_>,
) -> BTreeMap<String, Vec<Mend>> {
    let asking = nodes.iter().filter_map(|(id, result)| {
        let outcome = result.outcome.as_ref().as_ref().ok()?;
        (!outcome.lengths.is_empty()).then_some((id, &outcome.lengths))
    });
    let mends = asking.filter_map(|(id, lengths)| {
        let maker = Maker::of(scene, id, nodes, timing, workshop)?;
        let mends: Vec<Mend> = lengths.iter().filter_map(|(length, brings)| maker.mend(*length, brings)).collect();
        Some((id.clone(), mends))
    });
    mends.collect()
}

/// A node that makes a path, and the number by which its length is changed.
struct Maker<'a> {
    id: String,
    node: &'a Node,
    kind: &'a dyn NodeType,
    schema: &'a Schema,
    param: &'static str,
    timing: Timing,
    workshop: &'a Workshop<'a>,
}

impl<'a> Maker<'a> {
    /// The maker of the path on which what feeds a node travels, where a plain number changes its length.
    fn of(
        scene: &'a Scene,
        id: &str,
        nodes: &BTreeMap<String, NodeResult>,
        timing: Timing,
        workshop: &'a Workshop<'_>,
    ) -> Option<Self> {
        let mut here = id.to_owned();
        // A scene has no circles: this ends.
        let index = loop {
            let kind = &scene.nodes.get(&here)?.kind;
            let index = workshop.schemas.iter().position(|schema| schema.name == kind)?;
            if matches!(nodes.get(&here)?.product()?, Product::Path(_)) {
                break index;
            }
            let towards = |port: &&crate::schema::Port| matches!(port.kind, PortKind::Motion | PortKind::Path);
            let port = workshop.schemas[index].inputs.iter().find(towards)?;
            here.clone_from(&scene.thread_to(&here, port.name)?.1.from);
        };
        let node = &scene.nodes[&here];
        let (kind, schema) = (&*workshop.types[index], &workshop.schemas[index]);
        // What is threaded to it may be anything: only a path that is made of numbers is made anew here.
        if node.bypassed || node.locked || scene.threads.values().any(|thread| thread.to == here) {
            return None;
        }
        let nothing = BTreeMap::new();
        let none = Signals::new();
        let param = kind.fitted_by(&Params::new(schema, node, (&nothing, &none), timing.clock()))?;
        let plain = node.params.get(param).is_none_or(serde_json::Value::is_number);
        plain.then_some(Self { id: here, node, kind, schema, param, timing, workshop })
    }

    /// Metres, with another number.
    fn length(&self, number: f64) -> Option<f64> {
        let mut node = self.node.clone();
        node.params.insert(self.param.to_owned(), json!(number));
        let (signals, clock) = (Signals::new(), self.timing.clock());
        let resolved = resolve(self.schema, &node, &signals, clock, (0.0, false)).ok()?;
        let params = Params::new(self.schema, &node, (&resolved.values, &signals), clock);
        let cancel = self.workshop.cancel.afresh(OF_A_NODE);
        let context = Context {
            params,
            inputs: BTreeMap::new(),
            frame: 0.0,
            told: false,
            timing: self.timing,
            assets: &**self.workshop.assets,
            cancel: &cancel,
            recorder: self.workshop.recorder,
            stands_for: (&self.id, [0; 32]),
            unsettled: &AtomicBool::new(false),
        };
        match cancel.watched(|| self.kind.evaluate(&context)).ok().filter(|_| !cancel.cancelled())?.product {
            Product::Path(product) => Some(product.path.at(0.0).strands()[0].length()),
            _ => None,
        }
    }

    /// The number that makes the path `wanted` metres long; its length is taken to grow with it.
    fn number(&self, now: f64, wanted: f64) -> Option<f64> {
        let (mut low, mut high) = (now, now);
        let mut widen = 1e-3 * now.abs().max(1e-3);
        for _ in 0..WIDER {
            let (below, above) = (self.length(low)?, self.length(high)?);
            if below <= wanted && above >= wanted {
                break;
            }
            if below > wanted {
                low -= widen;
            } else {
                high += widen;
            }
            widen *= 2.0;
        }
        let (_, high) = try_halved((low, high), HALVINGS, |number| Some(self.length(number)? < wanted))?;
        let reached = self.length(high)?;
        ((reached - wanted).abs() <= 1e-9 * wanted).then_some(high)
    }

    fn mend(&self, wanted: f64, brings: &str) -> Option<Mend> {
        let param = self.schema.param(self.param)?;
        let Values::Number { default, min, max, .. } = param.values else { return None };
        let now = self.node.params.get(self.param).and_then(serde_json::Value::as_f64).unwrap_or(default);
        let number = self.number(now, wanted).filter(|number| (min..=max).contains(number))?;
        let text = format!("{} {now:.3} → {number:.3} m ({brings})", param.label);
        Some(Mend { node: Some(self.id.clone()), param: self.param, value: json!(number), text })
    }
}
