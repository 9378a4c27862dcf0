//! What slides, rolls and lies on what it touches.

use super::throwing::{FPS, G, against, free, state};
use glam::{DQuat, DVec3};
use std::sync::Arc;
use zickzack_core::physics::{Air, Bounds, Launch, LaunchSetup, Obstacle, Side};
use zickzack_core::surface::{Shape, Surface};

#[test]
fn a_ball_that_slides_rolls_in_the_end_at_five_sevenths_of_its_speed() {
    let bounds = Bounds { min: DVec3::new(-1e3, 0.0, -1e3), max: DVec3::splat(1e3) };
    let setup = LaunchSetup {
        bounds,
        sides: vec![Side::Bottom],
        friction: 0.2,
        radius: 0.5,
        rolling_radius: 0.5,
        ..free(DVec3::ZERO, DVec3::X * 7.0, Air::still(G))
    };
    let launch = Launch::solve(setup, 2400.0);
    // It slips for 2v/(7μg).
    let grips = 2.0 * 7.0 / (7.0 * 0.2 * 9.81);
    let (x, v, spin) = state(&launch, grips * FPS * (1.0 + 1e-9));
    assert!((v.x - 5.0).abs() < 1e-9 && (spin.z + 10.0).abs() < 1e-9, "{v} {spin}");
    assert!((x.x - 6.0 * grips).abs() < 1e-7);
    // And then for ever.
    assert!((state(&launch, 2000.0).1.x - 5.0).abs() < 1e-9);
}

#[test]
fn a_ball_laid_on_a_slope_rolls_down_at_five_sevenths_of_its_pull() {
    let slope = 0.4;
    let surface =
        Surface::new(Arc::new(Shape::Plane { width: 1.0, depth: 1.0 }), DVec3::ZERO, DQuat::from_rotation_z(-slope));
    let normal = DQuat::from_rotation_z(-slope) * DVec3::Y;
    for (rolls, wanted) in [(0.3, 5.0 / 7.0), (0.0, 1.0)] {
        let setup = LaunchSetup {
            obstacles: Arc::new(vec![Obstacle { surface: surface.clone(), name: "slope".to_owned() }]),
            friction: if rolls > 0.0 { 1.0 } else { 0.0 },
            radius: 0.3,
            rolling_radius: rolls,
            ..free(normal * 0.3000001, DVec3::ZERO, Air::still(G))
        };
        let launch = Launch::solve(setup, 72.0);
        let (a, b) = (state(&launch, 24.0).1, state(&launch, 48.0).1);
        let pull = (b - a).length();
        assert!((pull - wanted * 9.81 * libm::sin(slope)).abs() < 1e-3, "{pull} {rolls}");
    }
}

#[test]
fn what_lies_on_a_ball_slides_off_where_it_should() {
    // Without friction it leaves at the height of two thirds of the radius over the middle.
    let shape = Shape::Ball { radius: 1.0 };
    let tilt: f64 = 0.02;
    let start = DVec3::new(libm::sin(tilt), libm::cos(tilt), 0.0) * 1.000_000_1;
    let setup = LaunchSetup { obstacles: against(shape, DVec3::ZERO), ..free(start, DVec3::ZERO, Air::still(G)) };
    let launch = Launch::solve(setup, 240.0);
    let left = (500..24_000).map(|i| f64::from(i) * 0.01).find(|f| state(&launch, *f).0.length() > 1.0 + 1e-9).unwrap();
    let height = state(&launch, left).0.y;
    assert!((height - 2.0 / 3.0 * libm::cos(tilt)).abs() < 5e-3, "{height}");
    // With enough friction it stays.
    let rough = LaunchSetup {
        obstacles: against(Shape::Ball { radius: 1.0 }, DVec3::ZERO),
        friction: 0.5,
        ..free(start, DVec3::ZERO, Air::still(G))
    };
    let launch = Launch::solve(rough, 240.0);
    assert!(state(&launch, 200.0).0.distance(start) < 1e-5);
}
