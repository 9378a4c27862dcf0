use super::hits::{HitAxis, Listening, Struck, axis_param, pivot_param, push_param, rattled, turn_param};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, choice};
use glam::DVec3;

/// Lets what is hit give way.
pub struct RecoilNode;

choice! {
    /// Which way it is pushed.
    pub enum Way { Straight = "straight in", Blow = "as it was hit" }
}

fields! {
    /// What Recoil is told.
    pub struct RecoilFields {
        push: f64 = push_param("gives way by", 0.1, "How far it is pushed at first."),
        way: Way = Param::choice(
            "which way",
            Group::Form,
            Way::WORDS,
            "Straight away from where it was hit, or the way of the blow, which may go along it.",
        ),
        turn: f64 = turn_param(0.0),
        axis: HitAxis = axis_param(),
        pivot: DVec3 = pivot_param(),
        listening: Listening => Listening::with(2.0, 24.0),
    }
}

impl Maker for RecoilNode {
    type Own = RecoilFields;

    fn schema(&self) -> Schema {
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
            params: RecoilFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &RecoilFields, context: &Context<'_>) -> Result<Outcome, String> {
        let RecoilFields { push, turn, axis, pivot, ref listening, .. } = *own;
        let straight = own.way == Way::Straight;
        rattled(&Struck { push, turn, axis, pivot, straight, itself: false, listening }, context)
    }
}
