//! How large a thing is, taken from how large it is shown.

use crate::graph::compile::{NodeResult, Workshop};
use crate::graph::node::OUTPUT;
use crate::graph::node::{Mend, Timing};
use crate::scene::{Node, Params, Scene, Signals};
use crate::schema::{PortKind, Schema, Values};
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};

/// Part of a size by which two count as one.
const ALIKE: f64 = 1e-6;

/// What would make nodes that ask how large a thing is agree with the Output that shows it.
pub(in crate::graph) fn mends(scene: &Scene, timing: Timing, workshop: &Workshop<'_>) -> BTreeMap<String, Vec<Mend>> {
    let asking = scene.nodes.iter().filter(|(_, node)| !node.bypassed && !node.locked);
    asking.filter_map(|(id, node)| Some((id.clone(), vec![mend(scene, id, node, timing, workshop)?]))).collect()
}

fn mend(scene: &Scene, id: &str, node: &Node, timing: Timing, workshop: &Workshop<'_>) -> Option<Mend> {
    let index = workshop.schemas.iter().position(|schema| schema.name == node.kind)?;
    let (kind, schema) = (&*workshop.types[index], &workshop.schemas[index]);
    let nothing = BTreeMap::new();
    let none = Signals::new();
    let threaded = |port: &str| scene.thread_to(id, port).is_some();
    let params = Params::new(schema, node, (&nothing, &none), timing.clock());
    let (name, part) = kind.sized_by(&params, &threaded)?;
    let param = schema.param(name)?;
    if param.ports().iter().any(|port| threaded(port)) {
        return None;
    }
    let (shown, by) = shown(scene, id, workshop)?;
    // Of three numbers the first is how long it is.
    let value = node.params.get(name).cloned().unwrap_or_else(|| param.values.default());
    let now = value.get(0).unwrap_or(&value).as_f64()?;
    let to = (shown * part * 1e9).round() / 1e9;
    if (now - to).abs() <= ALIKE * to {
        return None;
    }
    let wanted = match value {
        Value::Array(mut numbers) => {
            *numbers.first_mut()? = json!(to);
            Value::Array(numbers)
        }
        _ => json!(to),
    };
    let of = if part == 1.0 { "as large as" } else { "half of what" };
    let text =
        format!("{} {now} → {to} m ({of} \"{by}\" {})", param.label, if part == 1.0 { "is shown" } else { "shows" });
    Some(Mend::new(name, wanted, text))
}

/// Of nodes whose things come nearer to each other than they are shown large, a sentence that says so.
pub(in crate::graph) fn meetings(
    scene: &Scene,
    nodes: &BTreeMap<String, NodeResult>,
    workshop: &Workshop<'_>,
) -> BTreeMap<String, String> {
    let meeting = |(id, result): (&String, &NodeResult)| {
        let (near, [a, b], frame) = result.outcome.as_ref().as_ref().ok()?.closest?;
        let (size, _) = shown(scene, id, workshop)?;
        let first = scene.first_frame as f64;
        let told = format!(
            "Things {} and {} may touch at frame {:.1}: their middles come within {near:.3} m, and each is shown {size} m large. Catch them aside, or let fewer fly.",
            a + 1,
            b + 1,
            frame + first
        );
        (near < size).then(|| (id.clone(), told))
    };
    nodes.iter().filter_map(meeting).collect()
}

/// How large the things of a node are shown, from end to end, and the name of the Output; nothing where several show
/// them in other sizes, or where the size is no plain number.
fn shown(scene: &Scene, id: &str, workshop: &Workshop<'_>) -> Option<(f64, String)> {
    let schema = |kind: &str| workshop.schemas.iter().find(|schema| schema.name == kind);
    let default = schema(OUTPUT)?.param("size").and_then(default_of)?;
    let (mut next, mut seen) = (vec![id.to_owned()], BTreeSet::new());
    let mut found: Option<(f64, String)> = None;
    while let Some(here) = next.pop() {
        for thread in scene.threads.values().filter(|thread| thread.from == here) {
            let Some(taker) = scene.nodes.get(&thread.to).filter(|_| seen.insert(thread.to.clone())) else { continue };
            // What goes on is what is taken at the first port; others only look at it.
            if schema(&taker.kind).and_then(onward) != Some(&thread.port) {
                continue;
            }
            if taker.kind != OUTPUT {
                next.push(thread.to.clone());
                continue;
            }
            let size = taker.params.get("size").map_or(Some(default), Value::as_f64)?;
            if found.as_ref().is_some_and(|(known, _)| (known - size).abs() > ALIKE * size) {
                return None;
            }
            found.get_or_insert((size, taker.name.clone()));
        }
    }
    found
}

fn default_of(param: &crate::schema::Param) -> Option<f64> {
    match param.values {
        Values::Number { default, .. } => Some(default),
        _ => None,
    }
}

/// The port whose things a node gives on.
fn onward(schema: &Schema) -> Option<&'static str> {
    schema.inputs.iter().find(|port| port.kind == PortKind::Motion).map(|port| port.name)
}
