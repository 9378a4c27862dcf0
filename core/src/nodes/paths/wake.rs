use crate::graph::{Context, Maker, Outcome};
use crate::motion::{Frames, wake};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::words::sentence;

/// The path that things leave.
pub struct Wake;

choice! {
    /// Where it ends.
    pub enum Until {
        LoopsEnd = "loop's end",
        AFrame = "a frame",
    }
}

fields! {
    /// What Wake is told.
    pub struct WakeFields {
        thing: usize = Param::whole("thing", Group::Form, (0, 0, 999_999), "The number of the thing, from 0."),
        all: bool = Param::flag("all things", Group::Form, false, "Whether every thing leaves a strand of its own."),
        from: f64 = Param::number(
            "from frame",
            Group::Time,
            (Unit::Frames, 0.0, -1e6, 1e6),
            "The first frame that counts.",
        ),
        until: Until = Param::choice("until", Group::Time, Until::WORDS, "Where it ends."),
        to: f64 = Param::new(
            "to frame",
            Group::Time,
            Values::Number { unit: Unit::Frames, default: 120.0, min: -1e6, max: 1e6 },
            "The last frame that counts.",
        )
        .only_when("until", &["a frame"]),
    }
}

impl Maker for Wake {
    type Own = WakeFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "wake",
            title: "Wake",
            group: "Paths",
            help: "The path that a thing of a motion leaves from one frame to another.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What leaves it.")],
            output: Some(PortKind::Path),
            params: WakeFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &WakeFields, context: &Context<'_>) -> Result<Outcome, String> {
        let motion = context.motion("motion")?;
        let from = own.from;
        let to = if own.until == Until::AFrame { own.to } else { context.timing.frames };
        if to <= from {
            return Err("The last frame must lie after the first one: choose another.".to_owned());
        }
        let thing = own.thing;
        let things = if own.all { 0..motion.len() } else { thing..thing + 1 };
        if things.end > motion.len() {
            return Err(format!("There is no thing {thing}: the motion has {}, counted from 0.", motion.len()));
        }
        let curve =
            wake(&motion, things, Frames { from, to }, context.cancel).map_err(|error| sentence(&error.to_string()))?;
        Ok(Outcome::of_curve(curve))
    }
}
