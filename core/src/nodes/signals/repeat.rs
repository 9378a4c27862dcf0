use super::{effect, frames, outcome};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, Schema};
use crate::signal::{Repeat, RepeatWay};
use std::sync::Arc;

/// A stretch of a signal again and again.
pub struct RepeatNode;

impl NodeType for RepeatNode {
    fn schema(&self) -> Schema {
        let count = |name, label, help| {
            Param::whole(name, label, Group::Time, (1, 0, 100_000), help).only_when("often", &["some times"])
        };
        effect(
            "repeat",
            "Repeat",
            "Repeats a stretch of a signal, some times or for ever.",
            vec![
                Param::choice(
                    "way",
                    "way",
                    Group::Form,
                    &["again", "there and back", "climbing"],
                    "Whether it begins anew, runs back, or goes on from where it ended.",
                ),
                frames("from", "from", 0.0, -1e6, "The first frame of the stretch."),
                frames("length", "length", 24.0, 0.0, "Frames of the stretch."),
                Param::choice(
                    "often",
                    "how often",
                    Group::Time,
                    &["for ever", "some times"],
                    "How often it is repeated.",
                ),
                count("before", "before", "How often it comes before the stretch."),
                count("after", "after", "How often it comes once more after the stretch."),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, inner) = (&context.params, context.signal("signal")?);
        let length = params.number("length");
        if length < 1e-3 {
            return Err("A stretch of 0 frames repeats nothing: choose a longer one.".to_owned());
        }
        let ever = params.text("often") == "for ever";
        let times = |name: &str| if ever { f64::INFINITY } else { params.whole(name) as f64 };
        let way = match params.text("way").as_str() {
            "there and back" => RepeatWay::ThereAndBack,
            "climbing" => RepeatWay::Climbing,
            _ => RepeatWay::Again,
        };
        let repeat =
            Repeat { inner, from: params.number("from"), length, before: times("before"), after: times("after"), way };
        Ok(outcome(Arc::new(repeat), context))
    }
}
