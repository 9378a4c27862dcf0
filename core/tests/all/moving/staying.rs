//! What is thrown stays on its side of what it bounces on, whatever that is, in any air, for as long as it is looked at.

use crate::cases::cases;
use glam::{DQuat, DVec2, DVec3};
use proptest::prelude::*;
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::motion::{Columns, Motion, Sample};
use zickzack_core::physics::{Air, Bounds, Launch, LaunchSetup, Obstacle, Side};
use zickzack_core::surface::{Piece, Profile, Shape, Surface};

const FPS: f64 = 24.0;
const SECONDS: f64 = 25.0;

/// A place that must stay this far from a surface on this side of it.
#[derive(Debug, Clone)]
struct Kept {
    surface: Surface,
    /// 1 outside, −1 within.
    side: f64,
}

#[derive(Debug, Clone)]
struct Ground {
    obstacles: Vec<Kept>,
    /// Within a box of the world as well.
    bounds: Option<Bounds>,
    start: DVec3,
}

fn turned() -> impl Strategy<Value = DQuat> {
    (-1.0..1.0f64, -1.0..1.0f64, -1.0..1.0f64, 0.0..TAU).prop_filter_map("an axis", |(x, y, z, angle)| {
        Some(DQuat::from_axis_angle(DVec3::new(x, y, z).try_normalize()?, angle))
    })
}

fn one(shape: Shape, orientation: DQuat, side: f64, start: DVec3) -> Ground {
    let at = DVec3::new(0.3, -0.2, 0.1);
    let surface = Surface::new(Arc::new(shape), at, orientation);
    Ground { obstacles: vec![Kept { surface, side }], bounds: None, start: at + orientation * start }
}

/// A body of revolution by curved pieces, from the axis to the axis.
fn vase(a: f64, b: f64) -> Shape {
    let piece = |points: [(f64, f64); 4]| Piece::Cubic(points.map(DVec2::from));
    let bottom = piece([(0.0, -1.0), (0.6, -1.0), (1.0 + a, -0.7), (1.0, 0.0)]);
    let top = piece([(1.0, 0.0), (1.0 - 0.4 * a, 0.5), (0.3 + b, 1.0), (0.0, 1.0)]);
    Shape::Lathe(Profile::of([bottom, top]).unwrap())
}

/// With a floor and a lid of these radii, 0.9 m below and above its middle.
fn pot(floor: f64, lid: f64) -> Shape {
    let points = [(0.0, -0.9), (floor, -0.9), (lid, 0.9), (0.0, 0.9)];
    Shape::Lathe(Profile::new(points.map(DVec2::from)).unwrap())
}

/// Two planes, pointed or open, that meet in a line which slopes; above it.
fn groove(left: f64, right: f64, slope: f64) -> Ground {
    let plane = |turn: DQuat| Kept {
        surface: Surface::new(Arc::new(Shape::Plane { width: 4.0, depth: 4.0 }), DVec3::ZERO, turn),
        side: 1.0,
    };
    let down = DQuat::from_rotation_x(slope);
    let obstacles = vec![plane(down * DQuat::from_rotation_z(-left)), plane(down * DQuat::from_rotation_z(right))];
    Ground { obstacles, bounds: None, start: DVec3::new(0.0, 3.0, 0.0) }
}

fn obstacles(ground: &Ground) -> Arc<Vec<Obstacle>> {
    let obstacle = |kept: &Kept| Obstacle { surface: kept.surface.clone(), name: "surface".to_owned() };
    Arc::new(ground.obstacles.iter().map(obstacle).collect())
}

fn ground() -> impl Strategy<Value = Ground> {
    let upright = DQuat::IDENTITY;
    let around = (0.0..TAU, 0.0..1.0f64);
    let polar = |(angle, part): (f64, f64)| {
        let (sine, cosine) = libm::sincos(angle);
        DVec3::new(part * cosine, 0.0, part * sine)
    };
    prop_oneof![
        // On top of a box, and within one.
        (around.clone(), turned()).prop_map(move |(p, _)| one(
            Shape::Box { half: DVec3::new(2.0, 0.5, 2.0) },
            upright,
            1.0,
            polar(p) + DVec3::Y * 1.5
        )),
        turned().prop_map(|turn| one(
            Shape::Box { half: DVec3::new(2.0, 1.0, 1.5) },
            turn,
            -1.0,
            DVec3::new(0.3, 0.2, -0.1)
        )),
        // In a hollow ball, on a ball.
        around.clone().prop_map(move |p| one(Shape::Ball { radius: 2.0 }, upright, -1.0, polar(p))),
        around.clone().prop_map(move |p| one(Shape::Ball { radius: 8.0 }, upright, 1.0, polar(p) + DVec3::Y * 9.0)),
        // In a tube bent to a ring, and on it.
        turned().prop_map(|turn| one(Shape::Torus { radius: 2.0, tube: 0.8 }, turn, -1.0, DVec3::new(2.1, 0.1, 0.0))),
        around.clone().prop_map(move |p| one(
            Shape::Torus { radius: 2.0, tube: 0.6 },
            upright,
            1.0,
            polar(p) * 2.5 + DVec3::Y * 1.2
        )),
        // On a cone, on a vase and in it.
        around.clone().prop_map(move |p| {
            let cone = Profile::new([(0.0, -0.8), (1.6, -0.6), (0.0, 0.8)].map(DVec2::from)).unwrap();
            one(Shape::Lathe(cone), upright, 1.0, polar(p) + DVec3::Y * 1.3)
        }),
        (around.clone(), 0.0..0.4f64, 0.0..0.5f64).prop_map(move |(p, a, b)| one(
            vase(a, b),
            upright,
            1.0,
            polar(p) + DVec3::Y * 1.4
        )),
        (around.clone(), 0.0..0.4f64, 0.0..0.5f64, turned()).prop_map(move |(p, a, b, turn)| one(
            vase(a, b),
            turn,
            -1.0,
            polar(p) * 0.3
        )),
        // In a pot, whose floor, wall and lid meet in corners.
        (0.6..1.8f64, 0.6..1.8f64, turned()).prop_map(|(floor, lid, turn)| one(
            pot(floor, lid),
            turn,
            -1.0,
            DVec3::new(0.1, 0.2, -0.1)
        )),
        (0.15..1.3f64, 0.15..1.3f64, -0.5..0.5f64).prop_map(|(left, right, slope)| groove(left, right, slope)),
        // On the bottom of a box of the world.
        around.prop_map(move |p| Ground {
            obstacles: Vec::new(),
            bounds: Some(Bounds { min: DVec3::splat(-1.5), max: DVec3::splat(1.5) }),
            start: polar(p),
        }),
    ]
}

fn some(most: f64) -> impl Strategy<Value = f64> {
    prop_oneof![Just(0.0), 0.0..most]
}

proptest! {
    #![proptest_config(cases(96))]

    #[test]
    fn what_is_thrown_never_gets_behind_what_it_bounces_on(
        ground in ground(), velocity in (-4.0..4.0f64, -3.0..3.0f64, -4.0..4.0f64), linear in some(0.6),
        quadratic in prop_oneof![3 => Just(0.0), 1 => 0.0..0.1f64], wind in some(1.0), bounciness in prop_oneof![Just(0.8), 0.0..0.95f64],
        friction in some(0.8), radius in prop_oneof![Just(0.0), 0.02..0.2f64], rolls: bool,
    ) {
        let gravity = DVec3::Y * -9.81;
        let air = Air { gravity, wind: DVec3::X * wind, linear, quadratic };
        let everywhere = Bounds { min: DVec3::NEG_INFINITY, max: DVec3::INFINITY };
        let setup = LaunchSetup {
            obstacles: obstacles(&ground),
            bounds: ground.bounds.unwrap_or(everywhere),
            sides: if ground.bounds.is_some() { Side::ALL.to_vec() } else { Vec::new() },
            radius,
            rolling_radius: if rolls { radius } else { 0.0 },
            bounciness,
            friction,
            fps: FPS,
            ..LaunchSetup::free(ground.start, DVec3::from(velocity), air)
        };
        let energy = |place: DVec3, speed: f64| 0.5 * speed * speed - gravity.dot(place);
        let most = energy(setup.start, setup.velocity.length());
        let launch = Launch::solve(setup, SECONDS * FPS);
        prop_assert!(launch.capped().is_none(), "held at {:?}", launch.capped());
        let mut sample = Sample::default();
        let steps = (SECONDS * FPS) as usize * 16;
        for i in 0..=steps {
            let frame = i as f64 / 16.0;
            launch.sample(frame, Columns::POSITION | Columns::VELOCITY, &mut sample);
            let (place, speed) = (sample.positions[0], sample.velocities[0].length() * FPS);
            prop_assert!(place.is_finite());
            for kept in &ground.obstacles {
                let gap = kept.side * kept.surface.distance(place).0 - radius;
                prop_assert!(gap > -1e-6, "{gap} behind at frame {frame}: {place}, {speed} m/s");
            }
            if let Some(bounds) = ground.bounds {
                let out = (bounds.min - place).max(place - bounds.max).max_element();
                prop_assert!(out < 1e-6, "{out} outside at frame {frame}: {place}");
            }
            if wind == 0.0 {
                prop_assert!(energy(place, speed) < most + 1e-5 * (1.0 + most.abs()), "more energy at {frame}");
            }
        }
    }
}

proptest! {
    #![proptest_config(cases(64))]

    /// What is dropped right into the point of a groove hops from side to side, and comes to lie on both.
    #[test]
    fn what_falls_into_a_groove_comes_to_lie_on_both_its_sides(
        left in 0.2..1.1f64, right in 0.2..1.1f64, slope in -0.4..0.4f64, rub in 0.0..0.8f64,
        bounciness in 0.0..0.85f64,
    ) {
        let ground = groove(left, right, slope);
        let everywhere = Bounds { min: DVec3::NEG_INFINITY, max: DVec3::INFINITY };
        let air = Air { gravity: DVec3::Y * -9.81, wind: DVec3::ZERO, linear: 0.0, quadratic: 0.0 };
        let setup = LaunchSetup {
            obstacles: obstacles(&ground),
            bounds: everywhere,
            bounciness,
            // Less than holds it on one of them.
            friction: rub * libm::tan(left.min(right)),
            fps: FPS,
            ..LaunchSetup::free(ground.start, DVec3::ZERO, air)
        };
        let launch = Launch::solve(setup, 60.0 * FPS);
        prop_assert!(launch.capped().is_none(), "held at {:?}", launch.capped());
        let mut sample = Sample::default();
        launch.sample(60.0 * FPS, Columns::POSITION, &mut sample);
        for kept in &ground.obstacles {
            let gap = kept.surface.distance(sample.positions[0]).0;
            prop_assert!(gap.abs() < 1e-6, "{gap} above one of them");
        }
    }

    /// What slides over an edge keeps its velocity there, and falls on from there.
    #[test]
    fn what_slides_over_the_edge_of_a_box_falls_from_there(
        angle in 0.0..TAU, speed in 0.3..4.0f64, x in -1.5..1.5f64, z in -1.5..1.5f64, later in 0.0..0.5f64,
    ) {
        let half = DVec3::new(2.0, 0.5, 2.0);
        let ground = one(Shape::Box { half }, DQuat::IDENTITY, 1.0, DVec3::new(x, 0.5, z));
        let (sine, cosine) = libm::sincos(angle);
        let velocity = DVec3::new(cosine, 0.0, sine) * speed;
        let air = Air { gravity: DVec3::Y * -9.81, wind: DVec3::ZERO, linear: 0.0, quadratic: 0.0 };
        let setup = LaunchSetup {
            obstacles: obstacles(&ground),
            bounds: Bounds { min: DVec3::NEG_INFINITY, max: DVec3::INFINITY },
            bounciness: 0.0,
            friction: 0.0,
            fps: FPS,
            ..LaunchSetup::free(ground.start, velocity, air)
        };
        let launch = Launch::solve(setup, 20.0 * FPS);
        prop_assert!(launch.capped().is_none());
        let until = |place: f64, velocity: f64| if velocity == 0.0 { f64::INFINITY } else { (2.0f64.copysign(velocity) - place) / velocity };
        let edge = until(x, velocity.x).min(until(z, velocity.z));
        let mut sample = Sample::default();
        launch.sample((edge + later) * FPS, Columns::POSITION, &mut sample);
        let wanted = ground.start + velocity * (edge + later) - DVec3::Y * (0.5 * 9.81 * later * later);
        prop_assert!(sample.positions[0].distance(wanted) < 1e-5, "{} instead of {wanted}", sample.positions[0]);
    }

    /// What slides along the floor of a pot bounces off its wall with its part of the speed, as off a wall that is
    /// another surface.
    #[test]
    fn what_slides_along_a_floor_bounces_off_the_wall_that_is_one_with_it(
        angle in 0.0..TAU, speed in 0.3..4.0f64, bounciness in 0.2..1.0f64, radius in prop_oneof![Just(0.0), 0.02..0.3f64],
        later in 0.0..1.0f64,
    ) {
        let ground = one(pot(1.0, 1.0), DQuat::IDENTITY, -1.0, DVec3::Y * (radius - 0.9 + 1e-10));
        let (sine, cosine) = libm::sincos(angle);
        let way = DVec3::new(cosine, 0.0, sine);
        let air = Air { gravity: DVec3::Y * -9.81, wind: DVec3::ZERO, linear: 0.0, quadratic: 0.0 };
        let setup = LaunchSetup {
            obstacles: obstacles(&ground),
            bounds: Bounds { min: DVec3::NEG_INFINITY, max: DVec3::INFINITY },
            bounciness,
            friction: 0.0,
            radius,
            fps: FPS,
            ..LaunchSetup::free(ground.start, way * speed, air)
        };
        let launch = Launch::solve(setup, 20.0 * FPS);
        prop_assert!(launch.capped().is_none());
        let room = 1.0 - radius;
        let back = later * room / (speed * bounciness);
        let mut sample = Sample::default();
        launch.sample((room / speed + back) * FPS, Columns::POSITION, &mut sample);
        let wanted = ground.start + way * (room - speed * bounciness * back);
        prop_assert!(sample.positions[0].distance(wanted) < 1e-5, "{} instead of {wanted}", sample.positions[0]);
    }

    /// The nearest place of a curved profile is that of a very fine polyline of it, and its sides agree.
    #[test]
    fn the_nearest_place_of_a_lathe_is_that_of_dense_samples(a in 0.0..0.4f64, b in 0.0..0.5f64, x in 0.0..1.6f64, y in -1.6..1.6f64) {
        let shape = vase(a, b);
        let Shape::Lathe(profile) = &shape else { unreachable!() };
        let touch = shape.nearest(DVec3::new(x, y, 0.0));
        let dense = (0..=20_000).map(|i| profile.at(f64::from(i) / 20_000.0).point.distance(DVec2::new(x, y)));
        let nearest = dense.fold(f64::INFINITY, f64::min);
        let found = touch.point.distance(DVec3::new(x, y, 0.0));
        // Samples a fifth of a millimetre apart miss it by the square of that, and where both pieces meet at an angle by as
        // much as they are apart.
        let corner = touch.point.distance(DVec3::X) < 1e-9;
        let missed = if corner { 1e-4 } else { (1e-8 / found.max(1e-9)).min(1e-4) };
        prop_assert!(found <= nearest + 1e-12 && found > nearest - missed, "{found} {nearest}");
        // Across the profile, as exactly as on a ball.
        if found > 1e-3 && !corner {
            let off = (DVec3::new(x, y, 0.0) - touch.point) / found;
            prop_assert!(off.dot(touch.normal).abs() > 1.0 - 1e-9 || touch.point.x < 1e-9, "{off} {}", touch.normal);
        }
        // Within are those places from which a line to the right crosses it once.
        let crosses = (0..20_000).filter(|i| {
            let (p, q) = (profile.at(f64::from(*i) / 20_000.0).point, profile.at(f64::from(i + 1) / 20_000.0).point);
            (p.y > y) != (q.y > y) && p.x + (q.x - p.x) * (y - p.y) / (q.y - p.y) > x
        });
        let within = crosses.count() % 2 == 1;
        let surface = Surface::new(Arc::new(shape.clone()), DVec3::ZERO, DQuat::IDENTITY);
        let distance = surface.distance(DVec3::new(x, y, 0.0)).0;
        prop_assert!(distance.abs() < 1e-6 || (distance < 0.0) == within, "{distance} {within}");
    }
}
