use super::hits::{axis_param, heard, hits_of, listening};
use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Blow, Rattle, Ringing};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit};
use std::sync::Arc;

/// Lets things rattle.
pub struct RingDownNode;

impl NodeType for RingDownNode {
    fn schema(&self) -> Schema {
        let mut params = vec![
            Param::number(
                "turn",
                "turns by",
                Group::Form,
                (Unit::Degrees, 12.0, -720.0, 720.0),
                "How far it turns at first.",
            ),
            Param::number(
                "push",
                "moves by",
                Group::Form,
                (Unit::Metres, 0.0, -1e4, 1e4),
                "How far it is pushed at first, the way the hit pushes it.",
            ),
            axis_param(),
            Param::vector(
                "pivot",
                "about",
                Group::Form,
                (Unit::Sizes, [0.0; 3]),
                "The point of the thing that stays where it is, in its sizes.",
            )
            .role(Role::Pivot),
        ];
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
        let (params, motion) = (&context.params, context.motion("motion")?);
        let blow = Blow {
            push: params.number("push"),
            turn: params.number("turn").to_radians(),
            axis: super::hits::axis(context),
            pivot: params.vector("pivot"),
            by_momentum: params.flag("by-momentum"),
            itself: true,
        };
        let ringing = Ringing { swings: params.number("swings"), frames: params.number("dies") };
        let hits = hits_of(context, motion.len(), ringing.frames)?;
        let (facts, warnings) = heard(&hits);
        let rattle = Rattle::new(motion, hits, blow, ringing);
        Ok(Outcome { facts, warnings, ..Outcome::new(Product::Motion(Arc::new(rattle))) })
    }
}
