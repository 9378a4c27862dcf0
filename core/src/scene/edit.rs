//! Edits: three operations on things with ids, and what undoes them.

use super::check::{SceneError, check_changed, parse};
use super::document::{Node, Scene};
use crate::schema::Schema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value, json};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Several operations that are done together or not at all.
pub type Edit = Vec<Op>;

/// One change. `at` is an address: field names and ids from the scene downwards, such as
/// `["nodes", "ride", "params", "laps"]` or `["nodes", "path", "params", "points", "p4"]`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "op", rename_all = "kebab-case", deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Op {
    /// Sets what is there, or makes it. In an ordered list something new goes before the item
    /// `before`, or to the end.
    Put {
        at: Vec<String>,
        value: Value,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        before: Option<String>,
    },
    /// Takes away what is there; a node takes its threads along.
    Remove { at: Vec<String> },
    /// Puts an item of an ordered list before another, or to the end.
    Move {
        at: Vec<String>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        before: Option<String>,
    },
}

impl Op {
    /// Its address.
    pub fn address(&self) -> &[String] {
        match self {
            Self::Put { at, .. } | Self::Remove { at } | Self::Move { at, .. } => at,
        }
    }
}

/// Why an edit was refused; the scene is as it was.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum EditError {
    #[error("There is nothing at {0} any more.")]
    Nowhere(String),
    #[error("{0} cannot be changed by an edit.")]
    NotEditable(String),
    #[error("\"{0}\" is locked: unlock it first.")]
    Locked(String),
    #[error("{0} has no parameter \"{1}\".")]
    NoParameter(String, String),
    #[error("An edit may hold 1 to {MOST_OPS} operations.")]
    TooMany,
    #[error("{0}")]
    Scene(#[from] SceneError),
}

/// Most operations of one edit.
const MOST_OPS: usize = 10_000;
/// What an edit may address at the top.
const EDITABLE: [&str; 11] =
    ["name", "fps", "frames", "first_frame", "picture", "nodes", "threads", "groups", "camera", "backdrop", "assets"];

/// The edited scene and the edit that undoes it. What it costs goes by the nodes that are edited: all others are shared
/// with the scene before.
///
/// # Errors
/// [`EditError`]; nothing is changed then.
pub fn apply(scene: &Scene, edit: &[Op], schemas: &[Schema]) -> Result<(Scene, Edit), EditError> {
    if edit.is_empty() || edit.len() > MOST_OPS {
        return Err(EditError::TooMany);
    }
    for op in edit {
        may_change(scene, op, schemas)?;
    }
    let touched = touched(edit.iter().map(Op::address));
    let mut document = part(scene, &touched)?;
    let inverse = done(&mut document, edit)?;
    let mut edited = parse(document)?;
    let changed = std::mem::replace(&mut edited.nodes, scene.nodes.clone());
    touched.iter().for_each(|id| drop(edited.nodes.remove(*id)));
    edited.nodes.extend(changed);
    check_changed(&edited, schemas, |id| touched.contains(id))?;
    let nodes = edited.nodes.iter_mut().filter(|(id, _)| touched.contains(id.as_str()));
    nodes.for_each(|(_, node)| Arc::make_mut(node).leave_out_empty_lists(schemas));
    Ok((edited, inverse))
}

/// Does an edit on a scene's document that [`apply`] took for that scene. Nothing is checked again, so that many edits
/// cost little: what comes out is to be read as any document is.
///
/// # Errors
/// [`EditError`]; then the document is somewhere in between.
pub fn replay(document: &mut Value, edit: &[Op]) -> Result<(), EditError> {
    done(document, edit)?;
    for op in edit {
        written_out(document, op.address())?;
    }
    Ok(())
}

/// Writes out what is meant where something is left out, as it is in the document of a scene that was read: the next edit
/// may be about that. Parameters are kept as they are.
fn written_out(document: &mut Value, at: &[String]) -> Result<(), SceneError> {
    let as_read = |error: serde_json::Error| SceneError::NotAScene(error.to_string());
    if let [list, id, ..] = at
        && list == "nodes"
    {
        let Some(node) = document.get_mut("nodes").and_then(|nodes| nodes.get_mut(id)) else { return Ok(()) };
        let params = node.as_object_mut().and_then(|fields| fields.remove("params"));
        let read: Node = serde_json::from_value(node.take()).map_err(as_read)?;
        *node = serde_json::to_value(read).map_err(as_read)?;
        if let Some(params) = params {
            node["params"] = params;
        }
        return Ok(());
    }
    let nodes = document.as_object_mut().and_then(|fields| fields.remove("nodes"));
    let read: Scene = serde_json::from_value(document.take()).map_err(as_read)?;
    *document = serde_json::to_value(read).map_err(as_read)?;
    if let Some(nodes) = nodes {
        document["nodes"] = nodes;
    }
    Ok(())
}

/// Does it, and gives what undoes it.
fn done(document: &mut Value, edit: &[Op]) -> Result<Edit, EditError> {
    let mut inverse = Vec::new();
    let mut cut: Vec<Vec<String>> = Vec::new();
    for op in edit {
        if matches!(op, Op::Remove { .. }) && cut.iter().any(|known| known == op.address()) {
            continue;
        }
        cut.retain(|known| known != op.address());
        let mut undo = one(document, op)?;
        // Beyond its own inverse, a removed node brings those of the threads it took along.
        cut.extend(undo.iter().skip(1).map(|op| op.address().to_vec()));
        undo.append(&mut inverse);
        inverse = undo;
    }
    Ok(inverse)
}

/// The scene's document, of its nodes only those that addresses begin with.
///
/// # Errors
/// Where the scene cannot be written as JSON.
pub fn part_at<'a>(scene: &Scene, addresses: impl Iterator<Item = &'a [String]>) -> Result<Value, SceneError> {
    part(scene, &touched(addresses))
}

fn touched<'a>(addresses: impl Iterator<Item = &'a [String]>) -> BTreeSet<&'a str> {
    let node = |at: &'a [String]| match at {
        [list, id, ..] if list == "nodes" => Some(id.as_str()),
        _ => None,
    };
    addresses.filter_map(node).collect()
}

fn part(scene: &Scene, nodes: &BTreeSet<&str>) -> Result<Value, SceneError> {
    let some = nodes.iter().filter_map(|id| scene.nodes.get_key_value(*id));
    let part = Scene {
        name: scene.name.clone(),
        format: scene.format.clone(),
        nodes: some.map(|(id, node)| (id.clone(), node.clone())).collect(),
        threads: scene.threads.clone(),
        groups: scene.groups.clone(),
        backdrop: scene.backdrop.clone(),
        assets: scene.assets.clone(),
        ..*scene
    };
    serde_json::to_value(&part).map_err(|error| SceneError::NotAScene(error.to_string()))
}

/// Locked nodes keep their parameters and stay; a parameter that is set must exist.
fn may_change(scene: &Scene, op: &Op, schemas: &[Schema]) -> Result<(), EditError> {
    let [first, id, rest @ ..] = op.address() else { return Ok(()) };
    let Some(node) = scene.nodes.get(id).filter(|_| first == "nodes") else { return Ok(()) };
    let touches = rest.first().is_none_or(|field| field == "params" || field == "type");
    if node.locked && touches {
        return Err(EditError::Locked(node.name.clone()));
    }
    let known = |name: &str| schemas.iter().find(|s| s.name == node.kind).is_none_or(|s| s.param(name).is_some());
    match (op, rest) {
        (Op::Put { .. }, [params, name, ..])
            if params == "params" && !known(name) && !node.params.contains_key(name) =>
        {
            Err(EditError::NoParameter(node.name.clone(), name.clone()))
        }
        _ => Ok(()),
    }
}

/// What stands at an address, if anything.
pub fn value_at<'a>(document: &'a Value, at: &[String]) -> Option<&'a Value> {
    at.iter().try_fold(document, |value, name| match value {
        Value::Object(fields) => fields.get(name),
        Value::Array(items) => items.iter().find(|item| has_id(item, name)).or_else(|| part_of(items, name)),
        _ => None,
    })
}

/// One of three numbers, by its place from 0, where that is given by more than a number.
fn part_of<'a>(items: &'a [Value], place: &str) -> Option<&'a Value> {
    let index: usize = place.parse().ok().filter(|_| items.len() == 3)?;
    items.get(index).filter(|item| item.is_object() && item.get("id").is_none())
}

fn item_mut<'a>(items: &'a mut [Value], name: &str) -> Option<&'a mut Value> {
    let part = part_of(items, name).is_some().then(|| name.parse::<usize>().ok()).flatten();
    let index = items.iter().position(|item| has_id(item, name)).or(part)?;
    items.get_mut(index)
}

fn has_id(item: &Value, id: &str) -> bool {
    item.get("id").and_then(Value::as_str) == Some(id)
}

fn one(document: &mut Value, op: &Op) -> Result<Vec<Op>, EditError> {
    let at = op.address();
    let shown = || at.join("/");
    let (Some(last), Some(first)) = (at.last(), at.first()) else {
        return Err(EditError::NotEditable("The whole scene".to_owned()));
    };
    if !EDITABLE.contains(&first.as_str())
        || (at.len() == 1 && first.ends_with('s') && !["fps", "frames"].contains(&first.as_str()))
    {
        return Err(EditError::NotEditable(shown()));
    }
    let mut undo = Vec::new();
    if let (Op::Remove { .. }, [_, node]) = (op, at)
        && first == "nodes"
    {
        undo = cut_threads(document, node);
    }
    let parent = parent_of(document, &at[..at.len() - 1]).ok_or_else(|| EditError::Nowhere(shown()))?;
    let back = match parent {
        Value::Object(fields) => in_fields(fields, last, op),
        Value::Array(items) => in_list(items, last, op),
        _ => None,
    };
    undo.insert(0, back.ok_or_else(|| EditError::Nowhere(shown()))?);
    Ok(undo)
}

/// The container an op works in. Parameters and lists that still have their default are made.
fn parent_of<'a>(document: &'a mut Value, at: &[String]) -> Option<&'a mut Value> {
    let mut here = document;
    for (depth, name) in at.iter().enumerate() {
        here = match here {
            Value::Object(fields) => {
                let fresh = match (at[0].as_str(), depth) {
                    ("nodes", 2) if name == "params" => Some(json!({})),
                    ("nodes", 3) => Some(json!([])),
                    ("assets" | "threads" | "nodes" | "groups", 0) => Some(json!({})),
                    _ => None,
                };
                match fresh {
                    Some(fresh) => fields.entry(name.clone()).or_insert(fresh),
                    None => fields.get_mut(name)?,
                }
            }
            Value::Array(items) => item_mut(items, name)?,
            _ => return None,
        };
    }
    Some(here)
}

fn cut_threads(document: &mut Value, node: &str) -> Vec<Op> {
    let Some(threads) = document.get_mut("threads").and_then(Value::as_object_mut) else { return Vec::new() };
    let ends_there =
        |thread: &Value| ["from", "to"].iter().any(|end| thread.get(end).and_then(Value::as_str) == Some(node));
    let cut: Vec<(String, Value)> = threads
        .iter()
        .filter(|(_, thread)| ends_there(thread))
        .map(|(id, thread)| (id.clone(), thread.clone()))
        .collect();
    for (id, _) in &cut {
        threads.remove(id);
    }
    cut.into_iter().map(|(id, value)| Op::Put { at: vec!["threads".to_owned(), id], value, before: None }).collect()
}

fn in_fields(fields: &mut Map<String, Value>, name: &str, op: &Op) -> Option<Op> {
    let at = op.address().to_vec();
    match op {
        Op::Put { value, .. } => Some(match fields.insert(name.to_owned(), value.clone()) {
            Some(value) => Op::Put { at, value, before: None },
            None => Op::Remove { at },
        }),
        Op::Remove { .. } => fields.shift_remove(name).map(|value| Op::Put { at, value, before: None }),
        Op::Move { .. } => None,
    }
}

fn in_list(items: &mut Vec<Value>, id: &str, op: &Op) -> Option<Op> {
    let at = op.address().to_vec();
    let found = items.iter().position(|item| has_id(item, id));
    let follower = |items: &[Value], index: usize| {
        items.get(index + 1).and_then(|next| next.get("id")).and_then(Value::as_str).map(str::to_owned)
    };
    let place = |items: &[Value], before: &Option<String>| match before {
        Some(before) => items.iter().position(|item| has_id(item, before)),
        None => Some(items.len()),
    };
    match (op, found) {
        (Op::Put { value, .. }, Some(index)) if has_id(value, id) => {
            let value = std::mem::replace(&mut items[index], value.clone());
            Some(Op::Put { at, value, before: None })
        }
        (Op::Put { value, before, .. }, None) if has_id(value, id) => {
            let index = place(items, before)?;
            items.insert(index, value.clone());
            Some(Op::Remove { at })
        }
        (Op::Remove { .. }, Some(index)) => {
            let before = follower(items, index);
            Some(Op::Put { at, value: items.remove(index), before })
        }
        (Op::Move { before, .. }, Some(index)) => {
            let was = follower(items, index);
            let item = items.remove(index);
            let Some(index_now) = place(items, before) else {
                items.insert(index, item);
                return None;
            };
            items.insert(index_now, item);
            Some(Op::Move { at, before: was })
        }
        _ => None,
    }
}
