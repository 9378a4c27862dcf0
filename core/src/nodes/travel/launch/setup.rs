//! Throws from what the Card says of them.

use super::OFF;
use super::params::{Aim, Flight, LaunchFields, Off, Order, Stands, Then, Turning};
use crate::graph::{Context, Timing};
use crate::physics::{
    Aimed, Air, Bounds, Changing, LaunchSetup, Obstacle, Scatter, TossSetup, Wanted, aimed, scattered,
    thrown_while_changing,
};
use crate::scene::Space;
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

pub(super) fn thrown(own: &LaunchFields, context: &Context<'_>) -> Result<Thrown, String> {
    let timing = context.timing;
    let count = own.things.max(1);
    let changing = Arc::new(changing(own, timing));
    if own.comes_back() {
        if changing.air_over_time() || changing.air_per_thing() {
            return Err("What comes back is thrown in the same way each time: give gravity, drag and wind as numbers that stay the same.".to_owned());
        }
        let air = changing.at(own.begin, Thing { index: 0, count }).air;
        return to_and_fro(own, context, count, air).map(|setup| Thrown::ToAndFro(Box::new(setup)));
    }
    if changing.air_over_time() && !matches!(own.aim, Aim::Throw | Aim::Time) {
        return Err("While gravity, drag or wind change, a throw can be aimed by landing and time only: choose that, or let them stay the same.".to_owned());
    }
    let base = hindered(own, context, &changing)?;
    let stays = own.aim != Aim::Throw && own.then == Then::Stays;
    let stepped = |index: usize| changing.at(own.begin, Thing { index, count }).air.is_stepped();
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
        let throw = throw(own, context, &base, &changing, thing, &mut known)?;
        let weather = changing.at(throw.frame, thing);
        let way = throw.seconds.unwrap_or(timing.frames / timing.fps);
        let rate = match own.turning {
            Turning::BySpeed => own.spin.at(throw.frame, thing).to_radians(),
            Turning::ByTurns => TAU * own.turns.value() / way,
            Turning::No => 0.0,
        };
        setups.push(LaunchSetup {
            start: throw.start,
            velocity: throw.velocity,
            spin: axis(own, timing) * rate,
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
    if own.gravity.1.fixed().is_some_and(|gravity| gravity < 0.0) {
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
fn changing(own: &LaunchFields, timing: Timing) -> Changing {
    let flat = timing.space == Space::Flat;
    let down = own.down;
    Changing {
        down: (if flat { down.with_z(0.0) } else { down }).normalize_or(DVec3::NEG_Y),
        gravity: own.gravity.1.clone(),
        drag: own.drag.clone(),
        thick_drag: own.thick_drag.clone(),
        wind: own.wind.clone(),
        flat,
        bounciness: own.bounciness.clone(),
        friction: own.friction.clone(),
    }
}

fn axis(own: &LaunchFields, timing: Timing) -> DVec3 {
    if timing.space == Space::Flat { DVec3::Z } else { own.axis.normalize_or(DVec3::Z) }
}

/// All but what differs from thing to thing.
fn hindered(own: &LaunchFields, context: &Context<'_>, changing: &Arc<Changing>) -> Result<LaunchSetup, String> {
    let timing = context.timing;
    let flat = timing.space == Space::Flat;
    let level = |v: DVec3| if flat { v.with_z(0.0) } else { v };
    let size = own.size;
    let (middle, half) = if own.off == Off::Picture {
        (DVec3::ZERO, DVec3::new(timing.picture.width / 2.0, timing.picture.height / 2.0, f64::INFINITY))
    } else {
        let half = own.extent * 0.5;
        (level(own.middle), if flat { half.with_z(f64::INFINITY) } else { half })
    };
    let half = half - DVec3::splat(size);
    let sides = own.sides.clone();
    if sides.iter().any(|side| half[side.axis().0] <= 0.0) {
        return Err("The thing does not fit between the sides: make it smaller or the box larger.".to_owned());
    }
    let rolls = own.rolls;
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
        every: own.again.then_some(timing.frames),
        waits: own.waits,
        life: Some(own.life).filter(|life| *life > 0.0).unwrap_or(f64::INFINITY),
        ..LaunchSetup::free(DVec3::ZERO, DVec3::ZERO, Air::still(DVec3::ZERO))
    })
}

/// Frames from one thing to the next; nothing where they share a time evenly.
fn later(own: &LaunchFields) -> Option<f64> {
    (own.turns_taken == Order::Frames).then_some(own.later)
}

/// Where a thing starts, without spread.
fn place(context: &Context<'_>, parts: &[Driven; 3], thing: Thing, frame: f64) -> DVec3 {
    let place = DVec3::from(parts.each_ref().map(|part: &Driven| part.at(frame, thing)));
    if context.timing.space == Space::Flat { place.with_z(0.0) } else { place }
}

fn start(own: &LaunchFields, context: &Context<'_>, thing: Thing, frame: f64) -> DVec3 {
    let own = place(context, &own.start, thing, frame);
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
    own: &LaunchFields,
    context: &Context<'_>,
    base: &LaunchSetup,
    changing: &Changing,
    thing: Thing,
    known: &mut Option<(DVec3, Aimed)>,
) -> Result<Throw, String> {
    let timing = context.timing;
    let flat = timing.space == Space::Flat;
    let seed = own.seed;
    let each = later(own).unwrap_or(timing.frames / thing.count as f64);
    let late = own.late_spread;
    let scatter = scattered(seed, thing.index as u64, flat);
    let frame = own.begin + each * thing.index as f64 + late * scatter.late;
    let field = on_field(context, &scatter, frame);
    let on = field.map_or(DVec3::ZERO, |touch| touch.point);
    let start = start(own, context, thing, frame) + on + scatter.place * own.place_spread;
    let aim = if own.aim == Aim::Throw {
        let velocity = place(context, &own.velocity, thing, frame);
        let stands = field.filter(|_| !flat && own.stands == Stands::OffField);
        let turn = stands.map_or(DQuat::IDENTITY, |touch| DQuat::from_rotation_arc(DVec3::Y, touch.normal));
        Aimed { velocity: turn * velocity, seconds: 0.0 }
    } else {
        let by = place(context, &own.land, thing, frame) - start;
        let alike = !changing.air_over_time() && !changing.air_per_thing();
        match known.filter(|(before, _)| alike && *before == by) {
            Some((_, aimed)) => aimed,
            None => {
                let air = changing.at(frame, thing).air;
                let aimed = if changing.air_over_time() {
                    let setup = LaunchSetup { start_frame: frame, thing, air, ..base.clone() };
                    landing_while_changing(own, &setup, by)?
                } else {
                    landing(own, timing, &air, by)?
                };
                *known = Some((by, aimed));
                aimed
            }
        }
    };
    let velocity = scatter.velocity(aim.velocity, own.cone.to_radians(), own.speed_spread);
    Ok(Throw { start, velocity, seconds: (aim.seconds > 0.0).then_some(aim.seconds), frame })
}

fn wanted(own: &LaunchFields, timing: Timing) -> Wanted {
    match own.aim {
        Aim::Time => Wanted::Time(own.time / timing.fps),
        Aim::Height => Wanted::Height(own.height),
        Aim::Slope => Wanted::Slope(own.slope.to_radians()),
        Aim::Speed | Aim::Throw => Wanted::Speed(own.speed),
    }
}

/// The throw that lands so far away, of those that there are the one that is chosen.
fn landing(own: &LaunchFields, timing: Timing, air: &Air, by: DVec3) -> Result<Aimed, String> {
    let found = aimed(air, by, wanted(own, timing));
    let chosen = if own.which == Flight::Shorter { found.first() } else { found.last() };
    chosen.copied().ok_or_else(|| {
        let why = match own.aim {
            Aim::Height => "it must rise at least as high as where it lands, and be pulled down",
            Aim::Slope => "leave more steeply than straight at it, and let it be pulled down",
            Aim::Speed if air.gravity != DVec3::ZERO => "let it go faster, or nearer",
            _ => "change what slows it, or the time",
        };
        format!("No throw lands there: {why}.")
    })
}

/// The throw that lands so far away after the time that is given.
fn landing_while_changing(own: &LaunchFields, setup: &LaunchSetup, by: DVec3) -> Result<Aimed, String> {
    let seconds = own.time / setup.fps;
    let found = setup
        .air
        .thrown(by, seconds)
        .or(Some(by / seconds))
        .and_then(|guess| thrown_while_changing(setup, by, seconds, guess));
    let velocity = found.ok_or("No throw lands there: change what slows it, or the time.")?;
    Ok(Aimed { velocity, seconds })
}

fn to_and_fro(own: &LaunchFields, context: &Context<'_>, things: usize, air: Air) -> Result<TossSetup, String> {
    let timing = context.timing;
    let first = Thing { index: 0, count: things };
    let frame = own.begin;
    let places = [start(own, context, first, frame), place(context, &own.land, first, frame)];
    let (aside, held) = (own.aside, own.held / timing.fps);
    if aside != 0.0 && held <= 0.0 {
        return Err("What is caught beside where it leaves must be carried over: hold it for some frames.".to_owned());
    }
    // Outwards, away from the other place; of what is thrown straight up to its right.
    let outwards = (places[0] - places[1]).with_y(0.0).try_normalize().unwrap_or(DVec3::X) * aside;
    let upright = places[0] == places[1];
    let catches = [places[0] + outwards, if upright { places[1] + outwards } else { places[1] - outwards }];
    let (by, back) = (catches[1] - places[0], catches[0] - places[1]);
    let there = landing(own, timing, &air, by)?;
    let back = air.thrown(back, there.seconds).ok_or("No throw comes back from there: let there be less drag.")?;
    let rate = match own.turning {
        Turning::BySpeed => own.spin.at(frame, first) / 360.0 * there.seconds,
        Turning::ByTurns => own.turns.value(),
        Turning::No => 0.0,
    };
    Ok(TossSetup {
        places,
        catches,
        velocities: [there.velocity, back],
        flight: there.seconds,
        held,
        turns: rate,
        axis: axis(own, timing),
        air,
        things,
        later: later(own).filter(|later| *later != 0.0 || things == 1),
        start_frame: frame,
        fps: timing.fps,
    })
}
