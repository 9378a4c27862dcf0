//! A surface that things press into.

use crate::graph::{Context, Maker, Outcome, Timing};
use crate::motion::{Columns, Dented, Dents, Grain, Hollow, Motion, MotionError, Pressing, Sample, Several};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::signal::{Driven, Thing};
use crate::surface::{Ground, Shape};
use crate::words::counted;
use std::sync::Arc;

/// What is dented by what comes by.
pub struct DentNode;

choice!(Hollow { Round = "round", Pointed = "pointed", Flat = "flat" });
choice!(Several { Deepest = "the deepest counts", Sum = "they add up" });

choice! {
    /// Which way the surface goes.
    pub enum Way {
        In = "press in",
        Out = "raise",
    }
}

/// Corners of the body for each reach.
const FINE: f64 = 7.0;
/// Corners of the body for its own size.
const ROUND: f64 = 48.0;
/// Most corners.
const MOST: usize = 40_000;
/// Things that are asked how far they reach, and frames at which they are.
const ASKED: usize = 64;
const LOOKS: usize = 48;

fields! {
    /// What Dent is told.
    pub struct DentFields {
        way: Way = Param::choice("things", Group::Form, Way::WORDS, "Whether they press the surface in or raise it."),
        depth: Driven = Param::number("depth", Group::Form, (Unit::Metres, 0.15, 0.0, 1e4), "How far the surface is moved where a thing is.")
            .over_time()
            .per_thing(),
        reach: Driven = Param::number("reach", Group::Form, (Unit::Metres, 0.4, 0.0, 1e4), "How far from a thing the surface is moved at all; a thing farther off than that leaves it as it is.")
            .over_time()
            .per_thing(),
        hollow: Hollow = Param::choice("profile", Group::Form, Hollow::WORDS, "The form of a dent across: round as of a ball, deepest in one point, or even in its middle."),
        tail: f64 = Param::number("recovers in", Group::Time, (Unit::Frames, 12.0, 0.0, 1e5), "How long the surface takes to be as it was once a thing has gone on; 0 is at once."),
        several: Several = Param::choice("several", Group::Form, Several::WORDS, "What counts where the dents of several things meet."),
        uneven: f64 = Param::number("uneven", Group::Look, (Unit::None, 0.0, 0.0, 1.0), "Part of the depth by which dents are deeper here and less deep there."),
        grain: f64 = Param::number("uneven over", Group::Look, (Unit::Metres, 0.2, 1e-3, 1e4), "Over how many metres unevenness changes."),
        seed: u64 = Param::whole("seed", Group::Look, (1, 0, 1_000_000_000), "Another number makes other places uneven."),
        colour: String = Param::new("colour", Group::Look, Values::Colour { default: "#d9a441" }, "Of the surface."),
    }
}

impl Maker for DentNode {
    type Own = DentFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "dent",
            title: "Dent",
            group: "Forms",
            help: "Things press dents into a surface as they come by, deforming it, or raise it in a ripple that follows them; what they leave behind comes back after a while.",
            inputs: vec![
                Port::new("surface", PortKind::Surface, "What is dented: a plane as large as it is drawn."),
                Port::new("motion", PortKind::Motion, "What presses: as far as it comes near enough."),
            ],
            output: Some(PortKind::Motion),
            params: DentFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &DentFields, context: &Context<'_>) -> Result<Outcome, String> {
        let ground = context.ground_if_any("surface").ok_or("\"surface\": not connected. Thread a surface to it.")?;
        let (things, timing) = (context.motion("motion")?, context.timing);
        let shape = ground.at(0.0).shape;
        if let Some(frame) = moments(timing).find(|frame| ground.at(*frame).shape != shape) {
            return Err(format!(
                "The surface changes its form over time, at frame {frame} for one: what is dented may move and turn, and keeps its form. Take the keys, formulas and threads of its size away."
            ));
        }
        let (least, most) = between(&own.reach, timing, things.len());
        let deepest = between(&own.depth, timing, things.len()).1;
        if most <= 0.0 {
            return Err("Nothing reaches the surface: make the reach more than 0.".to_owned());
        }
        // What is hardly anything at times does not make all of it fine.
        let wanted = (least.max(0.1 * most) / FINE).min(size(&shape) / ROUND);
        let (body, apart) = shape.body(wanted, MOST);
        let grain = Grain { amount: own.uneven, size: own.grain, seed: own.seed };
        let pressing = Pressing {
            reach: own.reach.clone(),
            depth: own.depth.clone(),
            raised: own.way == Way::Out,
            hollow: own.hollow,
            tail: own.tail,
            several: own.several,
            grain,
        };
        let dents = Dents::new(
            &body,
            (ground.clone(), things.clone()),
            pressing,
            (most, deepest, timing.frames),
            context.cancel,
        )
        .map_err(|error| match error {
            MotionError::TooMuch(why) => why,
            MotionError::Cancelled => "It was given up.".to_owned(),
        })?;
        let mut outcome = Outcome {
            facts: vec![format!("{} corners, {:.3} m apart", dents.corners(), apart), counted(things.len(), "thing")],
            ..Outcome::new(Arc::new(Dented::new(ground.clone(), dents, own.colour.clone())) as Arc<dyn Motion>)
        };
        if apart > 1.01 * wanted && apart > 0.35 * most {
            outcome.warnings.push(format!("Dents of this reach would take more than {MOST} corners to be shown on a surface this large: they look coarse. Make the surface smaller, or the reach more than {:.2} m.", 3.0 * apart));
        }
        if let Some(warning) = too_deep(own, &ground, deepest) {
            outcome.warnings.push(warning);
        }
        if !comes_near(&*things, &ground, timing, most) {
            outcome.warnings.push(format!(
                "Nothing comes within {most:.2} m of the surface: bring the things nearer to it, or widen the reach."
            ));
        }
        Ok(outcome)
    }
}

/// Frames of the loop, evenly.
fn moments(timing: Timing) -> impl Iterator<Item = f64> {
    let frames = timing.frames;
    (0..LOOKS).map(move |i| (frames * i as f64 / LOOKS as f64).floor())
}

/// The least and the most that a number is, at the moments that are looked at.
fn between(number: &Driven, timing: Timing, count: usize) -> (f64, f64) {
    let at = |frame: f64| (0..count.min(ASKED)).map(move |index| number.at(frame, Thing { index, count }));
    moments(timing).flat_map(at).fold((f64::MAX, 0.0), |(least, most), value| (least.min(value), most.max(value)))
}

/// How large a shape is where it is least, metres: what it must be divided by to be seen as it is.
fn size(shape: &Shape) -> f64 {
    match shape {
        Shape::Plane { width, depth } => width.max(*depth),
        Shape::Ball { radius } => 4.0 * radius,
        Shape::Box { half } => 4.0 * half.max_element(),
        Shape::Torus { tube, .. } => 8.0 * tube,
        Shape::Lathe(profile) => 4.0 * profile.reach(),
    }
}

/// Where dents go through to the other side.
fn too_deep(own: &DentFields, ground: &Ground, deepest: f64) -> Option<String> {
    if own.way == Way::Out {
        return None;
    }
    let surface = ground.at(0.0);
    let (body, _) = surface.shape.body(size(&surface.shape) / 8.0, 2_000);
    let inner = body.places.iter().zip(&body.normals).map(|(place, out)| surface.shape.room(*place, -*out));
    // At edges there is none.
    let room = inner.filter(|room| *room > 0.0).fold(0.0, f64::max);
    (deepest > room).then(|| {
        format!("Dents are up to {deepest:.2} m deep, and nowhere is it more than {room:.2} m to the middle of the surface: it turns inside out. Make them less deep.")
    })
}

/// Whether any thing comes near enough at any of the moments that are looked at.
fn comes_near(things: &dyn Motion, ground: &Ground, timing: Timing, reach: f64) -> bool {
    let mut sample = Sample::default();
    let frames = (timing.frames as usize).clamp(1, 8 * LOOKS);
    (0..frames).any(|i| {
        let frame = timing.frames * i as f64 / frames as f64;
        things.sample(frame, Columns::POSITION | Columns::ALIVE, &mut sample);
        let surface = ground.at(frame);
        let near = |(place, alive): (&_, &bool)| *alive && surface.distance(*place).0.abs() < reach;
        sample.positions.iter().zip(&sample.alive).any(near)
    })
}
