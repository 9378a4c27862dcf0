mod offers;

use crate::curve::{Curve, UpRule};
use crate::fraction::Fraction;
use crate::graph::{Context, Maker, Outcome, Timing};
use crate::motion::{Motion, Pace, Ride, RideEnd, RideOffset, RideSpacing, Seat, Sharing};
use crate::scene::{Field, Fields, Given, Numbers, Params, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Role, Schema, Spaces, Unit, Values, choice};
use crate::signal::Driven;
use glam::DVec3;
use offers::{alike, driven_offers, offers, unleaping};
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Things that ride a path.
pub struct RideNode;

choice!(Sharing { ByTurns = "by turns", AtRandom = "at random", ByLength = "by length" });
choice!(RideEnd { Wrap = "goes round", Hold = "stops", TurnBack = "turns back", RunOn = "runs on straight" });

choice! {
    /// Where on the path they begin.
    pub enum Spacing {
        EvenByLength = "even by length",
        FixedDistance = "fixed distance",
        GivenPlaces = "given places",
        AtRandom = "at random",
    }
}

choice! {
    /// Where above and to the right are taken from.
    pub enum Axes {
        Steady = "steady",
        World = "world",
    }
}

choice! {
    /// In which unit the pace is set.
    pub enum PaceBy {
        LapsPerLoop = "laps per loop",
        FramesPerLap = "frames per lap",
        MetresPerSecond = "metres per second",
        Progress = "progress",
    }
}

fields! {
    /// What Ride is told.
    pub struct RideFields {
        riders: usize = Param::whole("riders", Group::Form, (1, 1, 1_000_000), "How many things ride."),
        spacing: Spacing = Param::choice("spacing", Group::Form, Spacing::WORDS, "Where on the path they begin."),
        distance: f64 = Param::number(
            "distance",
            Group::Form,
            (Unit::Metres, 1.0, 1e-4, 1e5),
            "Metres from one to the next along the path.",
        )
        .only_when("spacing", &["fixed distance"]),
        places: Numbers = Param::new(
            "places",
            Group::Form,
            Values::Text { default: "0 0.25 0.5 0.75" },
            "Places in laps, with spaces between; they are used over again for more riders.",
        )
        .only_when("spacing", &["given places"]),
        shared: Sharing = Param::choice(
            "shared",
            Group::Form,
            Sharing::WORDS,
            "How riders are shared among the strands of a path that has several.",
        ),
        along: Driven = offset("ahead", "How far things are ahead of their place, along the path's direction."),
        across: Driven = offset("to the right", "How far things are to the right of the path."),
        up: Driven = offset("above", "How far things are above the path.").only_in(Spaces::Deep),
        axes: Axes = Param::choice("up from", Group::Form, Axes::WORDS, "Where above and to the right are taken from.")
            .only_in(Spaces::Deep),
        pace: PaceBy = Param::choice("pace given as", Group::Time, PaceBy::WORDS, "In which unit the pace is set."),
        laps: Driving<(Fraction, String)> = Param::new(
            "laps per loop",
            Group::Time,
            Values::Fraction { unit: Unit::Laps, default: "1", min: -10_000.0, max: 10_000.0 },
            "How often each thing goes along the whole path in one loop; negative runs backwards.",
        )
        .role(Role::Laps)
        .only_when("pace", &["laps per loop"])
        .over_time(),
        lap: f64 = Param::number(
            "frames per lap",
            Group::Time,
            (Unit::Frames, 120.0, -1e6, 1e6),
            "How many frames one lap takes; negative runs backwards.",
        )
        .only_when("pace", &["frames per lap"]),
        speed: Driving<f64> = Param::number(
            "speed",
            Group::Time,
            (Unit::Speed, 1.0, -1e4, 1e4),
            "Metres that a thing travels in a second; negative runs backwards.",
        )
        .only_when("pace", &["metres per second"])
        .over_time(),
        progress: Driving<f64> = Param::number(
            "progress",
            Group::Time,
            (Unit::Laps, 0.0, -1e5, 1e5),
            "How far along the path things are, in laps; give it keys or a signal.",
        )
        .only_when("pace", &["progress"])
        .per_thing(),
        start: Driven = Param::number(
            "start",
            Group::Time,
            (Unit::Laps, 0.0, -1000.0, 1000.0),
            "Where on the path the first thing begins.",
        )
        .role(Role::Phase)
        .per_thing(),
        end: RideEnd = Param::choice("at the end", Group::Time, RideEnd::WORDS, "What happens where the path ends."),
        from: Driven = Param::number(
            "seen from",
            Group::Time,
            (Unit::Laps, 0.0, 0.0, 1.0),
            "Things are there from this part of the path on.",
        )
        .per_thing(),
        to: Driven = Param::number("seen to", Group::Time, (Unit::Laps, 1.0, 0.0, 1.0), "And to this part of it.")
            .per_thing(),
        shifts: BTreeMap<usize, f64> = Param::new(
            "own places",
            Group::Spread,
            Values::PerThing { unit: Unit::Laps, min: -1000.0, max: 1000.0 },
            "Things that begin off their place; drag their ticks on the Dial.",
        )
        .role(Role::Shifts),
        spread: f64 = Param::number(
            "place",
            Group::Spread,
            (Unit::Laps, 0.0, 0.0, 1.0),
            "How far each thing may lie from its place, to either side.",
        ),
        pace_spread: f64 = Param::number(
            "pace",
            Group::Spread,
            (Unit::Laps, 0.0, 0.0, 1000.0),
            "By how many laps in a loop each may be quicker or slower.",
        ),
        looping: bool = Param::flag(
            "keep it looping",
            Group::Spread,
            true,
            "Rounds each thing's own laps so that it is back at the loop's end.",
        ),
        seed: u64 = Param::whole(
            "seed",
            Group::Spread,
            (1, 0, 1_000_000_000),
            "Another number gives another choice of all that is random.",
        ),
    }
}

const fn offset(label: &'static str, help: &'static str) -> Param {
    Param::number(label, Group::Form, (Unit::Metres, 0.0, -1e4, 1e4), help).per_thing()
}

/// A pace that may change over time.
pub struct Driving<T> {
    /// What it is where it does not.
    fixed: T,
    driven: Driven,
    /// As it stands in the document.
    given: Given,
}

impl<T: Field> Field for Driving<T> {
    fn takes(values: &Values) -> bool {
        T::takes(values) && Driven::takes(values)
    }

    fn of(params: &Params<'_>, name: &str) -> Self {
        Self { fixed: T::of(params, name), driven: Driven::of(params, name), given: Given::of(params, name) }
    }
}

impl Maker for RideNode {
    type Own = RideFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "ride",
            title: "Ride",
            group: "Travel",
            help: "Puts things on a path and drives them along it, at constant speed unless something drives it.",
            inputs: vec![Port::new("path", PortKind::Path, "What they ride on.")],
            output: Some(PortKind::Motion),
            params: RideFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &RideFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (path, timing) = (context.path("path")?, context.timing);
        let curve = path.at(0.0);
        let pace = pace(own, timing)?;
        let end = own.end;
        let flat = timing.space == Space::Flat;
        let rule = match (flat, own.axes == Axes::World) {
            (true, _) => UpRule::Towards(DVec3::Z),
            (_, true) => UpRule::Towards(DVec3::Y),
            _ => UpRule::Steady,
        };
        let offset = RideOffset {
            along: own.along.clone(),
            up: if flat { Driven::Fixed(0.0) } else { own.up.clone() },
            across: own.across.clone(),
            rule,
        };
        let mut ride = Ride::new(path, own.riders, own.laps.fixed.0, timing.frames)
            .paced(pace)
            .starting(own.start.clone())
            .at_end(end)
            .spaced(spacing(own)?)
            .shared(own.shared)
            .shifted(own.shifts.clone())
            .spread(own.spread)
            .pace_spread(own.pace_spread, own.looping)
            .seeded(own.seed)
            .offset(offset)
            .visible(own.from.clone(), own.to.clone());
        let driver = driver(own, timing);
        ride = match &driver {
            Some((_, _, Drive::Laps(laps))) => ride.driven(laps.clone()),
            Some((_, _, Drive::Speed(speed))) => ride.paced(Pace::Speed(0.0)).hurried(speed.clone()),
            Some((_, _, Drive::Progress(progress))) => ride.progressing(progress.clone()),
            None => ride,
        };
        let mut facts = facts(&ride, &curve, timing);
        let returns = matches!(end, RideEnd::Wrap | RideEnd::TurnBack);
        let offers = match &driver {
            None => returns.then(|| offers(&ride, pace, &own.laps.fixed.1, timing)),
            Some((name, given, _)) => {
                facts = vec![format!("{} laps a loop", worded((ride.covered(), ride.covered()), 3))];
                returns.then(|| driven_offers(&ride, name, (*given).clone(), timing))
            }
        };
        let open = curve.strands().iter().any(|strand| !strand.closed());
        let unleaping = if open && matches!(end, RideEnd::Wrap) { unleaping() } else { Vec::new() };
        let alike = if driver.is_none() { alike(pace, &curve, timing) } else { Vec::new() };
        let ride: Arc<dyn Motion> = Arc::new(ride);
        Ok(Outcome { facts, offers, unleaping, alike, ..Outcome::new(ride) })
    }
}

/// What drives riders over time.
enum Drive {
    Laps(Driven),
    /// Metres per frame.
    Speed(Driven),
    Progress(Driven),
}

/// The parameter that changes over time in place of a steady pace, what stands in the document for it, and what it gives.
fn driver(own: &RideFields, timing: Timing) -> Option<(&'static str, &Option<Value>, Drive)> {
    let changing = |driven: &Driven| Some(driven.clone()).filter(Driven::over_time);
    match own.pace {
        PaceBy::LapsPerLoop => {
            changing(&own.laps.driven).map(|laps| (RideFields::laps(), &own.laps.given.0, Drive::Laps(laps)))
        }
        PaceBy::MetresPerSecond => {
            let speed = changing(&own.speed.driven)?.times(1.0 / timing.fps, timing.clock());
            Some((RideFields::speed(), &own.speed.given.0, Drive::Speed(speed)))
        }
        PaceBy::Progress => {
            let progress = Drive::Progress(own.progress.driven.clone());
            Some((RideFields::progress(), &own.progress.given.0, progress))
        }
        PaceBy::FramesPerLap => None,
    }
}

fn pace(own: &RideFields, timing: Timing) -> Result<Pace, String> {
    Ok(match own.pace {
        PaceBy::FramesPerLap if own.lap == 0.0 => {
            return Err(
                "A lap cannot take 0 frames: choose more or fewer, or give the pace as laps per loop.".to_owned()
            );
        }
        PaceBy::FramesPerLap => Pace::FramesPerLap(own.lap),
        PaceBy::MetresPerSecond => Pace::Speed(own.speed.fixed / timing.fps),
        PaceBy::Progress => Pace::Laps(Fraction::ZERO),
        PaceBy::LapsPerLoop => Pace::Laps(own.laps.fixed.0),
    })
}

fn spacing(own: &RideFields) -> Result<RideSpacing, String> {
    Ok(match own.spacing {
        Spacing::FixedDistance => RideSpacing::Distance(own.distance),
        Spacing::AtRandom => RideSpacing::Random,
        Spacing::GivenPlaces => RideSpacing::Given(own.places.within(1000.0)?),
        Spacing::EvenByLength => RideSpacing::Even,
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
