//! A strip, or a model, that is bent along a path.

use crate::curve::Path;
use crate::graph::{Context, Maker, Outcome, Timing};
use crate::motion::{
    Banking, Bend, BentAlong, BentForm, FaceUp, Motion, Placing, Posed, Reach, Sections, Strip, StripEnd, Tight,
};
use crate::pose::{Axis, Facing};
use crate::scene::{Fields, Space, fields};
use crate::schema::{AXIS_NAMES, Choice, Group, Param, Port, PortKind, Schema, Spaces, Unit, Values, choice};
use crate::signal::{Driven, Progression, Thing};
use glam::{DVec2, DVec3};
use std::sync::Arc;

/// What is bent along a path.
pub struct BendAlong;

choice!(StripEnd { Straight = "straight", Pointed = "pointed", Swallowtail = "swallow-tailed" });

choice! {
    /// What is bent.
    pub enum What {
        Strip = "strip",
        OwnModel = "own model",
    }
}

choice! {
    /// How much of the path it takes up.
    pub enum Takes {
        Kept = "as long as it is",
        Fitted = "from here to there",
    }
}

choice! {
    /// Where its face points.
    pub enum FaceTo {
        World = "world",
        Steady = "steady",
        SecondPath = "second path",
    }
}

const STRIP: &[&str] = &["strip"];
const OWN: &[&str] = &["own model"];
const FITTED: &[&str] = &["from here to there"];

/// Part of its width by which a corner of it may be off what the path says.
const TOLERANCE: f64 = 1e-3;
/// Things that are asked how far they reach; others are taken to reach no farther.
const ASKED: usize = 32;

fields! {
    /// What Bend along is told.
    pub struct BendFields {
        what: What = Param::choice("what bends", Group::Form, What::WORDS, "A strip of cloth or paper, or a model of your own."),
        file: String = Param::new("file", Group::Form, Values::Asset { media: "model/gltf-binary" }, "A binary glTF file that is bent.").only_when("what", OWN),
        nose: Axis = Param::new("model's nose", Group::Form, Values::Choice { options: AXIS_NAMES, default: "+x" }, "The side of the model that lies ahead; its length is along it.").only_when("what", OWN),
        top: Axis = Param::new("model's top", Group::Form, Values::Choice { options: AXIS_NAMES, default: "+y" }, "The side of the model that is up.").only_when("what", OWN),
        length: f64 = Param::number("length", Group::Form, (Unit::Metres, 3.0, 1e-3, 1e5), "How long it is at rest; as long as the path is, unless it goes from here to there."),
        width: f64 = Param::number("width", Group::Form, (Unit::Metres, 0.5, 1e-4, 1e4), "How wide the strip is.").only_when("what", STRIP),
        thickness: f64 = Param::number("thickness", Group::Form, (Unit::Metres, 0.02, 0.0, 1e4), "How thick the strip is.").only_when("what", STRIP),
        end: StripEnd = Param::choice("tail", Group::Form, StripEnd::WORDS, "How the strip ends at its tail.").only_when("what", STRIP),
        takes: Takes = Param::choice("takes up", Group::Form, Takes::WORDS, "Whether it keeps its length, or is stretched from one part of the path to another."),
        from: Driven = Param::number("from", Group::Time, (Unit::Laps, 0.0, -1e4, 1e4), "Where its tail is, in lengths of the path.")
            .only_when("takes", FITTED)
            .over_time()
            .per_thing(),
        to: Driven = Param::number("to", Group::Time, (Unit::Laps, 1.0, -1e4, 1e4), "Where its head is, in lengths of the path.")
            .only_when("takes", FITTED)
            .over_time()
            .per_thing(),
        offset: Driven = Param::number("along", Group::Time, (Unit::Laps, 0.0, -1e4, 1e4), "How far along the path its tail is, or how far it is ahead of what it rides on, in lengths of the path; beyond the ends of an open one it lies straight on.")
            .over_time()
            .per_thing(),
        strength: Driven = Param::number("bend", Group::Time, (Unit::None, 1.0, 0.0, 1.0), "How much of the bend there is: 0 is straight, 1 all of it.")
            .over_time()
            .per_thing(),
        up: FaceTo = Param::choice("up from", Group::Form, FaceTo::WORDS, "World keeps its face upright; steady turns as little as can be; with a second path its face points to that.")
            .only_in(Spaces::Deep),
        roll: Driven = Param::number("roll", Group::Form, (Unit::Degrees, 0.0, -1e6, 1e6), "A turn about its length, clockwise as seen from behind.")
            .over_time()
            .per_thing(),
        twist: Progression = Param::new("roll along it", Group::Form, Values::Drawn { default: &[[0.0, 0.0], [1.0, 0.0]], min: -3600.0, max: 3600.0 }, "Degrees of roll from the path's start to its end."),
        size: Progression = Param::new("size along it", Group::Form, Values::Drawn { default: &[[0.0, 1.0], [1.0, 1.0]], min: 0.0, max: 10.0 }, "A factor on how wide and thick it is, from the path's start to its end."),
        bank: f64 = Param::number("bank at speed", Group::Form, (Unit::Speed, 0.0, 0.0, 1e4), "Leans into bends as something that goes along the path at this speed; 0 is not at all.").only_in(Spaces::Deep),
        most: f64 = Param::number("most bank", Group::Form, (Unit::Degrees, 60.0, 0.0, 90.0), "How far it leans at most.").only_in(Spaces::Deep),
        ease: f64 = Param::number("bank eased", Group::Form, (Unit::Metres, 0.5, 1e-3, 1e4), "Over which length of the path a change of bank is eased.").only_in(Spaces::Deep),
        colour: String = Param::new("colour", Group::Look, Values::Colour { default: "#c8421a" }, "Of the strip.").only_when("what", STRIP),
        second: String = Param::new("second colour", Group::Look, Values::Colour { default: "#f2d398" }, "Of every other stripe.").only_when("what", STRIP),
        picture: String = Param::new("picture", Group::Look, Values::Asset { media: "picture" }, "A PNG, JPEG or WebP picture on the strip in place of its stripes, its left at the tail.").only_when("what", STRIP),
        stripes: usize = Param::whole("stripes", Group::Look, (7, 1, 400), "Stripes across the strip.").only_when("what", STRIP),
    }
}

impl Maker for BendAlong {
    type Own = BendFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "bend-along",
            title: "Bend along",
            group: "Forms",
            help: "Bends a strip, as a ribbon or a pennant, or a model along a path, deforming it: it lies there, swims along, or grows from one place to another.",
            inputs: vec![
                Port::new("path", PortKind::Path, "What it is bent along."),
                Port::optional(
                    "things",
                    PortKind::Motion,
                    "Things that travel on a path: each is one that is bent, with its middle there.",
                ),
                Port::optional("beside", PortKind::Path, "The second path that its face points to.")
                    .only_when("up", &["second path"]),
            ],
            output: Some(PortKind::Motion),
            params: BendFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &BendFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (path, timing) = (context.path("path")?, context.timing);
        if path.at(0.0).strands().iter().any(|strand| strand.length() <= 0.0) {
            return Err("The path has no length to bend anything along: draw it longer.".to_owned());
        }
        let things = context.motion_if_any("things");
        if things.as_ref().is_some_and(|things| things.path().is_none()) {
            return Err("The things do not travel on a path: give this node things that ride on one, or take their thread away.".to_owned());
        }
        let chosen = own.what == What::Strip && !own.picture.is_empty();
        let picture = chosen.then(|| context.assets.picture(&own.picture));
        let form = form(own, context, matches!(picture, Some(Ok(_))))?;
        let placing = Placing {
            offset: own.offset.clone(),
            reach: match own.takes {
                Takes::Kept => Reach::OwnLength,
                Takes::Fitted => Reach::Between(own.from.clone(), own.to.clone()),
            },
            strength: own.strength.clone(),
            roll: own.roll.clone(),
            rides: things.is_some(),
        };
        let count = things.as_ref().map_or(1, |things| things.len());
        let spans = spans(own, &path, timing, count);
        let up = up(own, context)?;
        let banking = Banking { speed: own.bank, most: own.most.to_radians(), over: own.ease };
        let banking = (own.bank > 0.0 && timing.space == Space::Deep).then_some(banking);
        let drawn = Sections { roll: own.twist.clone(), size: own.size.clone(), banking };
        let bend = Bend::new((form, own.length), (path.clone(), up), drawn, (spans.1, TOLERANCE, timing.frames));
        let corners = if bend.corners() > 0 { " but at corners" } else { "" };
        let mut facts = vec![format!("{} joints, off by at most {}{corners}", bend.joints(), small(bend.missed()))];
        if let Some(Ok(shape)) = &picture {
            facts.push(format!("its picture keeps its shape at a length of {:.2} m", shape * own.width));
        }
        if own.takes == Takes::Fitted {
            let percent = |span: f64| 100.0 * span / own.length;
            facts.push(match spans {
                (least, most) if most - least < 1e-9 * most => format!("stretched to {:.1} %", percent(most)),
                (least, most) => format!("stretched to {:.1} % and {:.1} %", percent(least), percent(most)),
            });
        }
        let mut warnings: Vec<String> = bend.tight(timing.frames).map(tight).into_iter().collect();
        if let Some(Err(why)) = picture {
            warnings.push(format!("The strip is shown without its picture: {why}."));
        }
        if bend.missed() > 2.0 * TOLERANCE * bend.form().width() {
            warnings.push(format!("It would take more than {} joints to follow this path: it is off by up to {}. Smooth the path, or make the thing wider.", bend.joints(), small(bend.missed())));
        }
        let strands = path.at(0.0).strands().len();
        if things.is_none() && strands > 1 {
            warnings.push(format!("The path has {strands} strands, and it is bent along the first: give this node things that ride on all of them."));
        }
        let base = things.unwrap_or_else(still);
        Ok(Outcome {
            facts,
            warnings,
            ..Outcome::new(Arc::new(BentAlong::new(base, bend, placing)) as Arc<dyn Motion>)
        })
    }
}

/// One thing that lies still.
fn still() -> Arc<dyn Motion> {
    let none = || [0.0; 3].map(Driven::Fixed);
    Arc::new(Posed::new(none(), none(), Driven::Fixed(1.0)))
}

/// A length that is little, in words.
fn small(metres: f64) -> String {
    if metres < 0.1 { format!("{:.2} mm", 1000.0 * metres) } else { format!("{metres:.2} m") }
}

fn tight(Tight { strand, s, radius, reach, corner }: Tight) -> String {
    let strand = if strand > 0 { format!(" of strand {}", strand + 1) } else { String::new() };
    if corner {
        return format!(
            "The path has a corner at {s:.2} m{strand}, over which the inside of the thing turns over: make it smooth, or make the thing narrower."
        );
    }
    format!(
        "The path bends too tightly at {s:.2} m{strand}: its radius there is {}, and the thing reaches {} towards the middle of the bend, so its inside turns over. Widen that bend, or make the thing narrower.",
        small(radius),
        small(reach)
    )
}

/// The least and the most metres of the path that a thing takes up.
fn spans(own: &BendFields, path: &Path, timing: Timing, count: usize) -> (f64, f64) {
    if own.takes == Takes::Kept {
        return (own.length, own.length);
    }
    let metres = path.at(0.0).strands().iter().map(|strand| strand.length()).fold(0.0, f64::max);
    let moves = own.from.over_time() || own.to.over_time();
    let frames: Vec<f64> = if moves { timing.clock().whole() } else { vec![0.0] };
    let mut found = (f64::MAX, 0.0f64);
    for index in 0..count.min(ASKED) {
        for &frame in &frames {
            let thing = Thing { index, count };
            let span = metres * (own.to.at(frame, thing) - own.from.at(frame, thing)).abs();
            found = (found.0.min(span), found.1.max(span));
        }
    }
    found
}

fn up(own: &BendFields, context: &Context<'_>) -> Result<FaceUp, String> {
    if context.timing.space == Space::Flat {
        return Ok(FaceUp::Towards(DVec3::Z));
    }
    Ok(match own.up {
        FaceTo::World => FaceUp::Towards(DVec3::Y),
        FaceTo::Steady => FaceUp::STEADY,
        FaceTo::SecondPath => FaceUp::Beside {
            path: context
                .path_if_any("beside")
                .ok_or("Bend along needs a second path: pull a thread to its \"beside\" port, or choose another up.")?,
            frames: context.timing.frames,
        },
    })
}

fn form(own: &BendFields, context: &Context<'_>, pictured: bool) -> Result<BentForm, String> {
    if own.what == What::Strip {
        let colours = [own.colour.clone(), own.second.clone()];
        return Ok(BentForm::Strip(Strip {
            width: own.width,
            thickness: own.thickness,
            end: own.end,
            stripes: own.stripes,
            colours,
            picture: if pictured { own.picture.clone() } else { String::new() },
        }));
    }
    let (file, nose, top) = (own.file.clone(), own.nose, own.top);
    if file.is_empty() {
        return Err("No model is chosen yet: bring in a binary glTF file in the Card, or bend a strip.".to_owned());
    }
    if nose.parallel_to(top) {
        return Err("The model's nose and top lie on one line: choose two that do not.".to_owned());
    }
    let turn = Facing::new(nose, top).turn(DVec3::X, DVec3::Y);
    let corners: Vec<DVec3> = context.assets.corners(&file)?.iter().map(|corner| turn * *corner).collect();
    let low = corners.iter().copied().reduce(DVec3::min).unwrap_or_default();
    let high = corners.iter().copied().reduce(DVec3::max).unwrap_or_default();
    let size = high - low;
    if !(size.x > 0.0 && size.is_finite()) {
        return Err(format!("The model \"{file}\" has no length along its nose: choose another nose."));
    }
    let half = 0.5 * DVec2::new(size.y, size.z) * (own.length / size.x);
    Ok(BentForm::Model { file, nose, top, around: [-half, half] })
}
