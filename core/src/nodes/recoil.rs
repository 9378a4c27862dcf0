use super::hits::{axis, axis_param, heard, hits_of, listening};
use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Blow, Rattle, Ringing};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use std::sync::Arc;

/// Lets what is hit give way.
pub struct RecoilNode;

impl NodeType for RecoilNode {
    fn schema(&self) -> Schema {
        let mut params = vec![
            Param::number(
                "push",
                "gives way by",
                Group::Form,
                (Unit::Metres, 0.1, -1e4, 1e4),
                "How far it is pushed at first, the way the thing came.",
            ),
            Param::number(
                "turn",
                "turns by",
                Group::Form,
                (Unit::Degrees, 0.0, -720.0, 720.0),
                "How far it turns at first.",
            ),
            axis_param(),
            Param::vector(
                "pivot",
                "about",
                Group::Form,
                (Unit::Sizes, [0.0; 3]),
                "The point of it that stays where it is when it turns, in its sizes.",
            )
            .role(Role::Pivot),
        ];
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
        let (params, motion) = (&context.params, context.motion("motion")?);
        let blow = Blow {
            push: params.number("push"),
            turn: params.number("turn").to_radians(),
            axis: axis(context),
            pivot: params.vector("pivot"),
            by_momentum: params.flag("by-momentum"),
            itself: false,
        };
        let ringing = Ringing { swings: params.number("swings"), frames: params.number("dies") };
        let hits = hits_of(context, motion.len(), ringing.frames)?;
        let (facts, warnings) = heard(&hits);
        let rattle = Rattle::new(motion, hits, blow, ringing);
        Ok(Outcome { facts, warnings, ..Outcome::new(Product::Motion(Arc::new(rattle))) })
    }
}
