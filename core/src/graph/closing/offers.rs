//! What would close a loop, or keep things from leaping within it.

use crate::fraction::{Fraction, greatest_common_divisor};
use crate::graph::compile::NodeResult;
use crate::motion::{Motion, Symmetry};
use crate::scene::Scene;
use crate::seam::length_offers;
use glam::DVec3;
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A value of a parameter that would close the loop.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Offer {
    /// Id of the node; empty for the scene itself.
    pub node: String,
    /// Name of its parameter, or of the scene's field.
    pub param: String,
    /// The value offered.
    pub value: Value,
    /// What it is about, in words.
    pub text: String,
    /// What it leaves open by itself, with its unit; empty where it closes the loop, absent where it was not tried.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub left: Option<String>,
}

/// What would close a loop.
#[derive(Debug, Clone, PartialEq)]
pub enum Closing {
    /// A value of a parameter, and what it is about in words.
    Value(&'static str, Value, String),
    /// It closes in every loop that is a whole multiple of so many frames.
    Period(Fraction),
}

/// What the things of an end look like, by object.
#[derive(Debug, Clone, Default)]
pub struct Looks {
    /// Equal for those that may trade places.
    pub alike: Vec<u64>,
    /// The turns after which each looks the same.
    pub symmetries: Vec<Option<Symmetry>>,
    /// True when more things would look like these: they look the same, and no choice of kinds is made.
    pub one: bool,
}

impl Looks {
    /// Of a motion.
    pub fn of(motion: &dyn Motion) -> Self {
        let alike: Vec<u64> = (0..motion.len()).map(|object| motion.look(object)).collect();
        Self {
            one: motion.kinds().len() <= 1 && alike.iter().all(|look| *look == alike[0]),
            alike,
            symmetries: (0..motion.len()).map(|object| motion.symmetry(object)).collect(),
        }
    }

    /// After one of how many equal parts of a turn about `axis` all things look the same; 0 for any turn.
    pub fn order_about(&self, axis: DVec3) -> u32 {
        let order = |symmetry: &Option<Symmetry>| match symmetry {
            Some(symmetry) if symmetry.axis.cross(axis) == DVec3::ZERO => u64::from(symmetry.order),
            _ => 1,
        };
        self.symmetries.iter().map(order).fold(0, greatest_common_divisor) as u32
    }
}

/// What would close a loop whose things look like this.
pub type OfferMaker = Arc<dyn Fn(&Looks) -> Vec<Closing> + Send + Sync>;

/// What would keep things from leaping; of paths that are open, that they be closed.
pub(in crate::graph) fn unleaping(scene: &Scene, id: &str, nodes: &BTreeMap<String, NodeResult>) -> Vec<Offer> {
    let mut offers = Vec::new();
    let offer = |node: &str, param: &str, value, text| Offer {
        node: node.to_owned(),
        param: param.to_owned(),
        value,
        text,
        left: None,
    };
    let upstream = upstream(scene, id);
    for id in &upstream {
        let outcome = nodes.get(id).and_then(|result| result.outcome.as_ref().as_ref().ok());
        let own = outcome.into_iter().flat_map(|outcome| outcome.unleaping.iter().cloned());
        offers.extend(own.map(|(param, value, text)| offer(id, param, value, text)));
    }
    if offers.is_empty() {
        return offers;
    }
    for id in &upstream {
        let outcome = nodes.get(id).and_then(|result| result.outcome.as_ref().as_ref().ok());
        let Some(flag) = outcome.and_then(|outcome| outcome.closed_by) else { continue };
        let name = scene.nodes.get(id).map_or("", |node| &node.name);
        let text = format!("{name} → closed (its end runs into its start)");
        offers.push(offer(id, flag, Value::Bool(true), text));
    }
    offers
}

pub(in crate::graph) fn offers(
    scene: &Scene,
    id: &str,
    nodes: &BTreeMap<String, NodeResult>,
    looks: &Looks,
) -> Vec<Offer> {
    let (mut offers, mut periods) = (Vec::new(), Vec::new());
    for id in upstream(scene, id) {
        let outcome = nodes.get(&id).and_then(|result| result.outcome.as_ref().as_ref().ok());
        let maker = outcome.and_then(|outcome| outcome.offers.as_ref());
        for closing in maker.into_iter().flat_map(|maker| maker(looks)) {
            match closing {
                Closing::Value(param, value, text) => {
                    offers.push(Offer { node: id.clone(), param: param.to_owned(), value, text, left: None });
                }
                Closing::Period(period) => periods.push(period),
            }
        }
    }
    let lengths = length_offers(scene.frames, &periods).into_iter();
    offers.extend(lengths.take(MOST_LENGTHS).map(|frames| Offer {
        node: String::new(),
        param: "frames".to_owned(),
        value: Value::from(frames),
        text: format!("loop {} → {frames} frames (every lap is done by then)", scene.frames),
        left: None,
    }));
    offers
}

/// Most loop lengths that are offered.
const MOST_LENGTHS: usize = 3;

/// A node and all that feeds it, nearest first.
fn upstream(scene: &Scene, id: &str) -> Vec<String> {
    let mut found = vec![id.to_owned()];
    let mut next = 0;
    while next < found.len() {
        let here = found[next].clone();
        for thread in scene.threads.values().filter(|thread| thread.to == here) {
            if !found.contains(&thread.from) {
                found.push(thread.from.clone());
            }
        }
        next += 1;
    }
    found
}
