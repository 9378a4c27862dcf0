//! Baking and key reduction.

use crate::cases::cases;
use crate::common::scenes::{compiled, document};
use crate::common::{place, points, smooth, still, strand};
use glam::DVec3;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Figure, Path, Segment, Strand};
use zickzack_core::fraction::Fraction;
use zickzack_core::keys::{
    Channel, Interpolation, Key, Keying, Keys, ObjectKeys, Tally, bake_dense, bake_pose, bake_reduced, largest_error,
    merge,
};
use zickzack_core::motion::{
    Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, MotionError, Ride, Sample, Steered, Steering, prepared,
};
use zickzack_core::physics::{Air, Bounds, Launch, LaunchSetup, Side};
use zickzack_core::pose::{Axis, angle_between};
use zickzack_core::scene::keyed_number;

fn ball(velocity: DVec3) -> LaunchSetup {
    LaunchSetup {
        start: DVec3::Y,
        velocity,
        air: Air::still(DVec3::NEG_Y * 9.81),
        bounds: Bounds { min: DVec3::new(-9.0, 0.0, -9.0), max: DVec3::new(9.0, 9.0, 9.0) },
        sides: Side::ALL.to_vec(),
        bounciness: 0.8,
        friction: 0.0,
        start_frame: 0.0,
        fps: 24.0,
        ..LaunchSetup::free(DVec3::ZERO, DVec3::ZERO, Air::still(DVec3::ZERO))
    }
}

/// Largest distance and angle between keys and motion at every 64th of a frame and on both sides of every key.
fn measured(motion: &Arc<dyn Motion>, keys: &ObjectKeys, object: usize, range: Frames) -> (f64, f64) {
    let ready = prepared(motion, range.widened(1.0), &Cancel::default()).unwrap();
    let mut sample = Sample::default();
    let (mut far, mut turned) = (0.0_f64, 0.0_f64);
    let steps = ((range.to - range.from) * 64.0) as usize;
    let own = keys.position.iter().flat_map(|channel| channel.keys.iter().map(|key| key.frame));
    let own: Vec<f64> = own.chain(keys.orientation.keys.iter().map(|key| key.frame)).collect();
    let beside = own.iter().flat_map(|frame| [-1e-2, -1e-4, 1e-4, 1e-2].map(|by| frame + by));
    let frames = (0..steps).map(|i| range.from + i as f64 / 64.0).chain(beside);
    for frame in frames.filter(|frame| *frame >= range.from && *frame < range.to) {
        // Within a thousand-millionth of a frame of a leap either side is right.
        let near_jump = ready.breaks(object, Frames { from: frame - 1e-7, to: frame + 1e-7 }).unwrap();
        if !near_jump.is_empty() {
            continue;
        }
        ready.sample_at(&[(object, frame)], Columns::POSE, &mut sample);
        let place = DVec3::from([0, 1, 2].map(|axis| keys.position[axis].at(frame).0[0]));
        far = far.max(place.distance(sample.positions[0]));
        let turn = turned_at(&keys.orientation, frame);
        let off = angle_between(turn, sample.orientations[0]);
        turned = turned.max(off);
    }
    (far, turned)
}

/// A turn by its keys: evenly along the arc between straight ones.
fn turned_at(channel: &Channel<4>, frame: f64) -> glam::DQuat {
    let turn = |value: [f64; 4]| glam::DQuat::from_array(value).normalize();
    let after = channel.keys.partition_point(|key| key.frame <= frame);
    match (channel.interpolation, after.checked_sub(1), channel.keys.get(after)) {
        (Interpolation::Linear, Some(before), Some(next)) => {
            let before = &channel.keys[before];
            turn(before.value).slerp(turn(next.value), (frame - before.frame) / (next.frame - before.frame))
        }
        _ => turn(channel.at(frame).0),
    }
}

/// Few keys, cubic or straight, within metres and as many radians.
fn few(motion: &Arc<dyn Motion>, range: Frames, tolerance: f64, straight: bool) -> Keys {
    let keying = Keying::Within { metres: tolerance, radians: tolerance };
    let keying = if straight { keying.straightened() } else { keying };
    let keys = keying.keys(motion, range, &Cancel::default()).unwrap();
    let wanted = if straight { Interpolation::Linear } else { Interpolation::Cubic };
    assert!(keys.objects.iter().all(|keys| keys.orientation.interpolation == wanted));
    keys
}

#[test]
fn a_bouncing_ball_needs_at_most_twenty_keys_in_height() {
    let launch: Arc<dyn Motion> = Arc::new(Launch::solve(ball(DVec3::ZERO), 240.0));
    let range = Frames { from: 0.0, to: 200.0 };
    let keys = bake_reduced(&launch, range, (1e-3, 1e-3), &Cancel::default()).unwrap();
    let height = &keys.objects[0].position[1];
    assert!(height.keys.len() <= 20, "{}", height.keys.len());
    assert!(measured(&launch, &keys.objects[0], 0, range).0 <= 1e-3);
    assert!(keys.objects[0].position[0].is_still() && keys.objects[0].orientation.is_still());
    // Every contact after which it rises by more than the tolerance has a key at its exact frame.
    for (k, contact) in launch.contacts(range).iter().enumerate() {
        let apex = libm::pow(0.8, 2.0 * (k + 1) as f64);
        let kept = height.keys.iter().any(|key| (key.frame - contact.frame).abs() < 1e-9 && key.value[0].abs() < 1e-12);
        assert!(kept || apex <= 1e-3, "contact {k} at {} was lost", contact.frame);
    }
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn reduced_keys_stay_within_the_tolerance(
        list in points(3..7), closed: bool, riders in 1usize..3, a in -9i64..9, tolerance in prop::sample::select(vec![1e-4, 1e-3, 1e-2]), world: bool, straight: bool,
    ) {
        let strand = strand(&list, closed);
        let ride = Arc::new(Ride::new(still(strand), riders, Fraction::new(a, 4).unwrap(), 48.0).starting_at(0.05));
        let up = if world { FaceUp::Towards(DVec3::Y) } else { FaceUp::STEADY };
        let motion: Arc<dyn Motion> = Arc::new(FaceTravel::new(ride, Axis::PlusX, Axis::PlusY, up));
        let range = Frames { from: 0.0, to: 48.0 };
        let keys = few(&motion, range, tolerance, straight);
        for (object, keys) in keys.objects.iter().enumerate() {
            let (far, turned) = measured(&motion, keys, object, range);
            // Between the frames that were compared it may be off by a little more.
            prop_assert!(far <= tolerance * 1.15 && turned <= tolerance * 1.15, "{far} {turned}");
            prop_assert!(keys.off.0 <= tolerance && keys.turned_off.0 <= tolerance);
            // What is said is what is measured, within what lies between the frames that were compared.
            prop_assert!((keys.off.0 - far).abs() <= 0.15 * tolerance, "{} {far}", keys.off.0);
        }
    }

    /// Round corners of polygons it turns at once, at frames that are no round numbers.
    #[test]
    fn reduced_keys_of_what_turns_at_corners_stay_within_the_tolerance(
        sides in 3u32..8, laps in -7i64..7, start in 0.0..1.0f64, corner in prop::sample::select(vec![0.0, 0.0, 0.7]), tolerance in prop::sample::select(vec![1e-4, 1e-3]), straight: bool,
    ) {
        prop_assume!(laps != 0);
        let places: Vec<DVec3> = (0..sides).map(|i| {
            let (sine, cosine) = libm::sincos(std::f64::consts::TAU * f64::from(i) / f64::from(sides));
            DVec3::new(2.0 * cosine, 0.0, 2.0 * sine)
        }).collect();
        let pieces: Vec<Segment> = (0..places.len()).map(|i| Segment::Line { from: places[i], to: places[(i + 1) % places.len()] }).collect();
        let path = still(Strand::new(pieces, true).unwrap());
        let ride = Arc::new(Ride::new(path, 1, Fraction::new(laps, 3).unwrap(), 40.0).starting_at(start));
        let facing = FaceTravel::new(ride, Axis::PlusX, Axis::PlusY, FaceUp::Towards(DVec3::Y));
        let motion: Arc<dyn Motion> = if corner > 0.0 { Arc::new(Steered::new(Arc::new(facing), Steering { corner, ..Steering::NONE })) } else { Arc::new(facing) };
        let range = Frames { from: 0.0, to: 40.0 };
        let keys = few(&motion, range, tolerance, straight);
        let (far, turned) = measured(&motion, &keys.objects[0], 0, range);
        // Between the frames that were compared it may be off by a little more.
            prop_assert!(far <= tolerance * 1.15 && turned <= tolerance * 1.15, "{far} {turned}");
        prop_assert!(keys.objects[0].off.0 <= tolerance && keys.objects[0].turned_off.0 <= tolerance);
    }

    #[test]
    fn reduced_throws_stay_within_the_tolerance(x in -9.0..9.0f64, y in -5.0..9.0f64, z in -9.0..9.0f64, straight: bool) {
        let motion: Arc<dyn Motion> = Arc::new(Launch::solve(LaunchSetup { friction: 0.2, ..ball(DVec3::new(x, y, z)) }, 200.0));
        let range = Frames { from: 0.0, to: 150.0 };
        let keys = few(&motion, range, 1e-3, straight);
        prop_assert!(measured(&motion, &keys.objects[0], 0, range).0 <= 1e-3);
    }

    /// Without gravity flights are straight, and all that bends is the contacts.
    #[test]
    fn contacts_of_straight_flights_are_kept_exactly(x in 2.0..9.0f64, y in 2.0..9.0f64, z in -9.0..9.0f64, faces: bool) {
        let setup = LaunchSetup { air: Air::still(DVec3::ZERO), bounciness: 1.0, ..ball(DVec3::new(x, y, z)) };
        let launch: Arc<dyn Motion> = Arc::new(Launch::solve(setup, 200.0));
        let range = Frames { from: 0.0, to: 150.0 };
        let contacts = launch.contacts(range);
        let up = FaceUp::Towards(DVec3::Y);
        let motion: Arc<dyn Motion> = if faces { Arc::new(FaceTravel::new(launch, Axis::PlusX, Axis::PlusY, up)) } else { launch };
        let keys = bake_reduced(&motion, range, (1e-3, 1e-3), &Cancel::default()).unwrap();
        for contact in contacts {
            let axis = contact.normal.abs().max_position();
            let exact = keys.objects[0].position[axis].keys.iter().any(|key| {
                (key.frame - contact.frame).abs() < 1e-9 && (key.value[0] - contact.middle[axis]).abs() < 1e-9
            });
            prop_assert!(exact, "{contact:?}");
        }
    }

    #[test]
    fn merging_channels_changes_none_of_them(values in prop::collection::vec((0.0..10.0f64, -5.0..5.0f64, -2.0..2.0f64), 6..18)) {
        let mut channels: Vec<Channel<1>> = Vec::new();
        for part in values.chunks(values.len() / 3).take(3) {
            let mut keys: Vec<Key<1>> = part.iter().map(|&(frame, value, slope)| Key { frame, value: [value], slope_in: [slope], slope_out: [slope * 0.5] }).collect();
            keys.extend([0.0, 10.0].map(|frame| Key { frame, value: [frame], slope_in: [0.0], slope_out: [1.0] }));
            keys.sort_by(|a, b| a.frame.total_cmp(&b.frame));
            channels.push(Channel { interpolation: Interpolation::Cubic, keys });
        }
        let channels: [Channel<1>; 3] = channels.try_into().unwrap();
        let merged = merge(&channels);
        for i in 0..=400 {
            let frame = 0.025 * f64::from(i);
            for (axis, channel) in channels.iter().enumerate() {
                prop_assert!((merged.at(frame).0[axis] - channel.at(frame).0[0]).abs() < 1e-9);
            }
        }
    }

    #[test]
    fn dense_keys_lie_on_the_motion(list in prop::collection::vec(place(), 3..7), step in prop_oneof![Just(0.5), Just(0.333_33), Just(0.1), 0.05..3.0f64], from in prop_oneof![Just(3.0), Just(1e5)], length in 5.0..24.0f64) {
        let motion: Arc<dyn Motion> = Arc::new(Ride::new(still(smooth(&list, true)), 2, Fraction::new(1, 1).unwrap(), 24.0));
        let range = Frames { from, to: from + length };
        let keys = bake_dense(&motion, range, step, &Cancel::default()).unwrap();
        // One at every step, and one where the range ends.
        let mut wanted: Vec<f64> = (0..).map(|i| range.from + f64::from(i) * step).take_while(|frame| *frame < range.to - 1e-6).collect();
        wanted.push(range.to);
        let mut sample = Sample::default();
        for (object, keys) in keys.objects.iter().enumerate() {
            let there = &keys.position[0].keys;
            prop_assert!(wanted.len().abs_diff(there.len()) <= 1, "{} for {}", there.len(), wanted.len());
            for frame in &wanted {
                prop_assert!(there.iter().any(|key| (key.frame - frame).abs() < 1e-8), "none at {}", frame);
            }
            for key in &keys.position[0].keys {
                motion.sample_at(&[(object, key.frame)], Columns::POSITION, &mut sample);
                prop_assert!((key.value[0] - sample.positions[0].x).abs() < 1e-9);
            }
        }
    }
}

/// Given on one after another, keys are those of all things in their order; whoever takes no more is given no more.
#[test]
fn keys_are_given_on_thing_by_thing() {
    let path = still(smooth(&[DVec3::ZERO, DVec3::X, DVec3::new(2.0, 1.0, 0.0)], true));
    let motion: Arc<dyn Motion> = Arc::new(Ride::new(path, 150, Fraction::new(1, 1).unwrap(), 24.0));
    let range = Frames { from: 0.0, to: 24.0 };
    let (keying, cancel) = (Keying::Within { metres: 0.01, radians: 0.01 }, Cancel::default());
    let all = keying.keys(&motion, range, &cancel).unwrap();
    let (mut tally, mut given) = (Tally::default(), Vec::new());
    let refused = keying.each(&motion, range, &cancel, |keys| {
        tally.add(&keys);
        given.push(keys);
        if given.len() < 100 { Ok(()) } else { Err(MotionError::TooMuch("enough".to_owned())) }
    });
    assert!(matches!(refused, Err(MotionError::TooMuch(why)) if why == "enough"));
    assert_eq!(given, all.objects[..100]);
    assert_eq!(tally.things, 100);
    // What is not given on was not made, but for some that are made side by side.
    let looks = |most: usize| {
        let (cancel, mut left) = (Cancel::default(), most);
        let taken = keying.each(&motion, range, &cancel, |_| {
            left -= 1;
            if left > 0 { Ok(()) } else { Err(MotionError::Cancelled) }
        });
        assert!(taken.is_err());
        cancel.looks()
    };
    assert!(2 * looks(1) <= looks(150), "{} of {}", looks(1), looks(150));
    assert_eq!(tally.off, largest_error(given.iter().map(|keys| keys.off)));
    let moving: usize = given.iter().flat_map(|keys| &keys.position).filter(|channel| !channel.is_still()).count();
    assert_eq!(tally.position.moving, moving);
    assert!(tally.all().keys >= tally.position.keys && tally.position.keys >= 2 * moving);
}

#[test]
fn a_jump_becomes_a_pair_of_keys_in_all_three_coordinates() {
    let open = smooth(&[DVec3::ZERO, DVec3::X, DVec3::new(2.0, 1.0, 0.0)], false);
    let motion: Arc<dyn Motion> =
        Arc::new(Ride::new(still(open), 1, Fraction::new(2, 1).unwrap(), 48.0).starting_at(0.5));
    let keys = bake_reduced(&motion, Frames { from: 0.0, to: 48.0 }, (1e-3, 1e-3), &Cancel::default()).unwrap();
    let merged = merge(&keys.objects[0].position);
    let pairs: Vec<f64> =
        merged.keys.windows(2).filter(|pair| pair[0].frame == pair[1].frame).map(|pair| pair[0].frame).collect();
    assert_eq!(pairs.len(), 2, "{pairs:?}");
    assert!((pairs[0] - 12.0).abs() < 1e-6 && (pairs[1] - 36.0).abs() < 1e-6);
}

/// A scene of one node that is posed by these numbers, as a motion.
fn posed(params: serde_json::Value) -> Arc<dyn Motion> {
    compiled(document(96, &[("pose", "pose", params)], &[])).ends[0].motion.clone()
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn what_is_baked_to_a_pose_is_the_motion_within_its_tolerances(
        x in -3.0..3.0f64, y in 1.0..7.0f64, z in -3.0..3.0f64, spin in (-9.0..9.0f64, -9.0..9.0f64, -9.0..9.0f64), thrown: bool, tolerance in 1e-4..1e-2f64,
    ) {
        let motion: Arc<dyn Motion> = if thrown {
            let spin = DVec3::new(spin.0, spin.1, spin.2);
            Arc::new(Launch::solve(LaunchSetup { spin, ..ball(DVec3::new(x, y, z)) }, 200.0))
        } else {
            let figure = Figure::Eight { width: 4.0 + x, height: y, lobes: 2 }.strand().unwrap();
            let path = Path::still(Curve::from(figure));
            let ride = Arc::new(Ride::new(path, 1, "2/1".parse().unwrap(), 96.0));
            let up = FaceUp::STEADY;
            Arc::new(FaceTravel::new(ride, Axis::PlusX, Axis::PlusY, up))
        };
        let range = Frames { from: 0.0, to: 96.0 };
        let cancel = Cancel::default();
        let angle = 0.01;
        let keys = bake_pose(&motion, 0, range, (tolerance, angle), &cancel).unwrap();
        let number = |channel| keyed_number(channel, "holds");
        let alone = posed(serde_json::json!({
            "at": keys.place.each_ref().map(number), "orientation": keys.turn.each_ref().map(number), "scale": number(&keys.scale),
        }));
        let ready = prepared(&motion, range, &cancel).unwrap();
        let (mut a, mut b) = (Sample::default(), Sample::default());
        let mut dense = 0;
        for i in 0..6144 {
            let frame = f64::from(i) / 64.0;
            ready.sample_at(&[(0, frame)], Columns::POSE, &mut a);
            alone.sample_at(&[(0, frame)], Columns::POSE, &mut b);
            prop_assert!(a.positions[0].distance(b.positions[0]) <= tolerance * 1.001, "{frame}");
            prop_assert!(angle_between(a.orientations[0], b.orientations[0]) <= angle * 1.001, "{frame}");
            dense += 6;
        }
        prop_assert!(keys.count() < dense / 64, "{}", keys.count());
        prop_assert!(keys.off.0 <= tolerance && keys.turned_off.0 <= angle);
    }
}
