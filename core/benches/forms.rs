//! Speed check: dents of 20 riders with tails on a ring of about 16,000 corners over 240 frames, against a plain write of its
//! corners by the same workers. Run with `cargo bench -p zickzack-core`; prints ratios of the best times.

use glam::{DQuat, DVec3};
use rayon::prelude::*;
use std::hint::black_box;
use std::sync::Arc;
use std::time::{Duration, Instant};
use zickzack_core::curve::{Curve, Path, torus_winding};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    BlockLayout, Cancel, Dented, Dents, Frames, Grain, Hollow, Motion, Pressing, Ride, Several, fill_poses, prepared,
};
use zickzack_core::signal::Driven;
use zickzack_core::surface::{Ground, Shape, Surface};

const RIDERS: usize = 20;
const FRAMES: usize = 240;
const CORNERS: usize = 16_000;
const ROUNDS: usize = 15;

fn best(mut work: impl FnMut()) -> Duration {
    let one = |_| {
        let begun = Instant::now();
        work();
        begun.elapsed()
    };
    (0..ROUNDS).map(one).min().unwrap_or(Duration::MAX)
}

fn main() {
    let (radius, tube, reach, depth) = (2.4, 0.75, 0.5, 0.25);
    let Some(winding) = torus_winding(radius, tube, 2, 5, 0.0).ok().and_then(|mut strands| strands.pop()) else {
        return;
    };
    let Some(laps) = Fraction::new(1, 4) else { return };
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(Path::still(Curve::from(winding)), RIDERS, laps, FRAMES as f64));
    let shape = Arc::new(Shape::Torus { radius, tube });
    let (body, apart) = shape.body(0.01, CORNERS);
    // Windings go round z, the torus round y.
    let upright = DQuat::from_rotation_x(std::f64::consts::FRAC_PI_2);
    let ground = Ground::Still(Surface::new(shape, DVec3::ZERO, upright));
    let frames: Vec<f64> = (0..FRAMES).map(|frame| frame as f64).collect();
    let mut plain = vec![0.0f32; FRAMES * 3 * body.places.len()];
    let wrote = best(|| {
        let rows = plain.par_chunks_mut(3 * body.places.len()).enumerate();
        rows.for_each(|(frame, row)| row.fill(black_box(frame as f32)));
        black_box(&plain);
    });
    let ms = |time: Duration| time.as_secs_f64() * 1e3;
    println!(
        "{} corners {apart:.3} m apart × {FRAMES} frames, {} workers; plain write {:.1} ms",
        body.places.len(),
        rayon::current_num_threads(),
        ms(wrote)
    );
    for (several, name) in [(Several::Deepest, "the deepest counts"), (Several::Sum, "they add up")] {
        for tail in [0.0, 10.0, 30.0] {
            let pressing = Pressing {
                reach: Driven::Fixed(reach),
                depth: Driven::Fixed(depth),
                raised: false,
                hollow: Hollow::Round,
                tail,
                several,
                grain: Grain { amount: 0.0, size: 1.0, seed: 1 },
            };
            let most = (reach, depth, FRAMES as f64);
            let cancel = Cancel::default();
            let Ok(dents) = Dents::new(&body, (ground.clone(), ride.clone()), pressing, most, &cancel) else { return };
            let motion: Arc<dyn Motion> = Arc::new(Dented::new(ground.clone(), dents, String::new()));
            let Ok(motion) = prepared(&motion, Frames { from: 0.0, to: FRAMES as f64 }, &cancel) else { return };
            let layout = BlockLayout::of(&*motion);
            let mut out = vec![0.0f32; FRAMES * layout.row()];
            let took = best(|| {
                if fill_poses(&*motion, &layout, &frames, &mut out, &cancel).is_err() {
                    println!("it was stopped");
                }
                black_box(&out);
            });
            let times = took.as_secs_f64() / wrote.as_secs_f64();
            println!("{name:20} tail {tail:4} frames {:7.1} ms   {times:5.1} × the plain write", ms(took));
        }
    }
}
