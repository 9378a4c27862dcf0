//! Things that heed each other: a flock, a shoal.

use crate::crowd::{
    Chase, Flock, FlockSetup, Level, Rules, Scatter, ScatteredIn, Side, Start, Surroundings, Wind, WishesOverTime,
    scattered,
};
use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Columns, Frames, Motion, Sample, Simulated, WithLooks, prepared};
use crate::noise::LoopingNoise;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Unit, choice};
use crate::signal::Driven;
use crate::words::sentence;
use glam::DVec3;
use std::sync::Arc;

/// Things that heed each other.
pub struct FlockNode;

/// Most things × frames that are kept.
const MOST_ROWS: f64 = 6e6;
/// Most things × frames × steps that are worked out.
const MOST_WORK: f64 = 4e7;
/// Part of the loop that is worked out beyond its end too, and frames more: for what looks, or blends, over the seam.
const BEYOND: (f64, f64) = (0.25, 4.0);
/// Most steps for each frame that speeds may ask for.
const MOST_STEPS: f64 = 16.0;
/// How many times the change that takes it from one speed at ease to another may be asked of a thing.
const HASTE: f64 = 2.0;

choice!(Scatter { Ball = "in a ball", Box = "in a box", Path = "along the path", Surface = UPON });

/// How they begin, where that is on a surface.
const UPON: &str = "on a surface";
/// Sizes that they are off it then.
const OFF_IT: f64 = 0.5;

choice! {
    /// How they move: in flat scenes they stay in the picture.
    pub enum Moves {
        EveryWay = "every way",
        OnTheLevel = "on the level",
    }
}

choice! {
    /// Which leader each goes after.
    pub enum Whom {
        Nearest = "the nearest",
        InTurn = "in turn",
    }
}

choice! {
    /// Whether speeds say how finely it is worked out.
    pub enum Steps {
        BySpeed = "by speed",
        Given = "given",
    }
}

const GIVEN: &[&str] = &["given"];

fields! {
    /// What Flock is told.
    pub struct FlockFields {
        begin: Scatter = Param::choice("they begin", Group::Form, Scatter::WORDS, "Where they begin, where no motion says it."),
        count: usize = Param::whole("things", Group::Form, (200, 1, 200_000), "How many there are, where no motion says it."),
        middle: DVec3 = Param::vector("middle", Group::Form, (Unit::Metres, [0.0, 2.0, 0.0]), "The middle of the ball or box.")
            .role(Role::Place),
        extent: DVec3 = Param::vector("extent", Group::Form, (Unit::Metres, [4.0, 3.0, 4.0]), "How wide, high and deep the ball or box is."),
        way: DVec3 = Param::vector("way", Group::Form, (Unit::None, [1.0, 0.0, 0.0]), "Which way they begin to fly; 0, 0, 0 is each its own way."),
        size: f64 = Param::number("size", Group::Form, (Unit::Metres, 0.2, 1e-4, 1e4), "How large a thing is. All that is counted in sizes grows with it.")
            .role(Role::Size),
        moves: Moves = Param::choice("they move", Group::Form, Moves::WORDS, "On the level they keep their height; in flat scenes they always stay in the picture."),
        sight: f64 = Param::number("sight", Group::Among, (Unit::Sizes, 8.0, 0.1, 1e3), "How far a thing sees the others.")
            .role(Role::Reach { times: "size" }),
        view: f64 = Param::number("field of view", Group::Among, (Unit::Degrees, 270.0, 1.0, 360.0), "The angle in which it sees them, the way it flies in the middle.")
            .role(Role::Opening),
        heeds: usize = Param::whole("neighbours", Group::Among, (7, 0, 64), "How many of those that it sees it heeds, the nearest."),
        apart: f64 = Param::number("keeps apart", Group::Among, (Unit::Sizes, 3.0, 0.0, 1e3), "Closer than this they push each other away."),
        closest: f64 = Param::number("never closer", Group::Among, (Unit::Sizes, 1.0, 0.0, 1e2), "Closer than this no two come, whatever they wish; 0 lets them pass through each other."),
        separation: Driven = Param::number("separation", Group::Among, (Unit::None, 1.5, -1e2, 1e2), "How strongly they push each other away.").over_time(),
        alignment: Driven = Param::number("alignment", Group::Among, (Unit::None, 1.0, -1e2, 1e2), "How strongly each wants to fly as its neighbours do.").over_time(),
        cohesion: Driven = Param::number("cohesion", Group::Among, (Unit::None, 1.0, -1e2, 1e2), "How strongly each wants to be in the middle of its neighbours.").over_time(),
        own_kind: bool = Param::flag("own kind only", Group::Among, false, "Whether they align and gather with those of their own kind alone."),
        kinds: Driven = Param::number("kinds keep apart", Group::Among, (Unit::None, 0.0, -1e2, 1e2), "How strongly those of other kinds push each other away.").over_time(),
        avoid: Driven = Param::number("avoids others", Group::Among, (Unit::None, 2.0, -1e2, 1e2), "How strongly the things of the motion at \"others\" push them away; below 0 they are sought.").over_time(),
        off: f64 = Param::number("turns off surfaces", Group::Among, (Unit::Sizes, 4.0, 0.01, 1e3), "From this distance on they turn away from surfaces."),
        along: Driven = Param::number("along the path", Group::After, (Unit::None, 1.0, -1e2, 1e2), "How strongly they want to fly along the path.").over_time(),
        pull: Driven = Param::number("pull", Group::After, (Unit::None, 1.0, -1e2, 1e2), "How strongly they are drawn into the tube round the path, or behind their leader.").over_time(),
        swirl: Driven = Param::number("swirl", Group::After, (Unit::None, 0.0, -1e2, 1e2), "How strongly they go round the path, or round behind their leader.").over_time(),
        tube: f64 = Param::number("tube", Group::After, (Unit::Sizes, 3.0, 0.0, 1e4), "Within this distance of the path nothing draws them to it.")
            .role(Role::Tube { times: Some("size"), along: None }),
        whom: Whom = Param::choice("goes after", Group::After, Whom::WORDS, "Which of several leaders each goes after."),
        behind: f64 = Param::number("stays behind", Group::After, (Unit::Sizes, 3.0, 0.0, 1e3), "How far behind its leader each wants to be."),
        reach: f64 = Param::number("leader's reach", Group::After, (Unit::Sizes, 0.0, 0.0, 1e5), "Farther from it nobody goes after a leader; 0 is from anywhere."),
        overtakes: bool = Param::flag("may overtake", Group::After, true, "Whether one that is right behind its leader may get past it."),
        speed: f64 = Param::number("speed at ease", Group::Time, (Unit::Sizes, 10.0, 1e-3, 1e4), "How many sizes they fly in a second when nothing hurries them."),
        least: f64 = Param::number("least", Group::Time, (Unit::None, 0.5, 0.0, 1.0), "The part of the speed at ease below which none flies."),
        most: f64 = Param::number("most", Group::Time, (Unit::None, 2.0, 1.0, 1e2), "How many times the speed at ease the quickest flies."),
        turning: f64 = Param::number("turns", Group::Time, (Unit::Degrees, 240.0, 1.0, 1e5), "How far one turns in a second at most."),
        reaction: f64 = Param::number("reacts in", Group::Time, (Unit::Seconds, 0.3, 0.01, 100.0), "About how long it takes until one does what it wishes."),
        turbulence: Driven = Param::number("turbulence", Group::Time, (Unit::None, 0.0, 0.0, 1e2), "How strongly they are blown about: 0 is a calm shoal, 2 a restless cloud.").over_time(),
        eddies: f64 = Param::number("eddies", Group::Time, (Unit::Sizes, 12.0, 0.1, 1e4), "How wide what blows them about is."),
        changes: f64 = Param::number("changes", Group::Time, (Unit::None, 4.0, 0.0, 1e3), "How often the eddies become others in a loop; they come again with it."),
        before: usize = Param::whole("flies before", Group::Time, (24, 0, 10_000), "For how many frames before the first they have flown already."),
        finely: Steps = Param::choice("steps a frame", Group::Time, Steps::WORDS, "Whether speeds say how finely it is worked out."),
        steps: usize = Param::whole("steps", Group::Time, (2, 1, 64), "Steps for each frame.").only_when("finely", GIVEN),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives another flock."),
    }
}

impl Maker for FlockNode {
    type Own = FlockFields;

    fn schema(&self) -> Schema {
        let side = |name, help| Port::optional(name, PortKind::Surface, help);
        Schema {
            name: "flock",
            title: "Flock",
            group: "Crowds",
            help: "Lets things heed each other as birds of a flock or fish of a shoal do (boids): on their own, along a path, or behind a leader.",
            inputs: vec![
                Port::optional("motion", PortKind::Motion, "Which things they are, and where and how fast they begin."),
                Port::optional("path", PortKind::Path, "What they loosely fly along."),
                Port::optional("lead", PortKind::Motion, "What they go after."),
                Port::optional("others", PortKind::Motion, "Things that they keep away from, or seek."),
                side("obstacle", "A surface that stands, for them to keep out of."),
                side("second", "Another one."),
                side("upon", "The surface that they begin on.").only_when("begin", &[UPON]),
                side("bounds", "A surface that stands, for them to keep within."),
            ],
            output: Some(PortKind::Motion),
            params: FlockFields::params(),
            uses_timing: true,
        }
    }

    fn sized_by(
        &self,
        _: &crate::graph::Own<'_, FlockFields>,
        _: &dyn Fn(&str) -> bool,
    ) -> Option<(&'static str, f64)> {
        Some((FlockFields::size(), 1.0))
    }

    fn evaluate(&self, own: &FlockFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let flat = timing.space == Space::Flat;
        let from = -(own.before as f64);
        let frames = (timing.frames + own.before as f64 + BEYOND.0 * timing.frames + BEYOND.1).ceil();
        let motion = context.motion("motion").ok();
        let count = motion.as_ref().map_or(own.count, |motion| motion.len());
        if count == 0 {
            return Err("There are no things to make a flock of: give the motion at least one.".to_owned());
        }
        let setup = setup(own, context, from);
        let (rows, work) = (count as f64 * frames, count as f64 * frames * setup.steps as f64);
        if rows > MOST_ROWS || work > MOST_WORK {
            return Err(format!(
                "{count} things over {frames:.0} frames are {:.1} million poses in {:.1} million steps, and {:.0} and {:.0} million are the most: use fewer things, frames or steps.",
                rows / 1e6,
                work / 1e6,
                MOST_ROWS / 1e6,
                MOST_WORK / 1e6
            ));
        }
        let range = Frames { from: from - 1.0, to: from + frames + 1.0 };
        let ready = |port: &str| -> Result<Option<Arc<dyn Motion>>, String> {
            let Ok(motion) = context.motion(port) else { return Ok(None) };
            prepared(&motion, range, context.cancel).map(Some).map_err(|error| sentence(&error.to_string()))
        };
        let path = context.path("path").ok();
        if own.begin == Scatter::Path && path.is_none() && motion.is_none() {
            return Err(
                "There is no path to begin along: thread one to the port \"path\", or let them begin elsewhere."
                    .to_owned(),
            );
        }
        let upon = context.ground_if_any("upon").map(|ground| ground.at(from));
        if own.begin == Scatter::Surface && upon.is_none() && motion.is_none() {
            return Err(
                "There is no surface to begin on: thread one to the port \"upon\", or let them begin elsewhere."
                    .to_owned(),
            );
        }
        let mut sides = Vec::new();
        for (port, within) in [("obstacle", false), ("second", false), ("bounds", true)] {
            let Some(ground) = context.ground_if_any(port) else { continue };
            let still = ground.unmoving().cloned();
            let surface =
                still.ok_or_else(|| format!("The surface at the port \"{port}\" moves: give one that stands."))?;
            sides.push(Side { surface, within });
        }
        let make = || -> Result<Flock, String> {
            let begin = match ready("motion")? {
                Some(motion) => starts(&*motion, from, timing.fps),
                None => {
                    let curve = path.as_ref().map(|path| path.at(from));
                    let room = ScatteredIn {
                        kind: own.begin,
                        middle: flattened(own.middle, flat),
                        extent: flattened(own.extent, flat),
                        curve: curve.as_deref(),
                        radius: own.tube * own.size,
                        surface: upon.as_ref().map(|surface| (surface, OFF_IT * own.size)),
                    };
                    let (way, speed) = (flattened(own.way, flat), own.speed * own.size);
                    scattered(own.count, &room, way, speed, (setup.rules.level, own.seed))
                }
            };
            let round = Surroundings {
                path: path.clone(),
                leads: ready("lead")?,
                others: ready("others")?,
                sides: sides.clone(),
            };
            Ok(Flock::new(setup.clone(), wishes(own), round, begin))
        };
        let taken = context.recorded(from, frames as usize + 1, &|| Ok(Box::new(make()?) as Box<dyn Simulated>))?;
        let recording = taken.recording;
        let mut facts = taken.facts;
        facts.push(format!("{:.1} kB kept", recording.bytes() as f64 / 1e3));
        let mut warnings = Vec::new();
        if let Some(frame) = recording.apart() {
            warnings.push(format!(
                "From frame {frame} on a number was none any more, and all is held there: make what drives them smaller."
            ));
        }
        let recording: Arc<dyn Motion> = Arc::new(recording);
        let shown = match &motion {
            Some(motion) => WithLooks::of(recording, motion),
            None => recording,
        };
        Ok(Outcome { facts, warnings, progress: taken.progress, ..Outcome::new(Product::Motion(shown)) })
    }
}

const fn flattened(v: DVec3, flat: bool) -> DVec3 {
    if flat { DVec3::new(v.x, v.y, 0.0) } else { v }
}

fn setup(own: &FlockFields, context: &Context<'_>, from: f64) -> FlockSetup {
    let timing = context.timing;
    let flat = timing.space == Space::Flat;
    let most = own.speed * own.most;
    // A size at most in a step, and two steps at least until one has done what it wishes.
    let asked = (most / timing.fps).max(2.0 / (timing.fps * own.reaction)).ceil().clamp(1.0, MOST_STEPS);
    let steps = if own.finely == Steps::Given { own.steps } else { asked as usize };
    let half = 0.5 * own.view.to_radians();
    FlockSetup {
        rules: Rules {
            sight: own.sight as f32,
            heeds: own.heeds,
            view: if own.view >= 360.0 { -1.0 } else { libm::cos(half) as f32 },
            apart: own.apart as f32,
            closest: own.closest as f32,
            ease: own.speed as f32,
            speeds: ((own.speed * own.least) as f32, most as f32),
            reaction: own.reaction as f32,
            acceleration: (HASTE * most / own.reaction) as f32,
            turning: own.turning.to_radians() as f32,
            own_kind: own.own_kind,
            level: match (flat, own.moves) {
                (true, _) => Level::Picture,
                (false, Moves::OnTheLevel) => Level::Height,
                (false, Moves::EveryWay) => Level::Free,
            },
            seed: own.seed,
        },
        size: own.size,
        steps,
        from,
        fps: timing.fps,
        chase: Chase {
            in_turn: own.whom == Whom::InTurn,
            reach: if own.reach > 0.0 { own.reach as f32 } else { f32::INFINITY },
            behind: own.behind as f32,
            overtakes: own.overtakes,
        },
        tube: own.tube as f32,
        wind: Wind {
            noise: LoopingNoise { seed: own.seed, size: own.eddies, pace: own.changes, octaves: 1 },
            frames: timing.frames,
        },
        off: own.off as f32,
    }
}

fn wishes(own: &FlockFields) -> WishesOverTime {
    WishesOverTime {
        separation: own.separation.clone(),
        alignment: own.alignment.clone(),
        cohesion: own.cohesion.clone(),
        kinds: own.kinds.clone(),
        others: own.avoid.clone(),
        along: own.along.clone(),
        pull: own.pull.clone(),
        swirl: own.swirl.clone(),
        turbulence: own.turbulence.clone(),
    }
}

/// The things of a motion at a frame.
fn starts(motion: &dyn Motion, frame: f64, fps: f64) -> Vec<Start> {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSE | Columns::VELOCITY, &mut sample);
    let one = |i: usize| Start {
        place: sample.positions[i],
        velocity: sample.velocities[i] * fps,
        orientation: sample.orientations[i],
        scale: sample.scales[i].x,
        kind: motion.kind(i) as u16,
    };
    (0..motion.len()).map(one).collect()
}
