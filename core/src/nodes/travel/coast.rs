use crate::curve::Path;
use crate::fraction::Fraction;
use crate::graph::{Closing, Context, Maker, OfferMaker, Outcome, Product, Timing};
use crate::motion::GRAVITY;
use crate::physics::{Coast, CoastEnd, CoastFate, CoastSetup, push_for};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Unit, choice};
use glam::DVec3;
use serde_json::json;
use std::sync::Arc;

/// A bead on a wire.
pub struct CoastNode;

choice! {
    /// What happens where an open path ends.
    pub enum End {
        Stops = "stops",
        ComesBack = "comes back",
    }
}

fields! {
    /// What Coast is told.
    pub struct CoastFields {
        start: f64 = Param::number(
            "start",
            Group::Form,
            (Unit::Laps, 0.0, 0.0, 1.0),
            "Where on the path it is let go, as a part of its length.",
        )
        .role(Role::Phase),
        push: f64 = Param::number(
            "push",
            Group::Form,
            (Unit::Speed, 0.0, -1e4, 1e4),
            "How fast it is let go along the path; negative goes against its direction.",
        ),
        end: End = Param::choice("at the end", Group::Form, End::WORDS, "What happens where an open path ends."),
        gravity: f64 = Param::number(
            "gravity",
            Group::Time,
            (Unit::Acceleration, GRAVITY, 0.0, 1e7),
            "How strongly it is pulled down.",
        ),
        friction: f64 = Param::number(
            "friction",
            Group::Time,
            (Unit::None, 0.0, 0.0, 100.0),
            "How much of the force of the path holds it back; with 0 it goes on for ever.",
        ),
    }
}

impl Maker for CoastNode {
    type Own = CoastFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "coast",
            title: "Coast",
            group: "Travel",
            help: "Lets a thing coast along a path: gravity sets its pace, slow at the top and quick in the dip.",
            inputs: vec![Port::new("path", PortKind::Path, "What it coasts along.")],
            output: Some(PortKind::Motion),
            params: CoastFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &CoastFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (timing, path) = (context.timing, context.path("path")?);
        let mut warnings = Vec::new();
        let still = Path::Still(path.at(0.0));
        if path.unmoving().is_none() {
            warnings.push("The path moves, and a thing coasts along it as it is at frame 0.".to_owned());
        }
        let curve = still.at(0.0);
        if curve.strands().len() > 1 {
            warnings.push("The path has several strands: it coasts along the first.".to_owned());
        }
        let setup = CoastSetup {
            start: own.start * curve.strands()[0].length(),
            push: own.push,
            gravity: DVec3::NEG_Y * own.gravity,
            friction: own.friction,
            end: if own.end == End::Stops { CoastEnd::Stops } else { CoastEnd::Rebounds },
            fps: timing.fps,
        };
        let seconds = 3.0 * timing.frames / timing.fps;
        let coast = Coast::new(still.clone(), setup, seconds);
        if coast.fate() == CoastFate::Rests {
            warnings
                .push("It never leaves its start: give it a push, or let it go where the path is steeper.".to_owned());
        }
        if coast.undecided() {
            warnings.push(
                "It comes to a top with nothing left, which decides nothing: it goes on. Push a little more or less."
                    .to_owned(),
            );
        }
        let facts = facts(&coast, timing);
        let offers = coast.period().map(|period| offers(still, setup, period, timing));
        Ok(Outcome { facts, warnings, offers, ..Outcome::new(Product::Motion(Arc::new(coast))) })
    }
}

fn facts(coast: &Coast, timing: Timing) -> Vec<String> {
    let (slow, quick) = coast.speeds();
    let speeds = format!("{slow:.2} … {quick:.2} m/s");
    match coast.fate() {
        CoastFate::Rests => vec!["stays where it is".to_owned()],
        CoastFate::Round { period } => {
            vec![format!("goes round in {:.1} frames", period * timing.fps), speeds, "enough for every rise".to_owned()]
        }
        CoastFate::Swings { period, short } => {
            let mut facts = vec![format!("to and fro in {:.1} frames", period * timing.fps), speeds];
            facts.extend(short.map(|short| format!("{short:.2} m short of the next top")));
            facts
        }
        CoastFate::Stops { after } => vec![format!("at rest after {:.1} frames", after * timing.fps), speeds],
        CoastFate::Goes => vec!["goes on beyond what was looked at".to_owned(), speeds],
    }
}

/// What makes its period a whole part of the loop: gravity where it is let go without a push, or else the push; and
/// loops of whole frames that hold the period to the frame.
fn offers(path: Path, setup: CoastSetup, period: f64, timing: Timing) -> OfferMaker {
    Arc::new(move |_| {
        let loops = timing.frames / timing.fps / period;
        let times = loops.round().max(1.0);
        if (loops - times).abs() < 1e-9 {
            return Vec::new();
        }
        let wanted = timing.frames / timing.fps / times;
        let said = format!("{:.1} → {:.1} frames, {times} in the loop", period * timing.fps, wanted * timing.fps);
        let mut offers = Vec::new();
        if setup.push == 0.0 {
            // Times go by 1/√g.
            let gravity = setup.gravity.length();
            let to = gravity * (period / wanted) * (period / wanted);
            offers.push(Closing::Value(
                CoastFields::gravity(),
                json!(to),
                format!("gravity {gravity:.2} → {to:.3} m/s² ({said})"),
            ));
        } else if let Some(push) = push_for(&path, setup, wanted) {
            let text = format!("push {:.2} → {push:.3} m/s ({said})", setup.push);
            offers.push(Closing::Value(CoastFields::push(), json!(push), text));
        }
        let frames = period * timing.fps;
        if (frames - frames.round()).abs() < 1e-9 {
            offers.extend(Fraction::whole(frames.round() as i64).map(Closing::Period));
        }
        offers
    })
}
