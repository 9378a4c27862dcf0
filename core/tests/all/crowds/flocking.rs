//! Flocks: what they heed, what they never do, and that they are the same everywhere.

use crate::cases::cases;
use glam::{DQuat, DVec3, Vec3};
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::crowd::{
    Chase, Flock, FlockSetup, Grid, Level, Near, Rules, Scatter, ScatteredIn, Side, Start, Surroundings, Wind,
    WishesOverTime, scattered,
};
use zickzack_core::curve::{Curve, Path, Segment, Strand};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{Cancel, Columns, Earlier, Kept, Motion, Ride, Sample, record};
use zickzack_core::noise::LoopingNoise;
use zickzack_core::seam::{Closed, Closing, measure};
use zickzack_core::signal::Driven;
use zickzack_core::surface::{Shape, Surface};

const FPS: f64 = 24.0;
const SIZE: f64 = 0.25;

fn setup() -> FlockSetup {
    FlockSetup {
        rules: Rules {
            sight: 8.0,
            heeds: 7,
            view: -0.7,
            apart: 3.0,
            closest: 0.0,
            ease: 10.0,
            speeds: (5.0, 20.0),
            reaction: 0.3,
            acceleration: 120.0,
            turning: 4.0,
            own_kind: false,
            level: Level::Free,
            seed: 5,
        },
        size: SIZE,
        steps: 1,
        from: 0.0,
        fps: FPS,
        chase: Chase { in_turn: false, reach: f32::INFINITY, behind: 3.0, overtakes: true },
        tube: 3.0,
        wind: Wind { noise: LoopingNoise { seed: 5, size: 12.0, pace: 4.0, octaves: 1 }, frames: 96.0 },
        off: 4.0,
    }
}

fn wishes() -> WishesOverTime {
    let of = Driven::Fixed;
    WishesOverTime {
        separation: of(1.5),
        alignment: of(1.0),
        cohesion: of(1.0),
        kinds: of(0.0),
        others: of(2.0),
        along: of(1.0),
        pull: of(1.0),
        swirl: of(0.0),
        turbulence: of(0.0),
    }
}

/// So many in a ball, metres, each its own way.
fn begin(count: usize, width: f64, seed: u64) -> Vec<Start> {
    let room = ScatteredIn {
        kind: Scatter::Ball,
        middle: DVec3::new(3.0, 1.0, -2.0),
        extent: DVec3::splat(width),
        curve: None,
        radius: 0.0,
        surface: None,
    };
    scattered(count, &room, DVec3::ZERO, 10.0 * SIZE, (Level::Free, seed))
}

/// All frames, the first included.
fn flown(flock: &mut Flock, frames: usize) -> Vec<Arc<Kept>> {
    record(flock, (0.0, frames), &[], &Cancel::default(), &mut |_| ()).frames
}

/// Places and velocities at a frame: metres, and metres per frame.
fn at(kept: &Kept) -> Vec<(Vec3, Vec3)> {
    let one = |numbers: [f32; 10]| (Vec3::from_slice(&numbers[..3]), Vec3::from_slice(&numbers[7..]));
    kept.rows.iter().map(|row| one(row.numbers())).collect()
}

fn closest(kept: &Kept) -> f32 {
    let all = at(kept);
    let pairs = (0..all.len()).flat_map(|i| (0..i).map(move |j| (i, j)));
    pairs.map(|(i, j)| all[i].0.distance(all[j].0)).fold(f32::INFINITY, f32::min)
}

/// The length of the mean heading.
fn order(kept: &Kept) -> f32 {
    let all = at(kept);
    all.iter().map(|(_, velocity)| velocity.normalize_or_zero()).sum::<Vec3>().length() / all.len() as f32
}

/// Places in clouds, on top of each other, in a plane, and far away.
fn places() -> impl Strategy<Value = Vec<Vec3>> {
    let place = |width: f32| [-width..width, -width..width, -width..width].prop_map(Vec3::from_array);
    let on_a_grid = [0..4i32, 0..4, 0..4].prop_map(|at| Vec3::from_array(at.map(|x| x as f32)));
    let flat = place(5.0).prop_map(|at| at.with_z(0.0));
    let one = prop_oneof![8 => place(4.0), 4 => on_a_grid, 2 => flat, 1 => place(1e5), 1 => Just(Vec3::ONE)];
    prop_oneof![prop::collection::vec(one, 1..120), prop::collection::vec(place(3.0), 200..600)]
}

proptest! {
    #![proptest_config(cases(200))]

    #[test]
    fn the_grid_finds_what_comparing_with_all_finds(
        places in places(), asked in [-6.0..6.0f32, -6.0..6.0, -6.0..6.0], among in any::<bool>(), which: prop::sample::Index,
        reach in prop_oneof![0.1..20.0f32, Just(f32::INFINITY)], most in 0..12usize, way in [-1.0..1.0f32, -1.0..1.0, -1.0..1.0],
    ) {
        let at = if among { places[which.index(places.len())] } else { Vec3::from_array(asked) };
        let way = Vec3::from_array(way);
        let counts = |near: &Near| near.to.dot(way) >= -0.2 * near.squared.sqrt();
        let all = |reach: f32| {
            let near = |(i, place): (usize, &Vec3)| Near { index: i as u32, to: *place - at, squared: (*place - at).length_squared() };
            let mut all: Vec<Near> = places.iter().enumerate().map(near).filter(|near| near.squared <= reach * reach).collect();
            all.sort_by(|a, b| a.squared.total_cmp(&b.squared).then(a.index.cmp(&b.index)));
            all
        };
        let grid = Grid::of(&places, reach);
        let mut found = vec![Near { index: 0, to: at, squared: 0.0 }];
        grid.nearest(at, (reach, most), counts, &mut found);
        let expected: Vec<Near> = all(reach).into_iter().filter(counts).take(most).collect();
        prop_assert_eq!(&found, &expected);
        let reach = reach.min(7.0);
        let mut within = Vec::new();
        grid.within(at, reach, |near| within.push(near));
        within.sort_by(|a, b| a.squared.total_cmp(&b.squared).then(a.index.cmp(&b.index)));
        prop_assert_eq!(within, all(reach));
    }
}

/// Wishes and rules of all kinds.
fn any_flock() -> impl Strategy<Value = (FlockSetup, WishesOverTime, Vec<Start>)> {
    let rules = (0.5..20.0f32, 0..12usize, -1.0..1.0f32, 0.0..6.0f32, 1.0..30.0f32, 0.0..1.0f32);
    let pace = (1.0..3.0f32, 0.05..2.0f32, 0.2..20.0f32, 1..4usize);
    let strong = prop::array::uniform4(-1.0..4.0f64);
    let many = (2..40usize, 0.2..8.0f64, any::<u64>());
    (rules, pace, strong, many).prop_map(
        |((sight, heeds, view, apart, ease, least), pace, strong, (n, width, seed))| {
            let (most, reaction, turning, steps) = pace;
            let mut setup = setup();
            let speeds = (ease * least, ease * most);
            let acceleration = 2.0 * ease * most / reaction;
            let rules =
                Rules { sight, heeds, view, apart, ease, speeds, reaction, acceleration, turning, seed, ..setup.rules };
            setup = FlockSetup { rules, steps, ..setup };
            let [separation, alignment, cohesion, turbulence] = strong.map(Driven::Fixed);
            (setup, WishesOverTime { separation, alignment, cohesion, turbulence, ..wishes() }, begin(n, width, seed))
        },
    )
}

proptest! {
    #![proptest_config(cases(60))]

    #[test]
    fn none_is_slower_quicker_or_turns_faster_than_it_may((setup, wishes, starts) in any_flock()) {
        let rules = setup.rules.clone();
        let frames = flown(&mut Flock::new(setup.clone(), wishes, Surroundings::default(), starts), 24);
        let per_second = (FPS / SIZE) as f32;
        for pair in frames.windows(2) {
            for ((place, before), (next, after)) in at(&pair[0]).into_iter().zip(at(&pair[1])) {
                let speed = after.length() * per_second;
                prop_assert!(speed >= rules.speeds.0 * (1.0 - 1e-5) && speed <= rules.speeds.1 * (1.0 + 1e-5), "{speed} {rules:?}");
                prop_assert!((next - place).length() * per_second <= rules.speeds.1 * (1.0 + 1e-3));
                if before.length() * per_second > 1e-3 && speed > 1e-3 {
                    let turned = before.normalize().dot(after.normalize()).clamp(-1.0, 1.0);
                    let most = f64::from(rules.turning) / FPS;
                    prop_assert!(f64::from(turned) >= libm::cos(most.min(std::f64::consts::PI)) - 1e-5, "{turned} {most}");
                }
            }
        }
    }

    #[test]
    fn no_two_come_closer_than_they_may((mut setup, wishes, starts) in any_flock(), wanted in 0.2..3.0f32) {
        setup.rules.closest = wanted;
        let mut flock = Flock::new(setup.clone(), wishes, Surroundings::default(), starts);
        let first = flock.closest();
        let least = (first.min(wanted) * SIZE as f32) * (1.0 - 1e-4);
        for (i, kept) in flown(&mut flock, 48).iter().enumerate() {
            prop_assert!(closest(kept) >= least, "{} at {i}: {least} from {first} of {wanted}", closest(kept));
        }
    }

    #[test]
    fn twice_as_large_it_is_twice_as_far_bit_for_bit((mut setup, wishes, starts) in any_flock(), times in -3..4i32, near: bool) {
        setup.rules.closest = if near { 1.0 } else { 0.0 };
        let by = libm::ldexp(1.0, times);
        let larger: Vec<Start> =
            starts.iter().map(|start| Start { place: start.place * by, velocity: start.velocity * by, ..*start }).collect();
        let large = FlockSetup { size: setup.size * by, ..setup.clone() };
        let small = flown(&mut Flock::new(setup, wishes.clone(), Surroundings::default(), starts), 12);
        let large = flown(&mut Flock::new(large, wishes, Surroundings::default(), larger), 12);
        for (small, large) in small.iter().zip(&large) {
            let scaled: Vec<_> = at(small).into_iter().map(|(p, v)| (p * by as f32, v * by as f32)).collect();
            prop_assert_eq!(scaled, at(large));
        }
    }

    #[test]
    fn workers_and_where_it_is_gone_on_from_change_no_bit((mut setup, wishes, starts) in any_flock(), stopped in 1..20usize) {
        setup.rules.closest = 0.8;
        let new = || Flock::new(setup.clone(), wishes.clone(), Surroundings::default(), starts.clone());
        let with = |workers: usize| {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(workers).build().unwrap();
            pool.install(|| flown(&mut new(), 24))
        };
        let one = with(1);
        for workers in [2, 8] {
            let same = with(workers).iter().zip(&one).all(|(a, b)| a == b);
            prop_assert!(same, "{} workers", workers);
        }
        let part = record(&mut new(), (0.0, stopped), &[], &Cancel::default(), &mut |_| ());
        let earlier = [Earlier { take: Arc::new(part), same: false }];
        let onward = record(&mut new(), (0.0, 24), &earlier, &Cancel::default(), &mut |_| ());
        prop_assert!(onward.frames.iter().zip(&one).all(|(a, b)| a == b));
    }
}

/// One step worked out otherwise: in double precision, every thing against every other.
#[test]
fn a_step_is_what_the_rules_say_worked_out_with_all_against_all() {
    let mut setup = setup();
    setup.rules.own_kind = true;
    let mut starts = begin(300, 6.0, 3);
    starts.iter_mut().enumerate().for_each(|(i, start)| start.kind = (i % 3) as u16);
    let wishes = WishesOverTime { kinds: Driven::Fixed(0.7), ..wishes() };
    let frames = flown(&mut Flock::new(setup.clone(), wishes, Surroundings::default(), starts.clone()), 2);
    let rules = &setup.rules;
    let [sight, view, apart, ease] = [rules.sight, rules.view, rules.apart, rules.ease].map(f64::from);
    let (places, velocities): (Vec<DVec3>, Vec<DVec3>) =
        starts.iter().map(|start| (start.place / SIZE, start.velocity / SIZE)).unzip();
    let dt = 1.0 / FPS;
    let mut different = 0;
    for (me, (_, velocity)) in at(&frames[1]).into_iter().enumerate() {
        let (p, v) = (places[me], velocities[me]);
        let heading = v.normalize();
        let mut seen: Vec<(f64, usize)> = (0..places.len())
            .filter(|other| *other != me)
            .map(|other| (p.distance(places[other]), other))
            .filter(|&(d, other)| d <= sight && heading.dot(places[other] - p) >= view * d)
            .collect();
        seen.sort_by(|a, b| a.0.total_cmp(&b.0));
        seen.truncate(rules.heeds);
        let mut wish = heading * (ease - v.length());
        let mut with = Vec::new();
        for &(d, other) in &seen {
            let away = (p - places[other]) / d;
            wish += away * (1.0 - d / apart).max(0.0) * 1.5 * ease;
            if starts[me].kind == starts[other].kind {
                with.push(other);
            } else {
                wish += away * (1.0 - d / sight).max(0.0) * 0.7 * ease;
            }
        }
        if !with.is_empty() {
            let mean = |of: &[DVec3]| with.iter().map(|&other| of[other]).sum::<DVec3>() / with.len() as f64;
            wish += mean(&velocities) - v + (mean(&places) - p) / sight * ease;
        }
        let change = (wish / f64::from(rules.reaction)).clamp_length_max(f64::from(rules.acceleration));
        let wanted = v + change * dt;
        let most = f64::from(rules.turning) * dt;
        let angle = libm::acos(heading.dot(wanted.normalize()).clamp(-1.0, 1.0));
        let aside = (wanted - heading * wanted.dot(heading)).normalize();
        let turned = angle.min(most);
        let new = heading * libm::cos(turned) + aside * libm::sin(turned);
        let speed = wanted.dot(new).clamp(f64::from(rules.speeds.0), f64::from(rules.speeds.1));
        let expected = new * speed * (SIZE / FPS);
        // At the rim of what is seen, rounding may take one neighbour for another.
        different += usize::from(velocity.as_dvec3().distance(expected) > 1e-4 * speed * SIZE / FPS);
    }
    assert!(different <= 1, "{different} of 300");
}

#[test]
fn a_calm_shoal_flies_one_way_and_turbulence_makes_it_a_restless_cloud() {
    let ordered = |turbulence: f64, seed: u64| {
        let wishes = WishesOverTime { turbulence: Driven::Fixed(turbulence), ..wishes() };
        let mut setup = setup();
        setup.rules.closest = 1.0;
        // From all over one half of all ways: they find to one.
        let way = |start: Start| Start { velocity: (start.velocity + DVec3::X * 10.0 * SIZE) * 0.7, ..start };
        let starts = begin(200, 5.2, seed).into_iter().map(way).collect();
        let frames = flown(&mut Flock::new(setup, wishes, Surroundings::default(), starts), 160);
        let late = &frames[110..];
        (order(&frames[0]), late.iter().map(|kept| order(kept)).sum::<f32>() / late.len() as f32)
    };
    for seed in [11, 12] {
        assert!(ordered(0.0, seed).0 < 0.8, "{}", ordered(0.0, seed).0);
        let orders: Vec<f32> = [0.0, 1.0, 4.0].into_iter().map(|blown| ordered(blown, seed).1).collect();
        assert!(orders[0] > 0.95 && orders[2] < 0.3, "{orders:?}");
        assert!(orders.windows(2).all(|pair| pair[1] < pair[0] + 0.02), "{orders:?}");
    }
}

/// A level circle, two metres up.
fn circle(radius: f64) -> Path {
    let segment = Segment::circle(DVec3::new(0.0, 2.0, 0.0), radius, DVec3::X, DVec3::Z);
    Path::still(Curve::from(Strand::new(vec![segment], true).expect("a circle")))
}

/// Going round a circle so many metres wide once in 240 frames.
fn leader(width: f64, leads: usize) -> Arc<dyn Motion> {
    Arc::new(Ride::new(circle(0.5 * width), leads, Fraction::whole(1).expect("one"), 240.0))
}

#[test]
fn a_leader_is_followed_and_not_overtaken_where_it_may_not_be() {
    let mut setup = setup();
    setup.chase.overtakes = false;
    setup.rules.closest = 1.0;
    let lead = leader(8.0, 1);
    let starts = begin(80, 4.0, 2);
    let round = Surroundings { leads: Some(lead.clone()), ..Surroundings::default() };
    let mut flock = Flock::new(setup, wishes(), round, starts);
    let frames = flown(&mut flock, 240);
    let mut sample = Sample::default();
    let mut ahead_before: Vec<f64> = Vec::new();
    let mut followed = 0;
    for (frame, kept) in frames.iter().enumerate() {
        lead.sample(frame as f64, Columns::POSITION | Columns::TRAVEL, &mut sample);
        let (place, way) = (sample.positions[0], sample.travels[0]);
        let ahead: Vec<f64> = at(kept).into_iter().map(|(bird, _)| (bird.as_dvec3() - place).dot(way) / SIZE).collect();
        let near: Vec<bool> =
            at(kept).into_iter().map(|(bird, _)| bird.as_dvec3().distance(place) / SIZE <= 5.0).collect();
        for (bird, (now, before)) in ahead.iter().zip(&ahead_before).enumerate() {
            assert!(!(near[bird] && *before <= -1e-3 && *now > 1e-2), "thing {bird} at frame {frame}: {before} {now}");
        }
        if frame == 200 {
            followed = at(kept).iter().filter(|(bird, _)| bird.as_dvec3().distance(place) / SIZE < 12.0).count();
        }
        ahead_before = ahead;
    }
    assert!(followed > 70, "{followed} of 80 are with their leader");
}

#[test]
fn along_a_path_they_are_in_its_tube_and_get_on() {
    let mut setup = setup();
    setup.rules.closest = 1.0;
    let round = Surroundings { path: Some(circle(6.0)), ..Surroundings::default() };
    let mut flock = Flock::new(setup, wishes(), round, begin(100, 6.0, 4));
    let frames = flown(&mut flock, 240);
    let late = at(&frames[239]);
    let off = |(place, _): &(Vec3, Vec3)| {
        let level = libm::hypot(f64::from(place.x), f64::from(place.z)) - 6.0;
        libm::hypot(level, f64::from(place.y) - 2.0) / SIZE
    };
    let within = late.iter().filter(|bird| off(bird) < 6.0).count();
    assert!(within > 90, "{within} of 100");
    let round_it = |(place, velocity): &(Vec3, Vec3)| place.cross(*velocity).y;
    let signs = late.iter().filter(|bird| round_it(bird) > 0.0).count();
    assert!(!(5..=95).contains(&signs), "{signs} of 100 one way");
}

fn ball(radius: f64, at: DVec3) -> Surface {
    Surface::new(Arc::new(Shape::Ball { radius }), at, DQuat::IDENTITY)
}

#[test]
fn surfaces_are_not_gone_through() {
    let mut setup = setup();
    setup.rules.closest = 0.9;
    let (bounds, obstacle) = (ball(5.0, DVec3::new(3.0, 1.0, -2.0)), ball(1.5, DVec3::new(6.0, 1.0, -2.0)));
    let side = |surface: &Surface, within| Side { surface: surface.clone(), within };
    let round = Surroundings { sides: vec![side(&bounds, true), side(&obstacle, false)], ..Surroundings::default() };
    let starts: Vec<Start> = begin(200, 4.0, 9)
        .into_iter()
        .filter(|start| obstacle.distance(start.place).0 > SIZE && bounds.distance(start.place).0 < -SIZE)
        .collect();
    let mut flock = Flock::new(setup, wishes(), round, starts);
    assert_eq!(flock.astray(), 0);
    for (frame, kept) in flown(&mut flock, 240).iter().enumerate() {
        for (place, _) in at(kept) {
            let place = place.as_dvec3();
            let half = 0.5 * SIZE - 1e-4;
            assert!(bounds.distance(place).0 <= -half && obstacle.distance(place).0 >= half, "{place} at {frame}");
        }
    }
}

#[test]
fn what_begins_in_one_place_parts_and_what_lacks_room_says_how_close_it_is() {
    let one = Start { place: DVec3::ONE, velocity: DVec3::X, orientation: DQuat::IDENTITY, scale: 1.0, kind: 0 };
    let mut setup = setup();
    setup.rules.closest = 1.0;
    let mut flock = Flock::new(setup, wishes(), Surroundings::default(), vec![one; 60]);
    let frames = flown(&mut flock, 96);
    assert!(at(&frames[95]).iter().all(|(place, velocity)| place.is_finite() && velocity.is_finite()));
    assert!(f64::from(closest(&frames[95])) > 0.5 * SIZE, "{}", closest(&frames[95]));
}

/// The 95th of a hundred.
fn most(mut steps: Vec<f64>) -> f64 {
    steps.sort_by(f64::total_cmp);
    steps[steps.len() * 95 / 100]
}

#[test]
fn a_flock_behind_a_leader_closes_by_an_overlap_that_nobody_sees() {
    let (frames, overlap) = (240.0, 48.0);
    let mut setup = setup();
    setup.rules.closest = 1.0;
    setup.from = -48.0;
    let round = Surroundings { leads: Some(leader(8.0, 1)), ..Surroundings::default() };
    let mut flock = Flock::new(setup, wishes(), round, begin(120, 4.0, 8));
    let take = record(&mut flock, (-48.0, 360), &[], &Cancel::default(), &mut |_| ());
    let recorded: Arc<dyn Motion> = Arc::new(take.recording().unwrap());
    let closed = Closed::new(&recorded, frames, Closing::Blend(overlap), true, &Cancel::default()).unwrap();
    assert_eq!(closed.guessed(), 0);
    let closed: Arc<dyn Motion> = Arc::new(closed);
    let seam = measure(&closed, frames, FPS, &Cancel::default()).unwrap();
    assert!(seam.meets(1e-9), "{:?}", seam.position);
    let (mut here, mut next) = (Sample::default(), Sample::default());
    let mut steps = |from: f64, to: f64| {
        let mut all = Vec::new();
        let mut frame = from;
        while frame < to {
            closed.sample(frame, Columns::VELOCITY, &mut here);
            closed.sample(frame + 1.0, Columns::VELOCITY, &mut next);
            all.extend(here.velocities.iter().zip(&next.velocities).map(|(a, b)| a.distance(*b)));
            frame += 1.0;
        }
        most(all)
    };
    let (within, outside) = (steps(0.0, overlap), steps(overlap, frames - 1.0));
    assert!(within <= 1.2 * outside, "{within} within the overlap, {outside} outside");
}
