use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Motion, MotionError};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::seam::{Closed, Closing};
use std::sync::Arc;

/// Closes what is left open at the seam.
pub struct CloseLoop;

choice! {
    /// Spread moves things a little all the way; blend leaves the lap alone but for its first frames.
    pub enum Way {
        Spread = "spread",
        Blend = "blend",
    }
}

choice! {
    /// Trading places, each goes on as the one that looks the same and is nearest.
    pub enum Partners {
        TradePlaces = "trade places",
        StayThemselves = "stay themselves",
    }
}

fields! {
    /// What Close loop is told.
    pub struct CloseLoopFields {
        way: Way = Param::choice(
            "way",
            Group::Time,
            Way::WORDS,
            "Spread moves things a little all the way; blend leaves the lap alone but for its first frames.",
        ),
        overlap: f64 = Param::number(
            "overlap",
            Group::Time,
            (Unit::Frames, 24.0, 1.0, 10_000.0),
            "Frames in which things come over from where the last lap went on to.",
        )
        .only_when("way", &["blend"]),
        partners: Partners = Param::choice(
            "things",
            Group::Time,
            Partners::WORDS,
            "Trading places, each goes on as the one that looks the same and is nearest.",
        ),
    }
}

impl Maker for CloseLoop {
    type Own = CloseLoopFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "close-loop",
            title: "Close loop",
            group: "Out",
            help: "Makes any motion repeat after the loop: what is left open is spread over the lap, or blended.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is closed.")],
            output: Some(PortKind::Motion),
            params: CloseLoopFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &CloseLoopFields, context: &Context<'_>) -> Result<Outcome, String> {
        let frames = context.timing.frames;
        let motion = context.motion("motion")?;
        let blend = own.way == Way::Blend;
        let overlap = own.overlap;
        let closing = if blend { Closing::Blend(overlap) } else { Closing::Spread };
        let trading = own.partners == Partners::TradePlaces;
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
