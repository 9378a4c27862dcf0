use crate::fraction::Fraction;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// What the field `format` of every scene says.
pub const FORMAT: &str = "zickzack-scene";
/// The version that this program writes, and the latest that it reads.
pub const VERSION: u32 = 1;

/// A whole scene.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Scene {
    /// Always [`FORMAT`].
    pub format: String,
    /// At most [`VERSION`].
    pub version: u32,
    /// On screen.
    pub name: String,
    /// Flat or deep.
    pub space: Space,
    /// Frames per second, exactly.
    #[cfg_attr(feature = "openapi", schema(value_type = String))]
    pub fps: Fraction,
    /// Length of the loop.
    pub frames: u32,
    /// Number shown for frame 0.
    #[serde(default)]
    pub first_frame: i64,
    /// The picture's size in the scene.
    #[serde(default)]
    pub picture: Picture,
    /// By id; states of a scene share the nodes in which they do not differ.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(value_type = BTreeMap<String, Node>))]
    pub nodes: BTreeMap<String, Arc<Node>>,
    /// By id.
    #[serde(default)]
    pub threads: BTreeMap<String, Thread>,
    /// Groups of nodes in the Weave, by id.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub groups: BTreeMap<String, NodeGroup>,
    /// What the picture is looked at through, in deep scenes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub camera: Option<Camera>,
    /// A picture behind everything, to match against.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub backdrop: Option<Backdrop>,
    /// Files that nodes refer to, by name.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub assets: BTreeMap<String, Asset>,
}

/// Flat scenes lie in the plane z = 0 and are seen from the front.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Space {
    Flat,
    Deep,
}

/// The border of the scene's picture, centred on the origin.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Picture {
    /// Metres.
    pub width: f64,
    /// Metres.
    pub height: f64,
    /// How many pixels its width has; lengths may be given in them.
    #[serde(default = "usual_pixels", skip_serializing_if = "is_usual_pixels")]
    pub pixels: u32,
}

/// Pixels across a picture that says nothing else.
const USUAL_PIXELS: u32 = 1920;

const fn usual_pixels() -> u32 {
    USUAL_PIXELS
}

#[allow(clippy::trivially_copy_pass_by_ref)]
const fn is_usual_pixels(pixels: &u32) -> bool {
    *pixels == USUAL_PIXELS
}

impl Default for Picture {
    fn default() -> Self {
        Self { width: 16.0, height: 9.0, pixels: USUAL_PIXELS }
    }
}

/// Where the picture is looked at from.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Camera {
    /// Where it stands, metres.
    pub position: [f64; 3],
    /// What it looks at, metres.
    pub target: [f64; 3],
    /// Focal length in millimetres on a film 36 mm wide.
    pub lens: f64,
}

/// A picture behind everything.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Backdrop {
    /// The name of an asset that is a picture.
    pub file: String,
    /// From 0, not to be seen, to 1, as it is.
    pub strength: f64,
}

/// Nodes under one name, which lie in the Weave open or as one slip.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NodeGroup {
    /// Given by the user.
    pub name: String,
    /// True when it lies there as one slip.
    #[serde(default, skip_serializing_if = "is_false")]
    pub shut: bool,
}

#[allow(clippy::trivially_copy_pass_by_ref)]
const fn is_false(flag: &bool) -> bool {
    !*flag
}

/// A node of the graph.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Node {
    /// The name of its schema.
    #[serde(rename = "type")]
    pub kind: String,
    /// Given by the user.
    pub name: String,
    /// Where it lies in the Weave, pixels.
    #[serde(default)]
    pub at: [f64; 2],
    /// The group it lies in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    /// Hands on what it takes, as if it were not there.
    #[serde(default, skip_serializing_if = "is_false")]
    pub bypassed: bool,
    /// Not shown in the View.
    #[serde(default, skip_serializing_if = "is_false")]
    pub hidden: bool,
    /// While any node says so, only those that do are shown in the View.
    #[serde(default, skip_serializing_if = "is_false")]
    pub solo: bool,
    /// Cannot be changed or removed.
    #[serde(default, skip_serializing_if = "is_false")]
    pub locked: bool,
    /// Parameters that differ from their defaults, by name.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub params: BTreeMap<String, Value>,
    /// What its keys were baked from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub baked: Option<BakedFrom>,
}

/// Where keys came from, so that they can be baked again and what was changed by hand is known.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BakedFrom {
    /// Id of the node whose motion it was; it may be gone.
    pub from: String,
    /// Which of its things, from 0.
    pub thing: u32,
    /// Metres that a place was allowed to be off.
    pub tolerance: f64,
    /// Degrees that an orientation was allowed to be off.
    pub angle: f64,
    /// A check sum of each number as it was baked, by port: one that is another now was changed by hand.
    pub sums: BTreeMap<String, String>,
}

/// A thread from a node's output to another's port.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Thread {
    /// Id of the node that gives.
    pub from: String,
    /// Id of the node that takes.
    pub to: String,
    /// Name of its port.
    pub port: String,
}

/// A file that belongs to the scene.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Asset {
    /// BLAKE3 of its bytes, as 64 hexadecimal digits.
    pub hash: String,
    /// Such as `image/svg+xml`.
    pub media: String,
    /// Its text, in scenes that travel as one file.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// What is not text, in scenes that travel as one file: base64 of its bytes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base64: Option<String>,
}

impl Scene {
    /// An empty scene.
    pub fn empty(name: &str, space: Space) -> Self {
        Self {
            format: FORMAT.to_owned(),
            version: VERSION,
            name: name.to_owned(),
            space,
            fps: Fraction::new(24, 1).unwrap_or(Fraction::ZERO),
            frames: 120,
            first_frame: 0,
            picture: Picture::default(),
            nodes: BTreeMap::new(),
            threads: BTreeMap::new(),
            groups: BTreeMap::new(),
            camera: None,
            backdrop: None,
            assets: BTreeMap::new(),
        }
    }

    /// A node to be changed, apart from other states of the scene from then on.
    pub fn node_mut(&mut self, id: &str) -> Option<&mut Node> {
        self.nodes.get_mut(id).map(Arc::make_mut)
    }

    /// The thread that ends at a port, with its id.
    pub fn thread_to(&self, node: &str, port: &str) -> Option<(&String, &Thread)> {
        self.threads.iter().find(|(_, thread)| thread.to == node && thread.port == port)
    }
}
