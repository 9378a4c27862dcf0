use crate::fraction::Fraction;
use crate::graph::{Closing, Context, Maker, OfferMaker, Outcome, Product, Timing};
use crate::motion::{Bank, FaceTravel, FaceUp, GRAVITY, Motion, Steered, Steering};
use crate::pose::Axis;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Spaces, Unit, Values, choice};
use crate::seam::spin_offers;
use crate::signal::Driven;
use glam::DVec3;
use serde_json::json;
use std::f64::consts::TAU;
use std::sync::Arc;

/// Turns things the way they travel.
pub struct FaceTravelNode;

/// Loops in which a turn limit has to come into step: where it is met nearly all the time one is too few.
const LEAD: f64 = 4.0;

choice! {
    /// World keeps the top upright; steady turns as little as can be, and closes over a lap.
    pub enum Up {
        World = "world",
        Steady = "steady",
        SecondPath = "second path",
        Surface = "surface",
        Place = "place",
    }
}

fields! {
    /// What Face travel is told.
    pub struct FaceTravelFields {
        nose: Axis = Param::new("nose", Group::Form, axis(Axis::PlusX), "The axis of the thing that points ahead."),
        top: Axis = Param::new("top", Group::Form, axis(Axis::PlusY), "The axis of the thing that points up.")
            .only_in(Spaces::Deep),
        up: Up = Param::choice(
            "up from",
            Group::Form,
            Up::WORDS,
            "World keeps the top upright; steady turns as little as can be, and closes over a lap.",
        )
        .only_in(Spaces::Deep),
        place: [Driven; 3] = Param::vector("place", Group::Form, (Unit::Metres, [0.0; 3]), "Tops point to it.")
            .over_time()
            .only_in(Spaces::Deep)
            .only_when("up", &["place"]),
        turns: i64 = Param::whole(
            "turns per lap",
            Group::Form,
            (0, -1000, 1000),
            "Whole turns about the travel that a closed path adds over a lap.",
        )
        .only_in(Spaces::Deep)
        .only_when("up", &["steady"]),
        roll: Driven = Param::number(
            "own turn",
            Group::Form,
            (Unit::Degrees, 0.0, -1e6, 1e6),
            "A turn about the nose, clockwise as seen from behind.",
        )
        .per_thing(),
        spin: (Fraction, String) = Param::new(
            "turns a loop",
            Group::Time,
            Values::Fraction { unit: Unit::None, default: "0", min: -10_000.0, max: 10_000.0 },
            "How often things turn about their nose in a loop, evenly.",
        ),
        bank: Driven = Param::number(
            "bank",
            Group::Form,
            (Unit::None, 0.0, -100.0, 100.0),
            "How much things lean into bends: 1 as gravity and speed ask for.",
        )
        .only_in(Spaces::Deep)
        .per_thing(),
        most: Driven = Param::number(
            "most bank",
            Group::Form,
            (Unit::Degrees, 45.0, 0.0, 180.0),
            "They lean no further than this.",
        )
        .only_in(Spaces::Deep)
        .per_thing(),
        ease: f64 = frames("bank eased", 8.0, "Frames over which a change of bank is eased.").only_in(Spaces::Deep),
        corner: f64 = frames(
            "corner takes",
            0.0,
            "Frames that the turn at a sharp corner, a contact or a reversal takes.",
        ),
        smoothing: f64 = frames("smoothing", 0.0, "Frames over which turns are averaged."),
        limit: f64 = Param::number(
            "turn limit",
            Group::Time,
            (Unit::Degrees, 0.0, 0.0, 180.0),
            "Largest turn in a frame; 0 sets none.",
        ),
        slow: f64 = Param::number(
            "holds below",
            Group::Time,
            (Unit::Speed, 0.0, 0.0, 1e4),
            "Slower than this a thing keeps the way it faced.",
        ),
    }
}

fn frames(label: &'static str, default: f64, help: &'static str) -> Param {
    Param::number(label, Group::Time, (Unit::Frames, default, 0.0, 1000.0), help)
}

fn axis(default: Axis) -> Values {
    Values::Choice { options: Axis::WORDS, default: default.word() }
}

impl Maker for FaceTravelNode {
    type Own = FaceTravelFields;

    fn schema(&self) -> Schema {
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
            params: FaceTravelFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &FaceTravelFields, context: &Context<'_>) -> Result<Outcome, String> {
        let flat = context.timing.space == Space::Flat;
        let nose = own.nose;
        let top = if flat { Axis::PlusZ } else { own.top };
        if nose.parallel_to(top) {
            return Err(match flat {
                true => "In a flat scene the nose must be an x or a y axis: choose another nose.".to_owned(),
                false => "Nose and top lie on one line: choose another axis for one of them.".to_owned(),
            });
        }
        let motion = context.motion("motion")?;
        let up = if flat { FaceUp::Towards(DVec3::Z) } else { up(own, context)? };
        let warnings = meeting(&*motion, &up);
        let facing = FaceTravel::new(motion.clone(), nose, top, up);
        let mut outcome =
            Outcome { facts: facts(&facing), warnings, ..Outcome::new(Product::Motion(Arc::new(facing.clone()))) };
        if let ([axes], true) = (facing.along_path(), own.up == Up::Steady) {
            let angle = axes.closing_angle().to_degrees() - 360.0 * own.turns as f64;
            outcome.closing = Some(angle);
        }
        if facing.along_path().iter().any(|axes| axes.parallel()) {
            outcome
                .warnings
                .push("The travel runs along up all the way, so up is steady: choose another up.".to_owned());
        }
        outcome.offers = Some(spins(own.spin.clone(), nose.vector()));
        let steering = steering(own, context.timing, flat, motion.still_below());
        if steering != (Steering { lead: steering.lead, ..Steering::NONE }) {
            outcome.product = Product::Motion(Arc::new(Steered::new(Arc::new(facing), steering)));
        }
        Ok(outcome)
    }
}

/// Turns in a loop that close it, by how symmetric the things are.
fn spins((spin, said): (Fraction, String), nose: DVec3) -> OfferMaker {
    Arc::new(move |looks| {
        let order = looks.order_about(nose);
        let offer = |to: Fraction| {
            let meaning = if to.is_whole() { "whole turns".to_owned() } else { format!("alike after 1/{order} turn") };
            Closing::Value(
                FaceTravelFields::spin(),
                json!(to.to_string()),
                format!("turns a loop {said} → {to} ({meaning})"),
            )
        };
        spin_offers(spin, order).into_iter().map(offer).collect()
    })
}

fn up(own: &FaceTravelFields, context: &Context<'_>) -> Result<FaceUp, String> {
    Ok(match own.up {
        Up::Steady => FaceUp::Steady { turns: own.turns as f64 },
        Up::SecondPath => {
            let path = context.path_if_any("beside").ok_or(
                "Face travel needs a second path: pull a thread to its \"beside\" port, or choose another up.",
            )?;
            FaceUp::Beside { path, frames: context.timing.frames }
        }
        Up::Surface => FaceUp::Off(
            context
                .ground_if_any("ground")
                .ok_or("Face travel needs a surface: pull a thread to its \"ground\" port, or choose another up.")?,
        ),
        Up::Place => FaceUp::At(own.place.clone()),
        Up::World => FaceUp::Towards(DVec3::Y),
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
fn steering(own: &FaceTravelFields, timing: Timing, flat: bool, still_below: f64) -> Steering {
    let amount = own.bank.clone();
    let none = amount.fixed() == Some(0.0);
    let bank = Bank { amount, limit: own.most.clone(), over: own.ease, gravity: GRAVITY / (timing.fps * timing.fps) };
    Steering {
        slow: (own.slow / timing.fps).max(still_below),
        corner: own.corner,
        bank: (!none && !flat).then_some(bank),
        smoothing: own.smoothing,
        limit: own.limit.to_radians(),
        lead: LEAD * timing.frames,
        roll: own.roll.clone(),
        spin: TAU * own.spin.0.value() / timing.frames,
    }
}
