use crate::curve::{Curve, UpRule};
use crate::fraction::Fraction;
use crate::graph::{Closing, Context, NodeType, OfferMaker, Outcome, Timing};
use crate::motion::{Motion, Pace, Ride, RideEnd, RideOffset, RideSpacing, Seat, Sharing};
use crate::scene::{Params, Space, scaled};
use crate::schema::{Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, Values};
use crate::seam::{RideClosing, RideOffer};
use crate::signal::Driven;
use glam::DVec3;
use serde_json::{Value, json};
use std::sync::Arc;

/// Things that ride a path.
pub struct RideNode;

const SPACINGS: &[&str] = &["even by length", "fixed distance", "given places", "at random"];
const SHARINGS: &[&str] = &["by turns", "at random", "by length"];
const PACES: &[&str] = &["laps per loop", "frames per lap", "metres per second", "progress"];
const ENDS: &[&str] = &["goes round", "stops", "turns back", "runs on straight"];
const AXES: &[&str] = &["steady", "world"];

impl NodeType for RideNode {
    fn schema(&self) -> Schema {
        let offset = |name, label, help| {
            Param::number(name, label, Group::Form, (Unit::Metres, 0.0, -1e4, 1e4), help).per_thing()
        };
        Schema {
            name: "ride",
            title: "Ride",
            group: "Travel",
            help: "Puts things on a path and drives them along it, at constant speed unless something drives it.",
            inputs: vec![Port::new("path", PortKind::Path, "What they ride on.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::whole("riders", "riders", Group::Form, (1, 1, 1_000_000), "How many things ride."),
                Param::choice("spacing", "spacing", Group::Form, SPACINGS, "Where on the path they begin."),
                Param::number(
                    "distance",
                    "distance",
                    Group::Form,
                    (Unit::Metres, 1.0, 1e-4, 1e5),
                    "Metres from one to the next along the path.",
                )
                .only_when("spacing", &["fixed distance"]),
                Param::new(
                    "places",
                    "places",
                    Group::Form,
                    Values::Text { default: "0 0.25 0.5 0.75" },
                    "Places in laps, with spaces between; they are used over again for more riders.",
                )
                .only_when("spacing", &["given places"]),
                Param::choice(
                    "shared",
                    "shared",
                    Group::Form,
                    SHARINGS,
                    "How riders are shared among the strands of a path that has several.",
                ),
                offset("along", "ahead", "How far things are ahead of their place, along the path's direction."),
                offset("across", "to the right", "How far things are to the right of the path."),
                offset("up", "above", "How far things are above the path.").only_in(Spaces::Deep),
                Param::choice("axes", "up from", Group::Form, AXES, "Where above and to the right are taken from.")
                    .only_in(Spaces::Deep),
                Param::choice("pace", "pace given as", Group::Time, PACES, "In which unit the pace is set."),
                Param::new(
                    "laps",
                    "laps per loop",
                    Group::Time,
                    Values::Fraction { unit: Unit::Laps, default: "1", min: -10_000.0, max: 10_000.0 },
                    "How often each thing goes along the whole path in one loop; negative runs backwards.",
                )
                .role(Role::Laps)
                .only_when("pace", &["laps per loop"])
                .over_time(),
                Param::number(
                    "lap",
                    "frames per lap",
                    Group::Time,
                    (Unit::Frames, 120.0, -1e6, 1e6),
                    "How many frames one lap takes; negative runs backwards.",
                )
                .only_when("pace", &["frames per lap"]),
                Param::number(
                    "speed",
                    "speed",
                    Group::Time,
                    (Unit::Speed, 1.0, -1e4, 1e4),
                    "Metres that a thing travels in a second; negative runs backwards.",
                )
                .only_when("pace", &["metres per second"])
                .over_time(),
                Param::number(
                    "progress",
                    "progress",
                    Group::Time,
                    (Unit::Laps, 0.0, -1e5, 1e5),
                    "How far along the path things are, in laps; give it keys or a signal.",
                )
                .only_when("pace", &["progress"])
                .per_thing(),
                Param::number(
                    "start",
                    "start",
                    Group::Time,
                    (Unit::Laps, 0.0, -1000.0, 1000.0),
                    "Where on the path the first thing begins.",
                )
                .role(Role::Phase)
                .per_thing(),
                Param::choice("end", "at the end", Group::Time, ENDS, "What happens where the path ends."),
                Param::number(
                    "from",
                    "seen from",
                    Group::Time,
                    (Unit::Laps, 0.0, 0.0, 1.0),
                    "Things are there from this part of the path on.",
                )
                .per_thing(),
                Param::number("to", "seen to", Group::Time, (Unit::Laps, 1.0, 0.0, 1.0), "And to this part of it.")
                    .per_thing(),
                Param::new(
                    "shifts",
                    "own places",
                    Group::Spread,
                    Values::PerThing { unit: Unit::Laps, min: -1000.0, max: 1000.0 },
                    "Things that begin off their place; drag their ticks on the Dial.",
                )
                .role(Role::Shifts),
                Param::number(
                    "spread",
                    "place",
                    Group::Spread,
                    (Unit::Laps, 0.0, 0.0, 1.0),
                    "How far each thing may lie from its place, to either side.",
                ),
                Param::number(
                    "pace-spread",
                    "pace",
                    Group::Spread,
                    (Unit::Laps, 0.0, 0.0, 1000.0),
                    "By how many laps in a loop each may be quicker or slower.",
                ),
                Param::flag(
                    "looping",
                    "keep it looping",
                    Group::Spread,
                    true,
                    "Rounds each thing's own laps so that it is back at the loop's end.",
                ),
                Param::whole(
                    "seed",
                    "seed",
                    Group::Spread,
                    (1, 0, 1_000_000_000),
                    "Another number gives another choice of all that is random.",
                ),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (path, params, timing) = (context.path("path")?, &context.params, context.timing);
        let curve = path.at(0.0);
        let pace = pace(params, timing)?;
        let riders = usize::try_from(params.whole("riders")).map_err(|_| "Riders must be at least 1.".to_owned())?;
        let end = match params.text("end").as_str() {
            "stops" => RideEnd::Hold,
            "turns back" => RideEnd::TurnBack,
            "runs on straight" => RideEnd::RunOn,
            _ => RideEnd::Wrap,
        };
        let flat = timing.space == Space::Flat;
        let rule = match (flat, params.text("axes") == AXES[1]) {
            (true, _) => UpRule::Towards(DVec3::Z),
            (_, true) => UpRule::Towards(DVec3::Y),
            _ => UpRule::Steady,
        };
        let offset = RideOffset {
            along: params.driven("along"),
            up: if flat { Driven::Fixed(0.0) } else { params.driven("up") },
            across: params.driven("across"),
            rule,
        };
        let mut ride = Ride::new(path, riders, params.fraction("laps"), timing.frames)
            .paced(pace)
            .starting(params.driven("start"))
            .at_end(end)
            .spaced(spacing(params)?)
            .shared(match params.text("shared").as_str() {
                "at random" => Sharing::AtRandom,
                "by length" => Sharing::ByLength,
                _ => Sharing::ByTurns,
            })
            .shifted(params.per_thing("shifts"))
            .spread(params.number("spread"))
            .pace_spread(params.number("pace-spread"), params.flag("looping"))
            .seeded(params.whole("seed").unsigned_abs())
            .offset(offset)
            .visible(params.driven("from"), params.driven("to"));
        let driver = driver(params, timing);
        ride = match &driver {
            Some((_, Drive::Laps(laps))) => ride.driven(laps.clone()),
            Some((_, Drive::Speed(speed))) => ride.paced(Pace::Speed(0.0)).hurried(speed.clone()),
            Some((_, Drive::Progress(progress))) => ride.progressing(progress.clone()),
            None => ride,
        };
        let mut facts = facts(&ride, &curve, timing);
        let returns = matches!(end, RideEnd::Wrap | RideEnd::TurnBack);
        let offers = match &driver {
            None => returns.then(|| offers(&ride, pace, params, timing)),
            Some((name, _)) => {
                facts = vec![format!("{} laps a loop", worded((ride.covered(), ride.covered()), 3))];
                let given = params.given(name).cloned();
                returns.then(|| driven_offers(&ride, name, given, timing))
            }
        };
        let open = curve.strands().iter().any(|strand| !strand.closed());
        let unleaping = if open && matches!(end, RideEnd::Wrap) { unleaping() } else { Vec::new() };
        let alike = if driver.is_none() { alike(pace, &curve, timing) } else { Vec::new() };
        let ride: Arc<dyn Motion> = Arc::new(ride);
        Ok(Outcome { facts, offers, unleaping, alike, ..Outcome::new(ride) })
    }
}

/// The pace in the other units: how fast the first strand is gone along.
fn alike(pace: Pace, curve: &Curve, timing: Timing) -> Vec<(&'static str, Value)> {
    let length = curve.strands()[0].length();
    let laps = pace.laps(timing.frames, length);
    let mut alike =
        vec![("laps", json!(Fraction::near(laps))), ("speed", json!(laps * length * timing.fps / timing.frames))];
    if laps != 0.0 {
        alike.push(("lap", json!(timing.frames / laps)));
    }
    alike
}

/// What keeps riders from leaping from the end of an open path to its start.
fn unleaping() -> Vec<(&'static str, Value, String)> {
    vec![
        ("end", json!("turns back"), "at the end → turns back".to_owned()),
        ("to", json!(HIDDEN_FROM), format!("seen to → {HIDDEN_FROM} (out of sight while it goes back to the start)")),
        ("end", json!("stops"), "at the end → stops (does not loop)".to_owned()),
    ]
}

/// The part of a path beyond which riders are out of sight where they shall not be seen to leap.
const HIDDEN_FROM: f64 = 0.99;

/// What drives riders over time.
enum Drive {
    Laps(Driven),
    /// Metres per frame.
    Speed(Driven),
    Progress(Driven),
}

/// The parameter that changes over time in place of a steady pace, and what it gives.
fn driver(params: &Params<'_>, timing: Timing) -> Option<(&'static str, Drive)> {
    match params.text("pace").as_str() {
        "laps per loop" => {
            Some(params.driven("laps")).filter(Driven::over_time).map(|laps| ("laps", Drive::Laps(laps)))
        }
        "metres per second" => {
            let speed = Some(params.driven("speed")).filter(Driven::over_time)?;
            Some(("speed", Drive::Speed(speed.times(1.0 / timing.fps, timing.clock()))))
        }
        "progress" => Some(("progress", Drive::Progress(params.driven("progress")))),
        _ => None,
    }
}

/// What closes a ride that is driven: keys and formulas are scaled so that it covers laps that close.
fn driven_offers(ride: &Ride, name: &'static str, given: Option<Value>, timing: Timing) -> OfferMaker {
    let closing = RideClosing::new(ride, Pace::Laps(Fraction::ZERO), timing.frames, timing.fps, String::new());
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

fn pace(params: &Params<'_>, timing: Timing) -> Result<Pace, String> {
    Ok(match params.text("pace").as_str() {
        "frames per lap" => match params.number("lap") {
            0.0 => {
                return Err(
                    "A lap cannot take 0 frames: choose more or fewer, or give the pace as laps per loop.".to_owned()
                );
            }
            lap => Pace::FramesPerLap(lap),
        },
        "metres per second" => Pace::Speed(params.number("speed") / timing.fps),
        "progress" => Pace::Laps(Fraction::ZERO),
        _ => Pace::Laps(params.fraction("laps")),
    })
}

fn spacing(params: &Params<'_>) -> Result<RideSpacing, String> {
    Ok(match params.text("spacing").as_str() {
        "fixed distance" => RideSpacing::Distance(params.number("distance")),
        "at random" => RideSpacing::Random,
        "given places" => RideSpacing::Given(params.numbers("places", 1000.0)?),
        _ => RideSpacing::Even,
    })
}

/// The pace in all three units, from the least to the most where riders differ.
fn facts(ride: &Ride, curve: &Curve, timing: Timing) -> Vec<String> {
    let speed = |seat: &Seat| seat.laps * curve.strands()[seat.strand].length() * timing.fps / timing.frames;
    let laps = range(ride.seats().iter().map(|seat| seat.laps));
    let speeds = range(ride.seats().iter().map(speed));
    if laps == (0.0, 0.0) {
        return vec!["stands still".to_owned()];
    }
    let mut facts = vec![format!("{} laps a loop", worded(laps, 3))];
    if laps.0 * laps.1 > 0.0 {
        let frames = range([laps.0, laps.1].map(|laps| timing.frames / laps.abs()).into_iter());
        facts.push(format!("{} frames a lap", worded(frames, 1)));
    }
    facts.push(format!("{} m/s", worded(speeds, 2)));
    facts
}

fn range(values: impl Iterator<Item = f64>) -> (f64, f64) {
    values.fold((f64::MAX, f64::MIN), |(low, high), value| (low.min(value), high.max(value)))
}

fn worded((low, high): (f64, f64), digits: usize) -> String {
    let plain = |number: f64| {
        let text = format!("{number:.digits$}");
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    };
    let (low, high) = (plain(low), plain(high));
    if low == high { low } else { format!("{low} … {high}") }
}

fn offers(ride: &Ride, pace: Pace, params: &Params<'_>, timing: Timing) -> OfferMaker {
    let closing = RideClosing::new(ride, pace, timing.frames, timing.fps, params.text("laps"));
    Arc::new(move |looks| {
        let worded = |offer: RideOffer| Closing::Value(offer.param, offer.value, offer.text);
        let periods = closing.periods(&looks.alike).into_iter().map(Closing::Period);
        closing.offers(&looks.alike, looks.one).into_iter().map(worded).chain(periods).collect()
    })
}
