//! The node types: each file holds a schema and the call into the room that does the work.

mod drawn_path;
mod face_travel;
mod launch;
mod output;
mod ride;
mod svg_path;

use crate::graph::NodeType;
use crate::schema::Schema;

/// The type of the node that hands a motion off.
pub const OUTPUT: &str = "output";

/// All node types, in the order in which they are offered.
pub fn all() -> Vec<Box<dyn NodeType>> {
    vec![
        Box::new(drawn_path::DrawnPath),
        Box::new(svg_path::SvgPath),
        Box::new(ride::RideNode),
        Box::new(launch::LaunchNode),
        Box::new(face_travel::FaceTravelNode),
        Box::new(output::Output),
    ]
}

/// Their schemas, in the same order.
pub fn schemas() -> Vec<Schema> {
    all().iter().map(|kind| kind.schema()).collect()
}

/// All node types with their schemas, made once.
pub struct Registry {
    /// The types.
    pub types: Vec<Box<dyn NodeType>>,
    /// Their schemas, in the same order.
    pub schemas: Vec<Schema>,
}

impl Default for Registry {
    fn default() -> Self {
        Self { types: all(), schemas: schemas() }
    }
}
