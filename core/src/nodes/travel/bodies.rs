use crate::graph::{Context, Maker, Outcome, Own, Product};
use crate::motion::{Frames, GRAVITY, Kind, Motion, Simulated, WithLooks, prepared};
use crate::nodes::out::output::Shown;
use crate::physics::{Bodies, BodiesChange, BodiesSetup, BodyForm, Hull};
use crate::pose::Axis;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::signal::{Driven, Thing};
use crate::words::{counted, sentence};
use glam::{DMat3, DVec3};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Rigid bodies.
pub struct BodiesNode;

const MODEL: &str = "own model";
/// Most bodies × frames × steps that are worked out.
const MOST_WORK: f64 = 4e6;
/// Part of the loop that is worked out beyond its end too, and frames more: for what looks, or blends, over the seam.
const BEYOND: (f64, f64) = (0.25, 4.0);

choice! {
    /// What they are to each other.
    pub enum Form {
        Ball = "ball",
        Box = "box",
        Capsule = "capsule",
        Disc = "disc",
        AsTheyLook = "as they look",
        OwnModel = "own model",
    }
}

choice! {
    /// Whether they are free, or pulled along their motion.
    pub enum Going {
        Free = "free",
        PulledAlong = "pulled along",
    }
}

choice! {
    /// On the level they keep their height and turn about upright only; in flat scenes they always do so in the picture.
    pub enum Ways {
        EveryWay = "every way",
        OnTheLevel = "on the level",
    }
}

choice! {
    /// Whether sizes and speeds say how finely it is worked out.
    pub enum Counts {
        BySizeAndSpeed = "by size and speed",
        Given = "given",
    }
}

fields! {
    /// What Bodies is told.
    pub struct BodiesFields {
        form: Form = Param::choice("form", Group::Form, Form::WORDS, "What they are to each other."),
        size: DVec3 = Param::vector(
            "size",
            Group::Form,
            (Unit::Metres, [0.5, 0.5, 0.5]),
            "Along, up and across; of a ball or disc the first is its width, of a model its longest side, of what they look like the size on the Output.",
        ),
        model: String = Param::new(
            "file",
            Group::Form,
            Values::Asset { media: "model/gltf-binary" },
            "A binary glTF file: bodies are what lies between its corners.",
        )
        .only_when("form", &[MODEL]),
        nose: Axis = side("model's nose", Axis::PlusX, "The side of the model that goes ahead, as on the Output."),
        top: Axis = side("model's top", Axis::PlusY, "The side of the model that is up, as on the Output."),
        going: Going = Param::choice(
            "they are",
            Group::Form,
            Going::WORDS,
            "Whether they are free, or pulled along their motion.",
        ),
        time: f64 = Param::number(
            "comes back in",
            Group::Form,
            (Unit::Seconds, 0.25, 0.01, 100.0),
            "About how long a body takes back to its motion, whatever its mass.",
        )
        .only_when("going", &["pulled along"]),
        gravity: (f64, Driven) = Param::number(
            "gravity",
            Group::Form,
            (Unit::Acceleration, GRAVITY, -1e7, 1e7),
            "How strongly they are pulled down.",
        )
        .over_time(),
        down: DVec3 = Param::vector("down", Group::Form, (Unit::None, [0.0, -1.0, 0.0]), "Which way gravity pulls."),
        ways: Ways = Param::choice(
            "they move",
            Group::Form,
            Ways::WORDS,
            "On the level they keep their height and turn about upright only; in flat scenes they always do so in the picture.",
        ),
        bounciness: (f64, Driven) = Param::number(
            "bounciness",
            Group::Form,
            (Unit::None, 0.3, 0.0, 1.0),
            "Speed after a bounce by speed before it.",
        )
        .over_time(),
        friction: (f64, Driven) = Param::number(
            "friction",
            Group::Form,
            (Unit::None, 0.5, 0.0, 100.0),
            "How much they hold on to what they touch.",
        )
        .over_time(),
        density: f64 = Param::number(
            "density",
            Group::Form,
            (Unit::None, 1000.0, 1e-3, 1e6),
            "Kilograms per cubic metre.",
        ),
        damping: f64 = Param::number(
            "moving dies",
            Group::Form,
            (Unit::None, 0.0, 0.0, 1e3),
            "How fast moving dies, per second.",
        ),
        turn_damping: f64 = Param::number(
            "turning dies",
            Group::Form,
            (Unit::None, 0.0, 0.0, 1e3),
            "How fast turning dies, per second.",
        ),
        begin: f64 = Param::number(
            "free from",
            Group::Time,
            (Unit::Frames, 0.0, -1e5, 1e5),
            "The frame at which they begin, as their motion is then; before it they stand there.",
        ),
        counts: Counts = Param::choice(
            "steps a frame",
            Group::Time,
            Counts::WORDS,
            "Whether sizes and speeds say how finely it is worked out.",
        ),
        steps: usize = Param::whole("steps", Group::Time, (4, 1, 64), "Steps for each frame.")
            .only_when("counts", &["given"]),
    }
}

impl Maker for BodiesNode {
    type Own = BodiesFields;

    fn schema(&self) -> Schema {
        let ground = |name| Port::optional(name, PortKind::Surface, "A surface that stands, for them to fall on.");
        Schema {
            name: "bodies",
            title: "Bodies",
            group: "Travel",
            help: "Lets the things of a motion tumble and bump into each other: free from its first frame on, or pulled along it.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "Where they begin and how fast, or what they are pulled along."),
                Port::optional(
                    "moved",
                    PortKind::Motion,
                    "Things that go their own way and push the others; of the same form, or of what they look like.",
                ),
                ground("ground"),
                ground("second"),
            ],
            output: Some(PortKind::Motion),
            params: BodiesFields::params(),
            uses_timing: true,
        }
    }

    fn sized_by(&self, own: &Own<'_, BodiesFields>, _: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        matches!(own.form, Form::Ball | Form::AsTheyLook | Form::OwnModel).then_some((BodiesFields::size(), 1.0))
    }

    fn evaluate(&self, own: &BodiesFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let flat = timing.space == Space::Flat;
        let motion = context.motion("motion")?;
        if motion.is_empty() {
            return Err("There are no things to make bodies of: give the motion at least one.".to_owned());
        }
        let begin = own.begin;
        let frames = (timing.frames - begin).max(1.0) + BEYOND.0 * timing.frames + BEYOND.1;
        let steps = (own.counts == Counts::Given).then_some(own.steps);
        let work = motion.len() as f64 * frames * steps.unwrap_or(4) as f64;
        if work > MOST_WORK {
            return Err(format!(
                "{} bodies over {frames:.0} frames are {:.1} million steps, and {:.0} million is the most: use fewer bodies, frames or steps.",
                motion.len(),
                work / 1e6,
                MOST_WORK / 1e6
            ));
        }
        let mut grounds = Vec::new();
        for port in ["ground", "second"] {
            let Some(ground) = context.ground_if_any(port) else { continue };
            let still = ground.unmoving().cloned();
            grounds
                .push(still.ok_or_else(|| format!("The surface at the port \"{port}\" moves: give one that stands."))?);
        }
        let range = Frames { from: begin - 1.0, to: begin + frames + 1.0 };
        let ready = |motion: &Arc<dyn Motion>| {
            prepared(motion, range, context.cancel).map_err(|error| sentence(&error.to_string()))
        };
        let flattened = |v: DVec3| if flat { v.with_z(0.0) } else { v };
        // In flat scenes they stay in the picture and turn in it.
        let level = if flat { Some(2) } else { level_axis(own)? };
        let forms_of = forms(own, context, &motion)?;
        let down = flattened(own.down).normalize_or(DVec3::NEG_Y);
        let change = change(own, down);
        let setup = BodiesSetup {
            moved_forms: match context.motion("moved") {
                Ok(moved) if own.form == Form::AsTheyLook => forms(own, context, &moved)?,
                Ok(_) => forms_of.clone(),
                Err(_) => Vec::new(),
            },
            forms: forms_of,
            density: own.density,
            bounciness: own.bounciness.0,
            friction: own.friction.0,
            damping: (own.damping, own.turn_damping),
            // Where it changes, the strongest says how finely it is worked out.
            gravity: change.as_ref().map_or(down * own.gravity.0, |change| down * strongest(change, begin, frames)),
            pulled: (own.going == Going::PulledAlong).then_some(own.time),
            steps,
            from: begin,
            fps: timing.fps,
            level,
        };
        let make = || -> Result<Box<dyn Simulated>, String> {
            let moved = context.motion("moved").ok().map(|moved| ready(&moved)).transpose()?;
            let bodies = Bodies::new(setup.clone(), ready(&motion)?, moved, &grounds).changing(change.clone());
            if let Some((object, moved)) = bodies.vanishing(THINNEST) {
                let (number, whose) = (object + 1, if moved { " of what moves" } else { "" });
                return Err(format!(
                    "Thing {number}{whose} is thinner than a thousandth of a millimetre at frame {begin}, and a body needs a size: make it larger, or begin when it is."
                ));
            }
            Ok(Box::new(bodies))
        };
        let taken = context.recorded(begin, frames.ceil() as usize + 1, &make)?;
        let recording = taken.recording;
        let mut facts = taken.facts;
        facts.push(format!("{:.1} kB kept", recording.bytes() as f64 / 1e3));
        facts.push(counted(recording.contacts(range).len(), "contact"));
        let mut warnings = Vec::new();
        if let Some(frame) = recording.apart() {
            warnings.push(format!(
                "From frame {frame} on something flew apart, and all is held there: let bodies not begin within each other, or take more steps."
            ));
        }
        let product = Product::Motion(WithLooks::of(Arc::new(recording), &motion));
        Ok(Outcome { facts, warnings, progress: taken.progress, ..Outcome::new(product) })
    }
}

/// What changes over time, if anything does.
fn change(own: &BodiesFields, down: DVec3) -> Option<BodiesChange> {
    let [gravity, bounciness, friction] =
        [&own.gravity, &own.bounciness, &own.friction].map(|(_, number)| number.clone());
    let changes = [&gravity, &bounciness, &friction].iter().any(|number| number.over_time());
    changes.then_some(BodiesChange { down, gravity, bounciness, friction })
}

/// The strongest gravity on the frames that are worked out, metres per second squared.
fn strongest(change: &BodiesChange, begin: f64, frames: f64) -> f64 {
    let at = |i: u32| change.gravity.at(begin + f64::from(i), Thing { index: 0, count: 1 }).abs();
    (0..=frames as u32).map(at).fold(0.0, f64::max)
}

/// The axis along which they do not move, where they stay on the level.
fn level_axis(own: &BodiesFields) -> Result<Option<usize>, String> {
    if own.ways != Ways::OnTheLevel {
        return Ok(None);
    }
    let down = own.down.to_array();
    let along: Vec<usize> = (0..3).filter(|&i| down[i] != 0.0).collect();
    match along[..] {
        [axis] => Ok(Some(axis)),
        [] => Ok(Some(1)),
        _ => Err("On the level, down must lie along x, y or z: make two of its numbers 0, or let them move every way."
            .to_owned()),
    }
}

fn side(label: &'static str, default: Axis, help: &'static str) -> Param {
    Param::new(label, Group::Form, Values::Choice { options: Axis::WORDS, default: default.word() }, help)
        .only_when("form", &[MODEL])
}

/// The hull of a model as the View shows it: its longest side this long, its middle in the origin, its nose along x.
fn hull(own: &BodiesFields, context: &Context<'_>, longest: f64) -> Result<BodyForm, String> {
    let name = &own.model;
    if name.is_empty() {
        return Err("No model is chosen yet: bring in a binary glTF file in the Card.".to_owned());
    }
    let corners = context.assets.corners(name)?;
    let (nose, top) = (own.nose, own.top);
    if nose.parallel_to(top) {
        return Err("The model's nose and top lie on one line: choose two that do not.".to_owned());
    }
    let (low, high) = corners
        .iter()
        .fold((DVec3::INFINITY, DVec3::NEG_INFINITY), |(low, high), corner| (low.min(*corner), high.max(*corner)));
    let scale = longest / (high - low).max_element().max(1e-12);
    let (ahead, up) = (nose.vector(), top.vector());
    let turn = DMat3::from_cols(ahead, up, ahead.cross(up)).transpose();
    let fitted: Vec<DVec3> = corners.iter().map(|corner| turn * (*corner - 0.5 * (low + high)) * scale).collect();
    Hull::of(&fitted)
        .map(BodyForm::Hull)
        .ok_or_else(|| format!("\"{name}\" is flat and has no inside: choose another form for it."))
}

/// One form for all, or one for each kind that they are of.
fn forms(own: &BodiesFields, context: &Context<'_>, motion: &Arc<dyn Motion>) -> Result<Vec<BodyForm>, String> {
    if own.form != Form::AsTheyLook {
        return Ok(vec![form(own, context)?]);
    }
    let size = own.size.x.abs();
    if size < LEAST {
        return Err(NO_SIZE.to_owned());
    }
    if motion.kinds().is_empty() {
        return Err("They have no kinds to look like: let their motion come from Kinds, or choose a form.".to_owned());
    }
    let one = |(i, kind): (usize, &Kind)| {
        Shown::from_word(&kind.thing).and_then(|thing| thing.form(size)).ok_or_else(|| {
            let number = i + 1;
            format!(
                "Kind {number} has no thing of its own: choose one for it where the kinds are, or choose a form here."
            )
        })
    };
    // What no thing is of needs no form.
    let some = (0..motion.len()).map(|object| motion.kind(object)).collect::<BTreeSet<_>>();
    motion
        .kinds()
        .iter()
        .enumerate()
        .map(|(i, kind)| if some.contains(&i) { one((i, kind)) } else { Ok(BodyForm::Ball(size)) })
        .collect()
}

/// Least half extent of a thing that is a body, metres.
const THINNEST: f64 = 1e-6;
/// Least size of a body before a thing's scale, metres.
const LEAST: f64 = 1e-4;
const NO_SIZE: &str = "Bodies need a size: make it larger than 0.";

fn form(own: &BodiesFields, context: &Context<'_>) -> Result<BodyForm, String> {
    let size = own.size.abs() * 0.5;
    if own.form == Form::OwnModel && size.x >= LEAST {
        return hull(own, context, 2.0 * size.x);
    }
    if size.x < LEAST || (own.form != Form::Ball && size.y < LEAST) {
        return Err(NO_SIZE.to_owned());
    }
    Ok(match own.form {
        Form::Box => BodyForm::Box(DVec3::new(size.x, size.y, size.z.max(LEAST))),
        // As long as its size says, its ends included.
        Form::Capsule => BodyForm::Capsule((size.x - size.y).max(0.0), size.y),
        Form::Disc => BodyForm::Disc(size.y, size.x),
        Form::Ball | Form::AsTheyLook | Form::OwnModel => BodyForm::Ball(size.x),
    })
}
