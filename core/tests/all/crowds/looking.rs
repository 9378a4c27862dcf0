//! Looks by age, place, speed, number and distance; numbers that are drawn.

use glam::DVec3;
use proptest::prelude::*;
use serde_json::Value;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, Segment, Strand};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    Birth, Cancel, Columns, EachAnew, Graded, GradedBy, Kind, Kinds, Lives, Motion, Reborn, Ride, Sample,
};
use zickzack_core::pose::Axis;
use zickzack_core::seam::measure;
use zickzack_core::signal::Progression;

const F: f64 = 48.0;
const FPS: f64 = 24.0;

/// The page holds its own to the same file.
#[test]
fn a_drawn_number_is_that_of_the_page() {
    let cases: Value = serde_json::from_str(include_str!("../../fixtures/drawn.json")).unwrap();
    let pair = |value: &Value| [value[0].as_f64().unwrap(), value[1].as_f64().unwrap()];
    for case in cases.as_array().unwrap() {
        let drawn = Progression::through(case["points"].as_array().unwrap().iter().map(pair).collect());
        for [part, wanted] in case["at"].as_array().unwrap().iter().map(pair) {
            assert!((drawn.at(part) - wanted).abs() < 1e-9, "{case} at {part}: {}", drawn.at(part));
        }
    }
}

fn points() -> impl Strategy<Value = Vec<[f64; 2]>> {
    prop::collection::btree_map(0u32..=100, 0.0..10.0_f64, 1..8)
        .prop_map(|points| points.into_iter().map(|(part, y)| [f64::from(part) / 100.0, y]).collect())
}

fn ring() -> Path {
    Path::still(Curve::from(Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Z)], true).unwrap()))
}

fn riding(count: usize) -> Arc<dyn Motion> {
    Arc::new(Ride::new(ring(), count, Fraction::whole(1).unwrap(), F))
}

/// Riders that begin anew, each three times as long as from one birth to the next.
fn reborn() -> Arc<dyn Motion> {
    let birth = |i: usize| Birth { frame: F * i as f64 / 12.0, lasts: F / 4.0, group: 0 };
    let lives = Lives::new((0..12).map(birth).collect(), F, true);
    Arc::new(Reborn::new(Arc::new(EachAnew(riding(5))), &lives, (0.0, 0.0)))
}

proptest! {
    #[test]
    fn what_is_drawn_goes_through_its_points_and_never_past_them(points in points(), part in 0.0..1.0_f64) {
        let drawn = Progression::through(points.clone());
        for [at, y] in &points {
            prop_assert!((drawn.at(*at) - y).abs() < 1e-9);
        }
        let after = points.partition_point(|point| point[0] <= part);
        let near = &points[after.saturating_sub(1)..(after + 1).min(points.len())];
        let low = near.iter().map(|point| point[1]).fold(f64::MAX, f64::min);
        let high = near.iter().map(|point| point[1]).fold(f64::MIN, f64::max);
        prop_assert!(drawn.at(part) >= low - 1e-9 && drawn.at(part) <= high + 1e-9);
    }

    #[test]
    fn looks_go_by_what_they_say(points in points(), which in 0usize..6, frame in -20.0..70.0_f64) {
        let drawn = Progression::through(points);
        let lead = riding(2);
        let by = [
            GradedBy::Age, GradedBy::Place, GradedBy::Speed(0.1, 0.4), GradedBy::Number, GradedBy::Chance(3),
            GradedBy::Distance(lead.clone(), 0.5, 3.0),
        ][which].clone();
        let colours = ["#ffffff".to_owned(), "#000000".to_owned()];
        let mix = Progression::through(vec![[0.0, 0.0], [1.0, 1.0]]);
        let graded = Graded::new(reborn(), by, (drawn.clone(), drawn.clone()), Some((mix, colours)));
        let columns = Columns::POSE | Columns::TINT | Columns::BRIGHTNESS;
        let (mut sample, mut inner, mut leads) = (Sample::default(), Sample::default(), Sample::default());
        graded.sample(frame, columns, &mut sample);
        reborn().sample(frame, Columns::POSE | Columns::VELOCITY | Columns::LIFE | Columns::PLACE, &mut inner);
        lead.sample(frame, Columns::POSITION, &mut leads);
        for thing in 0..graded.len() {
            let age = inner.ages[thing];
            let place = inner.places[thing].laps;
            let part = match which {
                0 => age.frames / age.lasts,
                1 => place - place.floor(),
                2 => ((inner.velocities[thing].length() - 0.1) / 0.3).clamp(0.0, 1.0),
                3 => age.birth as f64 / 11.0,
                4 => {
                    // By chance, but always the same for a birth.
                    let again = graded.lives().unwrap().thing_of(age.birth, 3);
                    let (mut later, at) = (Sample::default(), graded.lives().unwrap().births()[age.birth].frame + 3.0 * F + age.frames);
                    graded.sample_at(&[(again, at)], columns, &mut later);
                    prop_assert!((later.scales[0].x - sample.scales[thing].x).abs() < 1e-9);
                    continue;
                }
                _ => {
                    let near = leads.positions.iter().map(|p| p.distance(inner.positions[thing])).fold(f64::MAX, f64::min);
                    ((near - 0.5) / 2.5).clamp(0.0, 1.0)
                }
            };
            prop_assert!((sample.scales[thing].x - drawn.at(part)).abs() < 1e-9);
            prop_assert!((sample.brightness[thing] - drawn.at(part)).abs() < 1e-9);
            prop_assert!((sample.tints[thing] - part).abs() < 1e-9);
        }
    }

    #[test]
    fn kinds_after_looks_are_shared_out_as_before_them(points in points(), seed in 0u64..50) {
        let drawn = || Progression::through(points.clone());
        let list = vec![Kind { scale: 2.0, ..Kind::PLAIN }, Kind { symmetry: 4, ..Kind::PLAIN }];
        let kinds = |inner| Kinds::new(inner, list.clone(), (0.3, seed, true), Axis::PlusY, None).expect("shared out");
        let looks = |inner| Graded::new(inner, GradedBy::Age, (drawn(), drawn()), None);
        let after: Arc<dyn Motion> = Arc::new(kinds(Arc::new(looks(reborn()))));
        let before: Arc<dyn Motion> = Arc::new(looks(Arc::new(kinds(reborn()))));
        prop_assert_eq!(after.len(), before.len());
        let (mut a, mut b) = (Sample::default(), Sample::default());
        for frame in [0.0, 13.5, 47.0] {
            after.sample(frame, Columns::POSE | Columns::BRIGHTNESS, &mut a);
            before.sample(frame, Columns::POSE | Columns::BRIGHTNESS, &mut b);
            for thing in 0..after.len() {
                prop_assert!(a.scales[thing].distance(b.scales[thing]) < 1e-12);
                prop_assert_eq!(after.kind(thing), before.kind(thing));
            }
        }
        let seam = measure(&after, F, FPS, &Cancel::default()).expect("measured");
        prop_assert!(seam.closes(1e-9));
    }
}
