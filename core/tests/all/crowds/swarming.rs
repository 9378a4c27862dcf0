//! Swarms against what they are defined by: bins, distances, slopes.

use glam::DVec3;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::sync::Arc;
use zickzack_core::crowd::{Filling, Fresh, From, Outlines, Room, Stream, Tube};
use zickzack_core::curve::{Curve, Path, Segment, Strand};
use zickzack_core::motion::{Birth, BirthPattern, Cancel, Columns, Lives, Motion, Reborn, Sample};
use zickzack_core::seam::measure;
use zickzack_core::signal::{
    Accumulated, Beyond, Clock, Driven, Handles, Key, Progression, Signal, Wave, WaveShape, keyed,
};

const F: f64 = 96.0;
const FPS: f64 = 24.0;

/// Straight on, round two bends in different planes, and straight on: smooth all the way.
fn bent() -> Strand {
    let arc = |middle: DVec3, from: DVec3, to: DVec3| {
        let (x, y) = ((from - middle).normalize(), (to - middle).normalize());
        Segment::Arc { centre: middle, x, y, radius: (from - middle).length(), start: 0.0, sweep: PI / 2.0 }
    };
    let [a, b, c, d] = [DVec3::ZERO, DVec3::X * 2.0, DVec3::new(3.0, 1.0, 0.0), DVec3::new(3.0, 2.0, 1.0)];
    let bends = [arc(DVec3::new(2.0, 1.0, 0.0), b, c), arc(DVec3::new(3.0, 1.0, 1.0), c, d)];
    let [first, second] = bends;
    Strand::new(
        vec![Segment::Line { from: a, to: b }, first, second, Segment::Line { from: d, to: d + DVec3::Z * 2.0 }],
        false,
    )
    .expect("joined")
}

fn ring(radius: f64) -> Strand {
    Strand::new(vec![Segment::circle(DVec3::ZERO, radius, DVec3::X, DVec3::Z)], true).expect("a ring")
}

fn still(strands: Vec<Strand>) -> Path {
    Path::still(Curve::new(strands).expect("strands"))
}

fn tube(radius: f64) -> Tube {
    Tube {
        radius,
        along: Progression::steady(1.0),
        room: Room::Within,
        swirl: 0.0,
        own_way: false,
        flat: false,
        seed: 7,
    }
}

fn sine(period: f64, middle: f64, amount: f64) -> Wave {
    Wave { shape: WaveShape::Sine, period, phase: 0.0, middle, amount }
}

fn fixed(value: f64) -> Accumulated {
    Accumulated::new(Driven::Fixed(value))
}

/// A stream of `count` births spread evenly over the loop, all the way through.
fn streaming(path: Path, tube: Tube, from: From, count: usize, speed: Accumulated, spread: f64) -> Reborn {
    let stream = Stream::new(path, tube, from, count, speed, spread);
    let frames = BirthPattern::Evenly(count).frames(count, F, 1);
    let births = frames.into_iter().enumerate().map(|(i, frame)| {
        let lasts = stream.through(i, frame, F);
        assert!(lasts.is_finite());
        Birth { frame, lasts, group: 0 }
    });
    let lives = Lives::new(births.collect(), F, true);
    Reborn::new(Arc::new(stream), &lives, (0.0, 0.0))
}

fn sampled(motion: &dyn Motion, frame: f64) -> Sample {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSE | Columns::VELOCITY | Columns::PLACE | Columns::TRAVEL, &mut sample);
    sample
}

/// How far a place is from a strand, by many places on it.
fn from_strand(strand: &Strand, place: DVec3) -> f64 {
    let near = |from: f64, to: f64, parts: usize| {
        (0..=parts)
            .map(|i| from + (to - from) * i as f64 / parts as f64)
            .map(|s| (strand.at(s).point.distance(place), s))
            .fold((f64::MAX, 0.0), |best, found| if found.0 < best.0 { found } else { best })
    };
    let (_, s) = near(0.0, strand.length(), 400);
    let step = strand.length() / 400.0;
    near((s - step).max(0.0), (s + step).min(strand.length()), 400).0
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases.div_ceil(4), ..ProptestConfig::default() })]

    #[test]
    fn nothing_is_outside_the_tube_and_on_its_skin_all_are(
        radius in 0.01..0.6_f64, narrow in 0.0..1.0_f64, swirl in -2.0..2.0_f64, skin: bool, own_way: bool, frame in 0.0..F,
    ) {
        let room = if skin { Room::Skin } else { Room::Within };
        let along = Progression::through(vec![[0.0, 1.0], [0.5, narrow], [1.0, 1.0]]);
        let tube = Tube { along: along.clone(), room, swirl, own_way, ..tube(radius) };
        let swarm = streaming(still(vec![bent()]), tube, From::Start, 60, fixed(0.1), 0.3);
        let sample = sampled(&swarm, frame);
        for object in (0..swarm.len()).filter(|&object| sample.alive[object]) {
            let part = sample.places[object].s / bent().length();
            let here = bent().at(sample.places[object].s).point.distance(sample.positions[object]);
            prop_assert!(here <= radius * along.at(part) + 1e-9);
            if skin {
                prop_assert!((here - radius * along.at(part)).abs() < 1e-9);
            }
            prop_assert!(from_strand(&bent(), sample.positions[object]) <= here + 1e-4);
        }
    }

    #[test]
    fn a_stream_has_come_as_far_as_its_speed_adds_up_to_and_its_velocity_is_the_slope(
        speed in 0.02..0.2_f64, wave in 0.0..0.9_f64, spread in 0.0..0.9_f64, from in 0usize..3, swirl in -1.0..1.0_f64, own_way: bool, frame in 2.0..90.0_f64,
    ) {
        let from = [From::Start, From::End, From::Middle][from];
        let signal: Arc<dyn Signal> = Arc::new(sine(F / 2.0, speed, wave * speed));
        let driven = Accumulated::new(Driven::signal(signal, Clock { fps: FPS, frames: F }, 0.0, 10.0));
        let tube = Tube { swirl, own_way, ..tube(0.3) };
        let swarm = streaming(still(vec![bent()]), tube, from, 40, driven.clone(), spread);
        const STEP: f64 = 1e-4;
        let [before, here, after] = [frame - STEP, frame, frame + STEP].map(|frame| sampled(&swarm, frame));
        let lives = swarm.lives().expect("it has lives");
        for object in (0..swarm.len()).filter(|&i| before.alive[i] && here.alive[i] && after.alive[i]) {
            let slope = (after.positions[object] - before.positions[object]) / (2.0 * STEP);
            prop_assert!(slope.distance(here.velocities[object]) < 2e-4, "{} {}", slope, here.velocities[object]);
            prop_assert!(here.velocities[object].dot(here.travels[object]) > 0.0);
            if !own_way {
                let (life, _) = lives.at(object, frame);
                let quick = here.places[object].rate.abs() * bent().length() / driven.at(frame);
                let come = quick * (driven.until(frame) - driven.until(life.from));
                let length = bent().length();
                let start = match from { From::Start => 0.0, From::End => length, From::Middle => length / 2.0 };
                prop_assert!(((here.places[object].s - start).abs() - come).abs() < 1e-8);
            }
        }
    }

    #[test]
    fn a_loop_of_a_stream_closes(
        speed in 0.02..0.2_f64, wave in 0.0..0.9_f64, spread in 0.0..0.9_f64, middle: bool, swirl in -1.0..1.0_f64, own_way: bool,
    ) {
        let from = if middle { From::Middle } else { From::End };
        let signal: Arc<dyn Signal> = Arc::new(sine(F / 2.0, speed, wave * speed));
        let driven = Accumulated::new(Driven::signal(signal, Clock { fps: FPS, frames: F }, 0.0, 10.0));
        let tube = Tube { swirl, own_way, ..tube(0.3) };
        let swarm: Arc<dyn Motion> = Arc::new(streaming(still(vec![bent(), ring(1.0)]), tube, from, 40, driven, spread));
        let seam = measure(&swarm, F, FPS, &Cancel::default()).expect("measured");
        prop_assert!(seam.closes(1e-8), "{:?}", seam);
        prop_assert!(seam.position.amount <= 1e-9, "{:?}", seam.position);
    }

    #[test]
    fn on_its_own_way_each_goes_evenly_in_bends(radius in 0.05..0.8_f64, speed in 0.02..0.2_f64, frame in 0.0..F) {
        let tube = Tube { own_way: true, ..tube(radius) };
        let swarm = streaming(still(vec![bent()]), tube, From::Start, 50, fixed(speed), 0.0);
        let sample = sampled(&swarm, frame);
        for object in (0..swarm.len()).filter(|&object| sample.alive[object]) {
            prop_assert!((sample.velocities[object].length() - speed).abs() < 1e-6 * speed, "{}", sample.velocities[object].length() / speed);
        }
    }

    #[test]
    fn what_has_grown_stays_and_what_runs_in_comes_to_the_same_place(filled in 0.0..1.0_f64, from in 0usize..3, in_turn: bool) {
        let from = [From::Start, From::End, From::Middle][from];
        let outlines = if in_turn { Outlines::InTurn } else { Outlines::Together };
        let path = || still(vec![bent(), ring(1.0), ring(0.5)]);
        let fill = |fresh, filled| Filling::new((path(), tube(0.2), from), 200, Driven::Fixed(filled), (fresh, outlines), 0.0, F);
        let full = sampled(&fill(Fresh::Grows, 1.0), 0.0);
        prop_assert!(full.alive.iter().all(|alive| *alive));
        let grown = sampled(&fill(Fresh::Grows, filled), 0.0);
        let ran = sampled(&fill(Fresh::RunsIn, 1.0), 0.0);
        for object in 0..200 {
            prop_assert!(grown.positions[object].distance(full.positions[object]) < 1e-12);
            prop_assert!(ran.positions[object].distance(full.positions[object]) < 1e-9);
            prop_assert!(ran.alive[object]);
        }
        // As many are there as that part of the path has.
        for fresh in [Fresh::Grows, Fresh::RunsIn] {
            let filling = fill(fresh, filled);
            let there = filling.there(0.0) as f64;
            prop_assert!((there - 200.0 * filled).abs() <= 12.0, "{} of {}", there, 200.0 * filled);
            prop_assert_eq!(filling.there(0.0), sampled(&filling, 0.0).alive.iter().filter(|alive| **alive).count());
        }
        prop_assert_eq!(fill(Fresh::Grows, 0.0).there(0.0), 0);
        prop_assert_eq!(fill(Fresh::RunsIn, 0.0).there(0.0), 0);
    }

    #[test]
    fn a_filling_moves_as_its_velocity_says(from in 0usize..3, in_turn: bool, own_way: bool, frame in 1.0..90.0_f64) {
        let from = [From::Start, From::End, From::Middle][from];
        let outlines = if in_turn { Outlines::InTurn } else { Outlines::Together };
        let signal: Arc<dyn Signal> = Arc::new(sine(F, 1.0, 1.0));
        let filled = Driven::signal(signal, Clock { fps: FPS, frames: F }, 0.0, 2.0);
        let tube = Tube { own_way, ..tube(0.2) };
        let filling = Filling::new((still(vec![bent(), ring(1.0)]), tube, from), 100, filled, (Fresh::RunsIn, outlines), 0.3, F);
        const STEP: f64 = 1e-4;
        let [before, here, after] = [frame - STEP, frame, frame + STEP].map(|frame| sampled(&filling, frame));
        for object in (0..100).filter(|&i| before.alive[i] && here.alive[i] && after.alive[i]) {
            let far = after.positions[object].distance(before.positions[object]);
            if far > 0.1 {
                // Round the ring's start, where the tube's axes are anew.
                continue;
            }
            let slope = (after.positions[object] - before.positions[object]) / (2.0 * STEP);
            prop_assert!(slope.distance(here.velocities[object]) < 2e-4, "{} {}", slope, here.velocities[object]);
        }
    }
}

#[test]
fn things_are_spread_evenly_along_what_is_filled_and_over_the_tube() {
    let count = 20_000;
    let filling = Filling::new(
        (still(vec![bent()]), tube(0.3), From::Start),
        count,
        Driven::Fixed(0.7),
        (Fresh::RunsIn, Outlines::Together),
        0.0,
        F,
    );
    let sample = sampled(&filling, 0.0);
    let there: Vec<usize> = (0..count).filter(|&object| sample.alive[object]).collect();
    let (mut along, mut round, mut out) = ([0.0; 20], [0.0; 20], [0.0; 20]);
    for &object in &there {
        let s = sample.places[object].s;
        let bin = |part: f64| ((part * 20.0) as usize).min(19);
        along[bin(s / (0.7 * bent().length()))] += 1.0;
        let off = sample.positions[object] - bent().at(s).point;
        // The first stretch is straight along x: its axes stand still.
        out[bin(off.length_squared() / 0.09)] += 1.0;
        if s < 2.0 {
            round[bin((libm::atan2(off.z, off.y) + PI) / TAU)] += 1.0;
        }
    }
    for (bins, of) in [(along, "along"), (round, "round"), (out, "out")] {
        let mean = bins.iter().sum::<f64>() / 20.0;
        let chi: f64 = bins.iter().map(|n| (n - mean) * (n - mean) / mean).sum();
        // With 19 degrees of freedom 44 is passed by one in a thousand.
        assert!(chi < 44.0, "{of}: {chi} {bins:?}");
        assert!(bins.iter().all(|n| (n - mean).abs() < 4.0 * mean.sqrt()), "{of}: {bins:?}");
    }
}

#[test]
fn outlines_share_things_in_proportion_to_their_length() {
    let path = || still(vec![ring(1.0), ring(3.0), ring(0.5)]);
    let all = Filling::new(
        (path(), tube(0.0), From::Start),
        9000,
        Driven::Fixed(1.0),
        (Fresh::Grows, Outlines::Together),
        0.0,
        F,
    );
    let mut counts = [0.0_f64; 3];
    sampled(&all, 0.0).places.iter().for_each(|place| counts[place.strand] += 1.0);
    for (count, share) in counts.iter().zip([1.0 / 4.5, 3.0 / 4.5, 0.5 / 4.5_f64]) {
        assert!((count - 9000.0 * share).abs() <= 2.0, "{counts:?}");
    }
    // A stream chooses by chance.
    let swarm = streaming(path(), tube(0.0), From::Start, 3000, fixed(0.5), 0.0);
    let mut counts = [0.0_f64; 3];
    let lives = swarm.lives().expect("it has lives");
    let mut sample = Sample::default();
    for birth in 0..3000 {
        let (thing, frame) = (lives.thing_of(birth, 0), lives.births()[birth].frame);
        swarm.sample_at(&[(thing, frame)], Columns::PLACE, &mut sample);
        counts[sample.places[0].strand] += 1.0;
    }
    for (count, share) in counts.iter().zip([1.0 / 4.5, 3.0 / 4.5, 0.5 / 4.5_f64]) {
        assert!((count - 3000.0 * share).abs() < 4.0 * (3000.0 * share).sqrt(), "{counts:?}");
    }
}

#[test]
fn what_fills_and_empties_in_a_loop_closes() {
    for (fresh, outlines) in [(Fresh::RunsIn, Outlines::InTurn), (Fresh::Grows, Outlines::Together)] {
        // From empty to full, and on to empty; at the loop's end it begins again.
        let saw = Wave { shape: WaveShape::Saw, ..sine(F, 1.0, 1.0) };
        // Keys that loop climb on.
        let key = |(frame, value)| Key { frame, value, handles: Handles::Straight, before: None, after: None };
        let keys = [(0.0, 0.0), (F / 2.0, 1.0), (F, 2.0)].map(key);
        let signal: Arc<dyn Signal> = if fresh == Fresh::Grows { Arc::new(saw) } else { keyed(&keys, Beyond::Loop(F)) };
        let filled = Driven::signal(signal, Clock { fps: FPS, frames: F }, 0.0, 1e4);
        let path = still(vec![bent(), ring(1.0)]);
        let filling: Arc<dyn Motion> =
            Arc::new(Filling::new((path, tube(0.1), From::Start), 200, filled, (fresh, outlines), 0.4, F));
        let seam = measure(&filling, F, FPS, &Cancel::default()).expect("measured");
        assert!(seam.closes(1e-8), "{fresh:?} {outlines:?}: {seam:?}");
        let full = sampled(&*filling, F / 2.0);
        assert!(full.alive.iter().all(|there| *there));
        assert!(full.scales.iter().all(|scale| (scale.x - 1.0).abs() < 1e-9), "all have their size when it is full");
    }
}

#[test]
fn one_outline_after_another_is_full_before_the_next_begins() {
    let fill = |filled| {
        Filling::new(
            (still(vec![ring(1.0), ring(1.0)]), tube(0.0), From::Start),
            100,
            Driven::Fixed(filled),
            (Fresh::Grows, Outlines::InTurn),
            0.0,
            F,
        )
    };
    let there = |filled: f64| {
        let sample = sampled(&fill(filled), 0.0);
        let mut counts = [0; 2];
        (0..100).filter(|&i| sample.alive[i]).for_each(|i| counts[sample.places[i].strand] += 1);
        counts
    };
    assert_eq!(there(0.5), [50, 0]);
    assert_eq!(there(1.0), [50, 50]);
    assert_eq!(there(1.5), [0, 50]);
    let [first, second] = there(0.25);
    assert!((24..=26).contains(&first) && second == 0);
}
