//! What goes over the live connection as JSON.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use uuid::Uuid;
use zickzack_core::graph::{End, EndReport, KindReport, Miniature, NodeReport};
use zickzack_core::scene::{Op, Scene};

/// A page says …
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "kebab-case", deny_unknown_fields)]
pub enum FromPage {
    /// … who it is; always first. And how many bytes of poses it holds at most: where there are more, it has those of a
    /// part of the loop round the frame on screen, a single frame of each motion at least. All where it says nothing.
    Hello {
        client: String,
        #[serde(default)]
        holds: Option<u64>,
    },
    /// … what it changed. The same client and sequence again is harmless. `client` is named when the edit
    /// was left behind by a page that is gone.
    Edit {
        sequence: i64,
        label: String,
        ops: Vec<Op>,
        #[serde(default)]
        client: Option<String>,
    },
    /// … take my last edit back.
    Undo { sequence: i64 },
    /// … do it again.
    Redo { sequence: i64 },
    /// … show this without keeping it; the newest wins.
    Preview { number: u32, ops: Vec<Op> },
    /// … show what is kept.
    EndPreview { number: u32 },
    /// … lay this version beneath the scene as it is, to compare; none ends that.
    Compare { version: Option<Uuid> },
    /// … are you still there? The answer is `Here`.
    Here,
    /// … work this scene out all the same, though the server ended over it.
    WorkOut,
    /// … stop working at what is worked out frame by frame for this node, or go on with it.
    Hold { node: String, hold: bool },
    /// … draw the channels of this thing; no node for none. `frame` is what is on screen: where
    /// the page has only a part of a motion, the part round it comes. And draw what changes
    /// over time in the numbers of the node `chosen`, or the signal that it gives.
    Watch {
        node: Option<String>,
        object: usize,
        frame: f64,
        #[serde(default)]
        chosen: Option<String>,
    },
}

/// The server says …
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum ToPage {
    /// … this is the scene now, and what the page could take back and do again, in words.
    Scene { revision: i64, document: Box<Scene>, undo: Option<String>, redo: Option<String> },
    /// … this was changed, by this page or another. Without operations it was done before.
    Edited { revision: i64, client: String, sequence: i64, ops: Vec<Op>, undo: Option<String>, redo: Option<String> },
    /// … this was not done, and why. With `later`, the same may be done if it is asked again; until then what
    /// came after it on this connection is refused in the same way.
    Refused { sequence: Option<i64>, message: String, later: bool },
    /// … I am here, and this is how often the scene was changed.
    Here { revision: i64 },
    /// … I ended while this was worked out, so it is not by itself any more.
    Held { message: String },
    /// … I am being stopped, and perhaps started again: come back.
    Stopping,
    /// … these move, and how they look. What is measured of them may take long, and follows as `Ends`.
    Looks { ends: Vec<EndLook> },
    /// … what became of each node.
    Nodes { revision: i64, preview: u32, nodes: BTreeMap<String, NodeStatus> },
    /// … what happens at the loop point of every motion that is looked at.
    Ends { revision: i64, preview: u32, ends: Vec<EndReport> },
    /// … all there is to see and to tell of this was sent. What offers leave open may follow, and versions beneath.
    Shown { revision: i64, preview: u32 },
}

/// What has to be known of a motion to draw it.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct EndLook {
    pub node: String,
    /// It is an Output, whose parameters say what its things look like.
    pub output: bool,
    pub on_path: bool,
    pub kinds: Vec<KindReport>,
}

impl From<&End> for EndLook {
    fn from(end: &End) -> Self {
        Self {
            node: end.node.clone(),
            output: end.output,
            on_path: end.motion.path().is_some(),
            kinds: end.motion.kinds().iter().map(KindReport::from).collect(),
        }
    }
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
