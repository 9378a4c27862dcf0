use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Retimed, Timing};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit, Values};
use std::sync::Arc;

/// The same motion at other times.
pub struct Retime;

const WAYS: &[&str] = &["delay", "speed", "reverse", "there and back", "hold", "every few frames", "frame shown"];

impl NodeType for Retime {
    fn schema(&self) -> Schema {
        let frames = |name, label, default, least, way, help| {
            Param::number(name, label, Group::Time, (Unit::Frames, default, least, 1e5), help).only_when("way", way)
        };
        Schema {
            name: "retime",
            title: "Retime",
            group: "On the way",
            help: "Shows a motion at other times: later, quicker, backwards, there and back, held or in steps.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is shown.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::choice("way", "way", Group::Time, WAYS, "What becomes of its time."),
                frames("delay", "delay", 12.0, -1e5, &["delay"], "Frames later; negative is earlier."),
                Param::new(
                    "speed",
                    "times as fast",
                    Group::Time,
                    Values::Fraction { unit: Unit::None, default: "2", min: -10_000.0, max: 10_000.0 },
                    "How many times as fast, about frame 0; negative runs backwards.",
                )
                .only_when("way", &["speed"]),
                frames("from", "held from", 48.0, -1e5, &["hold"], "The frame from which it stands still."),
                frames("during", "held for", 24.0, 0.0, &["hold"], "Frames for which it stands still."),
                frames("step", "every", 2.0, 1e-2, &["every few frames"], "Frames from one picture to the next."),
                Param::number(
                    "shown",
                    "frame shown",
                    Group::Time,
                    (Unit::Frames, 0.0, -1e6, 1e6),
                    "The frame of the motion that is shown; give it keys or a signal.",
                )
                .only_when("way", &["frame shown"])
                .over_time(),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, frames) = (&context.params, context.timing.frames);
        let timing = match params.text("way").as_str() {
            "speed" => Timing::Speed(params.fraction("speed").value()),
            "reverse" => Timing::Reverse { frames },
            "there and back" => Timing::ThereAndBack { frames },
            "hold" => Timing::Hold { from: params.number("from"), during: params.number("during") },
            "frame shown" => Timing::Shown(params.driven("shown")),
            "every few frames" => Timing::Every(params.number("step")),
            _ => Timing::Delay(params.number("delay")),
        };
        Ok(Outcome::new(Product::Motion(Arc::new(Retimed::new(context.motion("motion")?, timing)))))
    }
}
