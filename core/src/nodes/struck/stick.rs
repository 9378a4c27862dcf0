use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Frames, Stick, Sticking};
use crate::nodes::paths::placing::level;
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::words::sentence;
use glam::DVec3;
use std::sync::Arc;

/// Stops things where they hit.
pub struct StickNode;

fields! {
    /// What Stick is told.
    pub struct StickFields {
        tip: DVec3 = Param::vector(
            "tip",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "The point of the thing that hits a target, in its own axes.",
        ),
        depth: f64 = Param::number(
            "goes in by",
            Group::Form,
            (Unit::Metres, 0.0, 0.0, 1e4),
            "How far it still goes after the contact, evenly braked.",
        ),
        which: usize = Param::whole("at contact", Group::Time, (1, 1, 100_000), "At which of its contacts it stops."),
        gone: bool = Param::flag(
            "gone from then",
            Group::Look,
            false,
            "Whether it is no longer there from the contact on.",
        ),
        hidden: bool = Param::flag(
            "sunk part hidden",
            Group::Look,
            false,
            "Whether what has gone in is not seen, as if cut off flat where it hit; in the View alone, since keys cannot say it.",
        ),
    }
}

impl Maker for StickNode {
    type Own = StickFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "stick",
            title: "Stick",
            group: "On the way",
            help: "Stops things where they hit: from a contact on they stay, as deep in as you say, at the angle at which they came.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "What hits."),
                Port::optional(
                    "target",
                    PortKind::Surface,
                    "What is hit; without it the contacts that it has by itself count.",
                ),
            ],
            output: Some(PortKind::Motion),
            params: StickFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &StickFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let target = match context.ground_if_any("target") {
            Some(ground) => Some(ground.unmoving().cloned().ok_or(
                "The target moves: let things hit one that stands, and attach them to what moves from then on.",
            )?),
            None => None,
        };
        let how = Sticking {
            which: own.which.saturating_sub(1),
            target,
            tip: level(context, own.tip),
            depth: own.depth,
            gone: own.gone,
            hidden: own.hidden,
            within: Frames { from: 0.0, to: 2.0 * timing.frames },
            frames: timing.frames,
            fps: timing.fps,
        };
        let motion = context.motion("motion")?;
        let things = motion.len();
        let stick = Stick::new(motion, how, context.cancel).map_err(|error| sentence(&error.to_string()))?;
        let hits = stick.hits();
        let mut outcome = Outcome::new(Product::Motion(Arc::new(stick)));
        outcome.facts = vec![format!("{hits} of {things} stop")];
        if hits == 0 {
            outcome.warnings.push(
                "Nothing is hit within two loops: let it go on longer, aim better, or choose an earlier contact."
                    .to_owned(),
            );
        }
        Ok(outcome)
    }
}
