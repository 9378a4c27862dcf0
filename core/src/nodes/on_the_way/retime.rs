use crate::fraction::Fraction;
use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Retimed, Timing};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::signal::Driven;
use std::sync::Arc;

/// The same motion at other times.
pub struct Retime;

choice! {
    /// What becomes of its time.
    pub enum Way {
        Delay = "delay",
        Speed = "speed",
        Reverse = "reverse",
        ThereAndBack = "there and back",
        Hold = "hold",
        EveryFewFrames = "every few frames",
        FrameShown = "frame shown",
    }
}

fields! {
    /// What Retime is told.
    pub struct RetimeFields {
        way: Way = Param::choice("way", Group::Time, Way::WORDS, "What becomes of its time."),
        delay: f64 = frames("delay", 12.0, -1e5, &["delay"], "Frames later; negative is earlier."),
        speed: Fraction = Param::new(
            "times as fast",
            Group::Time,
            Values::Fraction { unit: Unit::None, default: "2", min: -10_000.0, max: 10_000.0 },
            "How many times as fast, about frame 0; negative runs backwards.",
        )
        .only_when("way", &["speed"]),
        from: f64 = frames("held from", 48.0, -1e5, &["hold"], "The frame from which it stands still."),
        during: f64 = frames("held for", 24.0, 0.0, &["hold"], "Frames for which it stands still."),
        step: f64 = frames("every", 2.0, 1e-2, &["every few frames"], "Frames from one picture to the next."),
        shown: Driven = Param::number(
            "frame shown",
            Group::Time,
            (Unit::Frames, 0.0, -1e6, 1e6),
            "The frame of the motion that is shown; give it keys or a signal.",
        )
        .only_when("way", &["frame shown"])
        .over_time(),
    }
}

fn frames(label: &'static str, default: f64, least: f64, way: &'static [&'static str], help: &'static str) -> Param {
    Param::number(label, Group::Time, (Unit::Frames, default, least, 1e5), help).only_when("way", way)
}

impl Maker for Retime {
    type Own = RetimeFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "retime",
            title: "Retime",
            group: "On the way",
            help: "Shows a motion at other times: later, quicker, backwards, there and back, held or in steps.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is shown.")],
            output: Some(PortKind::Motion),
            params: RetimeFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &RetimeFields, context: &Context<'_>) -> Result<Outcome, String> {
        let frames = context.timing.frames;
        let timing = match own.way {
            Way::Speed => Timing::Speed(own.speed.value()),
            Way::Reverse => Timing::Reverse { frames },
            Way::ThereAndBack => Timing::ThereAndBack { frames },
            Way::Hold => Timing::Hold { from: own.from, during: own.during },
            Way::FrameShown => Timing::Shown(own.shown.clone()),
            Way::EveryFewFrames => Timing::Every(own.step),
            Way::Delay => Timing::Delay(own.delay),
        };
        Ok(Outcome::new(Product::Motion(Arc::new(Retimed::new(context.motion("motion")?, timing)))))
    }
}
