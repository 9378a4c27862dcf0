//! Riding, closing and the seam.

use crate::cases::cases;
use crate::common::{circle, place, points, smooth, still, strand};
use glam::DVec3;
use proptest::prelude::*;
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::curve::{PathPoint, PointKind};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    BreakKind, Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, Ride, RideEnd, RideSpacing, Sample,
};
use zickzack_core::pose::Axis;
use zickzack_core::seam::{lap_offers, measure};

fn fraction(a: i64, b: i64) -> Fraction {
    Fraction::new(a, b).unwrap()
}

fn sampled(motion: &dyn Motion, frame: f64) -> Sample {
    let mut sample = Sample::default();
    let columns = Columns::POSE | Columns::VELOCITY | Columns::TRAVEL | Columns::PLACE | Columns::SPIN;
    motion.sample(frame, columns, &mut sample);
    sample
}

fn facing(motion: Arc<dyn Motion>, up: FaceUp) -> Arc<dyn Motion> {
    Arc::new(FaceTravel::new(motion, Axis::PlusX, Axis::PlusY, up))
}

proptest! {
    #![proptest_config(cases(64))]

    #[test]
    fn riders_are_where_the_definition_puts_them(
        list in prop::collection::vec(place(), 3..8), riders in 1usize..20, a in -40i64..40, b in 1i64..9, start in -2.0..2.0f64, frame in -200.0..400.0f64,
    ) {
        let strand = smooth(&list, true);
        let ride = Ride::new(still(strand.clone()), riders, fraction(a, b), 120.0).starting_at(start);
        let sample = sampled(&ride, frame);
        for i in 0..riders {
            let phase = start + i as f64 / riders as f64 + a as f64 / b as f64 * frame / 120.0;
            let expected = strand.at((phase - phase.floor()) * strand.length()).point;
            prop_assert!(sample.positions[i].distance(expected) <= 1e-6 * strand.length());
        }
    }

    #[test]
    fn velocity_is_the_derivative_of_position(list in points(3..8), closed: bool, a in -9i64..9, b in 1i64..5, frame in 0.0..120.0f64) {
        let strand = strand(&list, closed);
        let ride = Ride::new(still(strand.clone()), 5, fraction(a, b), 120.0);
        let h = 1e-4;
        let near: Vec<f64> = (0..5).flat_map(|i| ride.breaks(i, Frames { from: frame - 0.01, to: frame + 0.01 }).unwrap()).map(|b| b.frame).collect();
        prop_assume!(near.is_empty());
        // Close to a corner with tiny handles the curvature is beyond what a difference can tell.
        let (before, here, after) = (sampled(&ride, frame - h), sampled(&ride, frame), sampled(&ride, frame + h));
        for i in 0..5 {
            let slope = (after.positions[i] - before.positions[i]) / (2.0 * h);
            prop_assert!(slope.distance(here.velocities[i]) <= 1e-3 * (1.0 + here.velocities[i].length()) * strand.length());
        }
    }

    #[test]
    fn a_closing_ride_has_no_gap_and_an_offer_makes_one(
        list in prop::collection::vec(place(), 3..7), riders in 1usize..9, a in -30i64..30, b in 1i64..30,
    ) {
        let strand = smooth(&list, true);
        let make = |laps| -> Arc<dyn Motion> { Arc::new(Ride::new(still(strand.clone()), riders, laps, 96.0).starting_at(0.13)) };
        let laps = fraction(a, b);
        let phases: Vec<f64> = (0..riders).map(|i| i as f64 / riders as f64).collect();
        let offers = lap_offers(laps, &[phases]);
        let closing = if offers.is_empty() { vec![laps] } else { offers.iter().map(|offer| offer.laps).collect() };
        for laps in closing {
            for motion in [make(laps), facing(make(laps), FaceUp::STEADY)] {
                let seam = measure(&motion, 96.0, 24.0, &Cancel::default()).unwrap();
                let gaps = [seam.position, seam.velocity, seam.orientation].map(|gap| gap.amount);
                prop_assert!(gaps.iter().all(|gap| *gap <= 1e-9), "{laps}: {gaps:?}");
                // Rounding of a place by 1e-15 m is seen by a spin as its slope allows.
                let fastest = (0..=96).flat_map(|i| sampled(&*motion, f64::from(i)).spins).map(|spin| 24.0 * spin.length()).fold(1.0, f64::max);
                prop_assert!(seam.spin.amount <= 1e-9 * fastest, "{laps}: {:?} of {fastest}", seam.spin);
                prop_assert!(seam.uncertain.is_empty());
            }
        }
    }

    #[test]
    fn a_stopped_ride_stays_at_the_end_facing_the_way_it_went(list in prop::collection::vec(place(), 2..7), backwards: bool, late in 0.0..100.0f64) {
        let strand = smooth(&list, false);
        let laps = fraction(if backwards { -3 } else { 3 }, 2);
        let ride = Ride::new(still(strand.clone()), 1, laps, 100.0).starting_at(if backwards { 1.0 } else { 0.0 }).at_end(RideEnd::Hold);
        let motion = facing(Arc::new(ride), FaceUp::Towards(DVec3::Y));
        let (at_end, later) = (sampled(&*motion, 67.0), sampled(&*motion, 67.0 + late));
        let goal = strand.at(if backwards { 0.0 } else { strand.length() });
        prop_assert!(at_end.positions[0].distance(goal.point) < 1e-9 * strand.length());
        prop_assert_eq!(at_end.positions[0], later.positions[0]);
        prop_assert_eq!(at_end.orientations[0], later.orientations[0]);
        prop_assert_eq!(later.velocities[0], DVec3::ZERO);
        let nose = at_end.orientations[0] * DVec3::X;
        let ahead = if backwards { -goal.tangent } else { goal.tangent };
        prop_assert!(nose.distance(ahead) < 1e-9);
    }

    #[test]
    fn the_nose_leads_along_any_path(list in prop::collection::vec(place(), 3..8), frame in 0.0..120.0f64, backwards: bool, steady: bool) {
        let laps = fraction(if backwards { -1 } else { 1 }, 1);
        let ride = Arc::new(Ride::new(still(smooth(&list, true)), 7, laps, 120.0));
        let up = if steady { FaceUp::STEADY } else { FaceUp::Towards(DVec3::Y) };
        let sample = sampled(&*facing(ride, up), frame);
        for i in 0..7 {
            prop_assert!((sample.orientations[i] * DVec3::X).distance(sample.velocities[i].normalize()) < 1e-9);
        }
    }
}

#[test]
fn seven_lanterns_at_1_3_laps_miss_by_the_tenth_of_a_seventh() {
    // Shift 1.3 laps = 9.1 places: nearest look-alikes are 0.1 places of L/7 apart.
    let radius = 2.0;
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(still(circle(radius)), 7, fraction(13, 10), 120.0));
    let seam = measure(&ride, 120.0, 24.0, &Cancel::default()).unwrap();
    let angle = 0.1 / 7.0 * TAU;
    let chord = 2.0 * radius * libm::sin(angle / 2.0);
    assert!((seam.position.amount - chord).abs() < 1e-9, "{} {chord}", seam.position.amount);
    assert_eq!(seam.trading, 7);
    let closed: Arc<dyn Motion> = Arc::new(Ride::new(still(circle(radius)), 7, fraction(9, 7), 120.0));
    assert!(measure(&closed, 120.0, 24.0, &Cancel::default()).unwrap().closes(1e-9));
}

#[test]
fn riders_without_a_certain_partner_are_named_and_compared_with_themselves() {
    // Two riders end at one place, which only one of them can take over.
    let open = smooth(&[DVec3::ZERO, DVec3::X], false);
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(still(open), 2, fraction(1, 1), 60.0).at_end(RideEnd::Hold));
    let seam = measure(&ride, 60.0, 24.0, &Cancel::default()).unwrap();
    assert!(!seam.closes(0.1));
    for object in &seam.uncertain {
        assert_eq!(seam.partners[*object], *object);
    }
    assert_eq!(seam.uncertain, [0], "the first ends where the second, which is nearer, belongs");
}

#[test]
fn a_crowd_on_a_line_straight_up_is_matched_as_fast_as_any() {
    let upright = smooth(&[DVec3::ZERO, DVec3::Y * 9.0], false);
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(still(upright), 20_000, fraction(1, 20_000), 60.0));
    let seam = measure(&ride, 60.0, 24.0, &Cancel::default()).unwrap();
    assert!(seam.meets(1e-9) && seam.trading == 20_000 && seam.uncertain.is_empty(), "{:?}", seam.position);
}

#[test]
fn more_corners_than_can_be_looked_at_are_refused() {
    let zigzag: Vec<DVec3> = (0..2000).map(|i| DVec3::new(f64::from(i), f64::from(i % 2), 0.0)).collect();
    let points: Vec<PathPoint> =
        zigzag.into_iter().map(|position| PathPoint { position, kind: PointKind::Corner, handles: None }).collect();
    let ride = Ride::new(still(strand(&points, false)), 1, fraction(10_000, 1), 1.0);
    let refused = ride.breaks(0, Frames { from: 0.0, to: 1.0 }).unwrap_err();
    assert!(refused.to_string().contains("corners"), "{refused}");
    assert_eq!(ride.breaks(0, Frames { from: 0.0, to: 1e-4 }).map(|breaks| breaks.is_empty()), Ok(false));
}

#[test]
fn every_rider_is_on_its_strand_and_strands_take_turns() {
    let (a, b) = (circle(1.0), circle(3.0));
    let path = zickzack_core::curve::Path::still(zickzack_core::curve::Curve::new(vec![a, b]).unwrap());
    let ride = Ride::new(path, 5, fraction(1, 1), 10.0);
    let sample = sampled(&ride, 3.3);
    for (i, position) in sample.positions.iter().enumerate() {
        let radius = if i % 2 == 0 { 1.0 } else { 3.0 };
        assert!((position.length() - radius).abs() < 1e-12);
    }
}

#[test]
fn an_open_path_that_goes_round_jumps_where_it_says() {
    let strand = smooth(&[DVec3::ZERO, DVec3::X, DVec3::new(2.0, 1.0, 0.0)], false);
    let ride = Ride::new(still(strand), 3, fraction(-2, 1), 90.0);
    for object in 0..3 {
        let breaks = ride.breaks(object, Frames { from: 0.5, to: 90.5 }).unwrap();
        let jumps: Vec<f64> = breaks.iter().filter(|b| b.kind == BreakKind::Jump).map(|b| b.frame).collect();
        assert_eq!(jumps.len(), 2, "{object}: {jumps:?}");
        for frame in jumps {
            let (before, after) = (sampled(&ride, frame - 1e-5), sampled(&ride, frame + 1e-5));
            assert!(before.positions[object].distance(after.positions[object]) > 1.0);
        }
    }
}

proptest! {
    #![proptest_config(cases(48))]

    #[test]
    fn a_ride_on_a_path_scaled_by_k_has_positions_and_velocities_times_k(
        list in prop::collection::vec(place(), 3..7), k in 0.05..50.0f64, a in -9i64..9, frame in 0.0..200.0f64,
    ) {
        let on = |factor: f64| {
            let strand = smooth(&list.iter().map(|place| *place * factor).collect::<Vec<_>>(), true);
            facing(Arc::new(Ride::new(still(strand), 5, fraction(a, 4), 96.0)), FaceUp::Towards(DVec3::Y))
        };
        let (small, large) = (sampled(&*on(1.0), frame), sampled(&*on(k), frame));
        for i in 0..5 {
            let size = 1.0 + small.positions[i].length();
            prop_assert!(large.positions[i].distance(small.positions[i] * k) <= 1e-9 * k * size);
            prop_assert!(large.velocities[i].distance(small.velocities[i] * k) <= 1e-7 * k * (1.0 + small.velocities[i].length()));
        }
    }

    #[test]
    fn spread_riders_keep_their_own_offset_when_others_come_and_go(riders in 2usize..30, more in 1usize..30, seed in 0u64..1000, amount in 0.01..0.5f64) {
        let offsets = |count: usize| {
            let ride = Ride::new(still(circle(1.0)), count, Fraction::ZERO, 10.0).spread(amount).seeded(seed);
            ride.phases().into_iter().enumerate().map(|(i, (_, phase))| phase - i as f64 / count as f64).collect::<Vec<f64>>()
        };
        let (few, many) = (offsets(riders), offsets(riders + more));
        for (a, b) in few.iter().zip(&many) {
            prop_assert!((a - b).abs() < 1e-12 && a.abs() <= amount);
        }
    }

    /// Where several are in one place they close as a set when each place holds as many as at the start.
    #[test]
    fn riders_in_one_place_close_when_each_place_holds_as_many(
        quarters in prop::collection::vec(0i64..8, 1..7), eighths in -16i64..16, list in prop::collection::vec(place(), 3..6),
    ) {
        let phases: Vec<f64> = quarters.iter().map(|quarter| *quarter as f64 / 8.0).collect();
        let ride = Ride::new(still(smooth(&list, true)), quarters.len(), fraction(eighths, 8), 48.0).spaced(RideSpacing::Given(phases));
        let motion: Arc<dyn Motion> = Arc::new(ride);
        let seam = measure(&motion, 48.0, 24.0, &Cancel::default()).unwrap();
        let count = |at: i64, later: i64| quarters.iter().filter(|quarter| (*quarter + later).rem_euclid(8) == at).count();
        let closes = (0..8).all(|at| count(at, 0) == count(at, eighths));
        prop_assert_eq!(seam.meets(1e-6), closes, "{:?} {:?}", seam.position, seam.partners);
        if closes {
            prop_assert!(seam.uncertain.is_empty());
            let mut partners = seam.partners.clone();
            partners.sort_unstable();
            prop_assert_eq!(partners, (0..quarters.len()).collect::<Vec<_>>(), "each has its own");
        }
    }

    #[test]
    fn things_are_matched_across_the_seam_as_by_comparing_all_with_all(
        riders in 2usize..40, a in -60i64..60, b in 1i64..60, list in prop::collection::vec(place(), 3..6),
    ) {
        let strand = smooth(&list, true);
        let motion: Arc<dyn Motion> = Arc::new(Ride::new(still(strand), riders, fraction(a, b), 48.0));
        let seam = measure(&motion, 48.0, 24.0, &Cancel::default()).unwrap();
        let (start, end) = (sampled(&*motion, 0.0), sampled(&*motion, 48.0));
        let apart = |i: usize, j: usize| {
            end.positions[i].distance_squared(start.positions[j]) + end.velocities[i].distance_squared(start.velocities[j])
        };
        for i in 0..riders {
            if seam.uncertain.contains(&i) {
                continue;
            }
            let partner = seam.partners[i];
            let nearest = (0..riders).map(|j| apart(i, j)).fold(f64::INFINITY, f64::min);
            let back = (0..riders).map(|j| apart(j, partner)).fold(f64::INFINITY, f64::min);
            prop_assert!(apart(i, partner) <= nearest * (1.0 + 1e-6) + 1e-18);
            prop_assert!(apart(i, partner) <= back * (1.0 + 1e-6) + 1e-18);
        }
    }
}
