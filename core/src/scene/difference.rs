//! What differs between two states of a scene, to be read and to be undone one by one.

use super::document::{Node, Scene};
use super::edit::{Edit, Op};
use crate::schema::Schema;
use serde::Serialize;
use serde_json::{Map, Value};
use std::collections::BTreeSet;

/// One thing that differs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Difference {
    /// Its address in the document.
    pub at: Vec<String>,
    /// What it is, in words of the interface.
    pub label: String,
    /// What stands there in the first state, if anything.
    pub before: Option<Value>,
    /// What stands there in the second.
    pub after: Option<Value>,
}

/// Fields of a scene that hold things by id.
const BY_ID: [&str; 4] = ["nodes", "groups", "threads", "assets"];
/// What can never differ between two states of one scene.
const FIXED: [&str; 3] = ["format", "version", "space"];

/// What differs from one state to another: settings, nodes that came or went, and of the nodes that are
/// in both each field and parameter, in the order of the document.
pub fn differences(from: &Scene, to: &Scene, schemas: &[Schema]) -> Vec<Difference> {
    let (before, after) = (fields(from), fields(to));
    let mut found = Vec::new();
    for name in names(&before, &after) {
        let (b, a) = (before.get(&name), after.get(&name));
        if b == a || FIXED.contains(&name.as_str()) {
            continue;
        }
        if !BY_ID.contains(&name.as_str()) {
            found.push(difference(&[&name], name.replace('_', " "), b, a));
            continue;
        }
        let empty = Map::new();
        let inside = |value: Option<&Value>| value.and_then(Value::as_object).unwrap_or(&empty).clone();
        let (b, a) = (inside(b), inside(a));
        for id in names(&b, &a) {
            item(&name, &id, (b.get(&id), a.get(&id)), (from, to), schemas, &mut found);
        }
    }
    found
}

fn fields(scene: &Scene) -> Map<String, Value> {
    match serde_json::to_value(scene) {
        Ok(Value::Object(fields)) => fields,
        _ => Map::new(),
    }
}

fn names(a: &Map<String, Value>, b: &Map<String, Value>) -> BTreeSet<String> {
    a.keys().chain(b.keys()).cloned().collect()
}

fn difference(at: &[&str], label: String, before: Option<&Value>, after: Option<&Value>) -> Difference {
    let at = at.iter().map(|name| (*name).to_owned()).collect();
    Difference { at, label, before: before.cloned(), after: after.cloned() }
}

fn item(
    list: &str,
    id: &str,
    (before, after): (Option<&Value>, Option<&Value>),
    (from, to): (&Scene, &Scene),
    schemas: &[Schema],
    found: &mut Vec<Difference>,
) {
    if before == after {
        return;
    }
    let nodes = (from.nodes.get(id), to.nodes.get(id));
    let (true, (Some(old), Some(new))) = (list == "nodes", nodes) else {
        return found.push(difference(&[list, id], label_of(list, id, from, to), before, after));
    };
    if old.kind != new.kind {
        return found.push(difference(&[list, id], new.name.clone(), before, after));
    }
    let (Some(Value::Object(b)), Some(Value::Object(a))) = (before, after) else { return };
    for field in names(b, a) {
        if field == "params" || b.get(&field) == a.get(&field) {
            continue;
        }
        let label = match field.as_str() {
            "at" => format!("{} · place in the Weave", new.name),
            other => format!("{} · {other}", new.name),
        };
        found.push(difference(&[list, id, &field], label, b.get(&field), a.get(&field)));
    }
    for param in old.params.keys().chain(new.params.keys()).collect::<BTreeSet<_>>() {
        let (b, a) = (old.params.get(param), new.params.get(param));
        if b != a {
            let label = format!("{} · {}", new.name, param_label(new, param, schemas));
            found.push(difference(&[list, id, "params", param], label, b, a));
        }
    }
}

fn param_label(node: &Node, param: &str, schemas: &[Schema]) -> String {
    let schema = schemas.iter().find(|schema| schema.name == node.kind);
    schema.and_then(|schema| schema.param(param)).map_or_else(|| param.to_owned(), |param| param.label.to_owned())
}

fn label_of(list: &str, id: &str, from: &Scene, to: &Scene) -> String {
    let name = |scene: &Scene, node: &str| scene.nodes.get(node).map_or_else(|| node.to_owned(), |n| n.name.clone());
    let known = |node: &str| if to.nodes.contains_key(node) { name(to, node) } else { name(from, node) };
    match list {
        "nodes" => known(id),
        "threads" => match to.threads.get(id).or_else(|| from.threads.get(id)) {
            Some(thread) => format!("thread {} → {}", known(&thread.from), known(&thread.to)),
            None => id.to_owned(),
        },
        "groups" => {
            let group = to.groups.get(id).or_else(|| from.groups.get(id));
            format!("group {}", group.map_or(id, |group| group.name.as_str()))
        }
        _ => format!("file {id}"),
    }
}

/// The edit that makes one state of a scene the other; empty when they are equal.
///
/// Threads go before the nodes they hang from and come after them, so that nothing is cut on the way.
pub fn edit_between(from: &Scene, to: &Scene, schemas: &[Schema]) -> Edit {
    let mut steps: Vec<(u8, Op)> = differences(from, to, schemas)
        .into_iter()
        .map(|d| {
            let first = d.at[0].clone();
            let whole = d.at.len() == 2;
            let op = match d.after {
                Some(value) => Op::Put { at: d.at, value, before: None },
                None => Op::Remove { at: d.at },
            };
            let order = match (&op, first.as_str()) {
                (Op::Remove { .. }, "threads") => 0,
                (Op::Remove { .. }, "nodes") if whole => 1,
                (Op::Put { .. }, "assets" | "groups") => 2,
                (Op::Put { .. }, "threads") => 5,
                (Op::Remove { .. }, "assets" | "groups") => 6,
                _ => 4,
            };
            (order, op)
        })
        .collect();
    steps.sort_by_key(|(order, _)| *order);
    steps.into_iter().map(|(_, op)| op).collect()
}
