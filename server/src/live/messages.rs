//! What goes over the live connection as JSON.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use zickzack_core::graph::{EndReport, Miniature, NodeReport};
use zickzack_core::scene::{Op, Scene};

/// A page says …
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum FromPage {
    /// … who it is; always first.
    Hello { client: String },
    /// … what it changed. The same client and sequence again is harmless.
    Edit { sequence: i64, label: String, ops: Vec<Op> },
    /// … take my last edit back.
    Undo { sequence: i64 },
    /// … do it again.
    Redo { sequence: i64 },
    /// … show this without keeping it; the newest wins.
    Preview { number: u32, ops: Vec<Op> },
    /// … show what is kept.
    EndPreview { number: u32 },
    /// … draw the channels of this thing; no node for none. `frame` is what is on screen.
    Watch { node: Option<String>, object: usize, frame: f64 },
}

/// The server says …
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum ToPage {
    /// … this is the scene now.
    Scene { revision: i64, document: Scene, can_undo: bool, can_redo: bool },
    /// … this was changed, by this page or another.
    Edited { revision: i64, client: String, sequence: i64, ops: Vec<Op>, can_undo: bool, can_redo: bool },
    /// … this was not done, and why.
    Refused { sequence: Option<i64>, message: String },
    /// … what became of each node.
    Nodes { revision: i64, preview: u32, nodes: BTreeMap<String, NodeStatus> },
    /// … what happens at the loop point of every motion that is looked at.
    Ends { revision: i64, preview: u32, ends: Vec<EndReport> },
}

/// What became of a node, with a small picture of what it gives.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct NodeStatus {
    #[serde(flatten)]
    pub report: NodeReport,
    /// What it gives, small; left out when it did not change or there is nothing.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub miniature: Option<Miniature>,
}

/// One channel of a block of traces.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct TraceHeader {
    pub name: String,
    pub unit: String,
}
