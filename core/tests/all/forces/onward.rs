//! What is done to motions on the way: shudder, waver, mimicry, counting, wheels, links, tethers, cuts.

use crate::cases::cases;
use crate::common::{circle, place, smooth, still};
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::sync::Arc;
use zickzack_core::curve::{Curve, Figure, Path, Segment, Strand, UpRule};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    Cancel, Columns, Delays, FaceTravel, FaceUp, Follower, Followers, Frames, HeadCount, Links, Mimic, Mimicry, Motion,
    Moved, Moving, Pace, Retimed, Ride, RideEnd, Sample, Shudder, Shuddering, Stance, Swell, TetherEnd, Timing,
    TwoShots, Waver, Wavering, Wheel, hanging, prepared, tether, touch,
};
use zickzack_core::pose::Axis;
use zickzack_core::seam::measure;
use zickzack_core::signal::{Clock, Driven, Signal, Wave, WaveShape};

const FRAMES: f64 = 48.0;

fn laps(a: i64, b: i64) -> Fraction {
    Fraction::new(a, b).unwrap()
}

type Riders = (Vec<DVec3>, usize, i64);

/// Riders on a random closed path.
fn riders() -> impl Strategy<Value = Riders> {
    (prop::collection::vec(place(), 4..7), 1usize..5, -2i64..3)
}

/// Them, facing their travel, and their path.
fn made((places, count, times): &Riders) -> (Arc<dyn Motion>, Path) {
    let path = still(smooth(places, true));
    let ride = Ride::new(path.clone(), *count, laps(*times, 1), FRAMES);
    let facing = FaceTravel::new(Arc::new(ride), Axis::PlusX, Axis::PlusY, FaceUp::STEADY);
    (Arc::new(facing) as Arc<dyn Motion>, path)
}

fn wave(amount: f64, middle: f64) -> Driven {
    let signal: Arc<dyn Signal> = Arc::new(Wave { shape: WaveShape::Sine, period: FRAMES, phase: 0.1, middle, amount });
    Driven::signal(signal, Clock { fps: 24.0, frames: FRAMES }, f64::MIN, f64::MAX)
}

fn ready(motion: impl Motion + 'static) -> Arc<dyn Motion> {
    let motion: Arc<dyn Motion> = Arc::new(motion);
    prepared(&motion, Frames { from: -FRAMES, to: 3.0 * FRAMES }, &Cancel::default()).unwrap()
}

const ALL: Columns = Columns::POSE;

fn sampled(motion: &dyn Motion, object: usize, frame: f64) -> Sample {
    let mut sample = Sample::default();
    motion.sample_at(
        &[(object, frame)],
        ALL | Columns::VELOCITY | Columns::SPIN | Columns::TRAVEL | Columns::PLACE | Columns::BRIGHTNESS,
        &mut sample,
    );
    sample
}

/// The velocity and the spin are the rates of change of what is shown, where two steps agree on what these are.
fn rates_are_right(motion: &dyn Motion, object: usize, frame: f64) -> Result<(), TestCaseError> {
    let here = sampled(motion, object, frame);
    let rates = |step: f64| {
        let (before, after) = (sampled(motion, object, frame - step), sampled(motion, object, frame + step));
        let turn = zickzack_core::pose::turn_between(before.orientations[0], after.orientations[0]);
        ((after.positions[0] - before.positions[0]) / (2.0 * step), turn / (2.0 * step))
    };
    let ((slope, turn), (rough, rougher)) = (rates(1e-4), rates(1e-3));
    let size = 1.0 + here.velocities[0].length();
    if slope.distance(rough) < 1e-3 * size {
        prop_assert!(slope.distance(here.velocities[0]) < 2e-3 * size, "{:?} is not {slope:?}", here.velocities[0]);
    }
    let size = 1.0 + turn.length();
    if turn.distance(rougher) < 5e-3 * size {
        prop_assert!(turn.distance(here.spins[0]) < 1e-2 * size, "{:?} is not {turn:?}", here.spins[0]);
    }
    Ok(())
}

fn shuddering(amount: Driven, soft: bool) -> Shuddering {
    Shuddering { amount, scale: Driven::Fixed(0.25), brightness: Driven::Fixed(0.5), every: 3.0, start: 1.0, soft }
}

fn wavering(own: bool) -> Wavering {
    Wavering {
        position: [wave(0.2, 0.3), Driven::Fixed(0.4), Driven::Fixed(0.0)],
        orientation: [Driven::Fixed(20.0), wave(5.0, 5.0), Driven::Fixed(0.0)],
        scale: Driven::Fixed(0.3),
        own,
        period: 12.0,
        octaves: 2,
        seed: 5,
        frames: Some(FRAMES),
    }
}

fn still_three(x: f64, y: f64, z: f64) -> [Driven; 3] {
    [Driven::Fixed(x), Driven::Fixed(y), Driven::Fixed(z)]
}

proptest! {
    #![proptest_config(cases(32))]

    #[test]
    fn a_shudder_stays_on_the_path_by_turns_ahead_and_back(riders in riders(), amount in 0.0..0.5f64, frame in 0.0..48.0f64) {
        let (lead, path) = made(&riders);
        let shaken = ready(Shudder::new(lead.clone(), shuddering(Driven::Fixed(amount), false)));
        let curve = path.at(0.0);
        let strand = &curve.strands()[0];
        for object in 0..lead.len() {
            let (was, now) = (sampled(&*lead, object, frame), sampled(&*shaken, object, frame));
            let ahead = if ((frame - 1.0) / 3.0).floor() as i64 % 2 == 0 { 1.0 } else { -1.0 };
            let s = was.places[0].s + ahead * amount * was.places[0].direction;
            prop_assert!(strand.at(s).point.distance(now.positions[0]) < 1e-9);
            prop_assert!((now.places[0].s - strand.normalise(s)).abs() < 1e-9);
            prop_assert!((now.scales[0].x - (1.0 + 0.25 * ahead)).abs() < 1e-12);
            prop_assert!((now.brightness[0] - (1.0 + 0.5 * ahead)).abs() < 1e-12);
            prop_assert_eq!(now.orientations[0], was.orientations[0]);
        }
    }

    #[test]
    fn two_layers_of_shudder_add_up_along_the_path(riders in riders(), frame in 0.0..48.0f64) {
        let (lead, path) = made(&riders);
        let one: Arc<dyn Motion> = Arc::new(Shudder::new(lead.clone(), shuddering(Driven::Fixed(0.2), false)));
        let both = Shudder::new(one, Shuddering { every: 6.0, ..shuddering(Driven::Fixed(0.1), false) });
        let (was, now) = (sampled(&*lead, 0, frame), sampled(&both, 0, frame));
        let side = |every: f64| if ((frame - 1.0) / every).floor() as i64 % 2 == 0 { 1.0 } else { -1.0 };
        let s = was.places[0].s + (0.2 * side(3.0) + 0.1 * side(6.0)) * was.places[0].direction;
        let curve = path.at(0.0);
        prop_assert!(curve.strands()[0].at(s).point.distance(now.positions[0]) < 1e-9);
    }

    #[test]
    fn velocities_and_spins_are_rates_of_change_whatever_is_done_on_the_way(riders in riders(), frame in 0.5..47.0f64, own: bool, amount in 0.1..0.9f64) {
        let (lead, _) = made(&riders);
        let other: Arc<dyn Motion> = Arc::new(Retimed::new(lead.clone(), Timing::Delay(7.0)));
        let mimicry = Mimicry {
            position: true, orientation: true, scale: true, offset: still_three(0.3, 0.2, -0.1), turned: own, delay: 3.0, amount: wave(0.1, amount),
        };
        let moving = Moving {
            position: [wave(1.0, 0.0), Driven::Fixed(0.5), Driven::Fixed(0.0)],
            orientation: [Driven::Fixed(0.0), wave(90.0, 0.0), Driven::Fixed(10.0)],
            scale: wave(0.5, 1.5),
            about: DVec3::new(1.0, 0.0, 2.0),
        };
        let stance = Stance { offset: [wave(0.3, 0.1), Driven::Fixed(0.4), Driven::Fixed(0.0)], grow: wave(0.1, 1.0) };
        let line = Follower::line(3, &Delays::Even(5.0), DVec3::ZERO, 1.0);
        let all: [Arc<dyn Motion>; 6] = [
            ready(Followers::new(lead.clone(), line, own).standing(stance)),
            ready(Shudder::new(lead.clone(), shuddering(wave(0.1, 0.2), true))),
            ready(Waver::new(lead.clone(), wavering(own))),
            ready(Mimic::new(lead.clone(), other, mimicry)),
            ready(Moved::new(lead.clone(), moving)),
            ready(Retimed::new(lead.clone(), Timing::Shown(wave(20.0, 24.0)))),
        ];
        for motion in &all {
            for object in 0..motion.len() {
                rates_are_right(&**motion, object, frame)?;
            }
        }
    }

    #[test]
    fn spins_in_tight_bends_are_rates_of_change(riders in riders(), frame in 0.5..47.0f64) {
        // Shown up to five times as fast, so that bends are passed in a small part of a frame.
        let (lead, _) = made(&riders);
        let fast = ready(Retimed::new(lead, Timing::Shown(wave(40.0, 24.0))));
        for object in 0..fast.len() {
            rates_are_right(&*fast, object, frame)?;
        }
    }

    #[test]
    fn what_wavers_loops_and_each_thing_in_its_own_way(riders in riders(), own: bool) {
        let (lead, _) = made(&riders);
        let motion: Arc<dyn Motion> = Arc::new(Waver::new(lead.clone(), wavering(own)));
        let seam = measure(&motion, FRAMES, 24.0, &Cancel::default()).unwrap();
        prop_assert!(seam.position.amount <= 1e-9 && seam.orientation.amount <= 1e-9, "{:?}", seam.position);
        if lead.len() > 1 {
            let off = |object: usize| sampled(&*motion, object, 5.0).positions[0] - sampled(&*lead, object, 5.0).positions[0];
            prop_assert!(own || off(0).distance(off(1)) > 1e-6);
        }
    }

    #[test]
    fn a_mimic_of_all_is_to_the_bit_what_the_other_was(riders in riders(), delay in -20.0..20.0f64, frame in 0.0..48.0f64) {
        let (lead, _) = made(&riders);
        let inner: Arc<dyn Motion> = Arc::new(Ride::new(still(circle(1.0)), 3, laps(1, 1), FRAMES));
        let how = Mimicry { position: true, orientation: true, scale: true, offset: still_three(0.0, 0.0, 0.0), turned: false, delay, amount: Driven::Fixed(1.0) };
        let mimic = ready(Mimic::new(inner.clone(), lead.clone(), how.clone()));
        for object in 0..3 {
            let (there, here) = (sampled(&*lead, object % lead.len(), frame - delay), sampled(&*mimic, object, frame));
            prop_assert_eq!(here.pose(0), there.pose(0));
        }
        let none = ready(Mimic::new(inner.clone(), lead, Mimicry { amount: Driven::Fixed(0.0), ..how }));
        prop_assert_eq!(sampled(&*none, 1, frame).pose(0), sampled(&*inner, 1, frame).pose(0));
    }

    #[test]
    fn moved_as_one_things_keep_their_arrangement(riders in riders(), turn in -180.0..180.0f64, scale in 0.1..5.0f64, at in place(), frame in 0.0..48.0f64) {
        let (lead, _) = made(&riders);
        let how = Moving { position: still_three(at.x, at.y, at.z), orientation: still_three(0.0, turn, 30.0), scale: Driven::Fixed(scale), about: at };
        let moved = Moved::new(lead.clone(), how);
        for object in 1..lead.len() {
            let apart = |motion: &dyn Motion| sampled(motion, 0, frame).positions[0].distance(sampled(motion, object, frame).positions[0]);
            prop_assert!((apart(&moved) - scale * apart(&*lead)).abs() < 1e-9 * (1.0 + apart(&moved)));
        }
        // And they are on the moved path.
        let (path, here) = (moved.path().unwrap().at(frame), sampled(&moved, 0, frame));
        prop_assert!(path.strands()[0].at(here.places[0].s).point.distance(here.positions[0]) < 1e-8 * (1.0 + scale));
        prop_assert!((here.scales[0].x - scale).abs() < 1e-12);
    }

    #[test]
    fn the_rim_of_a_wheel_moves_as_what_travels_over_it(
        first in 0.3..2.0f64, second in 0.3..2.0f64, more in 0.1..5.0f64, times in -3i64..4, tilt in place(), frame in 0.0..48.0f64,
    ) {
        let belt = Figure::Belt { first, second, apart: first + second + more }.strand().unwrap();
        let turn = DQuat::from_scaled_axis(tilt);
        let placement = zickzack_core::curve::Placement { position: tilt, orientation: turn, scale: 1.0 };
        let curve = zickzack_core::curve::placed(&Curve::from(belt), &placement).unwrap();
        let length = curve.length();
        let ride: Arc<dyn Motion> = Arc::new(Ride::new(Path::still(curve.clone()), 1, laps(times, 1), FRAMES));
        for (x, radius) in [(-0.5, first), (0.5, second)] {
            let centre = tilt + turn * DVec3::X * (x * (first + second + more));
            let found = touch(&curve, centre);
            prop_assert!((found.point.distance(centre) - radius).abs() < 1e-9);
            let wheel = Wheel::new(ride.clone(), (centre, radius), &found, length, (DVec3::Y, 1));
            let spin = sampled(&wheel, 0, frame).spins[0];
            let rim = spin.cross(found.point - centre);
            let speed = length * times as f64 / FRAMES;
            prop_assert!(rim.distance(found.tangent * speed) <= 1e-9 * (1.0 + speed.abs()), "{rim:?} is not {:?}", found.tangent * speed);
            rates_are_right(&wheel, 0, frame)?;
            // The axle stays where it is.
            let turned = sampled(&wheel, 0, frame).orientations[0] * DVec3::Y;
            prop_assert!(turned.cross(spin).length() < 1e-9 * (1.0 + spin.length()));
        }
    }

    #[test]
    fn cogs_and_links_close_after_a_whole_number_of_pitches(teeth in 6usize..40, links in 3usize..30, steps in 1i64..9) {
        // A belt round two equal cogs whose length is a whole number of pitches.
        let (pitch, all) = (0.25, teeth + 2 * links);
        let radius = teeth as f64 * pitch / TAU;
        let apart = links as f64 * pitch;
        let belt = Figure::Belt { first: radius, second: radius, apart }.strand().unwrap();
        prop_assert!((belt.length() - all as f64 * pitch).abs() < 1e-9);
        let path = still(belt);
        let ride: Arc<dyn Motion> = Arc::new(Ride::new(path.clone(), 1, laps(steps, all as i64), FRAMES));
        let found = touch(&path.at(0.0), DVec3::X * (-0.5 * apart));
        let wheel = Wheel::new(ride.clone(), (DVec3::X * (-0.5 * apart), radius), &found, path.at(0.0).length(), (DVec3::Y, teeth as u32));
        let chain = Links::new(ride, &path, (all, pitch, false), (Axis::PlusX, Axis::PlusY), UpRule::Steady);
        for motion in [Arc::new(wheel) as Arc<dyn Motion>, Arc::new(chain)] {
            let seam = measure(&motion, FRAMES, 24.0, &Cancel::default()).unwrap();
            let gaps = [seam.position.amount, seam.orientation.amount, seam.velocity.amount];
            prop_assert!(gaps.iter().all(|gap| *gap <= 1e-9), "{gaps:?}");
        }
    }

    #[test]
    fn links_that_stretch_reach_from_joint_to_joint(count in 5usize..60, frame in 0.0..48.0f64) {
        let path = still(Figure::Belt { first: 1.0, second: 0.6, apart: 3.0 }.strand().unwrap());
        let curve = path.at(0.0);
        let pitch = curve.length() / count as f64;
        let ride: Arc<dyn Motion> = Arc::new(Ride::new(path.clone(), 1, laps(1, 1), FRAMES));
        let chain = Links::new(ride, &path, (count, pitch, true), (Axis::PlusX, Axis::PlusY), UpRule::Steady);
        let end = |object: usize, side: f64| {
            let pose = sampled(&chain, object, frame).pose(0);
            pose.position + pose.orientation * (DVec3::X * (side * 0.5 * pitch) * pose.scale)
        };
        for object in 0..count {
            prop_assert!(end(object, 1.0).distance(end((object + 1) % count, -1.0)) < 1e-9);
        }
        rates_are_right(&chain, 0, frame)?;
        prop_assert!(chain.slack() >= 0.0 && chain.slack() < pitch);
    }

    #[test]
    fn a_line_that_hangs_is_as_long_as_it_is_said_and_has_the_form_of_a_catenary(a in place(), b in place(), more in 1.0001..4.0f64) {
        let length = a.distance(b) * more;
        let strand = hanging(a, b, length).unwrap();
        prop_assert!((strand.length() / length - 1.0).abs() < 1e-6, "{} is not {length}", strand.length());
        prop_assert!(strand.at(0.0).point.distance(a) < 1e-6 * length && strand.at(length).point.distance(b) < 1e-6 * length);
        // The level part of the pull is the same everywhere: slope against arc is even.
        let level = DVec3::new(b.x - a.x, 0.0, b.z - a.z).length();
        if level > 0.1 * length {
            let slope = |part: f64| {
                let tangent = strand.at(part * length).tangent;
                tangent.y / DVec3::new(tangent.x, 0.0, tangent.z).length()
            };
            let (first, middle, last) = (slope(0.2), slope(0.5), slope(0.8));
            prop_assert!((last - middle - (middle - first)).abs() < 1e-4 * (1.0 + last.abs() + first.abs()));
        }
    }

    #[test]
    fn a_line_whose_ends_are_nearly_above_each_other_hangs_as_the_catenary_through_them(
        a in place(), aside in -16.0..0.0f64, rise in -0.9..0.9f64, length in 0.5..20.0f64, part in 0.0..1.0f64,
    ) {
        let b = a + DVec3::new(libm::pow(10.0, aside), rise, 0.0) * length;
        prop_assume!(a.distance(b) < 0.999 * length);
        let strand = hanging(a, b, length).unwrap();
        prop_assert!((strand.length() / length - 1.0).abs() < 1e-8, "{} is not {length}", strand.length());
        prop_assert!(strand.at(0.0).point.distance(a) < 1e-9 * length && strand.at_normalised(strand.length()).point.distance(b) < 1e-9 * length);
        // An independent one: by bisection for its parameter, in the form y = c cosh(x / c) with logarithms.
        let (wide, height) = (b.x - a.x, b.y - a.y);
        let goal = (length * length - height * height).sqrt();
        if wide < 1e-9 * length {
            let lowest = 0.5 * (a.y + b.y - length);
            let arc = part * length;
            let y = if arc < a.y - lowest { a.y - arc } else { lowest + arc - (a.y - lowest) };
            prop_assert!((strand.at(arc).point.y - y).abs() < 3e-9 * length, "{} {y}", strand.at(arc).point.y);
            return Ok(());
        }
        let (mut low, mut high) = (1e-9_f64, 60.0_f64);
        for _ in 0..200 {
            let x = 0.5 * (low + high);
            if libm::sinh(x) / x * wide < goal { low = x } else { high = x }
        }
        let c = 0.5 * wide / low;
        let middle = libm::asinh(height / (2.0 * c * libm::sinh(low))) * c;
        let (first, at) = (middle - 0.5 * wide, |x: f64| c * libm::cosh(x / c));
        let arc = c * libm::sinh(first / c) + part * length;
        let x = c * libm::asinh(arc / c);
        let expected = DVec3::new(a.x + x - first, a.y + at(x) - at(first), a.z);
        let found = strand.at(part * length).point;
        prop_assert!(found.distance(expected) < 2e-8 * length, "{found} {expected}");
    }

    #[test]
    fn a_line_with_both_ends_in_one_place_comes_back(at in place(), length in 0.1..9.0f64) {
        let strand = hanging(at, at, length).unwrap();
        prop_assert!((strand.length() - length).abs() < 1e-9 * length);
        prop_assert!(strand.at_normalised(strand.length()).point.distance(at) < 1e-12 * (1.0 + at.length()));
        prop_assert!(strand.at(0.5 * length).point.distance(at - DVec3::Y * (0.5 * length)) < 1e-9 * length);
    }

    #[test]
    fn a_tether_is_held_at_both_ends_at_every_frame(riders in riders(), point in place(), fixed in place(), frame in 0.0..48.0f64) {
        let (lead, _) = made(&riders);
        let from = TetherEnd::Thing { motion: lead.clone(), object: 0, point };
        let path = tether(from, TetherEnd::Place(fixed), 0.0);
        let pose = sampled(&*lead, 0, frame).pose(0);
        let curve = path.at(frame);
        let strand = &curve.strands()[0];
        prop_assert!(strand.at(0.0).point.distance(pose.position + pose.orientation * (point * pose.scale)) < 1e-9);
        prop_assert!(strand.at_normalised(strand.length()).point.distance(fixed) < 1e-9);
    }

    #[test]
    fn a_cut_shows_one_shot_and_then_the_other_and_the_best_shift_undoes_a_delay(riders in riders(), cut in 5.0..40.0f64, delay in -9.0..9.0f64, frame in 0.0..48.0f64) {
        let (lead, _) = made(&riders);
        prop_assume!(sampled(&*lead, 0, 0.0).velocities[0].length() > 1e-3);
        let later: Arc<dyn Motion> = Arc::new(Retimed::new(lead.clone(), Timing::Delay(delay)));
        let shots = TwoShots::new(lead.clone(), later.clone(), (cut, FRAMES), 0.0, DVec3::ZERO);
        let expected = if frame < cut { &lead } else { &later };
        prop_assert_eq!(sampled(&shots, 0, frame).pose(0), sampled(&**expected, 0, frame).pose(0));
        let mended = TwoShots::new(lead.clone(), later, (cut, FRAMES), shots.best_shift(), DVec3::ZERO);
        prop_assert!(mended.apart().position < 1e-5 && mended.apart().speed < 1e-4, "{:?}", mended.apart());
        let same = TwoShots::new(lead.clone(), lead.clone(), (cut, FRAMES), 0.0, DVec3::ZERO);
        let apart = same.apart();
        // The first shot is looked at a billionth of a frame before the cut.
        let size = 1.0 + sampled(&*lead, 0, cut).positions[0].length();
        prop_assert!(apart.position < 1e-9 * size && apart.speed < 1e-5 * size && apart.direction < 1e-5, "{apart:?}");
        prop_assert!(apart.orientation < 1e-5, "{apart:?}");
    }

    #[test]
    fn what_ends_at_a_cut_and_goes_on_after_it_is_not_apart_there(length in 0.5..9.0f64, cut in 5.0..40.0f64) {
        let line = |from: f64| {
            let to = DVec3::X * (from + length);
            still(Strand::new(vec![Segment::Line { from: DVec3::X * from, to }], false).unwrap())
        };
        let ride = |from: f64| Ride::new(line(from), 1, laps(1, 1), FRAMES).paced(Pace::FramesPerLap(cut)).at_end(RideEnd::Hold);
        // It arrives at the cut, where the other one sets out: on both sides the speed is the same.
        let second: Arc<dyn Motion> = Arc::new(Retimed::new(Arc::new(ride(length)), Timing::Delay(cut)));
        let shots = TwoShots::new(Arc::new(ride(0.0)), second, (cut, FRAMES), 0.0, DVec3::ZERO);
        let apart = shots.apart();
        prop_assert!(apart.position < 1e-8 * length && apart.speed < 1e-9 * length, "{apart:?}");
    }
}

#[test]
fn so_many_heads_are_there_as_the_number_says_from_either_end() {
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(still(circle(1.0)), 6, laps(1, 1), FRAMES));
    for from_last in [false, true] {
        let counted = HeadCount::new(ride.clone(), wave(3.0, 3.0), from_last);
        for frame in [0.0, 10.0, 12.5, 30.0] {
            let number = 3.0 + 3.0 * libm::sin(TAU * (frame / FRAMES + 0.1));
            let mut sample = Sample::default();
            counted.sample(frame, Columns::POSE, &mut sample);
            let there: Vec<usize> = (0..6).filter(|i| sample.alive[*i]).collect();
            let count = (number.floor() as usize).min(6);
            let expected: Vec<usize> = if from_last { (6 - count..6).collect() } else { (0..count).collect() };
            assert_eq!(there, expected);
        }
    }
}

#[test]
fn things_swell_and_shine_as_the_numbers_say() {
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(still(circle(1.0)), 2, laps(1, 1), FRAMES));
    let swell = Swell::new(ride, wave(0.5, 1.0), Driven::Fixed(2.0));
    let sample = sampled(&swell, 1, 12.0);
    let factor = 1.0 + 0.5 * libm::sin(2.0 * PI * (0.25 + 0.1));
    assert!((sample.scales[0].x - factor).abs() < 1e-12);
    assert_eq!(sample.brightness[0], 2.0);
}
