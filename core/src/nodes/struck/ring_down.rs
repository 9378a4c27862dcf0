use super::hits::{axis_param, listening, pivot_param, push_param, rattled, turn_param};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Port, PortKind, Schema};

/// Lets things rattle.
pub struct RingDownNode;

impl NodeType for RingDownNode {
    fn schema(&self) -> Schema {
        let push = "How far it is pushed at first, the way the hit pushes it.";
        let mut params = vec![turn_param(12.0), push_param("moves by", 0.0, push), axis_param(), pivot_param()];
        params.extend(listening((6.0, 36.0)));
        Schema {
            name: "ring-down",
            title: "Ring-down",
            group: "On the way",
            help: "Lets things rattle about a point from every contact on, ever less, until they lie still.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "What rattles."),
                Port::optional("hits", PortKind::Motion, "Whose contacts set it off; without it its own."),
            ],
            output: Some(PortKind::Motion),
            params,
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        rattled(context, true)
    }
}
