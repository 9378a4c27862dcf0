//! How far two motions are apart: against a search in small steps.

use crate::cases::cases;
use glam::DVec3;
use proptest::prelude::*;
use zickzack_core::curve::{Curve, Path, PathPoint, PointKind, through};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{Cancel, Columns, Motion, Ride, Sample, largest_distance};

fn ring(bulge: f64) -> Path {
    let point = |x: f64, z: f64| PathPoint { position: DVec3::new(x, 0.0, z), kind: PointKind::Smooth, handles: None };
    let points = [point(3.0, 0.0), point(0.0, 2.0 + bulge), point(-3.0, 0.0), point(0.0, -2.0)];
    Path::still(Curve::from(through(&points, true).unwrap()))
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn the_largest_distance_is_found_where_it_is(bulge in 0.0..1.5f64, start in 0.0..0.2f64, riders in 1usize..4) {
        let laps = Fraction::whole(1).unwrap();
        let a = Ride::new(ring(0.0), riders, laps, 48.0);
        let b = Ride::new(ring(bulge), riders, laps, 48.0).starting_at(start);
        let found = largest_distance(&a, &b, 48, &Cancel::default()).unwrap().unwrap();
        let (mut p, mut q, mut most) = (Sample::default(), Sample::default(), 0.0_f64);
        for step in 0..=4800 {
            let frame = f64::from(step) / 100.0;
            a.sample(frame, Columns::POSITION, &mut p);
            b.sample(frame, Columns::POSITION, &mut q);
            for (x, y) in p.positions.iter().zip(&q.positions) {
                most = most.max(x.distance(*y));
            }
        }
        prop_assert!(found.distance >= most - 1e-4, "{} of {most}", found.distance);
        a.sample_at(&[(found.object, found.frame)], Columns::POSITION, &mut p);
        b.sample_at(&[(found.object, found.frame)], Columns::POSITION, &mut q);
        prop_assert!((p.positions[0].distance(q.positions[0]) - found.distance).abs() < 1e-12);
    }
}

#[test]
fn a_motion_is_nowhere_apart_from_itself() {
    let ride = Ride::new(ring(0.3), 5, Fraction::whole(2).unwrap(), 24.0);
    assert_eq!(largest_distance(&ride, &ride.clone(), 24, &Cancel::default()).unwrap().unwrap().distance, 0.0);
    let stopped = Cancel::default();
    stopped.cancel();
    assert!(largest_distance(&ride, &ride.clone(), 24, &stopped).is_err());
}
