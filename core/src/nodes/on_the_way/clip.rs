//! Things that play clips of a model with joints.

use crate::graph::{Closing, Context, Maker, Mend, Outcome, Timing};
use crate::motion::{Clipped, MixedBy, Motion, MotionError, PlayedBy, Playing};
use crate::pose::Axis;
use crate::rig::{Animated, Cycle, Repertoire};
use crate::scene::{Fields, fields};
use crate::schema::{AXIS_NAMES, Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::seam::partners;
use crate::signal::{Accumulated, Driven};
use std::sync::Arc;

/// Things that play clips.
pub struct ClipNode;

choice! {
    /// What carries clips on.
    pub enum GoesBy {
        Time = "time",
        Distance = "distance",
    }
}

choice! {
    /// What says how much of the second clip is in the mixture.
    pub enum MixedWith {
        Nothing = "nothing",
        Share = "share",
        Speed = "speed",
    }
}

const ANOTHER: &[&str] = &["share", "speed"];

fields! {
    /// What Clip is told.
    pub struct ClipFields {
        file: String = Param::new("file", Group::Form, Values::Asset { media: "model/gltf-binary" }, "A binary glTF file with joints or parts that clips move, or joint motion as a BVH file."),
        nose: Axis = Param::new("model's nose", Group::Form, Values::Choice { options: AXIS_NAMES, default: "+x" }, "The side of the model that goes ahead."),
        top: Axis = Param::new("model's top", Group::Form, Values::Choice { options: AXIS_NAMES, default: "+y" }, "The side of the model that is up."),
        clip: String = Param::new("clip", Group::Form, Values::Text { default: "" }, "The clip that is played, by its name in the file; nothing is the first."),
        with: MixedWith = Param::choice("mixed by", Group::Form, MixedWith::WORDS, "What says how much of a second clip is mixed in."),
        second: String = Param::new("second clip", Group::Form, Values::Text { default: "" }, "The clip that is mixed in, by its name in the file; nothing is the one after the first.").only_when("with", ANOTHER),
        share: Driven = Param::number("share", Group::Form, (Unit::None, 0.5, 0.0, 1.0), "0 is the first clip, 1 the second.").over_time().per_thing().only_when("with", &["share"]),
        slow: f64 = Param::number("first at", Group::Form, (Unit::Speed, 0.5, 0.0, 1e5), "Up to this speed a thing plays the first clip.").only_when("with", &["speed"]),
        fast: f64 = Param::number("second at", Group::Form, (Unit::Speed, 3.0, 0.0, 1e5), "From this speed on it plays the second.").only_when("with", &["speed"]),
        by: GoesBy = Param::choice("goes on by", Group::Time, GoesBy::WORDS, "Whether a clip goes on with time, or with the way that its thing travels."),
        rate: Driven = Param::number("rate", Group::Time, (Unit::None, 1.0, 0.0, 100.0), "How many times as fast as it was recorded.").over_time().only_when("by", &["time"]),
        stride: f64 = Param::number("cycle every", Group::Time, (Unit::Metres, 1.0, 1e-4, 1e6), "The way on which a clip is gone through once.").only_when("by", &["distance"]),
        blend: f64 = Param::number("blend", Group::Time, (Unit::Seconds, 0.0, 0.0, 1e3), "Seconds at the end of a clip that are blended into its start, at most half of it."),
        start: Driven = Param::number("start", Group::Time, (Unit::None, 0.0, -1e6, 1e6), "How far into its clip a thing begins, in cycles.").over_time().per_thing(),
        closes: bool = Param::flag("whole cycles", Group::Time, true, "Each plays at most half a cycle more or less in the loop (one more where it would rest else), so that it goes on at its end as at its start."),
        start_spread: f64 = Param::number("start", Group::Spread, (Unit::None, 1.0, 0.0, 1.0), "The part of a cycle over which their starts are spread by chance."),
        rate_spread: f64 = Param::number("rate", Group::Spread, (Unit::None, 0.0, 0.0, 0.95), "By which part of it each may be quicker or slower."),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives another choice."),
    }
}

/// Part of a thing's size by which a clip's end may miss its start without being told.
const JUMPS: f64 = 0.01;
/// Cycles that are as good as whole.
const WHOLE: f64 = 1e-9;

impl Maker for ClipNode {
    type Own = ClipFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "clip",
            title: "Clip",
            group: "On the way",
            help: "Things play the animation of a model (glTF or BVH), cycle after cycle: each from its own start, at its own rate, or by how far it travels.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Whose things play it.")],
            output: Some(PortKind::Motion),
            params: ClipFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &ClipFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (motion, timing) = (context.motion("motion")?, context.timing);
        if own.file.is_empty() {
            let mut bare = Outcome::new(motion);
            bare.warnings.push(
                "No model is chosen yet: bring in a binary glTF file with clips, or a BVH file, in the Card."
                    .to_owned(),
            );
            return Ok(bare);
        }
        if own.nose.parallel_to(own.top) {
            return Err("The model's nose and top lie on one line: choose two that do not.".to_owned());
        }
        let model = context.assets.animated(&own.file)?;
        let names: Vec<String> = model.1.iter().map(|clip| clip.name.clone()).collect();
        if names.is_empty() {
            return Err(format!("There is no clip in \"{}\": export the model with its animation.", own.file));
        }
        let first = found(&names, &own.clip, 0)?;
        let mut cycles = vec![Cycle { clip: first, blend: own.blend }];
        if own.with != MixedWith::Nothing {
            let next = (first + 1) % names.len();
            cycles.push(Cycle { clip: found(&names, &own.second, next)?, blend: own.blend });
        }
        let repertoire = Repertoire::new(model, cycles).map_err(|why| format!("\"{}\": {why}.", own.file))?;
        let mut outcome = Outcome::new(motion.clone());
        told(&repertoire, own, &mut outcome);
        let pace = repertoire.pace(0.0);
        let animated = Animated { file: own.file.clone(), nose: own.nose, top: own.top, repertoire };
        let how = Playing {
            animated: Arc::new(animated),
            start: own.start.clone(),
            start_spread: own.start_spread,
            by: match own.by {
                GoesBy::Time => PlayedBy::Time(Accumulated::new(own.rate.clone())),
                GoesBy::Distance => PlayedBy::Distance(own.stride),
            },
            rate_spread: own.rate_spread,
            mixed: match own.with {
                MixedWith::Nothing => MixedBy::First,
                MixedWith::Share => MixedBy::Share(own.share.clone()),
                MixedWith::Speed => MixedBy::Speed(own.slow / timing.fps, own.fast / timing.fps),
            },
            seed: own.seed,
            fps: timing.fps,
        };
        if own.with == MixedWith::Speed && own.fast <= own.slow {
            let text = "The second clip's speed is not above the first's: they change at once.".to_owned();
            outcome.warnings.push(text);
        }
        let amiss = |error| match error {
            MotionError::Cancelled => "Stopped before it was reached.".to_owned(),
            MotionError::TooMuch(why) => why,
        };
        let closes = own.closes && motion.lives().is_none();
        let closing = if closes {
            Some((timing.frames, partners(&motion, timing.frames, context.cancel).map_err(amiss)?))
        } else {
            open(own, pace, timing, &*motion, &mut outcome);
            None
        };
        let clipped = Clipped::new(motion, how, closing, context.cancel).map_err(amiss)?;
        if let Some(((low, high), more)) = clipped.layer().closed() {
            let cycles = if high - low < 0.05 { format!("{high:.1}") } else { format!("{low:.1} to {high:.1}") };
            outcome.facts.push(format!("{cycles} cycles in the loop, changed by {more:.2} at most to close"));
        }
        outcome.product = (Arc::new(clipped) as Arc<dyn Motion>).into();
        outcome.names = vec![("clip", names.clone()), ("second", names)];
        Ok(outcome)
    }
}

/// The clip of a name, or one where none is given.
pub(super) fn found(names: &[String], name: &str, without: usize) -> Result<usize, String> {
    if name.is_empty() {
        return Ok(without);
    }
    names.iter().position(|other| other == name).ok_or_else(|| {
        let there = names.iter().take(20).map(|name| format!("\"{name}\"")).collect::<Vec<_>>().join(", ");
        format!("There is no clip \"{name}\" in the model: choose one of {there}.")
    })
}

/// How long clips are, and where they do not run into themselves.
fn told(repertoire: &Repertoire, own: &ClipFields, outcome: &mut Outcome) {
    for (index, (clip, _)) in repertoire.cycles().enumerate() {
        outcome.facts.push(format!("\"{}\" takes {:.2} s", clip.name, repertoire.period(index)));
        let gap = repertoire.gap(index);
        if gap > JUMPS {
            outcome.warnings.push(format!(
                "At the end of \"{}\" the model is off its start by {:.0} % of its size, and jumps there.",
                clip.name,
                100.0 * gap
            ));
            if own.blend == 0.0 {
                let blend = (clip.seconds() * 0.2 * 1000.0).round() / 1000.0;
                outcome.mends.push(Mend::new(
                    "blend",
                    blend.into(),
                    format!("blend its last {blend} s into its start"),
                ));
            }
        }
    }
}

/// What would close clips that are not made to, in the Card and at the seam.
fn open(own: &ClipFields, pace: f64, timing: Timing, motion: &dyn Motion, outcome: &mut Outcome) {
    if motion.lives().is_some() {
        return;
    }
    let mut closings = Vec::new();
    let fixed = own.rate.fixed().filter(|_| own.by == GoesBy::Time && own.with == MixedWith::Nothing);
    let one = timing.frames / timing.fps * pace;
    if let Some(rate) = fixed.filter(|_| own.rate_spread == 0.0) {
        let cycles = rate * one;
        if (cycles - cycles.round()).abs() < WHOLE {
            return;
        }
        for whole in [cycles.floor(), cycles.ceil()].into_iter().filter(|whole| *whole >= 1.0) {
            let (value, one) = (whole / one, whole == 1.0);
            let text = format!("{whole:.0} cycle{} in the loop", if one { "" } else { "s" });
            outcome.mends.push(Mend::new("rate", value.into(), text.clone()));
            closings.push(Closing::Value("rate", value.into(), format!("rate {rate} → {value:.4} ({text})")));
        }
    } else {
        let text = "play whole cycles in the loop".to_owned();
        outcome.mends.push(Mend::new("closes", true.into(), text));
    }
    let text = "whole cycles → on (each plays at most half a cycle more or less)".to_owned();
    closings.push(Closing::Value("closes", true.into(), text));
    outcome.offers = Some(Arc::new(move |_| closings.clone()));
}
