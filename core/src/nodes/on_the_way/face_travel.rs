use crate::fraction::Fraction;
use crate::graph::{Closing, Context, NodeType, OfferMaker, Outcome, Product, Timing};
use crate::motion::{Bank, FaceTravel, FaceUp, Motion, Steered, Steering};
use crate::nodes::axis_of;
use crate::pose::Axis;
use crate::scene::{Params, Space};
use crate::schema::{AXIS_NAMES, Group, Param, Port, PortKind, Schema, Spaces, Unit, Values};
use crate::seam::spin_offers;
use glam::DVec3;
use serde_json::json;
use std::f64::consts::TAU;
use std::sync::Arc;

/// Turns things the way they travel.
pub struct FaceTravelNode;

const UPS: &[&str] = &["world", "steady", "second path", "surface", "place"];
/// Earth's, metres per second squared.
const GRAVITY: f64 = 9.81;
/// Loops in which a turn limit has to come into step: where it is met nearly all the time one is too few.
const LEAD: f64 = 4.0;

impl NodeType for FaceTravelNode {
    fn schema(&self) -> Schema {
        let axis = |default| Values::Choice { options: AXIS_NAMES, default };
        let frames = |name, label, default, help| {
            Param::number(name, label, Group::Time, (Unit::Frames, default, 0.0, 1000.0), help)
        };
        let deep = |param: Param| param.only_in(Spaces::Deep);
        Schema {
            name: "face-travel",
            title: "Face travel",
            group: "On the way",
            help: "Turns things so that their nose leads; at rest they keep the way they faced.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "What is turned."),
                Port::optional("beside", PortKind::Path, "The second path that tops point to.")
                    .only_when("up", &["second path"]),
                Port::optional("ground", PortKind::Surface, "The surface that tops point away from.")
                    .only_when("up", &["surface"]),
            ],
            output: Some(PortKind::Motion),
            params: vec![
                Param::new("nose", "nose", Group::Form, axis("+x"), "The axis of the thing that points ahead."),
                deep(Param::new("top", "top", Group::Form, axis("+y"), "The axis of the thing that points up.")),
                deep(Param::choice(
                    "up",
                    "up from",
                    Group::Form,
                    UPS,
                    "World keeps the top upright; steady turns as little as can be, and closes over a lap.",
                )),
                deep(
                    Param::vector("place", "place", Group::Form, (Unit::Metres, [0.0; 3]), "Tops point to it.")
                        .over_time(),
                )
                .only_when("up", &["place"]),
                deep(Param::whole(
                    "turns",
                    "turns per lap",
                    Group::Form,
                    (0, -1000, 1000),
                    "Whole turns about the travel that a closed path adds over a lap.",
                ))
                .only_when("up", &["steady"]),
                Param::number(
                    "roll",
                    "own turn",
                    Group::Form,
                    (Unit::Degrees, 0.0, -1e6, 1e6),
                    "A turn about the nose, clockwise as seen from behind.",
                )
                .per_thing(),
                Param::new(
                    "spin",
                    "turns a loop",
                    Group::Time,
                    Values::Fraction { unit: Unit::None, default: "0", min: -10_000.0, max: 10_000.0 },
                    "How often things turn about their nose in a loop, evenly.",
                ),
                deep(
                    Param::number(
                        "bank",
                        "bank",
                        Group::Form,
                        (Unit::None, 0.0, -100.0, 100.0),
                        "How much things lean into bends: 1 as gravity and speed ask for.",
                    )
                    .per_thing(),
                ),
                deep(
                    Param::number(
                        "most",
                        "most bank",
                        Group::Form,
                        (Unit::Degrees, 45.0, 0.0, 180.0),
                        "They lean no further than this.",
                    )
                    .per_thing(),
                ),
                deep(frames("ease", "bank eased", 8.0, "Frames over which a change of bank is eased.")),
                frames(
                    "corner",
                    "corner takes",
                    0.0,
                    "Frames that the turn at a sharp corner, a contact or a reversal takes.",
                ),
                frames("smoothing", "smoothing", 0.0, "Frames over which turns are averaged."),
                Param::number(
                    "limit",
                    "turn limit",
                    Group::Time,
                    (Unit::Degrees, 0.0, 0.0, 180.0),
                    "Largest turn in a frame; 0 sets none.",
                ),
                Param::number(
                    "slow",
                    "holds below",
                    Group::Time,
                    (Unit::Speed, 0.0, 0.0, 1e4),
                    "Slower than this a thing keeps the way it faced.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let flat = context.timing.space == Space::Flat;
        let nose = axis_of(params, "nose", Axis::PlusX);
        let top = if flat { Axis::PlusZ } else { axis_of(params, "top", Axis::PlusY) };
        if nose.parallel_to(top) {
            return Err(match flat {
                true => "In a flat scene the nose must be an x or a y axis: choose another nose.".to_owned(),
                false => "Nose and top lie on one line: choose another axis for one of them.".to_owned(),
            });
        }
        let motion = context.motion("motion")?;
        let up = if flat { FaceUp::Towards(DVec3::Z) } else { up(context)? };
        let warnings = meeting(&*motion, &up);
        let facing = FaceTravel::new(motion.clone(), nose, top, up);
        let mut outcome =
            Outcome { facts: facts(&facing), warnings, ..Outcome::new(Product::Motion(Arc::new(facing.clone()))) };
        if let ([axes], true) = (facing.along_path(), params.text("up") == UPS[1]) {
            let angle = axes.closing_angle().to_degrees() - 360.0 * params.whole("turns") as f64;
            outcome.closing = Some(angle);
        }
        if facing.along_path().iter().any(|axes| axes.parallel()) {
            outcome
                .warnings
                .push("The travel runs along up all the way, so up is steady: choose another up.".to_owned());
        }
        outcome.offers = Some(spins(params.fraction("spin"), params.text("spin"), nose.vector()));
        let steering = steering(params, context.timing, flat, motion.still_below());
        if steering != (Steering { lead: steering.lead, ..Steering::NONE }) {
            outcome.product = Product::Motion(Arc::new(Steered::new(Arc::new(facing), steering)));
        }
        Ok(outcome)
    }
}

/// Turns in a loop that close it, by how symmetric the things are.
fn spins(spin: Fraction, said: String, nose: DVec3) -> OfferMaker {
    Arc::new(move |looks| {
        let order = looks.order_about(nose);
        let offer = |to: Fraction| {
            let meaning = if to.is_whole() { "whole turns".to_owned() } else { format!("alike after 1/{order} turn") };
            Closing::Value("spin", json!(to.to_string()), format!("turns a loop {said} → {to} ({meaning})"))
        };
        spin_offers(spin, order).into_iter().map(offer).collect()
    })
}

fn up(context: &Context<'_>) -> Result<FaceUp, String> {
    let params = &context.params;
    Ok(match params.text("up").as_str() {
        "steady" => FaceUp::Steady { turns: params.whole("turns") as f64 },
        "second path" => {
            let path = context.path_if_any("beside").ok_or(
                "Face travel needs a second path: pull a thread to its \"beside\" port, or choose another up.",
            )?;
            FaceUp::Beside { path, frames: context.timing.frames }
        }
        "surface" => FaceUp::Off(
            context
                .ground_if_any("ground")
                .ok_or("Face travel needs a surface: pull a thread to its \"ground\" port, or choose another up.")?,
        ),
        "place" => FaceUp::At(params.driven_vector("place")),
        _ => FaceUp::Towards(DVec3::Y),
    })
}

/// What a second path does to the seam.
fn meeting(motion: &dyn Motion, up: &FaceUp) -> Vec<String> {
    let FaceUp::Beside { path, .. } = up else { return Vec::new() };
    let Some(first) = motion.path() else { return Vec::new() };
    let (first, second) = (first.at(0.0), path.at(0.0));
    let pairs = first.strands().iter().zip(second.strands().iter().cycle());
    if pairs.into_iter().any(|(a, b)| a.closed() && !b.closed()) {
        vec![
            "The second path is open and the first is closed, so up jumps where a lap ends: close the second."
                .to_owned(),
        ]
    } else {
        Vec::new()
    }
}

fn facts(facing: &FaceTravel) -> Vec<String> {
    let mut facts = Vec::new();
    let turns: usize = facing.along_path().iter().map(|axes| axes.half_turns()).sum();
    if turns > 0 {
        facts.push(format!("{turns} half turns where the path runs upright"));
    }
    if let [axes] = facing.along_path()
        && axes.closing_angle() != 0.0
    {
        facts.push(format!("closed by {:.1}° over a lap", axes.closing_angle().to_degrees()));
    }
    facts
}

/// `still_below` is the pace in metres per frame below which what is simulated has no way that it goes.
fn steering(params: &Params<'_>, timing: Timing, flat: bool, still_below: f64) -> Steering {
    let amount = params.driven("bank");
    let none = amount.fixed() == Some(0.0);
    let bank = Bank {
        amount,
        limit: params.driven("most"),
        over: params.number("ease"),
        gravity: GRAVITY / (timing.fps * timing.fps),
    };
    Steering {
        slow: (params.number("slow") / timing.fps).max(still_below),
        corner: params.number("corner"),
        bank: (!none && !flat).then_some(bank),
        smoothing: params.number("smoothing"),
        limit: params.number("limit").to_radians(),
        lead: LEAD * timing.frames,
        roll: params.driven("roll"),
        spin: TAU * params.fraction("spin").value() / timing.frames,
    }
}
