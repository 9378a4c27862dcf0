//! Properties of what a crowd is made of and how it is closed: kinds, several motions as one, pivots, closed loops.

use crate::cases::cases;
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::sync::Arc;
use zickzack_core::curve::{Curve, Figure, Path, PathPoint, PointKind, through};
use zickzack_core::formula::Formula;
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    Cancel, Columns, FaceTravel, FaceUp, Frames, Kind, Kinds, Motion, Pivoted, Ride, RideSpacing, Sample, Steered,
    Steering, Tint, Together, prepared,
};
use zickzack_core::pose::{Axis, angle_between};
use zickzack_core::seam::{Closed, Closing, measure, orbit};
use zickzack_core::signal::{Clock, Driven};

const FRAMES: f64 = 96.0;

fn circle(radius: f64) -> Path {
    Path::still(Curve::from(Figure::Circle { radius }.strand().unwrap()))
}

fn loose(places: &[(f64, f64, f64)], closed: bool) -> Path {
    let point = |&(x, y, z): &(f64, f64, f64)| PathPoint {
        position: DVec3::new(x, y, z),
        kind: PointKind::Smooth,
        handles: None,
    };
    let points: Vec<PathPoint> = places.iter().map(point).collect();
    Path::still(Curve::from(through(&points, closed).unwrap()))
}

fn ride(path: Path, riders: usize, laps: &str) -> Ride {
    Ride::new(path, riders, laps.parse::<Fraction>().unwrap(), FRAMES)
}

fn facing(motion: impl Motion + 'static) -> Arc<dyn Motion> {
    Arc::new(FaceTravel::new(Arc::new(motion), Axis::PlusX, Axis::PlusY, FaceUp::STEADY))
}

fn kind(weight: f64, scale: f64, symmetry: u32) -> Kind {
    Kind { weight, scale, symmetry, ..Kind::PLAIN }
}

fn kinds(motion: Arc<dyn Motion>, list: &[Kind], spread: f64, seed: u64) -> Kinds {
    Kinds::new(motion, list.to_vec(), (spread, seed, false), Axis::PlusX, None).expect("nothing has lives")
}

fn sampled(motion: &dyn Motion, frame: f64, columns: Columns) -> Sample {
    let mut sample = Sample::default();
    motion.sample(frame, columns, &mut sample);
    sample
}

fn ready(motion: Arc<dyn Motion>) -> Arc<dyn Motion> {
    prepared(&motion, Frames { from: -2.0, to: FRAMES + 3.0 }, &Cancel::default()).unwrap()
}

proptest! {
    #![proptest_config(cases(32))]

    #[test]
    fn a_thing_keeps_its_kind_and_its_size_when_the_count_changes(
        few in 1usize..40, more in 40usize..80, seed in 0u64..1000, spread in 0.0..0.9f64,
        weights in prop::collection::vec(0.0..3.0f64, 1..5),
    ) {
        prop_assume!(weights.iter().sum::<f64>() > 0.0);
        let list: Vec<Kind> = weights.iter().enumerate().map(|(i, w)| kind(*w, 1.0 + i as f64, 1)).collect();
        let of = |count| kinds(Arc::new(ride(circle(2.0), count, "1")), &list, spread, seed);
        let (a, b) = (of(few), of(more));
        let (small, large) = (sampled(&a, 0.0, Columns::SCALE), sampled(&b, 0.0, Columns::SCALE));
        for object in 0..few {
            prop_assert_eq!(a.kind(object), b.kind(object));
            prop_assert_eq!(small.scales[object], large.scales[object]);
            prop_assert!(weights[a.kind(object)] > 0.0);
            let part = small.scales[object].x / (1.0 + a.kind(object) as f64);
            prop_assert!(part >= 1.0 - spread - 1e-12 && part <= 1.0 + spread + 1e-12);
        }
    }

    #[test]
    fn things_trade_places_only_with_things_of_their_kind(seed in 0u64..200, riders in 3usize..9) {
        let laps = format!("1/{riders}");
        let one = measure(&(Arc::new(ride(circle(2.0), riders, &laps)) as Arc<dyn Motion>), FRAMES, 24.0, &Cancel::default());
        prop_assert!(one.unwrap().closes(1e-9));
        let list = [kind(1.0, 1.0, 1), kind(1.0, 1.0, 1)];
        let mixed = kinds(Arc::new(ride(circle(2.0), riders, &laps)), &list, 0.0, seed);
        let same = (0..riders).all(|object| mixed.kind(object) == mixed.kind(0));
        let seam = measure(&(Arc::new(mixed) as Arc<dyn Motion>), FRAMES, 24.0, &Cancel::default()).unwrap();
        prop_assert_eq!(seam.closes(1e-9), same);
    }

    #[test]
    fn a_turn_by_one_of_its_equal_parts_closes_what_is_symmetric(parts in 2u32..9, more in 1u32..9) {
        let clock = Clock { fps: 24.0, frames: FRAMES };
        let text = format!("360.0 * {more}.0 / {parts}.0 * frame / {FRAMES:?}");
        let roll = Driven::formula(Formula::parse(&text).unwrap(), clock, -1e6, 1e6);
        let turning = |symmetry| -> Arc<dyn Motion> {
            let inner = facing(ride(circle(2.0), 1, "1"));
            let rolled = Steered::new(inner, Steering { roll: roll.clone(), ..Steering::NONE });
            Arc::new(kinds(Arc::new(rolled), &[kind(1.0, 1.0, symmetry)], 0.0, 1))
        };
        let off = |symmetry| measure(&turning(symmetry), FRAMES, 24.0, &Cancel::default()).unwrap().orientation.amount;
        prop_assert!(off(parts) < 1e-9);
        prop_assert!(off(0) < 1e-9);
        let left = TAU * f64::from(more % parts) / f64::from(parts);
        prop_assert!((off(1) - left.min(TAU - left)).abs() < 1e-9);
    }

    #[test]
    fn together_is_each_of_its_motions_in_order(a in 1usize..6, b in 1usize..6, frame in -20.0..200.0f64) {
        let parts: Vec<Arc<dyn Motion>> =
            vec![Arc::new(ride(circle(2.0), a, "1")), Arc::new(ride(loose(&[(0.0, 0.0, 0.0), (3.0, 1.0, 0.0), (4.0, 0.0, 2.0)], false), b, "1/2"))];
        let one = Together::new(parts.clone());
        prop_assert_eq!(one.len(), a + b);
        let columns = Columns::POSE | Columns::VELOCITY | Columns::PLACE;
        let (all, first, second) = (sampled(&one, frame, columns), sampled(&*parts[0], frame, columns), sampled(&*parts[1], frame, columns));
        prop_assert_eq!(&all.positions[..a], &first.positions[..]);
        prop_assert_eq!(&all.positions[a..], &second.positions[..]);
        prop_assert_eq!(&all.velocities[a..], &second.velocities[..]);
        // Along the one path of all, axes are those along each.
        let (whole, alone) = (facing(one), facing(ride(circle(2.0), a, "1")));
        let (whole, alone) = (sampled(&*whole, frame, Columns::POSE), sampled(&*alone, frame, Columns::POSE));
        for object in 0..a {
            prop_assert!(angle_between(whole.orientations[object], alone.orientations[object]) < 1e-12);
        }
    }

    #[test]
    fn the_pivot_is_carried_where_the_origin_was_and_velocities_are_slopes(
        x in -1.0..1.0f64, y in -1.0..1.0f64, z in -1.0..1.0f64, frame in 1.0..90.0f64,
    ) {
        // Its bend changes evenly: where it jumps, so does the spin, which is measured over some time.
        let path = Path::still(Curve::from(Figure::Ellipse { x: 3.0, y: 2.0 }.strand().unwrap()));
        let inner: Arc<dyn Motion> = Arc::new(kinds(facing(ride(path, 3, "1")), &[kind(1.0, 1.7, 1)], 0.3, 4));
        let pivot = DVec3::new(x, y, z);
        let motion = Pivoted::new(inner.clone(), pivot);
        let columns = Columns::POSE | Columns::VELOCITY;
        let (here, base) = (sampled(&motion, frame, columns), sampled(&*inner, frame, columns));
        let h = 1e-4;
        let (before, after) = (sampled(&motion, frame - h, columns), sampled(&motion, frame + h, columns));
        for object in 0..3 {
            let carried = here.positions[object] + here.orientations[object] * (pivot * here.scales[object]);
            prop_assert!((carried - base.positions[object]).length() < 1e-12);
            let slope = (after.positions[object] - before.positions[object]) / (2.0 * h);
            prop_assert!((slope - here.velocities[object]).length() < 2e-4, "{slope} {}", here.velocities[object]);
        }
    }

    #[test]
    fn a_closed_loop_repeats_with_its_velocity_and_the_velocity_is_its_slope(
        laps in -30i64..30, riders in 1usize..7, random: bool, blend in prop::option::of(4.0..60.0f64),
        trading: bool, frame in 0.5..95.0f64,
        places in prop::collection::vec((-3.0..3.0f64, -1.0..1.0f64, -3.0..3.0f64), 4..7),
    ) {
        let spacing = if random { RideSpacing::Random } else { RideSpacing::Even };
        let inner = facing(ride(loose(&places, true), riders, &format!("{laps}/13")).spaced(spacing));
        let closing = blend.map_or(Closing::Spread, Closing::Blend);
        let closed = Closed::new(&inner, FRAMES, closing, trading, &Cancel::default()).unwrap();
        let closed: Arc<dyn Motion> = Arc::new(closed);
        let seam = measure(&closed, FRAMES, 24.0, &Cancel::default()).unwrap();
        prop_assert!(seam.position.amount < 1e-9 && seam.velocity.amount < 1e-8, "{seam:?}");
        prop_assert!(seam.orientation.amount < 1e-9, "{seam:?}");
        let columns = Columns::POSE | Columns::VELOCITY;
        let h = 1e-5;
        let slope = |motion: &dyn Motion, object: usize| {
            let at = |frame| sampled(motion, frame, columns).positions[object];
            (at(frame + h) - at(frame - h)) / (2.0 * h)
        };
        let inner = ready(inner);
        let (here, plain) = (sampled(&*closed, frame, columns), sampled(&*inner, frame, columns));
        for object in 0..riders {
            let own = slope(&*inner, object);
            // Where the path itself bends sharply its slope is no better known than this.
            if (own - plain.velocities[object]).length() < 1e-6 {
                prop_assert!((slope(&*closed, object) - here.velocities[object]).length() < 1e-4);
            }
            if blend.is_some_and(|overlap| frame > overlap) {
                prop_assert_eq!(here.positions[object], plain.positions[object]);
                prop_assert_eq!(here.orientations[object], plain.orientations[object]);
            }
        }
    }

    #[test]
    fn after_its_orbit_every_thing_is_back_where_it_began(riders in 1usize..8, shift in 1usize..8) {
        let path = loose(&[(0.0, 0.0, 0.0), (3.0, 1.0, 0.5), (4.0, 0.2, 3.0)], true);
        let motion: Arc<dyn Motion> = Arc::new(ride(path, riders, &format!("{shift}/{riders}")));
        let seam = measure(&motion, FRAMES, 24.0, &Cancel::default()).unwrap();
        let laps = orbit(&seam.partners, 1000).unwrap() as f64;
        let (start, end) = (sampled(&*motion, 0.0, Columns::POSITION), sampled(&*motion, laps * FRAMES, Columns::POSITION));
        for (from, to) in start.positions.iter().zip(&end.positions) {
            prop_assert!((*from - *to).length() < 1e-9);
        }
        // No shorter number of laps brings them all back.
        for fewer in 1..laps as usize {
            let early = sampled(&*motion, fewer as f64 * FRAMES, Columns::POSITION);
            prop_assert!(start.positions.iter().zip(&early.positions).any(|(a, b)| (*a - *b).length() > 1e-6));
        }
        prop_assert_eq!(orbit(&seam.partners, laps as u64 - 1), None);
    }
}

#[test]
fn kinds_are_chosen_as_often_as_their_weights_say() {
    let list = [kind(1.0, 1.0, 1), kind(0.0, 1.0, 1), kind(3.0, 1.0, 1)];
    let crowd = kinds(Arc::new(ride(circle(2.0), 20_000, "1")), &list, 0.0, 5);
    let mut counts = [0; 3];
    (0..crowd.len()).for_each(|object| counts[crowd.kind(object)] += 1);
    assert_eq!(counts[1], 0);
    // A quarter of 20,000 is 5,000; beyond 250 off once in 10^4 seeds.
    assert!((counts[0] as f64 - 5000.0).abs() < 250.0, "{counts:?}");
}

#[test]
fn colours_follow_number_phase_speed_and_age() {
    let tinted = |tint| {
        let inner: Arc<dyn Motion> = Arc::new(ride(circle(1.0), 5, "2"));
        let crowd =
            Kinds::new(inner, vec![Kind::PLAIN], (0.0, 1, false), Axis::PlusX, Some(tint)).expect("nothing has lives");
        sampled(&crowd, 12.0, Columns::TINT).tints
    };
    let speed = 2.0 * TAU / FRAMES;
    for object in 0..5 {
        let phase = (0.25 + object as f64 / 5.0).fract();
        assert!((tinted(Tint::Given(Driven::Fixed(0.3)))[object] - 0.3).abs() < 1e-12);
        assert!((tinted(Tint::Index)[object] - object as f64 / 4.0).abs() < 1e-12);
        assert!((tinted(Tint::Phase { frames: FRAMES })[object] - phase).abs() < 1e-9);
        assert!((tinted(Tint::Speed { full: 2.0 * speed })[object] - 0.5).abs() < 1e-9);
        // A lap takes 48 frames.
        assert!((tinted(Tint::Age { full: 96.0 })[object] - 0.5 * phase).abs() < 1e-9);
    }
}

#[test]
fn a_thing_that_cannot_trade_is_brought_back_by_itself() {
    let inner: Arc<dyn Motion> = Arc::new(ride(circle(2.0), 1, "1/2"));
    let closed = Closed::new(&inner, FRAMES, Closing::Spread, true, &Cancel::default()).unwrap();
    assert!((closed.largest().0 - 4.0).abs() < 1e-9);
    let seam = measure(&(Arc::new(closed) as Arc<dyn Motion>), FRAMES, 24.0, &Cancel::default()).unwrap();
    assert!(seam.closes(1e-8), "{seam:?}");
    assert!(sampled(&*inner, FRAMES, Columns::POSE).orientations[0].angle_between(DQuat::IDENTITY) < PI);
}
