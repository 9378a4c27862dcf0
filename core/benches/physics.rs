//! Speed check of physics: rigid bodies against a bare loop of the same steps, throws against the classical integrator
//! at a tenth of a frame, reduction of many things to keys.

use glam::{DQuat, DVec3};
use rapier3d::prelude::{ColliderBuilder, PhysicsWorld, RigidBodyBuilder, SharedShape, Vector};
use rayon::prelude::*;
use std::hint::black_box;
use std::sync::Arc;
use std::time::{Duration, Instant};
use zickzack_core::keys::bake_reduced;
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, Simulated, prepared, record};
use zickzack_core::physics::{Air, Bodies, BodiesSetup, BodyForm, Launch, LaunchSetup, Obstacle, Wanted, aimed};
use zickzack_core::surface::{Shape, Surface};

const FPS: f64 = 24.0;
const STEPS: usize = 4;
const FRAMES: usize = 240;
const BODIES: usize = 200;
const THROWS: usize = 1000;
const AIMS: usize = 400;

/// The shortest time of each work; all are done in turns, so that a slow moment of the machine meets all.
fn best(rounds: usize, works: &mut [Box<dyn FnMut() + '_>]) -> Vec<f64> {
    let mut times = vec![Duration::MAX; works.len()];
    for _ in 0..rounds {
        for (work, best) in works.iter_mut().zip(&mut times) {
            let begun = Instant::now();
            work();
            *best = begun.elapsed().min(*best);
        }
    }
    times.iter().map(Duration::as_secs_f64).collect()
}

fn floor() -> Surface {
    Surface::new(Arc::new(Shape::Plane { width: 1.0, depth: 1.0 }), DVec3::ZERO, DQuat::IDENTITY)
}

fn start(i: usize) -> DVec3 {
    let (layer, place) = (i / 25, i % 25);
    let shift = 0.07 * (layer % 3) as f64;
    DVec3::new((place % 5) as f64 * 0.6 - 1.2 + shift, 0.4 + 0.7 * layer as f64, (place / 5) as f64 * 0.6 - 1.2 - shift)
}

fn thrown(all: usize, of: impl Fn(usize) -> LaunchSetup) -> Arc<dyn Motion> {
    Arc::new(Launch::solve_all((0..all).map(of).collect(), FRAMES as f64 + 4.0))
}

fn bodies() -> Option<Bodies> {
    let setup = BodiesSetup {
        forms: vec![BodyForm::Box(DVec3::splat(0.25))],
        moved_forms: Vec::new(),
        density: 1000.0,
        bounciness: 0.3,
        friction: 0.5,
        damping: (0.0, 0.0),
        gravity: DVec3::NEG_Y * 9.81,
        pulled: None,
        steps: Some(STEPS),
        from: 0.0,
        fps: FPS,
        level: None,
    };
    let still = Air::still(DVec3::ZERO);
    let begin = thrown(BODIES, |i| LaunchSetup { fps: FPS, ..LaunchSetup::free(start(i), DVec3::ZERO, still) });
    let range = Frames { from: 0.0, to: 1.0 };
    let begin = prepared(&begin, range, &Cancel::default()).ok()?;
    Some(Bodies::new(setup, begin, None, &[floor()]))
}

/// The same heap, and nothing but steps.
fn bare() {
    let mut world = PhysicsWorld::new();
    world.gravity = Vector::new(0.0, -9.81, 0.0);
    world.integration_parameters.dt = (1.0 / (FPS * STEPS as f64)) as f32;
    world.integration_parameters.length_unit = 1.0;
    for i in 0..BODIES {
        let place = start(i).as_vec3();
        let body = RigidBodyBuilder::dynamic()
            .translation(Vector::new(place.x, place.y, place.z))
            .can_sleep(false)
            .ccd_enabled(true);
        let handle = world.insert_body(body.build());
        let collider = ColliderBuilder::new(SharedShape::cuboid(0.25, 0.25, 0.25));
        world.insert_collider(collider.density(1000.0).restitution(0.3).friction(0.5).build(), Some(handle));
    }
    let ground = world.insert_body(RigidBodyBuilder::fixed().build());
    world.insert_collider(ColliderBuilder::new(SharedShape::halfspace(Vector::Y)).build(), Some(ground));
    for _ in 0..FRAMES * STEPS {
        world.step();
    }
    black_box(&world);
}

fn rigid_bodies() {
    let ours = || {
        if let Some(mut bodies) = bodies() {
            black_box(record(&mut bodies, (0.0, FRAMES + 1), &[], &Cancel::default(), &mut |_| ()));
        }
    };
    let times = best(5, &mut [Box::new(bare), Box::new(ours)]);
    let [alone, ours] = times[..] else { return };
    println!("{BODIES} boxes × {FRAMES} frames × {STEPS} steps");
    println!("bare loop              {:7.1} ms", alone * 1e3);
    println!("Bodies                 {:7.1} ms   {:5.2} × the bare loop (wanted: 1.1)", ours * 1e3, ours / alone);
    let Some(mut bodies) = bodies() else { return };
    record(&mut bodies, (0.0, 120), &[], &Cancel::default(), &mut |_| ());
    let kept = best(
        20,
        &mut [Box::new(|| {
            black_box(bodies.state());
        })],
    )[0];
    println!("a state to begin from  {:7.2} ms   {:5.2} % of all for eight\n", kept * 1e3, 800.0 * kept / ours);
}

fn throw(i: usize) -> LaunchSetup {
    let turn = i as f64 * 2.4;
    let (sine, cosine) = (libm::sin(turn), libm::cos(turn));
    let velocity = DVec3::new(3.0 * cosine, 5.0 + 2.0 * sine, 3.0 * sine);
    LaunchSetup {
        fps: FPS,
        radius: 0.1,
        bounciness: 0.8,
        obstacles: Arc::new(vec![Obstacle { surface: floor(), name: "floor".to_owned() }]),
        ..LaunchSetup::free(DVec3::new(0.0, 1.0, 0.0), velocity, Air::still(DVec3::NEG_Y * 9.81))
    }
}

/// The same flights by the classical method in steps of a tenth of a frame, turned about below the floor; `gap` says how
/// far above it they are.
fn integrated(gap: impl Fn(&LaunchSetup, DVec3) -> f64 + Sync) {
    let h = 0.1 / FPS;
    let gravity = DVec3::NEG_Y * black_box(9.81);
    let rows: Vec<Vec<DVec3>> = (0..THROWS)
        .into_par_iter()
        .map(|i| {
            let setup = throw(i);
            let (mut x, mut v) = (setup.start, setup.velocity);
            let mut rows = Vec::with_capacity(FRAMES);
            let rate = |_: DVec3, v: DVec3| (v, gravity);
            for _ in 0..FRAMES {
                rows.push(x);
                for _ in 0..10 {
                    let a = rate(x, v);
                    let b = rate(x + a.0 * (0.5 * h), v + a.1 * (0.5 * h));
                    let c = rate(x + b.0 * (0.5 * h), v + b.1 * (0.5 * h));
                    let d = rate(x + c.0 * h, v + c.1 * h);
                    x += (a.0 + (b.0 + c.0) * 2.0 + d.0) * (h / 6.0);
                    v += (a.1 + (b.1 + c.1) * 2.0 + d.1) * (h / 6.0);
                    let gap = gap(&setup, x);
                    if gap < 0.0 && v.y < 0.0 {
                        (x.y, v.y) = (x.y - gap, -setup.bounciness * v.y);
                    }
                }
            }
            rows
        })
        .collect();
    black_box(rows);
}

fn throws() {
    let exact = || {
        let motion = thrown(THROWS, throw);
        let Ok(motion) = prepared(&motion, Frames { from: 0.0, to: FRAMES as f64 }, &Cancel::default()) else { return };
        (0..FRAMES).into_par_iter().for_each(|frame| {
            let mut sample = Sample::default();
            motion.sample(frame as f64, Columns::POSITION, &mut sample);
            black_box(&sample.positions);
        });
    };
    let level = || integrated(|setup, x| x.y - setup.radius);
    let asking = || integrated(|setup, x| setup.obstacles[0].surface.distance(x).0 - setup.radius);
    let times = best(15, &mut [Box::new(level), Box::new(asking), Box::new(exact)]);
    let [steps, asking, ours] = times[..] else { return };
    println!("{THROWS} bouncing throws × {FRAMES} frames");
    println!("steps of 0.1 frames    {:7.1} ms", steps * 1e3);
    println!("the same, any surface  {:7.1} ms", asking * 1e3);
    println!("Launch                 {:7.1} ms   {:5.2} × the steps (wanted: less than 1)", ours * 1e3, ours / steps);
    println!("                                    {:5.2} × those that ask a surface at every step\n", ours / asking);
}

fn reduction() {
    let motion = thrown(THROWS, throw);
    let range = Frames { from: 0.0, to: 300.0 };
    let keys = || {
        black_box(bake_reduced(&motion, range, (1e-3, 1e-3), &Cancel::default()).ok());
    };
    let took = best(5, &mut [Box::new(keys)])[0];
    println!("reduction of {THROWS} throws × 300 frames at 1 mm {:7.1} ms (wanted: less than 1000)", took * 1e3);
}

/// A throw to be aimed: the air, where it lands, and what is asked for.
fn aim(i: usize) -> (Air, DVec3, Wanted) {
    let part = |step: f64| (i as f64 * step).fract();
    let (linear, quadratic) = ([0.0, 0.4 * part(0.37)][i / 8 % 2], [0.0, 0.3 * part(0.73)][i / 4 % 2]);
    let wind = DVec3::new(4.0 * part(0.11) - 2.0, 0.0, 4.0 * part(0.29) - 2.0);
    let by = DVec3::new(8.0 * part(0.61) - 4.0, 3.0 * part(0.43) - 1.5, 8.0 * part(0.87) - 4.0);
    let wanted = match i % 4 {
        0 => Wanted::Height(by.y.max(0.0) + 0.1 + 3.0 * part(0.19)),
        1 => Wanted::Time(0.2 + 2.0 * part(0.53)),
        2 => Wanted::Slope(0.2 + part(0.71)),
        _ => Wanted::Speed(4.0 + 12.0 * part(0.97)),
    };
    (Air { gravity: DVec3::NEG_Y * 9.81, wind, linear, quadratic }, by, wanted)
}

fn aims() {
    let mut slowest = (0.0_f64, 0);
    let mut sum = 0.0;
    for i in 0..AIMS {
        let (air, by, wanted) = aim(i);
        let took = best(3, &mut [Box::new(|| drop(black_box(aimed(&air, by, wanted))))])[0];
        sum += took;
        if took > slowest.0 {
            slowest = (took, i);
        }
    }
    println!("{AIMS} aims, half of them through drag by the square");
    println!("one on average         {:7.3} ms", sum / AIMS as f64 * 1e3);
    println!("the slowest            {:7.3} ms   {:?} (wanted: 10)\n", slowest.0 * 1e3, aim(slowest.1).2);
}

/// All of it, or the parts that are named: bodies, throws, aims, reduction.
fn main() {
    let named: Vec<String> = std::env::args().skip(1).filter(|argument| !argument.starts_with('-')).collect();
    for (name, part) in [("bodies", rigid_bodies as fn()), ("throws", throws), ("aims", aims), ("reduction", reduction)]
    {
        if named.is_empty() || named.iter().any(|other| other == name) {
            part();
        }
    }
}
