//! Things that walk along a path by a recording.

use crate::graph::{Context, Maker, Outcome, Recorded};
use crate::motion::{Columns, Frames, Motion, MotionError, Sample, Walk, WalkAlong, prepared};
use crate::pose::Axis;
use crate::rig::{Gait, GaitError, Span, Taken};
use crate::scene::{Fields, fields};
use crate::schema::{AXIS_NAMES, Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::signal::Driven;
use std::sync::Arc;

/// Things that walk.
pub struct WalkNode;

choice! {
    /// Where the cycle comes from.
    pub enum CycleFrom {
        Found = "found",
        Given = "given",
    }
}

choice! {
    /// How large a walker is.
    pub enum Height {
        Given = "given",
        Written = "as recorded",
    }
}

const GIVEN: &[&str] = &["given"];

fields! {
    /// What Walk is told.
    pub struct WalkFields {
        file: String = Param::new("file", Group::Form, Values::Asset { media: "model/gltf-binary" }, "A recording of somebody who walks: joint motion as a BVH file, or a binary glTF file with joints and a clip that travels."),
        top: Axis = Param::new("model's top", Group::Form, Values::Choice { options: AXIS_NAMES, default: "+y" }, "The side of the recording that is up; the way it travels is ahead."),
        clip: String = Param::new("clip", Group::Form, Values::Text { default: "" }, "The clip that is walked by, by its name in the file; nothing is the first."),
        size: Height = Param::choice("height", Group::Form, Height::WORDS, "As tall as you say, or as the numbers of the recording say in metres; many are in centimetres."),
        tall: f64 = Param::number("tall", Group::Form, (Unit::Metres, 1.8, 1e-3, 1e4), "From the ground to the highest joint.").only_when("size", GIVEN),
        cycle: CycleFrom = Param::choice("cycle", Group::Time, CycleFrom::WORDS, "The part of the recording that is repeated: the shortest after which it is as it was, or one that you say."),
        from: f64 = Param::number("cycle from", Group::Time, (Unit::Seconds, 0.0, 0.0, 1e5), "Where in the recording the cycle begins.").only_when("cycle", GIVEN),
        to: f64 = Param::number("cycle to", Group::Time, (Unit::Seconds, 1.0, 0.0, 1e5), "Where it ends: the moment that is as the first one again.").only_when("cycle", GIVEN),
        overlap: f64 = Param::number("overlap", Group::Time, (Unit::None, 0.15, 0.0, 0.5), "The part of the cycle at its end that is bent towards its start."),
        whole: bool = Param::flag("whole cycles", Group::Time, true, "Steps are a little longer or shorter, so that there are whole cycles on the path, and on the part of it that is gone in the loop."),
        start: Driven = Param::number("start", Group::Time, (Unit::None, 0.0, -1e6, 1e6), "How far into its cycle a thing begins, in cycles.").over_time().per_thing(),
        holds: bool = Param::flag("hold feet", Group::Form, true, "Each foot stays where it was put down, and its leg reaches there."),
        spread: f64 = Param::number("start", Group::Spread, (Unit::None, 0.0, 0.0, 1.0), "The part of a cycle over which their starts are spread by chance."),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives another choice."),
    }
}

/// Part of a cycle's length by which steps may be changed without being told.
const CHANGED: f64 = 0.05;
/// Part of a recording's size by which a cycle's end may miss its start.
const MISSES: f64 = 0.1;
/// Degrees that a recording may turn in a cycle.
const TURNS: f64 = 10.0;
/// Parts of a lap that things go on in the loop, at most, and how nearly they are whole.
const MOST_PARTS: u32 = 24;
const ROUND: f64 = 1e-6;
/// Places along a path from which slips are looked for.
const LOOKED: usize = 12;

impl Maker for WalkNode {
    type Own = WalkFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "walk",
            title: "Walk",
            group: "Travel",
            help: "Things walk along their path by a recording (mocap of a skeleton), step after step as far as they come: they stop where they stop, and their feet stay on the ground.",
            inputs: vec![Port::new("motion", PortKind::Motion, "Things that travel on a path.")],
            output: Some(PortKind::Motion),
            params: WalkFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &WalkFields, context: &Context<'_>) -> Result<Outcome, String> {
        let motion = context.motion("motion")?;
        let path = motion
            .path()
            .cloned()
            .ok_or("The things do not travel on a path: give this node things that ride on one.")?;
        if own.file.is_empty() {
            let mut bare = Outcome::new(motion);
            bare.warnings.push("Nothing is walked by yet: bring in a recording in the Card, a BVH file or a binary glTF file with a clip that travels.".to_owned());
            return Ok(bare);
        }
        let model = context.assets.animated(&own.file)?;
        let names: Vec<String> = model.1.iter().map(|clip| clip.name.clone()).collect();
        if names.is_empty() {
            return Err(format!("There is no clip in \"{}\": export the model with its animation.", own.file));
        }
        let clip = super::clip::found(&names, &own.clip, 0)?;
        let seconds = model.1[clip].seconds();
        if own.cycle == CycleFrom::Given && !(own.from < own.to && own.to <= seconds + 1e-9) {
            return Err(format!(
                "The cycle goes from {} s to {} s, and the recording from 0 to {seconds:.2} s: choose a later end within it.",
                own.from, own.to
            ));
        }
        let mut taken = Taken {
            clip,
            up: own.top.vector(),
            span: (own.cycle == CycleFrom::Given).then_some(Span { from: own.from, to: own.to.min(seconds) }),
            overlap: own.overlap,
            tall: (own.size == Height::Given).then_some(own.tall),
        };
        let mut outcome = Outcome::new(motion.clone());
        let mut made = Gait::new(model.clone(), taken);
        if made.as_ref().err() == Some(&GaitError::NoCycle) {
            outcome.warnings.push(
                "No cycle is found, as nothing comes back to where it was, so all of the recording is repeated: choose a part that ends as it begins."
                    .to_owned(),
            );
            taken.span = Some(Span { from: 0.0, to: seconds });
            made = Gait::new(model, taken);
        }
        let gait = made.map_err(|why| format!("\"{}\": {why}.", own.file))?;
        told(&gait, own, &mut outcome);
        let whole = if own.whole { laps_apart(&motion, context)? } else { 0 };
        let walk = Walk::new((own.file.clone(), gait), path, (whole, own.holds));
        on_the_path(&walk, own, &mut outcome);
        let how = (own.start.clone(), own.spread, own.seed);
        outcome.product = (Arc::new(WalkAlong::new(motion, walk, how)) as Arc<dyn Motion>).into();
        outcome.names = vec![("clip", names)];
        Ok(outcome)
    }
}

/// What was found in the recording.
fn told(gait: &Gait, own: &WalkFields, outcome: &mut Outcome) {
    let Span { from, to } = gait.span();
    outcome.recorded = Some(Recorded { seconds: gait.recorded(), from, to, apart: gait.apart().to_vec() });
    outcome.facts.push(format!("a cycle from {from:.2} s to {to:.2} s, {:.2} m", gait.stride()));
    let gap = gait.gap();
    if gap > MISSES {
        outcome.warnings.push(format!(
            "At the end of its cycle it is off its start by {:.0} % of its size: choose another cycle, or more overlap.",
            100.0 * gap
        ));
    }
    let turns = gait.turns().to_degrees();
    if turns.abs() > TURNS {
        outcome.warnings.push(format!("It turns by {turns:.0}° in its cycle as it was recorded: along the path that is to be seen as a turn at each cycle's end. Choose a part in which it walks straight on."));
    }
    if gait.feet().is_empty() && own.holds {
        outcome
            .warnings
            .push("No foot is found that stays on the ground for a while, so that none is held.".to_owned());
    }
}

/// In so many parts of the path whole cycles are to fit, each: as many as make whole parts of what things go on in the loop.
fn laps_apart(motion: &Arc<dyn Motion>, context: &Context<'_>) -> Result<u32, String> {
    let frames = context.timing.frames;
    let amiss = |error| match error {
        MotionError::Cancelled => "Stopped before it was reached.".to_owned(),
        MotionError::TooMuch(why) => why,
    };
    let ready = prepared(motion, Frames { from: 0.0, to: frames }, context.cancel).map_err(amiss)?;
    let places = [0.0, frames].map(|frame| {
        let mut sample = Sample::default();
        ready.sample(frame, Columns::PLACE, &mut sample);
        sample.places
    });
    let laps: Vec<f64> = places[0].iter().zip(&places[1]).map(|(from, to)| to.laps - from.laps).collect();
    let whole = |parts: &u32| {
        laps.iter().map(|laps| laps * f64::from(*parts)).all(|parts| (parts - parts.round()).abs() < ROUND)
    };
    Ok((1..=MOST_PARTS).find(whole).unwrap_or(1))
}

/// How steps go with the path.
fn on_the_path(walk: &Walk, own: &WalkFields, outcome: &mut Outcome) {
    let curve = walk.path().at(0.0);
    let lengths = curve.strands().iter().map(|strand| strand.length());
    let stride = walk.gait().stride();
    let changed = |length: f64| walk.stride_on(length) / stride - 1.0;
    let most = lengths.map(changed).max_by(|a, b| a.abs().total_cmp(&b.abs())).unwrap_or(0.0);
    if own.whole {
        outcome.facts.push(format!("steps {:+.1} %", 100.0 * most));
        if most.abs() > CHANGED {
            outcome.warnings.push(format!("So that there are whole cycles on the path and in the loop its steps are changed by {:.0} %: make the path a little longer or shorter, or do without whole cycles.", 100.0 * most));
        }
    }
    for (number, foot) in walk.gait().feet().iter().enumerate() {
        let slips = |holds: bool| {
            let from = |i: usize| curve.strands()[0].length() * i as f64 / LOOKED as f64;
            (0..LOOKED).map(|i| walk.slips(foot, (0.0, 0, from(i)), holds)).fold(0.0, f64::max)
        };
        let (free, held) = (slips(false), slips(own.holds));
        let percent = |slip: f64| 100.0 * slip / stride;
        outcome.facts.push(if own.holds {
            format!(
                "foot {} slips by at most {:.1} mm, {:.1} % of a cycle unheld",
                number + 1,
                1000.0 * held,
                percent(free)
            )
        } else {
            format!("foot {} slips by at most {:.1} % of a cycle", number + 1, percent(free))
        });
    }
}
