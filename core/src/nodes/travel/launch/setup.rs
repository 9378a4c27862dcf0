//! Throws from what the Card says of them.

use super::OFF;
use super::params::{BY_HEIGHT, BY_SLOPE, BY_SPEED, BY_THROW, BY_TIME, COMES_BACK, PICTURE, STANDS, STAYS, TURNS};
use crate::graph::{Context, Timing};
use crate::physics::{
    Aimed, Air, Bounds, Changing, LaunchSetup, Obstacle, Scatter, Side, TossSetup, Wanted, aimed, scattered,
    thrown_while_changing,
};
use crate::scene::{Params, Space};
use crate::signal::{Driven, Thing};
use crate::surface::Touch;
use glam::{DQuat, DVec3};
use std::f64::consts::TAU;
use std::sync::Arc;

/// Seconds of flight of all things together that are worked out in steps.
const MOST_STEPPED: f64 = 2000.0;

/// How things are thrown.
pub(super) enum Thrown {
    /// Away, each by itself; with what is to be said of it.
    On(Vec<LaunchSetup>, Vec<String>),
    /// To another place and back.
    ToAndFro(Box<TossSetup>),
}

/// What a thing is thrown with, before hindrances.
struct Throw {
    start: DVec3,
    velocity: DVec3,
    seconds: Option<f64>,
    frame: f64,
}

pub(super) fn thrown(context: &Context<'_>) -> Result<Thrown, String> {
    let (params, timing) = (&context.params, context.timing);
    let count = usize::try_from(params.whole("things")).unwrap_or(1).max(1);
    let changing = Arc::new(changing(params, timing));
    if comes_back(params) {
        if changing.air_over_time() || changing.air_per_thing() {
            return Err("What comes back is thrown in the same way each time: give gravity, drag and wind as numbers that stay the same.".to_owned());
        }
        let air = changing.at(params.number("begin"), Thing { index: 0, count }).air;
        return to_and_fro(context, count, air).map(|setup| Thrown::ToAndFro(Box::new(setup)));
    }
    if changing.air_over_time() && ![BY_THROW, BY_TIME].contains(&params.text("aim").as_str()) {
        return Err("While gravity, drag or wind change, a throw can be aimed by landing and time only: choose that, or let them stay the same.".to_owned());
    }
    let base = hindered(context, &changing)?;
    let stays = params.text("aim") != BY_THROW && params.text("then") == STAYS;
    let stepped = |index: usize| changing.at(params.number("begin"), Thing { index, count }).air.is_stepped();
    if (changing.over_time() || (0..count).any(stepped)) && count as f64 * timing.frames / timing.fps > MOST_STEPPED {
        return Err(format!(
            "Drag by the square of speed, and numbers that change over time, are worked out in small steps: throw at most {:.0} things in a loop of this length, or use drag by speed and numbers that stay the same.",
            (MOST_STEPPED * timing.fps / timing.frames).floor().max(1.0)
        ));
    }
    let mut setups = Vec::with_capacity(count);
    // Things that are thrown alike are aimed once.
    let mut known = None;
    for index in 0..count {
        let thing = Thing { index, count };
        let throw = throw(context, &base, &changing, thing, &mut known)?;
        let weather = changing.at(throw.frame, thing);
        let turns = params.fraction("turns").value();
        let way = throw.seconds.unwrap_or(timing.frames / timing.fps);
        let rate = match params.text("turning") {
            by if by == TURNS[1] => params.driven("spin").at(throw.frame, thing).to_radians(),
            by if by == TURNS[2] => TAU * turns / way,
            _ => 0.0,
        };
        setups.push(LaunchSetup {
            start: throw.start,
            velocity: throw.velocity,
            spin: axis(params, timing) * rate,
            start_frame: throw.frame,
            stays: throw.seconds.filter(|_| stays),
            air: weather.air,
            bounciness: weather.bounciness,
            friction: weather.friction,
            thing,
            ..base.clone()
        });
    }
    let mut warnings = warnings(&setups);
    if params.driven("gravity").fixed().is_some_and(|gravity| gravity < 0.0) {
        warnings.push(
            "Gravity is below 0 and pulls against \"down\": give it above 0, or turn \"down\" round if that is wanted."
                .to_owned(),
        );
    }
    Ok(Thrown::On(setups, warnings))
}

fn warnings(setups: &[LaunchSetup]) -> Vec<String> {
    let mut warnings = Vec::new();
    let outside = |setup: &LaunchSetup| setup.sides.iter().any(|side| setup.bounds.beyond(*side, setup.start) > 0.0);
    if setups.iter().any(outside) {
        warnings.push("It starts outside the sides it should bounce off: move the start inside.".to_owned());
    }
    let within = |setup: &LaunchSetup| {
        setup
            .obstacles
            .iter()
            .find(|other| other.surface.distance(setup.start).0.abs() < setup.radius)
            .map(|other| other.name.clone())
    };
    if let Some(name) = setups.iter().find_map(within) {
        warnings.push(format!(
            "It touches the {name} before it is let go, so that it may pass through it: move the start away by its radius."
        ));
    }
    warnings
}

/// What acts on it and how it bounces, as it is given.
fn changing(params: &Params<'_>, timing: Timing) -> Changing {
    let flat = timing.space == Space::Flat;
    let down = params.vector("down");
    Changing {
        down: (if flat { down.with_z(0.0) } else { down }).normalize_or(DVec3::NEG_Y),
        gravity: params.driven("gravity"),
        drag: params.driven("drag"),
        thick_drag: params.driven("thick-drag"),
        wind: params.driven_vector("wind"),
        flat,
        bounciness: params.driven("bounciness"),
        friction: params.driven("friction"),
    }
}

fn axis(params: &Params<'_>, timing: Timing) -> DVec3 {
    if timing.space == Space::Flat { DVec3::Z } else { params.vector("axis").normalize_or(DVec3::Z) }
}

/// All but what differs from thing to thing.
fn hindered(context: &Context<'_>, changing: &Arc<Changing>) -> Result<LaunchSetup, String> {
    let (params, timing) = (&context.params, context.timing);
    let flat = timing.space == Space::Flat;
    let level = |v: DVec3| if flat { v.with_z(0.0) } else { v };
    let size = params.number("size");
    let (middle, half) = if params.text("off") == PICTURE {
        (DVec3::ZERO, DVec3::new(timing.picture.width / 2.0, timing.picture.height / 2.0, f64::INFINITY))
    } else {
        let half = params.vector("extent") * 0.5;
        (level(params.vector("middle")), if flat { half.with_z(f64::INFINITY) } else { half })
    };
    let half = half - DVec3::splat(size);
    let chosen = params.several("sides");
    let sides: Vec<Side> = Side::ALL.into_iter().filter(|side| chosen.iter().any(|name| name == side.name())).collect();
    if sides.iter().any(|side| half[side.axis().0] <= 0.0) {
        return Err("The thing does not fit between the sides: make it smaller or the box larger.".to_owned());
    }
    let rolls = params.flag("rolls");
    if rolls && size == 0.0 {
        return Err("Friction can only turn a thing that has a size: give it a radius above 0.".to_owned());
    }
    let mut obstacles = Vec::new();
    for port in OFF {
        let Some(ground) = context.ground_if_any(port) else { continue };
        let Some(surface) = ground.unmoving() else {
            return Err(format!("The surface at the port \"{port}\" moves: throw things against one that stands."));
        };
        obstacles.push(Obstacle { surface: surface.clone(), name: port.to_owned() });
    }
    Ok(LaunchSetup {
        bounds: Bounds { min: middle - half, max: middle + half },
        sides,
        obstacles: Arc::new(obstacles),
        radius: size,
        rolling_radius: if rolls { size } else { 0.0 },
        changing: changing.over_time().then(|| changing.clone()),
        fps: timing.fps,
        every: params.flag("again").then_some(timing.frames),
        waits: params.flag("waits"),
        life: Some(params.number("life")).filter(|life| *life > 0.0).unwrap_or(f64::INFINITY),
        ..LaunchSetup::free(DVec3::ZERO, DVec3::ZERO, Air::still(DVec3::ZERO))
    })
}

/// Frames from one thing to the next; nothing where they share a time evenly.
fn later(params: &Params<'_>) -> Option<f64> {
    (params.text("turns-taken") == "by frames").then(|| params.number("later"))
}

/// Where a thing starts, without spread.
fn place(context: &Context<'_>, name: &str, thing: Thing, frame: f64) -> DVec3 {
    let parts = context.params.driven_vector(name);
    let place = DVec3::from(parts.each_ref().map(|part: &Driven| part.at(frame, thing)));
    if context.timing.space == Space::Flat { place.with_z(0.0) } else { place }
}

fn start(context: &Context<'_>, thing: Thing, frame: f64) -> DVec3 {
    let own = place(context, "start", thing, frame);
    match context.path_if_any("path") {
        Some(path) => {
            let curve = path.at(frame);
            let strand = &curve.strands()[0];
            let gaps = if strand.closed() { thing.count } else { thing.count.max(2) - 1 };
            own + strand.at(strand.length() * thing.index as f64 / gaps as f64).point
        }
        None => own,
    }
}

/// Where a thing starts on the field, if there is one, and up there.
fn on_field(context: &Context<'_>, scatter: &Scatter, frame: f64) -> Option<Touch> {
    let touch = context.ground_if_any("field")?.at(frame).spread(scatter.field);
    let flat = context.timing.space == Space::Flat;
    Some(if flat { Touch { point: touch.point.with_z(0.0), ..touch } } else { touch })
}

fn throw(
    context: &Context<'_>,
    base: &LaunchSetup,
    changing: &Changing,
    thing: Thing,
    known: &mut Option<(DVec3, Aimed)>,
) -> Result<Throw, String> {
    let (params, timing) = (&context.params, context.timing);
    let flat = timing.space == Space::Flat;
    let seed = params.whole("seed").unsigned_abs();
    let each = later(params).unwrap_or(timing.frames / thing.count as f64);
    let late = params.number("late-spread");
    let scatter = scattered(seed, thing.index as u64, flat);
    let frame = params.number("begin") + each * thing.index as f64 + late * scatter.late;
    let field = on_field(context, &scatter, frame);
    let on = field.map_or(DVec3::ZERO, |touch| touch.point);
    let start = start(context, thing, frame) + on + scatter.place * params.number("place-spread");
    let aim = if params.text("aim") == BY_THROW {
        let velocity = place(context, "velocity", thing, frame);
        let stands = field.filter(|_| !flat && params.text("stands") == STANDS[1]);
        let turn = stands.map_or(DQuat::IDENTITY, |touch| DQuat::from_rotation_arc(DVec3::Y, touch.normal));
        Aimed { velocity: turn * velocity, seconds: 0.0 }
    } else {
        let by = place(context, "land", thing, frame) - start;
        let alike = !changing.air_over_time() && !changing.air_per_thing();
        match known.filter(|(before, _)| alike && *before == by) {
            Some((_, aimed)) => aimed,
            None => {
                let air = changing.at(frame, thing).air;
                let aimed = if changing.air_over_time() {
                    let setup = LaunchSetup { start_frame: frame, thing, air, ..base.clone() };
                    landing_while_changing(params, &setup, by)?
                } else {
                    landing(params, timing, &air, by)?
                };
                *known = Some((by, aimed));
                aimed
            }
        }
    };
    let velocity = scatter.velocity(aim.velocity, params.number("cone").to_radians(), params.number("speed-spread"));
    Ok(Throw { start, velocity, seconds: (aim.seconds > 0.0).then_some(aim.seconds), frame })
}

fn wanted(params: &Params<'_>, timing: Timing) -> Wanted {
    match params.text("aim") {
        by if by == BY_TIME => Wanted::Time(params.number("time") / timing.fps),
        by if by == BY_HEIGHT => Wanted::Height(params.number("height")),
        by if by == BY_SLOPE => Wanted::Slope(params.number("slope").to_radians()),
        _ => Wanted::Speed(params.number("speed")),
    }
}

/// The throw that lands so far away, of those that there are the one that is chosen.
fn landing(params: &Params<'_>, timing: Timing, air: &Air, by: DVec3) -> Result<Aimed, String> {
    let found = aimed(air, by, wanted(params, timing));
    let chosen = if params.text("which") == "the shorter" { found.first() } else { found.last() };
    chosen.copied().ok_or_else(|| {
        let why = match params.text("aim") {
            aim if aim == BY_HEIGHT => "it must rise at least as high as where it lands, and be pulled down",
            aim if aim == BY_SLOPE => "leave more steeply than straight at it, and let it be pulled down",
            aim if aim == BY_SPEED && air.gravity != DVec3::ZERO => "let it go faster, or nearer",
            _ => "change what slows it, or the time",
        };
        format!("No throw lands there: {why}.")
    })
}

/// The throw that lands so far away after the time that is given.
fn landing_while_changing(params: &Params<'_>, setup: &LaunchSetup, by: DVec3) -> Result<Aimed, String> {
    let seconds = params.number("time") / setup.fps;
    let found = setup
        .air
        .thrown(by, seconds)
        .or(Some(by / seconds))
        .and_then(|guess| thrown_while_changing(setup, by, seconds, guess));
    let velocity = found.ok_or("No throw lands there: change what slows it, or the time.")?;
    Ok(Aimed { velocity, seconds })
}

/// Whether it is thrown to and fro.
pub(super) fn comes_back(params: &Params<'_>) -> bool {
    params.text("aim") != BY_THROW && params.text("then") == COMES_BACK
}

fn to_and_fro(context: &Context<'_>, things: usize, air: Air) -> Result<TossSetup, String> {
    let (params, timing) = (&context.params, context.timing);
    let first = Thing { index: 0, count: things };
    let frame = params.number("begin");
    let places = [start(context, first, frame), place(context, "land", first, frame)];
    let (aside, held) = (params.number("aside"), params.number("held") / timing.fps);
    if aside != 0.0 && held <= 0.0 {
        return Err("What is caught beside where it leaves must be carried over: hold it for some frames.".to_owned());
    }
    // Outwards, away from the other place; of what is thrown straight up to its right.
    let outwards = (places[0] - places[1]).with_y(0.0).try_normalize().unwrap_or(DVec3::X) * aside;
    let upright = places[0] == places[1];
    let catches = [places[0] + outwards, if upright { places[1] + outwards } else { places[1] - outwards }];
    let (by, back) = (catches[1] - places[0], catches[0] - places[1]);
    let there = landing(params, timing, &air, by)?;
    let back = air.thrown(back, there.seconds).ok_or("No throw comes back from there: let there be less drag.")?;
    let rate = match params.text("turning") {
        by if by == TURNS[1] => params.driven("spin").at(frame, first) / 360.0 * there.seconds,
        by if by == TURNS[2] => params.fraction("turns").value(),
        _ => 0.0,
    };
    Ok(TossSetup {
        places,
        catches,
        velocities: [there.velocity, back],
        flight: there.seconds,
        held,
        turns: rate,
        axis: axis(params, timing),
        air,
        things,
        later: later(params).filter(|later| *later != 0.0 || things == 1),
        start_frame: frame,
        fps: timing.fps,
    })
}
