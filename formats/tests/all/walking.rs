//! Walking by a recording: the demo's, whose steps are known, and others made of it.

use crate::cases::cases;
use glam::{DMat4, DQuat, DVec3};
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::pose::Pose;
use zickzack_core::rig::{Clip, Gait, GaitError, Rig, Span, Taken, Way};
use zickzack_formats::animated;

const WALKER: &str = include_str!("../../../demo/stilt-walker.bvh");
/// Seconds of its cycle, of which there are two with the last frame doubled.
const CYCLE: f64 = 32.0 / 30.0;
const TALL: f64 = 2.2;

fn model() -> Arc<(Rig, Vec<Clip>)> {
    Arc::new(animated::read(WALKER.as_bytes()).unwrap())
}

fn gait_of(model: Arc<(Rig, Vec<Clip>)>, overlap: f64) -> Result<Gait, GaitError> {
    Gait::new(model, Taken { clip: 0, up: DVec3::Y, span: None, overlap, tall: Some(TALL) })
}

fn gait(overlap: f64) -> Gait {
    gait_of(model(), overlap).unwrap()
}

/// Some of its frames, whose numbers are changed.
fn recorded(from: usize, count: usize, mut change: impl FnMut(usize, &mut [f64])) -> Arc<(Rig, Vec<Clip>)> {
    let (bones, moves) = WALKER.split_at(WALKER.find("Frames:").unwrap());
    let lines: Vec<&str> = moves.lines().collect();
    let mut text = format!("{bones}Frames: {count}\n{}\n", lines[1]);
    for (frame, line) in lines[2..].iter().enumerate().skip(from).take(count) {
        let mut numbers: Vec<f64> = line.split(' ').map(|number| number.parse().unwrap()).collect();
        change(frame, &mut numbers);
        let numbers: Vec<String> = numbers.iter().map(f64::to_string).collect();
        text += &format!("{}\n", numbers.join(" "));
    }
    Arc::new(animated::read(text.as_bytes()).unwrap())
}

/// Round a circle, to the left, from the origin along x; straight on where it has no radius.
struct Round(f64);

impl Way for Round {
    fn at(&self, gone: f64) -> Pose {
        let Self(radius) = *self;
        if radius.is_infinite() {
            return Pose { position: DVec3::X * gone, orientation: DQuat::IDENTITY, scale: DVec3::ONE };
        }
        let angle = gone / radius;
        let (sine, cosine) = libm::sincos(angle);
        let position = DVec3::new(radius * sine, 0.0, -radius * (1.0 - cosine));
        Pose { position, orientation: DQuat::from_rotation_y(angle), scale: DVec3::ONE }
    }
}

fn places(joints: &[DMat4]) -> Vec<DVec3> {
    joints.iter().map(|joint| joint.w_axis.truncate()).collect()
}

#[test]
fn the_cycle_is_found_without_the_doubled_frame() {
    let found = gait(0.15).span();
    assert!((found.to - found.from - CYCLE).abs() < 1e-5, "{found:?}");
    assert_eq!(gait(0.15).feet().len(), 2);
    // Told moment by moment: it is as where the cycle begins there, a cycle later, and nowhere between.
    let (told, found) = (gait(0.15).apart().to_vec(), gait(0.15).span());
    let at = |seconds: f64| told[(seconds / gait(0.15).recorded() * (told.len() - 1) as f64).round() as usize];
    assert!(at(found.from) < 1e-6 && at(found.to) < 1e-3, "{told:?}");
    assert!((1..8).all(|part| at(found.from + f64::from(part) / 8.0 * CYCLE) > 0.3), "{told:?}");
    assert!(gait(0.15).gap() < 1e-4, "{}", gait(0.15).gap());
}

/// Cut out of the middle, with other numbers of frames, its cycle is the same.
#[test]
fn a_cycle_is_found_in_any_part_that_has_one() {
    for (from, count) in [(0, 33), (0, 40), (7, 45), (20, 44)] {
        let found = gait_of(recorded(from, count, |_, _| ()), 0.1).unwrap().span();
        assert!((found.to - found.from - CYCLE).abs() < 1e-5, "{found:?} of {count} from {from}");
    }
    // Less than one is none.
    assert!(gait_of(recorded(0, 20, |_, _| ()), 0.1).is_err_and(|why| why == GaitError::NoCycle));
}

#[test]
fn what_is_no_walk_is_refused_in_a_sentence() {
    let why =
        |count: usize, change: fn(&mut [f64])| gait_of(recorded(0, count, |_, numbers| change(numbers)), 0.1).err();
    assert_eq!(why(65, |numbers| (numbers[0], numbers[2]) = (0.0, 0.0)), Some(GaitError::OnTheSpot));
    assert_eq!(why(65, |numbers| numbers.fill(0.0)), Some(GaitError::Still));
    // What lies on the ground all along has no height of which to be so tall.
    let lying =
        Taken { clip: 0, up: DVec3::Y, span: Some(Span { from: 0.0, to: 1.0 }), overlap: 0.0, tall: Some(TALL) };
    let rod = "HIERARCHY ROOT a { OFFSET 0 0 0 CHANNELS 1 Xposition End Site { OFFSET 1 0 0 } } MOTION Frames: 3 Frame Time: 0.5 0 1 2";
    let rod = Arc::new(animated::read(rod.as_bytes()).unwrap());
    assert_eq!(Gait::new(rod.clone(), lying).err(), Some(GaitError::Flat));
    let whole = Gait::new(rod, Taken { tall: None, ..lying }).unwrap();
    assert!((whole.stride() - 2.0).abs() < 1e-6 && whole.feet().is_empty());
    assert_eq!(why(1, |_| ()), Some(GaitError::OneMoment("motion".to_owned())));
}

/// Straight on it is the recording again and again: away from the overlap each joint is where the recording has it.
#[test]
fn straight_on_it_is_the_recording_repeated() {
    let (gait, model) = (gait(0.1), model());
    let Span { from, to } = gait.span();
    let recorded = |seconds: f64| {
        let mut joints = Vec::new();
        model.0.placed(&model.1[0].locals(&model.0, seconds), &mut joints);
        places(&joints)
    };
    let start = recorded(from);
    let walked = |phase: f64| -> Vec<DVec3> {
        let joints = places(&gait.joints(phase));
        joints.into_iter().map(|place| place + DVec3::X * (gait.stride() * phase)).collect()
    };
    let here = walked(0.0);
    // A turn about y and a scale take one into the other.
    let scale = here[4].distance(here[0]) / start[4].distance(start[0]);
    for cycle in [0.0, 1.0, 7.0] {
        for part in [0.05, 0.3, 0.62, 0.88] {
            let (now, then) = (walked(cycle + part), recorded(from + part * (to - from)));
            for joint in (0..now.len()).filter(|&joint| model.0.hangs(joint, gait.root())) {
                let went = (now[joint] - here[joint] - DVec3::X * (gait.stride() * cycle)).length();
                let should = scale * then[joint].distance(start[joint]);
                assert!((went - should).abs() < 1e-9, "joint {joint} at {part}: {went} and not {should}");
            }
        }
    }
}

/// No frame stands still, also where a cycle ends and the next begins.
#[test]
fn no_two_frames_are_the_same() {
    let gait = gait(0.15);
    for step in 0..200 {
        let at = |step: usize| places(&gait.joints(step as f64 / 40.0));
        let moved = at(step).iter().zip(at(step + 1)).map(|(a, b)| a.distance(b)).fold(0.0, f64::max);
        assert!(moved > 0.01, "{moved} at {step}");
    }
}

proptest! {
    #![proptest_config(cases(24))]

    /// Held feet stay within a millimetre, straight on and on arcs of two cycles and more, also where steps are somewhat longer or
    /// shorter and the recording itself slips; in one that does not, unheld ones stay within 3 % of a cycle.
    #[test]
    fn feet_stay_where_they_are_put_down(
        (times, left) in (2.0..20.0f64, any::<bool>()),
        (longer, from) in (0.96..1.04f64, 0.0..3.0f64),
        sways in 0.0..4.0f64,
    ) {
        let gait = gait(0.1);
        let stride = gait.stride();
        let radius = if times > 19.0 { f64::INFINITY } else if left { times * stride } else { -times * stride };
        for foot in gait.feet() {
            let held = gait.slips(&Round(radius), foot, (from, longer * stride), true);
            prop_assert!(held < 1e-3, "{held} m");
            let unheld = gait.slips(&Round(radius), foot, (from, stride), false);
            prop_assert!(unheld < 0.03 * stride, "{}", unheld / stride);
        }
        let swaying = gait_of(recorded(0, 65, |frame, numbers| {
            numbers[0] += sways * libm::sin(frame as f64 / 32.0 * std::f64::consts::TAU);
        }), 0.1).unwrap();
        for foot in swaying.feet() {
            prop_assert!(foot.slips() > 0.003 * sways);
            let held = swaying.slips(&Round(radius), foot, (from, longer * stride), true);
            prop_assert!(held < 1e-3, "{held} m, of {}", foot.slips());
        }
        prop_assert_eq!(swaying.feet().len(), 2);
    }

    /// A held leg is as long as it was, and its foot goes evenly from step to step.
    #[test]
    fn legs_keep_their_lengths_and_nothing_leaps(times in 2.0..9.0f64, phase in 0.0..4.0f64) {
        let gait = gait(0.1);
        let (way, stride) = (Round(times * gait.stride()), gait.stride());
        let at = |phase: f64| places(&gait.held(&way, (phase * stride, phase), stride));
        let (here, free) = (at(phase), places(&gait.joints(phase)));
        for foot in gait.feet() {
            for pair in foot.leg.windows(2) {
                let [now, was] = [&here, &free].map(|all| all[pair[0]].distance(all[pair[1]]));
                prop_assert!((now - was).abs() < 1e-9, "{now} and not {was}");
            }
        }
        let next = at(phase + 1e-4);
        let fastest = here.iter().zip(&next).map(|(a, b)| a.distance(*b)).fold(0.0, f64::max);
        prop_assert!(fastest < 1e-3 * stride, "{fastest}");
    }
}

/// It goes ahead along x, stands on the ground, upright, as tall as it is told.
#[test]
fn it_stands_on_the_ground_and_goes_ahead() {
    let gait = gait(0.1);
    let all: Vec<DVec3> = (0..64).flat_map(|i| places(&gait.joints(f64::from(i) / 64.0))).collect();
    let (low, high) = all.iter().fold((f64::MAX, f64::MIN), |(low, high), place| (low.min(place.y), high.max(place.y)));
    assert!(low.abs() < 1e-3 && (high - TALL).abs() < 1e-3, "{low} to {high}");
    // What it is told to be tall says how long its steps are: 150 of 218 or so in the file.
    assert!((gait.stride() - 1.5).abs() < 0.2, "{}", gait.stride());
}
