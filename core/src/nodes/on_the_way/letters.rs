//! A text whose letters ride along a path one by one.

use crate::curve::{Letter, Path, letters};
use crate::fraction::Fraction;
use crate::graph::{Closing, Context, Maker, OfferMaker, Outcome, Timing};
use crate::motion::{FaceUp, Glyph, Letters, Motion, Pace, Ride, RideEnd, RideSpacing, Standing};
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, Values, choice};
use crate::seam::{RideClosing, RideOffer};
use crate::signal::Driven;
use crate::words::{counted, sentence};
use glam::{DVec2, DVec3};
use serde_json::json;
use std::sync::Arc;

/// A text whose letters ride.
pub struct LettersNode;

choice! {
    /// Which part of the text is where it starts.
    pub enum Align {
        Start = "its start",
        Middle = "its middle",
        End = "its end",
    }
}

choice! {
    /// How letters stand.
    pub enum Stand {
        TopsUp = "tops up",
        Facing = "facing front",
        Steady = "steady",
        Upright = "not turned",
    }
}

choice! {
    /// On which side of the path, as one looks along it.
    pub enum Side {
        Left = "left",
        Right = "right",
    }
}

/// Part of the height of capitals by which outlines may be off.
const FINE: f64 = 0.004;

fields! {
    /// What Letters is told.
    pub struct LettersFields {
        text: String = Param::new("text", Group::Form, Values::Text { default: "FUNZELMARKT" }, "What is written; each letter is a thing of its own."),
        size: f64 = Param::number("letter height", Group::Form, (Unit::Metres, 0.6, 1e-4, 1e4), "How tall capitals are.").role(Role::Size),
        thickness: f64 = Param::number("thickness", Group::Form, (Unit::Metres, 0.08, 0.0, 1e4), "How thick letters are."),
        apart: f64 = Param::number("spread", Group::Form, (Unit::None, 1.0, 0.0, 1000.0), "A factor on how far letters are apart: 1 as the font has them."),
        align: Align = Param::choice("from", Group::Form, Align::WORDS, "Which part of the text is at the start."),
        stand: Stand = Param::choice("stand", Group::Form, Stand::WORDS, "Tops up as on a fence; facing front as on a wall; steady turns as little as can be; not turned at all.").only_in(Spaces::Deep),
        side: Side = Param::choice("side", Group::Form, Side::WORDS, "On the right they run against the path, so that it can be read from there."),
        lift: f64 = Param::number("off the path", Group::Form, (Unit::Metres, 0.0, -1e4, 1e4), "How far their feet are off it, upwards in themselves."),
        laps: (Fraction, String) = Param::new(
            "laps per loop",
            Group::Time,
            Values::Fraction { unit: Unit::Laps, default: "1", min: -10_000.0, max: 10_000.0 },
            "How often the text goes along the whole path in one loop; negative runs backwards.",
        )
        .role(Role::Laps),
        start: Driven = Param::number("start", Group::Time, (Unit::Laps, 0.0, -1000.0, 1000.0), "Where on the path the text is at first.")
            .role(Role::Phase)
            .per_thing(),
        end: RideEnd = Param::choice("at the end", Group::Time, RideEnd::WORDS, "What happens where the path ends."),
    }
}

impl Maker for LettersNode {
    type Own = LettersFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "letters",
            title: "Letters",
            group: "Forms",
            help: "Text on a path: its letters ride along it one by one, rigid, as far apart as the font has them.",
            inputs: vec![Port::new("path", PortKind::Path, "What they ride on.")],
            output: Some(PortKind::Motion),
            params: LettersFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &LettersFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (path, timing) = (context.path("path")?, context.timing);
        let curve = path.at(0.0);
        let length = curve.strands()[0].length();
        if length <= 0.0 {
            return Err("The path has no length to ride on: draw it longer.".to_owned());
        }
        let (found, whole) = letters(&own.text, 0.0).map_err(|error| sentence(&error.to_string()))?;
        let other_side = own.side == Side::Right;
        let back = if other_side { -1.0 } else { 1.0 };
        let from = match own.align {
            Align::Start => 0.0,
            Align::Middle => 0.5 * whole,
            Align::End => whole,
        };
        let phases = found.iter().map(|letter| back * own.size * own.apart * (letter.at - from) / length).collect();
        let pace = Pace::Laps(own.laps.0);
        // Letters of one text stay on one strand.
        let path = match path.unmoving() {
            Some(curve) if curve.strands().len() > 1 => Path::still(curve.strands()[0].clone().into()),
            _ => path,
        };
        let ride = Ride::new(path.clone(), found.len(), own.laps.0, timing.frames)
            .starting(own.start.clone())
            .at_end(own.end)
            .spaced(RideSpacing::Given(phases));
        let offers = matches!(own.end, RideEnd::Wrap | RideEnd::TurnBack)
            .then(|| offers(RideClosing::new(&ride, pace, timing.frames), own.laps.1.clone()));
        let (mut glyphs, mut which): (Vec<Glyph>, Vec<u32>) = (Vec::new(), Vec::new());
        for letter in &found {
            let made = glyph(letter, own);
            let known = glyphs.iter().position(|glyph| *glyph == made);
            which.push(known.unwrap_or(glyphs.len()) as u32);
            if known.is_none() {
                glyphs.push(made);
            }
        }
        let stands = (standing(own, timing), other_side, own.lift);
        let motion: Arc<dyn Motion> = Arc::new(Letters::new(Arc::new(ride), path, (glyphs, which), stands));
        let mut outcome = Outcome { offers, ..Outcome::new(motion) };
        let takes = whole * own.size * own.apart;
        outcome.facts = vec![counted(found.len(), "letter"), format!("{takes:.2} m of {length:.2} m")];
        if takes > length && own.end == RideEnd::Wrap {
            outcome.warnings.push("The text is longer than the path, so its letters stand in each other: make the path longer, or letters smaller or nearer.".to_owned());
        }
        if curve.strands().len() > 1 {
            outcome
                .warnings
                .push(format!("The path has {} strands, and the text rides on the first.", curve.strands().len()));
        }
        Ok(outcome)
    }
}

/// Laps that close it: letters that differ do not trade places.
fn offers(closing: RideClosing, said: String) -> OfferMaker {
    Arc::new(move |looks| {
        let offer = |offer: RideOffer| match offer {
            RideOffer::Pace { laps, trading, .. } => {
                let meaning = if trading > 0 { "letters trade places" } else { "each returns to its own place" };
                let text = format!("laps {said} → {laps} ({meaning})");
                Some(Closing::Value(LettersFields::laps(), json!(laps.to_string()), text))
            }
            _ => None,
        };
        let periods = closing.periods(&looks.alike).into_iter().map(Closing::Period);
        closing.offers(&looks.alike, false).into_iter().filter_map(offer).chain(periods).collect()
    })
}

fn standing(own: &LettersFields, timing: Timing) -> Standing {
    if timing.space == Space::Flat {
        return if own.stand == Stand::Upright { Standing::Unturned } else { Standing::Faces(DVec3::Z) };
    }
    match own.stand {
        Stand::TopsUp => Standing::Tops(FaceUp::Towards(DVec3::Y)),
        Stand::Facing => Standing::Faces(DVec3::Z),
        Stand::Steady => Standing::Tops(FaceUp::STEADY),
        Stand::Upright => Standing::Unturned,
    }
}

fn glyph(letter: &Letter, own: &LettersFields) -> Glyph {
    let scaled = |line: Vec<DVec2>| line.into_iter().map(|place| place * own.size).collect();
    let contours = letter.lines(FINE).into_iter().map(scaled).collect();
    Glyph { sign: letter.sign.clone(), contours, thickness: own.thickness }
}
