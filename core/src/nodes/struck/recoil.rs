use super::hits::{axis_param, listening, pivot_param, push_param, rattled, turn_param, way_param};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Port, PortKind, Schema};

/// Lets what is hit give way.
pub struct RecoilNode;

impl NodeType for RecoilNode {
    fn schema(&self) -> Schema {
        let push = "How far it is pushed at first.";
        let mut params =
            vec![push_param("gives way by", 0.1, push), way_param(), turn_param(0.0), axis_param(), pivot_param()];
        params.extend(listening((2.0, 24.0)));
        Schema {
            name: "recoil",
            title: "Recoil",
            group: "On the way",
            help: "Lets what is hit give way and come back, at every contact.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "What is hit."),
                Port::new("hits", PortKind::Motion, "What hits it: its contacts count."),
            ],
            output: Some(PortKind::Motion),
            params,
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        rattled(context, false)
    }
}
