//! Speed check: poses of 10,000 riders over 240 frames, against a plain write of the same bytes by the
//! same workers. Run with `cargo bench -p zickzack-core`; prints ratios of the best times.

use glam::DVec3;
use rayon::prelude::*;
use std::cell::RefCell;
use std::hint::black_box;
use std::sync::Arc;
use std::time::{Duration, Instant};
use zickzack_core::crowd::{From, Room, Stream, Tube};
use zickzack_core::curve::{Curve, Path, PathPoint, PointKind, through};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    Birth, BlockLayout, Cancel, Columns, Delays, FaceTravel, FaceUp, Follower, Followers, Frames, Lives, Motion,
    Reborn, Ride, Sample, fill_poses, prepared,
};
use zickzack_core::physics::{Air, Bounds, Launch, LaunchSetup, Side};
use zickzack_core::pose::Axis;
use zickzack_core::signal::{Accumulated, Driven, Progression};

const RIDERS: usize = 10_000;
const FRAMES: usize = 240;
/// Numbers of a thing in the plain write that the others are measured against.
const PLAIN_FLOATS: usize = 8;

const ROUNDS: usize = 41;

/// The shortest time of each work; all are done in turns, so that a slow moment of the machine meets all.
fn best(works: &mut [Box<dyn FnMut() + '_>]) -> Vec<Duration> {
    let mut times = vec![Duration::MAX; works.len()];
    for _ in 0..ROUNDS {
        for (work, best) in works.iter_mut().zip(&mut times) {
            let begun = Instant::now();
            work();
            *best = begun.elapsed().min(*best);
        }
    }
    times
}

fn main() {
    let places =
        [(0.0, 0.0, 0.0), (4.0, 1.0, 0.0), (7.0, 0.5, 3.0), (5.0, 0.0, 6.0), (1.0, 2.0, 5.0), (-2.0, 1.0, 3.0)];
    let points: Vec<PathPoint> = places
        .iter()
        .map(|&(x, y, z)| PathPoint { position: DVec3::new(x, y, z), kind: PointKind::Smooth, handles: None })
        .collect();
    let Ok(strand) = through(&points, true) else { return };
    let Some(laps) = Fraction::new(9, 7) else { return };
    let alone = strand.clone();
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(Path::still(Curve::from(strand)), RIDERS, laps, FRAMES as f64));
    let facing = |up| -> Arc<dyn Motion> { Arc::new(FaceTravel::new(ride.clone(), Axis::PlusX, Axis::PlusY, up)) };
    let frames: Vec<f64> = (0..FRAMES).map(|frame| frame as f64).collect();
    let out = RefCell::new(vec![0.0f32; RIDERS * FRAMES * PLAIN_FLOATS]);
    let row = RIDERS * PLAIN_FLOATS;
    let swarm = |tube: f64, own_way: bool| -> Arc<dyn Motion> {
        let tube = Tube {
            radius: tube,
            along: Progression::steady(1.0),
            room: Room::Within,
            swirl: 0.0,
            own_way,
            flat: false,
            seed: 1,
        };
        let speed = Accumulated::new(Driven::Fixed(alone.length() / FRAMES as f64));
        let stream = Stream::new(Path::still(Curve::from(alone.clone())), tube, From::Start, RIDERS, speed, 0.0);
        // Each is there for the whole loop, so that there are as many things as births.
        let birth = |i: usize| Birth {
            frame: FRAMES as f64 * i as f64 / RIDERS as f64,
            lasts: FRAMES as f64 * (1.0 - 1e-9),
            group: 0,
        };
        let lives = Lives::new((0..RIDERS).map(birth).collect(), FRAMES as f64, true);
        Arc::new(Reborn::new(Arc::new(stream), &lives, (0.0, 0.0)))
    };
    let cases = [
        ("swarm on the path", swarm(0.0, false)),
        ("swarm in a tube", swarm(0.3, false)),
        ("swarm on its own way", swarm(0.3, true)),
        ("ride", ride.clone()),
        ("ride, facing, world", facing(FaceUp::Towards(DVec3::Y))),
        ("ride, facing, steady", facing(FaceUp::STEADY)),
    ];
    let plain = || {
        let mut out = out.borrow_mut();
        out.par_chunks_mut(row).enumerate().for_each(|(frame, row)| row.fill(black_box(frame as f32)));
        black_box(&*out);
    };
    // The places themselves at even lengths, kept nowhere: what no way of writing them down can save.
    let places = || {
        let step = alone.length() / RIDERS as f64;
        (0..FRAMES).into_par_iter().for_each(|frame| {
            let (mut piece, mut sum) = (0, DVec3::ZERO);
            let offset = black_box(frame as f64 / FRAMES as f64) * step;
            for rider in 0..RIDERS {
                sum += alone.point_normalised(offset + rider as f64 * step, &mut piece);
            }
            black_box(sum);
        });
    };
    let mut works: Vec<Box<dyn FnMut() + '_>> = vec![Box::new(plain), Box::new(places)];
    for (name, motion) in &cases {
        let out = &out;
        let frames = &frames;
        works.push(Box::new(move || {
            let mut out = out.borrow_mut();
            let layout = BlockLayout::of(&**motion);
            let out = &mut out[..RIDERS * FRAMES * layout.floats()];
            if fill_poses(&**motion, &layout, frames, out, &Cancel::default()).is_err() {
                println!("{name} was stopped");
            }
            black_box(&*out);
        }));
    }
    let times = best(&mut works);
    drop(works);
    println!(
        "{RIDERS} riders × {FRAMES} frames, {} MB, {} workers",
        RIDERS * FRAMES * PLAIN_FLOATS * 4 / 1_000_000,
        rayon::current_num_threads()
    );
    let plain = times[0].as_secs_f64();
    println!("plain write            {:7.1} ms", plain * 1e3);
    let alone = times[1].as_secs_f64();
    println!("places, not kept       {:7.1} ms   {:5.1} × the plain write", alone * 1e3, alone / plain);
    for ((name, _), took) in cases.iter().zip(&times[2..]) {
        let took = took.as_secs_f64();
        println!("{name:22} {:7.1} ms   {:5.1} × the plain write", took * 1e3, took / plain);
    }
    let facing = facing(FaceUp::STEADY);
    follow("Face travel of a ride", &facing);
    let setup = LaunchSetup {
        start: DVec3::Y,
        velocity: DVec3::new(3.0, 4.0, 1.0),
        air: Air::still(DVec3::NEG_Y * 9.81),
        bounds: Bounds { min: DVec3::new(-9.0, 0.0, -9.0), max: DVec3::new(9.0, 9.0, 9.0) },
        sides: vec![Side::Bottom, Side::Left, Side::Right],
        bounciness: 0.8,
        friction: 0.1,
        start_frame: 0.0,
        fps: 24.0,
        ..LaunchSetup::free(DVec3::ZERO, DVec3::ZERO, Air::still(DVec3::ZERO))
    };
    let thrown: Arc<dyn Motion> = Arc::new(Launch::solve(setup, 2.0 * FRAMES as f64));
    follow("a throw", &thrown);
}

const FOLLOWERS: usize = 1000;

/// Followers of the first thing of a lead, against sampling the lead at the same times.
fn follow(name: &str, lead: &Arc<dyn Motion>) {
    let delays = Delays::Even(0.37);
    let range = Frames { from: -400.0, to: FRAMES as f64 };
    let Ok(lead) = prepared(lead, range, &Cancel::default()) else { return };
    let line = Follower::line(FOLLOWERS, &delays, DVec3::ZERO, 1.0);
    let behind: Vec<f64> = line.iter().map(|follower| follower.delay).collect();
    let leads = lead.len();
    let followers = Followers::new(lead.clone(), line, true);
    let (one, two) = (RefCell::new(Sample::default()), RefCell::new(Sample::default()));
    let alone = || {
        let mut sample = one.borrow_mut();
        for frame in 0..FRAMES {
            let at: Vec<(usize, f64)> = behind.iter().map(|delay| (0, frame as f64 - delay)).collect();
            lead.sample_at(&at, Columns::POSE, &mut sample);
            black_box(&*sample);
        }
    };
    let behind_it = || {
        let mut sample = two.borrow_mut();
        for frame in 0..FRAMES {
            let at: Vec<(usize, f64)> = (0..FOLLOWERS).map(|i| (i * leads, frame as f64)).collect();
            followers.sample_at(&at, Columns::POSE, &mut sample);
            black_box(&*sample);
        }
    };
    let mut works: Vec<Box<dyn FnMut() + '_>> = vec![Box::new(alone), Box::new(behind_it)];
    let times = best(&mut works);
    let (alone, behind) = (times[0].as_secs_f64(), times[1].as_secs_f64());
    println!(
        "{FOLLOWERS} followers of {name}: {:.1} ms, {:.2} × the lead at the same times ({:.1} ms)",
        behind * 1e3,
        behind / alone,
        alone * 1e3
    );
}
