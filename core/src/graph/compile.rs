use super::assets::Assets;
use super::budget::{affordable, within_budget};
use super::closing::fitting;
use super::closing::offers::{Looks, Offer, offers, unleaping};
use super::memo::{Key, Memo};
use super::moving;
use super::node::{Context, Mend, NodeType, OUTPUT, Outcome, Timing};
use super::product::Product;
use super::recorder::Recorder;
use super::telling::shown;
use super::telling::watched::watched;
use crate::motion::{Cancel, Motion, MotionError};
use crate::scene::{Mark, Node, Params, Resolved, Scene, Signals, Space, resolve, sentences};
use crate::schema::{PortKind, Schema, Values};
use crate::words::sentence;
use crate::work;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

/// What became of a node.
#[derive(Clone)]
pub struct NodeResult {
    /// What it gives, with warnings and offers; or a sentence that says what is wrong.
    pub outcome: Arc<Result<Outcome, String>>,
    /// True when it was computed now, false when it was remembered.
    pub fresh: bool,
    /// Microseconds it took, by the clock that was given.
    pub micros: u64,
    /// Looks that working it out takes, whether it was now or remembered.
    pub looks: u64,
    /// What is wrong in formulas, and where.
    pub marks: Vec<Mark>,
    key: Key,
}

impl NodeResult {
    fn refused(why: String) -> Self {
        Self { outcome: Arc::new(Err(why)), fresh: false, micros: 0, looks: 0, marks: Vec::new(), key: [0; 32] }
    }

    /// What it gives.
    pub fn product(&self) -> Option<&Product> {
        self.outcome.as_ref().as_ref().ok().map(|outcome| &outcome.product)
    }

    /// Equal for equal results.
    pub const fn key(&self) -> &[u8; 32] {
        &self.key
    }
}

/// A motion to be looked at: that of an Output, or one that nothing takes up yet.
#[derive(Clone)]
pub struct End {
    /// Id of the node.
    pub node: String,
    /// Given name of the node.
    pub name: String,
    /// True for Outputs: these are handed off.
    pub output: bool,
    /// The motion.
    pub motion: Arc<dyn Motion>,
    /// Values upstream that would close the loop.
    pub offers: Vec<Offer>,
    /// Values upstream that would keep its things from leaping in sight.
    pub unleaping: Vec<Offer>,
    /// Equal for equal motions.
    pub key: [u8; 32],
}

/// A scene as functions of time.
#[derive(Clone)]
pub struct Compiled {
    /// Every node, by id.
    pub nodes: BTreeMap<String, NodeResult>,
    /// Motions to be looked at, Outputs first.
    pub ends: Vec<End>,
    /// Ids of the nodes that only hand on what they take.
    pub bypassed: BTreeSet<String>,
    /// What would mend a node by what it does not see itself, the makers of its path and what shows its things; by the
    /// node that asks for it.
    pub mends: BTreeMap<String, Vec<Mend>>,
    /// Where things of a node meet that are shown too large for how near they come, a sentence that says so.
    pub meetings: BTreeMap<String, String>,
    /// The settings it was compiled with.
    pub timing: Timing,
}

impl Compiled {
    /// Why a node of the scene does not work, where it does not: what is wrong at it or at what it waits for, in a
    /// sentence that names that.
    pub fn amiss(&self, scene: &Scene, node: &str) -> Option<String> {
        let refused = |id: &str| self.nodes.get(id).and_then(|result| result.outcome.as_ref().as_ref().err());
        let (mut at, mut seen) = (node, BTreeSet::new());
        let mut why = refused(at)?;
        // Threads may go round.
        while seen.insert(at) {
            let above = scene.threads.values().filter(|thread| thread.to == at).map(|thread| thread.from.as_str());
            let Some((id, its)) = above.filter_map(|id| Some((id, refused(id)?))).next() else { break };
            (at, why) = (id, its);
        }
        let name = scene.nodes.get(at).map_or("", |node| node.name.as_str());
        Some(format!("\"{name}\" does not work: {why}"))
    }
}

/// What compilation works with.
pub struct Workshop<'a> {
    /// All node types.
    pub types: &'a [Arc<dyn NodeType>],
    /// Their schemas, in the same order.
    pub schemas: &'a [Schema],
    /// What is remembered.
    pub memo: &'a Memo,
    /// Files.
    pub assets: &'a Arc<dyn Assets>,
    /// Microseconds since any moment.
    pub clock: &'a dyn Fn() -> u64,
    /// Stops the work; nodes not reached by then say so.
    pub cancel: &'a Cancel,
    /// Works out what is kept frame by frame.
    pub recorder: &'a dyn Recorder,
}

/// Compiles a checked scene. Never fails as a whole: a node that cannot be evaluated says why, and
/// what does not depend on it works.
pub fn compile(scene: &Scene, workshop: &Workshop<'_>) -> Compiled {
    workshop.memo.begin();
    let timing = Timing::of(scene);
    let mut nodes = BTreeMap::new();
    for id in order(scene) {
        let result = evaluate(scene, &id, &nodes, timing, workshop);
        nodes.insert(id, result);
    }
    let mut ends: Vec<End> = scene.nodes.iter().filter_map(|(id, node)| end(scene, id, node, &nodes)).collect();
    ends.sort_by_key(|end| !end.output);
    let bypassed = scene.nodes.iter().filter(|(_, node)| node.bypassed).map(|(id, _)| id.clone()).collect();
    let mut mends = fitting::mends(scene, &nodes, timing, workshop);
    for (id, more) in shown::mends(scene, timing, workshop) {
        mends.entry(id).or_default().extend(more);
    }
    let meetings = shown::meetings(scene, &nodes, workshop);
    Compiled { nodes, ends, bypassed, mends, meetings, timing }
}

impl Compiled {
    /// Says of an end that it cannot be looked at, and why; it is no end any more.
    pub fn refuse(&mut self, node: &str, why: &str) {
        self.ends.retain(|end| end.node != node);
        self.nodes.insert(node.to_owned(), NodeResult::refused(sentence(why)));
    }
}

/// Nodes such that what gives comes before what takes.
fn order(scene: &Scene) -> Vec<String> {
    fn visit(scene: &Scene, id: &str, done: &mut Vec<String>) {
        if done.iter().any(|known| known == id) {
            return;
        }
        for thread in scene.threads.values().filter(|thread| thread.to == id) {
            visit(scene, &thread.from, done);
        }
        done.push(id.to_owned());
    }
    let mut done = Vec::with_capacity(scene.nodes.len());
    for id in scene.nodes.keys() {
        visit(scene, id, &mut done);
    }
    done
}

fn evaluate(
    scene: &Scene,
    id: &str,
    done: &BTreeMap<String, NodeResult>,
    timing: Timing,
    workshop: &Workshop<'_>,
) -> NodeResult {
    let node = &scene.nodes[id];
    let Some(index) = workshop.schemas.iter().position(|schema| schema.name == node.kind) else {
        return NodeResult::refused(format!(
            "This version of the program has no \"{}\": update it, or put another node in its place. Nothing of it is lost.",
            node.kind
        ));
    };
    let schema = &workshop.schemas[index];
    if node.bypassed {
        return bypassed(scene, id, node, schema, done);
    }
    let inputs = match inputs(scene, id, schema, done) {
        Ok(inputs) => inputs,
        Err(why) => return NodeResult::refused(why),
    };
    let signals = signals(schema, &inputs);
    let resolved = match resolve(schema, node, &signals, timing.clock(), (0.0, true)) {
        Ok(resolved) => resolved,
        Err(marks) => {
            let why = sentences(&marks);
            return NodeResult { marks, ..NodeResult::refused(why) };
        }
    };
    let key = key(scene, (node, workshop.memo.digest(node)), schema, &inputs, timing, resolved.any);
    let left = workshop.cancel.limit(work::OF_A_SCENE).saturating_sub(done.values().map(|result| result.looks).sum());
    let most = workshop.cancel.limit(work::OF_A_NODE);
    // What was given up since the others took so much may be done where they take less.
    let among = (left < most).then(|| Key::from(blake3::hash(&[&key[..], &left.to_le_bytes()].concat())));
    if let Some((outcome, looks)) = [Some(key), among].iter().flatten().find_map(|key| workshop.memo.find(key)) {
        return NodeResult { outcome, fresh: false, micros: 0, looks, marks: Vec::new(), key };
    }
    match workshop.cancel.going() {
        Ok(()) => {}
        Err(MotionError::Cancelled) => return NodeResult::refused("Stopped before it was reached.".to_owned()),
        Err(MotionError::TooMuch(why)) => return NodeResult::refused(why),
    }
    let begun = (workshop.clock)();
    let unsettled = AtomicBool::new(false);
    let idle = idle_threads(schema, node, &inputs);
    let inputs = inputs.into_iter().map(|(port, (product, _))| (port, product)).collect();
    let cancel = workshop.cancel.within_looks(most.min(left));
    let from = (workshop, &cancel);
    let mut outcome = evaluate_now(index, ((id, key), &unsettled), node, inputs, (&resolved, &signals), timing, from);
    let looks = cancel.looks();
    let wanting = among.filter(|_| cancel.overworked());
    if wanting.is_some() && outcome.is_err() {
        outcome = Err(format!(
            "It was given up, since all nodes up to here together take more than {} steps to work out: use fewer of them, fewer things or a shorter loop.",
            work::count(workshop.cancel.limit(work::OF_A_SCENE))
        ));
    }
    if let Ok(outcome) = &mut outcome {
        outcome.warnings.extend(resolved.warnings);
        outcome.warnings.extend(idle);
        outcome.warnings.extend(node.params.keys().filter(|name| schema.param(name).is_none()).map(|name| {
            format!("This version of the program has no parameter \"{name}\" here: it is kept and does nothing.")
        }));
    }
    let micros = (workshop.clock)().saturating_sub(begun);
    let progress = outcome.as_ref().ok().and_then(|outcome| outcome.progress);
    let outcome = Arc::new(outcome);
    if let Some(progress) = progress {
        // There is more of it the next time.
        let key = blake3::hash(&[&key[..], format!("{progress:?}").as_bytes()].concat()).into();
        return NodeResult { outcome, fresh: true, micros, looks, marks: Vec::new(), key };
    }
    if !workshop.cancel.cancelled() && !unsettled.into_inner() {
        workshop.memo.keep(wanting.unwrap_or(key), outcome.clone(), looks);
    }
    NodeResult { outcome, fresh: true, micros, looks, marks: Vec::new(), key }
}

/// What is threaded to a port that a choice leaves out.
fn idle_threads<T>(schema: &Schema, node: &Node, inputs: &BTreeMap<String, T>) -> Vec<String> {
    let idle = schema.inputs.iter().filter_map(|port| {
        let (name, values) = port.only_when.filter(|_| inputs.contains_key(port.name))?;
        let param = schema.param(name)?;
        let chosen = match (node.params.get(name).and_then(serde_json::Value::as_str), &param.values) {
            (Some(chosen), _) => chosen,
            (None, Values::Choice { default, .. }) => default,
            (None, _) => return None,
        };
        (!values.contains(&chosen)).then(|| {
            format!(
                "The thread to \"{}\" does nothing while \"{}\" is {chosen}: choose {}, or cut it.",
                port.name,
                param.label,
                values.join(" or ")
            )
        })
    });
    idle.collect()
}

/// At frame 0; what gives a path or a surface that moves is evaluated again for every frame that is asked for.
fn evaluate_now(
    index: usize,
    (stands_for, unsettled): ((&str, Key), &AtomicBool),
    node: &Node,
    inputs: BTreeMap<String, Product>,
    (resolved, signals): (&Resolved, &Signals),
    timing: Timing,
    (workshop, cancel): (&Workshop<'_>, &Cancel),
) -> Result<Outcome, String> {
    let (kind, schema) = (&workshop.types[index], &workshop.schemas[index]);
    let params = Params::new(schema, node, (&resolved.values, signals), timing.clock());
    let remade = matches!(schema.output, Some(PortKind::Path | PortKind::Surface | PortKind::Signal))
        && (resolved.over_time || kind.moves(&params) || inputs.values().any(moving::moves));
    let made_of_others = !signals.is_empty() || inputs.values().any(|input| matches!(input, Product::Signal(_)));
    let again = remade.then(|| moving::Again {
        kind: kind.clone(),
        schema: schema.clone(),
        node: node.clone(),
        inputs: inputs.clone(),
        signals: signals.clone(),
        timing,
        assets: workshop.assets.clone(),
    });
    let context = Context {
        params,
        inputs,
        frame: 0.0,
        told: true,
        timing,
        assets: &**workshop.assets,
        cancel,
        recorder: workshop.recorder,
        stands_for,
        unsettled,
    };
    let outcome = cancel.watched(|| -> Result<Outcome, String> {
        let mut outcome = kind.evaluate(&context).and_then(|outcome| within_budget(outcome, timing))?;
        if timing.space == Space::Flat {
            outcome.product = outcome.product.flattened();
        }
        Ok(match again {
            Some(again) => moving::over_time(again, outcome),
            None => outcome,
        })
    });
    if cancel.go_on() {
        return Err(work::STARVED.to_owned());
    }
    if cancel.overworked() {
        return Err(format!(
            "It was given up, since it takes more than {} steps to work out: use fewer things or a shorter loop, or thread simpler nodes to it.",
            work::count(workshop.cancel.limit(work::OF_A_NODE))
        ));
    }
    let mut outcome = outcome?;
    outcome.product = watched(outcome.product, made_of_others);
    if let Product::Motion(motion) = &outcome.product {
        affordable(motion, timing, workshop.cancel)?;
    }
    Ok(outcome)
}

/// What arrives at the first port that takes what the node gives.
fn bypassed(scene: &Scene, id: &str, node: &Node, schema: &Schema, done: &BTreeMap<String, NodeResult>) -> NodeResult {
    let port = schema.inputs.iter().find(|port| Some(port.kind) == schema.output);
    let upstream = port.and_then(|port| scene.thread_to(id, port.name)).and_then(|(_, thread)| done.get(&thread.from));
    match upstream.and_then(|result| result.product().map(|product| (product.clone(), result.key))) {
        Some((product, key)) => {
            NodeResult { key, outcome: Arc::new(Ok(Outcome::new(product))), ..NodeResult::refused(String::new()) }
        }
        None => NodeResult::refused(format!("\"{}\" is bypassed and has nothing to hand on.", node.name)),
    }
}

type Inputs = BTreeMap<String, (Product, Key)>;

/// Signals that arrive at parameters.
fn signals(schema: &Schema, inputs: &Inputs) -> Signals {
    let to_params = inputs.iter().filter(|(port, _)| schema.input(port).is_none());
    let signal = |(port, (product, _)): (&String, &(Product, Key))| match product {
        Product::Signal(signal) => Some((port.clone(), signal.clone())),
        _ => None,
    };
    to_params.filter_map(signal).collect()
}

fn inputs(scene: &Scene, id: &str, schema: &Schema, done: &BTreeMap<String, NodeResult>) -> Result<Inputs, String> {
    let mut inputs = BTreeMap::new();
    for port in &schema.inputs {
        let kind = port.kind.name();
        let Some((_, thread)) = scene.thread_to(id, port.name) else {
            if port.optional {
                continue;
            }
            return Err(format!("{} needs a {kind}: pull a thread to its {} port.", schema.title, port.name));
        };
        inputs.insert(port.name.to_owned(), arrives(scene, schema, &thread.from, kind, done)?);
    }
    let to_params = scene.threads.values().filter(|thread| thread.to == id && schema.input(&thread.port).is_none());
    for thread in to_params {
        inputs.insert(thread.port.clone(), arrives(scene, schema, &thread.from, PortKind::Signal.name(), done)?);
    }
    Ok(inputs)
}

/// What a node gives to one that takes it.
fn arrives(
    scene: &Scene,
    schema: &Schema,
    from: &str,
    kind: &str,
    done: &BTreeMap<String, NodeResult>,
) -> Result<(Product, Key), String> {
    let found = done.get(from).and_then(|result| result.product().map(|product| (product.clone(), result.key)));
    found.ok_or_else(|| {
        let giver = scene.nodes.get(from);
        let name = giver.map_or("", |node| node.name.as_str());
        if giver.is_some_and(|node| node.bypassed) {
            format!("{} needs a {kind}, but \"{name}\" is bypassed: take it in again.", schema.title)
        } else {
            format!("{} waits for \"{name}\": mend that first.", schema.title)
        }
    })
}

/// Type, parameters, files, inputs, and of the settings what the type depends on.
fn key(
    scene: &Scene,
    (node, params): (&Node, Key),
    schema: &Schema,
    inputs: &Inputs,
    timing: Timing,
    formulas: bool,
) -> Key {
    let mut hash = blake3::Hasher::new();
    let mut feed = |bytes: &[u8]| {
        hash.update(&(bytes.len() as u64).to_le_bytes());
        hash.update(bytes);
    };
    feed(schema.name.as_bytes());
    feed(&params);
    for value in node.params.values() {
        let asset = value.as_str().and_then(|text| scene.assets.get(text));
        feed(asset.map_or("", |asset| &asset.hash).as_bytes());
    }
    for (port, (_, key)) in inputs {
        feed(port.as_bytes());
        feed(key);
    }
    feed(&[timing.space as u8]);
    if schema.uses_timing || formulas {
        for number in [timing.fps, timing.frames, timing.picture.width, timing.picture.height] {
            feed(&number.to_bits().to_le_bytes());
        }
    }
    *hash.finalize().as_bytes()
}

fn end(scene: &Scene, id: &str, node: &Node, nodes: &BTreeMap<String, NodeResult>) -> Option<End> {
    let result = nodes.get(id)?;
    let Some(Product::Motion(motion)) = result.product() else { return None };
    let output = node.kind == OUTPUT;
    let is_out = |id: &str| scene.nodes.get(id).is_some_and(|n| n.bypassed && n.kind == OUTPUT);
    let taken_up = scene.threads.values().any(|thread| thread.from == id && !is_out(&thread.to));
    if taken_up && !output {
        return None;
    }
    let offers = offers(scene, id, nodes, &Looks::of(&**motion));
    let unleaping = unleaping(scene, id, nodes);
    let (node, name) = (id.to_owned(), node.name.clone());
    Some(End { node, name, output, motion: motion.clone(), offers, unleaping, key: result.key })
}
