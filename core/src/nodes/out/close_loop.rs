use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Motion, MotionError};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::seam::{Closed, Closing};
use std::sync::Arc;

/// Closes what is left open at the seam.
pub struct CloseLoop;

const WAYS: &[&str] = &["spread", "blend"];
const PARTNERS: &[&str] = &["trade places", "stay themselves"];

impl NodeType for CloseLoop {
    fn schema(&self) -> Schema {
        Schema {
            name: "close-loop",
            title: "Close loop",
            group: "Out",
            help: "Makes any motion repeat after the loop: what is left open is spread over the lap, or blended.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is closed.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::choice(
                    "way",
                    "way",
                    Group::Time,
                    WAYS,
                    "Spread moves things a little all the way; blend leaves the lap alone but for its first frames.",
                ),
                Param::number(
                    "overlap",
                    "overlap",
                    Group::Time,
                    (Unit::Frames, 24.0, 1.0, 10_000.0),
                    "Frames in which things come over from where the last lap went on to.",
                )
                .only_when("way", &["blend"]),
                Param::choice(
                    "partners",
                    "things",
                    Group::Time,
                    PARTNERS,
                    "Trading places, each goes on as the one that looks the same and is nearest.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, frames) = (&context.params, context.timing.frames);
        let motion = context.motion("motion")?;
        let blend = params.text("way") == WAYS[1];
        let overlap = params.number("overlap");
        let closing = if blend { Closing::Blend(overlap) } else { Closing::Spread };
        let trading = params.text("partners") == PARTNERS[0];
        let closed = Closed::new(&motion, frames, closing, trading, context.cancel).map_err(|error| match error {
            MotionError::Cancelled => "Stopped before it was reached.".to_owned(),
            MotionError::TooMuch(why) => format!("Close loop cannot look at the lap. {why}"),
        })?;
        let (place, turn) = closed.largest();
        let how = if blend { "blended away" } else { "spread over the lap" };
        let facts = vec![format!("{place:.3} m and {:.1}° at most, {how}", turn.to_degrees())];
        let mut warnings = Vec::new();
        if closed.guessed() > 0 {
            warnings.push(format!(
                "{} of {} things had no certain partner at the seam and were given what was left: look at them there.",
                closed.guessed(),
                closed.len()
            ));
        }
        if blend && overlap > frames {
            warnings.push(format!("The overlap is longer than the loop: it is taken as {frames} frames."));
        }
        Ok(Outcome { facts, warnings, ..Outcome::new(Product::Motion(Arc::new(closed))) })
    }
}
