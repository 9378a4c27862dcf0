//! What a ride offers: values of its numbers that would close it, keep it from leaping, or say the same.

use super::{RideFields, Spacing};
use crate::curve::Curve;
use crate::fraction::Fraction;
use crate::graph::{Closing, OfferMaker, Timing};
use crate::motion::{Pace, Ride, RideEnd};
use crate::scene::scaled;
use crate::schema::Choice;
use crate::seam::{RideClosing, RideOffer};
use serde_json::{Value, json};
use std::sync::Arc;

/// What closes a ride whose laps are written like this.
pub(super) fn offers(ride: &Ride, pace: Pace, said: &str, timing: Timing) -> OfferMaker {
    let closing = RideClosing::new(ride, pace, timing.frames);
    let (said, riders) = (said.to_owned(), ride.seats().len());
    Arc::new(move |looks| {
        let periods = closing.periods(&looks.alike).into_iter().map(Closing::Period);
        let offers = closing.offers(&looks.alike, looks.one).into_iter();
        offers.map(|offer| worded(&offer, (pace, &said), riders, timing)).chain(periods).collect()
    })
}

/// An offer as a value of a parameter, for so many riders that have this pace.
fn worded(offer: &RideOffer, (now, said): (Pace, &str), riders: usize, timing: Timing) -> Closing {
    let even = "(even places can be traded)";
    match *offer {
        RideOffer::Rounded => {
            let text = "keep it looping → yes (each rounded to whole laps)".to_owned();
            Closing::Value(RideFields::looping(), json!(true), text)
        }
        RideOffer::Pace { pace, laps, trading } => {
            let meaning = match trading {
                0 => "each returns to its own place".to_owned(),
                1 => "it is back in its place".to_owned(),
                riders => format!("{riders} riders trade places"),
            };
            match (now, pace) {
                (Pace::FramesPerLap(now), Pace::FramesPerLap(lap)) => {
                    let text = format!("frames per lap {now} → {lap:.3} ({laps} laps, {meaning})");
                    Closing::Value(RideFields::lap(), json!(lap), text)
                }
                (Pace::Speed(now), Pace::Speed(speed)) => {
                    let (now, speed) = (now * timing.fps, speed * timing.fps);
                    let text = format!("speed {now:.3} → {speed:.3} m/s ({laps} laps, {meaning})");
                    Closing::Value(RideFields::speed(), json!(speed), text)
                }
                _ => {
                    let text = format!("laps {said} → {laps} ({meaning})");
                    Closing::Value(RideFields::laps(), json!(laps.to_string()), text)
                }
            }
        }
        RideOffer::Riders(count) => {
            let text = format!("riders {riders} → {count} (they trade places)");
            Closing::Value(RideFields::riders(), json!(count), text)
        }
        RideOffer::NoSpread => Closing::Value(RideFields::spread(), json!(0.0), format!("place → no spread {even}")),
        RideOffer::NoShifts => Closing::Value(RideFields::shifts(), json!([]), format!("own places → none {even}")),
        RideOffer::Even => {
            let way = Spacing::EvenByLength.word();
            Closing::Value(RideFields::spacing(), json!(way), format!("spacing → {way} {even}"))
        }
    }
}

/// What closes a ride that is driven: keys and formulas are scaled so that it covers laps that close.
pub(super) fn driven_offers(ride: &Ride, name: &'static str, given: Option<Value>, timing: Timing) -> OfferMaker {
    let closing = RideClosing::new(ride, Pace::Laps(Fraction::ZERO), timing.frames);
    let covered = ride.covered();
    Arc::new(move |looks| {
        let Some(given) = &given else { return Vec::new() };
        let scaled = |laps: Fraction| {
            let value = scaled(given, laps.value() / covered)?;
            let text = format!("{name} covers {covered:.3} laps → {laps} (all of it scaled)");
            Some(Closing::Value(name, value, text))
        };
        closing.laps_near(covered, &looks.alike).into_iter().filter_map(scaled).collect()
    })
}

/// The pace in the other units: how fast the first strand is gone along.
pub(super) fn alike(pace: Pace, curve: &Curve, timing: Timing) -> Vec<(&'static str, Value)> {
    let length = curve.strands()[0].length();
    let laps = pace.laps(timing.frames, length);
    let mut alike = vec![
        (RideFields::laps(), json!(Fraction::near(laps))),
        (RideFields::speed(), json!(laps * length * timing.fps / timing.frames)),
    ];
    if laps != 0.0 {
        alike.push((RideFields::lap(), json!(timing.frames / laps)));
    }
    alike
}

/// What keeps riders from leaping from the end of an open path to its start.
pub(super) fn unleaping() -> Vec<(&'static str, Value, String)> {
    vec![
        (RideFields::end(), json!(RideEnd::TurnBack.word()), "at the end → turns back".to_owned()),
        (
            RideFields::to(),
            json!(HIDDEN_FROM),
            format!("seen to → {HIDDEN_FROM} (out of sight while it goes back to the start)"),
        ),
        (RideFields::end(), json!(RideEnd::Hold.word()), "at the end → stops (does not loop)".to_owned()),
    ]
}

/// The part of a path beyond which riders are out of sight where they shall not be seen to leap.
const HIDDEN_FROM: f64 = 0.99;
