//! Riding in full: spacing, sharing, pace, ends and offsets, and what closes them.

use crate::cases::cases;
use crate::common::scenes::{document, told};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::json;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, Segment, Strand, UpRule};
use zickzack_core::formula::Formula;
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{Cancel, Columns, Motion, Pace, Ride, RideEnd, RideOffset, RideSpacing, Sample, Sharing};
use zickzack_core::seam::{RideClosing, RideOffer, measure};
use zickzack_core::signal::{Clock, Driven};

const FRAMES: f64 = 48.0;

fn circle(radius: f64, y: f64) -> Strand {
    Strand::new(vec![Segment::circle(DVec3::Y * y, radius, DVec3::X, DVec3::Z)], true).unwrap()
}

fn line(length: f64) -> Path {
    Path::still(Curve::from(
        Strand::new(vec![Segment::Line { from: DVec3::ZERO, to: DVec3::X * length }], false).unwrap(),
    ))
}

fn rings(radii: &[f64]) -> Path {
    Path::still(Curve::new(radii.iter().enumerate().map(|(i, r)| circle(*r, i as f64)).collect()).unwrap())
}

fn gap(ride: Ride) -> f64 {
    let ride: Arc<dyn Motion> = Arc::new(ride);
    let seam = measure(&ride, FRAMES, 24.0, &Cancel::default()).unwrap();
    seam.position.amount.max(seam.velocity.amount)
}

fn place(ride: &Ride, object: usize, frame: f64) -> DVec3 {
    let mut sample = Sample::default();
    ride.sample_at(&[(object, frame)], Columns::POSITION, &mut sample);
    sample.positions[0]
}

fn laps(a: i64, b: i64) -> Fraction {
    Fraction::new(a, b).unwrap()
}

proptest! {
    #![proptest_config(cases(64))]

    #[test]
    fn riders_that_turn_back_are_where_a_folded_phase_puts_them(length in 0.5..9.0f64, a in -30i64..30, start in -3.0..3.0f64, frame in -50.0..100.0f64) {
        let ride = Ride::new(line(length), 1, laps(a, 7), FRAMES).starting_at(start).at_end(RideEnd::TurnBack);
        let phase = start + a as f64 / 7.0 * frame / FRAMES;
        let folded = 1.0 - (phase.rem_euclid(2.0) - 1.0).abs();
        prop_assert!((place(&ride, 0, frame).x - folded * length).abs() < 1e-9 * length);
        // There and back is one round: only even laps bring them home.
        let whole = Ride::new(line(length), 1, laps(2, 1), FRAMES).starting_at(start).at_end(RideEnd::TurnBack);
        prop_assert!(gap(whole) < 1e-9);
    }

    #[test]
    fn who_runs_on_leaves_straight_at_the_same_speed(length in 0.5..9.0f64, frame in 0.0..200.0f64) {
        let ride = Ride::new(line(length), 1, laps(1, 1), FRAMES).at_end(RideEnd::RunOn);
        prop_assert!((place(&ride, 0, frame).x - length * frame / FRAMES).abs() < 1e-9 * length);
    }

    #[test]
    fn each_with_its_own_pace_comes_back_when_kept_looping(riders in 1usize..30, spread in 0.1..4.0f64, seed in 0u64..99, back in any::<bool>()) {
        let end = if back { RideEnd::TurnBack } else { RideEnd::Wrap };
        let path = if back { line(3.0) } else { rings(&[2.0]) };
        let ride = || Ride::new(path.clone(), riders, laps(13, 10), FRAMES).seeded(seed).at_end(end);
        prop_assert!(gap(ride().pace_spread(spread, true)) < 1e-9);
        let kept = ride().pace_spread(spread, true);
        prop_assert!(kept.seats().iter().all(|seat| seat.laps != 0.0), "none stands still only because it was slow");
        let free = ride().pace_spread(spread, false);
        for (kept, free) in kept.seats().iter().zip(free.seats()) {
            let most = if back { 2.0 } else { 1.0 };
            prop_assert!((kept.laps - free.laps).abs() <= most);
        }
    }

    #[test]
    fn riders_are_shared_by_length_and_nobody_moves_when_more_come(radii in prop::collection::vec(0.5..5.0f64, 1..5), riders in 1usize..200, seed in 0u64..99) {
        for sharing in [Sharing::ByTurns, Sharing::AtRandom, Sharing::ByLength] {
            let ride = |count| {
                Ride::new(rings(&radii), count, laps(1, 1), FRAMES).seeded(seed).spaced(RideSpacing::Random).shared(sharing)
            };
            let (some, more) = (ride(riders), ride(riders + 17));
            prop_assert_eq!(some.seats(), &more.seats()[..riders]);
            prop_assert!(some.seats().iter().all(|seat| seat.strand < radii.len()));
        }
        let ride = Ride::new(rings(&radii), riders, laps(1, 1), FRAMES).shared(Sharing::ByLength);
        let whole: f64 = radii.iter().sum();
        for (strand, radius) in radii.iter().enumerate() {
            let count = ride.seats().iter().filter(|seat| seat.strand == strand).count() as f64;
            prop_assert!((count - riders as f64 * radius / whole).abs() <= radii.len() as f64, "within one for each other strand");
        }
    }

    #[test]
    fn a_fixed_distance_is_kept_along_the_path(riders in 2usize..20, distance in 0.01..0.5f64) {
        let ride = Ride::new(line(20.0), riders, Fraction::ZERO, FRAMES).spaced(RideSpacing::Distance(distance));
        for rider in 1..riders {
            prop_assert!((place(&ride, rider, 0.0).x - place(&ride, rider - 1, 0.0).x - distance).abs() < 1e-9);
        }
    }

    #[test]
    fn the_pace_means_the_same_in_all_units(radius in 0.5..5.0f64, a in 1i64..40, frame in 0.0..100.0f64) {
        let count = a as f64 / 7.0;
        let length = std::f64::consts::TAU * radius;
        let ride = |pace| Ride::new(rings(&[radius]), 1, laps(1, 1), FRAMES).paced(pace);
        let ways = [Pace::Laps(laps(a, 7)), Pace::FramesPerLap(FRAMES / count), Pace::Speed(count * length / FRAMES)];
        let places = ways.map(|pace| place(&ride(pace), 0, frame));
        prop_assert!(places[0].distance(places[1]) < 1e-9 && places[0].distance(places[2]) < 1e-9);
    }

    #[test]
    fn off_the_path_things_keep_their_distance_and_their_velocity_is_that_of_their_place(
        radius in 1.0..5.0f64, up in -0.5..0.5f64, across in -0.5..0.5f64, frame in 0.0..48.0f64,
    ) {
        let fixed = Driven::Fixed;
        let offset = RideOffset { along: fixed(0.0), up: fixed(up), across: fixed(across), rule: UpRule::Towards(DVec3::Y) };
        let ride = Ride::new(rings(&[radius]), 1, laps(1, 1), FRAMES).offset(offset);
        let here = place(&ride, 0, frame);
        prop_assert!((here.y - up).abs() < 1e-9);
        // From x to z, seen from above, the circle runs clockwise: to the right is inwards.
        prop_assert!((here.with_y(0.0).length() - (radius - across)).abs() < 1e-9);
        let mut sample = Sample::default();
        ride.sample_at(&[(0, frame)], Columns::VELOCITY, &mut sample);
        let measured = (place(&ride, 0, frame + 1e-4) - place(&ride, 0, frame - 1e-4)) / 2e-4;
        prop_assert!(sample.velocities[0].distance(measured) < 1e-6);
    }

    #[test]
    fn laps_that_change_are_added_up(amount in 0.0..0.9f64, frame in 0.0..96.0f64) {
        let clock = Clock { fps: 24.0, frames: FRAMES };
        let formula = Formula::parse(&format!("1.0 + {amount:?} * cos(tau * loop)")).unwrap();
        let ride = Ride::new(line(1.0), 1, laps(1, 1), FRAMES).driven(Driven::formula(formula, clock, -10.0, 10.0));
        let turn = std::f64::consts::TAU;
        let phase = frame / FRAMES + amount * libm::sin(turn * frame / FRAMES) / turn;
        let expected = phase - phase.floor();
        let found = place(&ride, 0, frame).x;
        prop_assert!((found - expected).abs() < 1e-9 || (found - expected).abs() > 1.0 - 1e-9, "{found} {expected}");
    }

    #[test]
    fn every_offer_for_a_ride_closes_it(riders in 1usize..12, a in 1i64..50, kind in 0..3usize, unit in 0..2usize) {
        let pace = if unit == 0 { Pace::Laps(laps(a, 10)) } else { Pace::FramesPerLap(FRAMES * 10.0 / a as f64) };
        let end = if kind == 2 { RideEnd::TurnBack } else { RideEnd::Wrap };
        let spread = if kind == 1 { 0.02 } else { 0.0 };
        let ride = Ride::new(rings(&[2.0]), riders, laps(1, 1), FRAMES).paced(pace).spread(spread).at_end(end);
        let closing = RideClosing::new(&ride, pace, FRAMES);
        for offer in closing.offers(&[], true) {
            let ride = ride.clone();
            let changed = match offer {
                RideOffer::Pace { pace, .. } => ride.paced(pace),
                RideOffer::Riders(count) => ride.with_riders(count),
                RideOffer::NoSpread => ride.spread(0.0),
                other => panic!("{other:?} was offered"),
            };
            // Turning back on a circle jumps in velocity where it turns: places tell.
            let changed: Arc<dyn Motion> = Arc::new(changed);
            let seam = measure(&changed, FRAMES, 24.0, &Cancel::default()).unwrap();
            prop_assert!(seam.position.amount < 1e-9, "{offer:?}: {}", seam.position.amount);
        }
    }
}

proptest! {
    #![proptest_config(cases(48))]

    #[test]
    fn every_offer_that_is_made_closes_whatever_kinds_strands_and_places_there_are(
        riders in 1usize..9, copies in 1usize..4, grow in prop::sample::select(vec![1.0, 1.5]), a in 1i64..40, b in 1i64..9,
        kinds in 0usize..3, followers in 0usize..3, spread in prop::sample::select(vec![0.0, 0.0, 0.02]),
        places in prop::sample::select(vec!["", "0 0.5", "0 0.25 0.5", "0.1 0.2"]), shifted: bool, seed in 1u32..99, pace in 0usize..2,
    ) {
        let kinds: Vec<_> = (0..kinds).map(|i| json!({ "id": format!("k{i}"), "scale": 1 + i })).collect();
        let mut ride = json!({ "riders": riders, "laps": format!("{a}/{b}"), "spread": spread });
        if pace == 1 {
            ride["pace"] = json!("frames per lap");
            ride["lap"] = json!(48.0 * b as f64 / a as f64);
        }
        if !places.is_empty() {
            ride["spacing"] = json!("given places");
            ride["places"] = json!(places);
        }
        if shifted {
            ride["shifts"] = json!([{ "id": "0", "value": 0.03 }]);
        }
        let nodes = [
            ("circle", "figure", json!({ "figure": "circle" })),
            ("sheaf", "sheaf", json!({ "copies": copies, "step": [0, 1, 0], "grow": grow })),
            ("ride", "ride", ride),
            ("kinds", "kinds", json!({ "kinds": kinds, "seed": seed })),
            ("follow", "followers", json!({ "followers": followers })),
            ("out", "output", json!({})),
        ];
        let threads = [
            ("circle", "sheaf", "path"), ("sheaf", "ride", "path"), ("ride", "kinds", "motion"), ("kinds", "follow", "motion"), ("follow", "out", "motion"),
        ];
        let report = told(document(48, &nodes, &threads));
        prop_assert!(report.seam.leaps.is_empty());
        for offer in &report.offers {
            prop_assert_eq!(offer.left.as_deref(), Some(""), "{} leaves something", offer.text);
        }
    }
}
