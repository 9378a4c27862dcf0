use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Ride, RideEnd};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Unit, Values};
use crate::seam::{LapOffer, lap_offers};
use serde_json::{Value, json};
use std::sync::Arc;

/// Things that ride a path.
pub struct RideNode;

const GOES_ROUND: &str = "goes round";
const STOPS: &str = "stops";

impl NodeType for RideNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "ride",
            title: "Ride",
            group: "Travel",
            help: "Puts things on a path and drives them along it at constant speed.",
            inputs: vec![Port { name: "path", kind: PortKind::Path, help: "What they ride on." }],
            output: Some(PortKind::Motion),
            params: vec![
                Param::new(
                    "riders",
                    "riders",
                    Group::Form,
                    Values::Whole { default: 1, min: 1, max: 1_000_000 },
                    "How many things ride, spaced evenly by length.",
                ),
                Param::new(
                    "laps",
                    "laps per loop",
                    Group::Time,
                    Values::Fraction { unit: Unit::Laps, default: "1", min: -10_000.0, max: 10_000.0 },
                    "How often each thing goes along the whole path in one loop; negative runs backwards.",
                )
                .role(Role::Laps),
                Param::new(
                    "start",
                    "start",
                    Group::Time,
                    Values::Number { unit: Unit::Laps, default: 0.0, min: -1000.0, max: 1000.0 },
                    "Where on the path the first thing begins.",
                )
                .role(Role::Phase),
                Param::new(
                    "end",
                    "at the end",
                    Group::Time,
                    Values::Choice { options: &[GOES_ROUND, STOPS], default: GOES_ROUND },
                    "What happens where the path ends.",
                ),
                Param::new(
                    "shifts",
                    "own places",
                    Group::Spread,
                    Values::PerThing { unit: Unit::Laps, min: -1000.0, max: 1000.0 },
                    "Things that begin off their even place; drag their ticks on the Dial.",
                )
                .role(Role::Shifts),
                Param::new(
                    "spread",
                    "place",
                    Group::Spread,
                    Values::Number { unit: Unit::Laps, default: 0.0, min: 0.0, max: 1.0 },
                    "How far each thing may lie from its even place, to either side.",
                ),
                Param::new(
                    "seed",
                    "seed",
                    Group::Spread,
                    Values::Whole { default: 1, min: 0, max: 1_000_000_000 },
                    "Another number gives another spread.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (path, params, timing) = (context.path("path")?, &context.params, context.timing);
        let curve = path.at(0.0);
        let riders = usize::try_from(params.whole("riders")).map_err(|_| "Riders must be at least 1.".to_owned())?;
        let laps = params.fraction("laps");
        let end = if params.text("end") == STOPS { RideEnd::Hold } else { RideEnd::Wrap };
        let ride = Ride::new(path, riders, laps, timing.frames)
            .starting_at(params.number("start"))
            .at_end(end)
            .shifted(params.per_thing("shifts"))
            .spread(params.number("spread"), params.whole("seed").unsigned_abs());
        let facts = facts(&curve, laps.value(), timing.frames, timing.fps);
        let mut strands = vec![Vec::new(); curve.strands().len()];
        for (strand, phase) in ride.phases() {
            strands[strand].push(phase);
        }
        let offers = if end == RideEnd::Wrap { lap_offers(laps, &strands) } else { Vec::new() };
        let offers = offers.iter().map(|offer| worded(params.text("laps"), offer)).collect();
        Ok(Outcome { facts, offers, ..Outcome::new(Product::Motion(Arc::new(ride))) })
    }
}

fn facts(curve: &crate::curve::Curve, laps: f64, frames: f64, fps: f64) -> Vec<String> {
    let length = curve.strands()[0].length();
    if laps == 0.0 {
        return vec!["stands still".to_owned()];
    }
    vec![format!("{:.1} frames a lap", frames / laps.abs()), format!("{:.2} m/s", length * laps.abs() * fps / frames)]
}

fn worded(now: String, offer: &LapOffer) -> (&'static str, Value, String) {
    let trade = match offer.trading {
        0 => "each returns to its own place".to_owned(),
        riders => format!("{riders} riders trade places"),
    };
    ("laps", json!(offer.laps.to_string()), format!("laps {now} → {} ({trade})", offer.laps))
}
