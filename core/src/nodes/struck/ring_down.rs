use super::hits::{HitAxis, Listening, Struck, axis_param, pivot_param, push_param, rattled, turn_param};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Port, PortKind, Schema};
use glam::DVec3;

/// Lets things rattle.
pub struct RingDownNode;

fields! {
    /// What Ring-down is told.
    pub struct RingDownFields {
        turn: f64 = turn_param(12.0),
        push: f64 = push_param("moves by", 0.0, "How far it is pushed at first, the way the hit pushes it."),
        axis: HitAxis = axis_param(),
        pivot: DVec3 = pivot_param(),
        listening: Listening => Listening::with(6.0, 36.0),
    }
}

impl Maker for RingDownNode {
    type Own = RingDownFields;

    fn schema(&self) -> Schema {
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
            params: RingDownFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &RingDownFields, context: &Context<'_>) -> Result<Outcome, String> {
        let RingDownFields { push, turn, axis, pivot, ref listening } = *own;
        rattled(&Struck { push, turn, axis, pivot, straight: false, itself: true, listening }, context)
    }
}
