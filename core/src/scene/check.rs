//! Is a document a scene? Every refusal names the place.

use super::document::{FORMAT, Node, Scene, Thread, VERSION};
use super::values::check_value;
use crate::schema::{Schema, Values};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Why a document is not a scene.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SceneError {
    #[error("This is not a scene file: {0}.")]
    NotAScene(String),
    #[error(
        "This scene was written by a later version (format {0}, this program reads up to {VERSION}): update the program to open it."
    )]
    LaterVersion(u64),
    #[error("{place}: {what}")]
    Wrong {
        /// Where, as ids.
        place: String,
        /// What is wrong and what to do.
        what: String,
    },
}

fn wrong(place: impl Into<String>, what: impl Into<String>) -> SceneError {
    SceneError::Wrong { place: place.into(), what: what.into() }
}

/// Longest name, characters.
const LONGEST_NAME: usize = 200;
/// Most nodes of a scene.
const MOST_NODES: usize = 1000;
/// Most nodes that one message names.
const MOST_NAMED: usize = 8;
/// Longest loop.
pub(super) const MOST_FRAMES: u32 = 100_000;

impl Scene {
    /// Reads and checks a scene from JSON text.
    ///
    /// # Errors
    /// What is no JSON, or as [`check`] says.
    pub fn from_json(text: &str, schemas: &[Schema]) -> Result<Self, SceneError> {
        let value: Value = serde_json::from_str(text).map_err(|error| SceneError::NotAScene(error.to_string()))?;
        Self::from_value(value, schemas)
    }

    /// Reads and checks a scene from a JSON value.
    ///
    /// # Errors
    /// What does not fit, and where, as [`check`] says.
    pub fn from_value(value: Value, schemas: &[Schema]) -> Result<Self, SceneError> {
        if value.get("format").and_then(Value::as_str) != Some(FORMAT) {
            return Err(SceneError::NotAScene(format!("its field \"format\" is not \"{FORMAT}\"")));
        }
        match value.get("version").and_then(Value::as_u64) {
            Some(version) if version > u64::from(VERSION) => return Err(SceneError::LaterVersion(version)),
            Some(1..) => {}
            _ => return Err(SceneError::NotAScene("its field \"version\" is not a whole number from 1".to_owned())),
        }
        let mut scene = parse(value)?;
        check(&scene, schemas)?;
        scene.nodes.values_mut().for_each(|node| Arc::make_mut(node).leave_out_empty_lists(schemas));
        Ok(scene)
    }
}

impl Node {
    /// Without lists of points that are empty, which is what they are when they are left out: so a scene
    /// is the same again when the first point of a list is taken back.
    pub(super) fn leave_out_empty_lists(&mut self, schemas: &[Schema]) {
        let Some(schema) = schemas.iter().find(|schema| schema.name == self.kind) else { return };
        let list = |name: &str| {
            schema.param(name).is_some_and(|p| {
                matches!(
                    p.values,
                    Values::Points
                        | Values::MovedPoints
                        | Values::PerThing { .. }
                        | Values::Looks { .. }
                        | Values::Keys
                )
            })
        };
        self.params.retain(|name, value| !(list(name) && value.as_array().is_some_and(Vec::is_empty)));
    }
}

/// Fields of the right kind; a refusal names the field.
pub(super) fn parse(value: Value) -> Result<Scene, SceneError> {
    if let Some(place) = nul(&value) {
        return Err(wrong(
            place,
            "A character with the number 0 stands in this text: use plain characters.".to_owned(),
        ));
    }
    serde_path_to_error::deserialize(value)
        .map_err(|error| wrong(error.path().to_string().replace('.', "/"), format!("{}.", error.inner())))
}

/// Checks a scene: settings, nodes and their parameters, threads that fit, no circle.
///
/// # Errors
/// The first thing that does not fit, with its place and what to do.
pub fn check(scene: &Scene, schemas: &[Schema]) -> Result<(), SceneError> {
    check_changed(scene, schemas, |_| true)
}

/// The same of a scene of which all nodes but some were checked before.
pub(super) fn check_changed(
    scene: &Scene,
    schemas: &[Schema],
    is_changed: impl Fn(&str) -> bool,
) -> Result<(), SceneError> {
    settings(scene)?;
    if scene.nodes.len() > MOST_NODES {
        return Err(wrong("nodes", format!("{} nodes are too many: use at most {MOST_NODES}.", scene.nodes.len())));
    }
    for name in scene.assets.keys() {
        let plain = is_name(name) && !name.starts_with('.') && !name.contains(['/', '\\']);
        if !plain {
            return Err(wrong(format!("assets/{name}"), "an asset's name must be a plain file name without folders."));
        }
    }
    for (id, node) in &scene.nodes {
        if is_changed(id) {
            check_node(id, node, schemas)?;
        }
        if let Some(group) = node.group.as_ref().filter(|group| !scene.groups.contains_key(*group)) {
            return Err(wrong(format!("nodes/{id}/group"), format!("there is no group \"{group}\": leave it out.")));
        }
    }
    for (id, group) in &scene.groups {
        if id.is_empty() || id.len() > 64 || !is_name(&group.name) {
            let what =
                format!("a group needs an id of 1 to 64 bytes and a name of 1 to {LONGEST_NAME} plain characters.");
            return Err(wrong(format!("groups/{id}"), what));
        }
    }
    let mut taken = BTreeSet::new();
    for (id, thread) in &scene.threads {
        check_thread(scene, id, thread, schemas)?;
        if !taken.insert((&thread.to, &thread.port)) {
            let to = &scene.nodes[&thread.to].name;
            return Err(wrong(
                format!("threads/{id}"),
                format!("the port \"{}\" of \"{to}\" has a thread already: remove one of them.", thread.port),
            ));
        }
    }
    no_circle(scene)
}

/// True for a name that can be shown on one line, and kept anywhere.
fn is_name(name: &str) -> bool {
    !name.trim().is_empty() && name.chars().count() <= LONGEST_NAME && !name.chars().any(char::is_control)
}

fn settings(scene: &Scene) -> Result<(), SceneError> {
    if !is_name(&scene.name) {
        return Err(wrong("name", format!("a scene needs a name of 1 to {LONGEST_NAME} plain characters.")));
    }
    let fps = scene.fps.value();
    if !(1.0..=1000.0).contains(&fps) {
        return Err(wrong("fps", format!("{} frames per second: choose from 1 to 1000.", scene.fps)));
    }
    if !(1..=MOST_FRAMES).contains(&scene.frames) {
        return Err(wrong("frames", format!("a loop of {} frames: choose from 1 to {MOST_FRAMES}.", scene.frames)));
    }
    if scene.first_frame.abs() > 1_000_000_000 {
        return Err(wrong("first_frame", "the first frame's number must lie within ±1000000000."));
    }
    for (name, side) in [("picture/width", scene.picture.width), ("picture/height", scene.picture.height)] {
        if !(side.is_finite() && side > 0.0 && side <= 1e6) {
            return Err(wrong(name, "the picture's sides must be from above 0 to 1000000 m."));
        }
    }
    if !(1..=100_000).contains(&scene.picture.pixels) {
        return Err(wrong("picture/pixels", "the picture must be 1 to 100000 pixels wide."));
    }
    if let Some(camera) = &scene.camera {
        let placed = camera.position.iter().chain(&camera.target).all(|x| x.is_finite() && x.abs() <= 1e9);
        if !placed || camera.position == camera.target {
            return Err(wrong("camera", "it must stand and look at two different places within ±1e9 m."));
        }
        if !(1.0..=10_000.0).contains(&camera.lens) {
            return Err(wrong("camera/lens", format!("a lens of {} mm: choose from 1 to 10000.", camera.lens)));
        }
    }
    if let Some(backdrop) = &scene.backdrop {
        if !scene.assets.contains_key(&backdrop.file) {
            return Err(wrong(
                "backdrop/file",
                format!("the file \"{}\" is not in the scene: bring it in.", backdrop.file),
            ));
        }
        if !(0.0..=1.0).contains(&backdrop.strength) {
            return Err(wrong("backdrop/strength", "choose a number from 0 to 1."));
        }
    }
    Ok(())
}

/// Most check sums of what was baked.
const MOST_SUMS: usize = 64;

fn check_node(id: &str, node: &Node, schemas: &[Schema]) -> Result<(), SceneError> {
    let place = format!("nodes/{id}");
    if id.is_empty() || id.len() > 64 {
        return Err(wrong(place, "a node's id must have 1 to 64 bytes."));
    }
    if !is_name(&node.name) {
        return Err(wrong(place, format!("a node needs a name of 1 to {LONGEST_NAME} plain characters.")));
    }
    if !node.at.iter().all(|x| x.is_finite() && x.abs() <= 1e7) {
        return Err(wrong(place, "its place in the Weave must be two finite numbers."));
    }
    if let Some(baked) = &node.baked {
        let tolerance = |x: f64| x.is_finite() && x > 0.0;
        let short = |text: &str| text.len() <= 64;
        let sums = baked.sums.len() <= MOST_SUMS && baked.sums.iter().all(|(port, sum)| short(port) && short(sum));
        if !(tolerance(baked.tolerance) && tolerance(baked.angle) && short(&baked.from) && sums) {
            return Err(wrong(
                format!("{place}/baked"),
                "what it was baked from needs a node's id, tolerances above 0 and short check sums: take it out to keep the keys alone.",
            ));
        }
    }
    // What another version of the program wrote is kept as it is: the graph says that it cannot be used.
    let Some(schema) = schemas.iter().find(|schema| schema.name == node.kind) else { return Ok(()) };
    for (name, value) in &node.params {
        let place = format!("nodes/{id}/params/{name}");
        let Some(param) = schema.param(name) else { continue };
        check_value(param, value).map_err(|what| wrong(place, what))?;
    }
    Ok(())
}

fn check_thread(scene: &Scene, id: &str, thread: &Thread, schemas: &[Schema]) -> Result<(), SceneError> {
    let place = format!("threads/{id}");
    let ends_at = |end: &str| {
        let node = scene.nodes.get(end);
        node.map(|node| (node, schemas.iter().find(|schema| schema.name == node.kind)))
            .ok_or_else(|| wrong(place.clone(), format!("it ends at \"{end}\", which is not a node: remove it.")))
    };
    // Nobody here knows the ports of a type that another version of the program knows.
    let ((from, Some(gives)), (to, Some(takes))) = (ends_at(&thread.from)?, ends_at(&thread.to)?) else {
        return Ok(());
    };
    let Some(kind) = takes.port_kind(&thread.port) else {
        if let Some(param) = takes.param(thread.port.split('.').next().unwrap_or_default()) {
            let what = format!("{} of \"{}\" cannot change over time: remove the thread.", param.label, to.name);
            return Err(wrong(place, what));
        }
        return Err(wrong(place, format!("\"{}\" has no port \"{}\": remove the thread.", to.name, thread.port)));
    };
    if gives.output == Some(kind) {
        return Ok(());
    }
    let given = gives.output.map_or("nothing", |kind| kind.name());
    Err(wrong(
        place,
        format!(
            "\"{}\" gives {given}, but the port \"{}\" of \"{}\" takes a {}: thread something else to it.",
            from.name,
            thread.port,
            to.name,
            kind.name()
        ),
    ))
}

/// Kahn's order; what is left over lies on a circle or behind one.
fn no_circle(scene: &Scene) -> Result<(), SceneError> {
    let mut waits: BTreeMap<&str, usize> = scene.nodes.keys().map(|id| (id.as_str(), 0)).collect();
    let mut feeds: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for thread in scene.threads.values() {
        *waits.entry(&thread.to).or_default() += 1;
        feeds.entry(&thread.from).or_default().push(&thread.to);
    }
    let mut ready: Vec<&str> = waits.iter().filter(|(_, count)| **count == 0).map(|(id, _)| *id).collect();
    while let Some(id) = ready.pop() {
        waits.remove(id);
        for to in feeds.get(id).into_iter().flatten() {
            if let Some(count) = waits.get_mut(to) {
                *count -= 1;
                if *count == 0 {
                    ready.push(to);
                }
            }
        }
    }
    if waits.is_empty() {
        return Ok(());
    }
    let names: Vec<&str> = waits.keys().take(MOST_NAMED).map(|id| scene.nodes[*id].name.as_str()).collect();
    let more = if waits.len() > MOST_NAMED { " and more" } else { "" };
    Err(wrong("threads", format!("these threads close a circle: {}{more}. Remove one of them.", names.join(", "))))
}

/// Where a text, or the name of a field, has a character that no database and few files can hold.
fn nul(value: &Value) -> Option<String> {
    let within = |name: &str, value: &Value| {
        let place = nul(value)?;
        let name = name.replace('\0', "");
        Some(if place.is_empty() { name } else { format!("{name}/{place}") })
    };
    match value {
        Value::String(text) => text.contains('\0').then(String::new),
        Value::Array(items) => items.iter().enumerate().find_map(|(i, item)| within(&i.to_string(), item)),
        Value::Object(fields) => {
            fields.iter().find_map(
                |(name, value)| {
                    if name.contains('\0') { Some(name.replace('\0', "")) } else { within(name, value) }
                },
            )
        }
        _ => None,
    }
}
