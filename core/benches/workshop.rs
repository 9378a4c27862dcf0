//! Speed checks of the path workshop, each as a ratio against its reference, measured in turns in one run:
//! formulas against the same expressions compiled in Rust, axes along a curve of 100,000 points against one
//! pass that reads and writes the points, and the seam of 10,000 things that look alike.

use glam::DVec3;
use std::hint::black_box;
use std::sync::Arc;
use std::time::{Duration, Instant};
use zickzack_core::curve::{
    AxesTable, Curve, Meander, Node, Path, PathPoint, PointKind, Segment, Strand, UpRule, meandered, through,
};
use zickzack_core::formula::{Formula, Inputs, Variable, Workspace};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{Cancel, Motion, Ride};
use zickzack_core::noise::LoopingNoise;
use zickzack_core::seam::measure;

const ROUNDS: usize = 25;

/// The shortest time of each of two works done in turns.
fn both(mut one: impl FnMut(), mut other: impl FnMut()) -> (Duration, Duration) {
    let mut best = (Duration::MAX, Duration::MAX);
    for _ in 0..ROUNDS {
        let begun = Instant::now();
        one();
        best.0 = best.0.min(begun.elapsed());
        let begun = Instant::now();
        other();
        best.1 = best.1.min(begun.elapsed());
    }
    best
}

type Compiled = fn(f64, f64) -> f64;

/// Text, and the same in Rust of (frame, along).
const FORMULAS: [(&str, &str, Compiled); 5] = [
    ("wave", "sin(6.25 * along + 0.1 * frame)", |frame, along| libm::sin(6.25 * along + 0.1 * frame)),
    ("saw", "fract(along * 7.0 - frame / 24.0)", |frame, along| {
        let x = along * 7.0 - frame / 24.0;
        x - x.floor()
    }),
    ("ease", "mix(1.0, 3.0, smoothstep(0.2, 0.8, along))", |_, along| {
        let t = ((along - 0.2) / (0.8 - 0.2)).clamp(0.0, 1.0);
        let t = t * t * (3.0 - 2.0 * t);
        1.0 * (1.0 - t) + 3.0 * t
    }),
    ("decay", "exp(-3.0 * along) * cos(40.0 * along)", |_, along| libm::exp(-3.0 * along) * libm::cos(40.0 * along)),
    ("polynomial", "1.0 + along * (2.0 - along * (3.0 + along * (0.5 - along)))", |_, along| {
        1.0 + along * (2.0 - along * (3.0 + along * (0.5 - along)))
    }),
];

fn formulas() {
    let along: Vec<f64> = (0..100_000).map(|i| f64::from(i) / 1e5).collect();
    let (mut out, mut reference) = (vec![0.0; along.len()], vec![0.0; along.len()]);
    let (mut product, mut workspace) = (1.0, Workspace::default());
    for (name, text, compiled) in FORMULAS {
        let Ok(formula) = Formula::parse(text) else { return println!("{name} cannot be read") };
        let inputs = Inputs::default().with(Variable::Frame, 17.0).with_each(Variable::Along, &along);
        let (ours, rust) = both(
            || formula.evaluate(black_box(&inputs), &mut workspace, black_box(&mut out)),
            || {
                for (out, along) in black_box(&mut reference).iter_mut().zip(black_box(&along)) {
                    *out = compiled(17.0, *along);
                }
            },
        );
        let ratio = ours.as_secs_f64() / rust.as_secs_f64();
        product *= ratio;
        println!("formula {name:12} {:6.2} ms   {ratio:5.2} × compiled", ours.as_secs_f64() * 1e3);
    }
    println!("formulas, geometric mean        {:5.2} × compiled (wanted: 5)", libm::pow(product, 0.2));
}

/// A drawn path that is bent by noise, as it is at every step of a drag.
fn meander() {
    let place = |i: usize| {
        let (sine, cosine) = libm::sincos(i as f64);
        let point = DVec3::new(6.0 * cosine, 2.0, 5.0 * sine);
        PathPoint { position: point, kind: PointKind::Smooth, handles: None }
    };
    let points: Vec<PathPoint> = (0..6).map(place).collect();
    let Ok(curve) = through(&points, true).map(Curve::from) else { return };
    let noise = LoopingNoise { seed: 1, size: 1.0, pace: 0.0, octaves: 1 };
    let meander = Meander { amount: DVec3::splat(0.3), noise, part: 0.0 };
    let (ours, _) = both(|| drop(black_box(meandered(black_box(&curve), &meander))), || ());
    println!("meander of {:.0} m, bends of 1 m {:6.2} ms", curve.length(), ours.as_secs_f64() * 1e3);
}

fn axes() {
    let place = |i: usize| {
        let (sine, cosine) = libm::sincos(i as f64 * 1e-3);
        Node {
            at: i as f64 * 1e-3,
            point: DVec3::new(cosine, 0.2 * i as f64 * 1e-3, sine),
            tangent: DVec3::new(-sine, 0.2, cosine).normalize(),
        }
    };
    let nodes: Vec<Node> = (0..100_000).map(place).collect();
    let points: Vec<DVec3> = nodes.iter().map(|node| node.point).collect();
    let mut copy = vec![DVec3::ZERO; points.len()];
    // What is handed over is not copied.
    let mut ready = vec![nodes; ROUNDS];
    let (ours, pass) = both(
        || {
            black_box(AxesTable::new(black_box(ready.pop().unwrap_or_default()), UpRule::Steady, false));
        },
        || {
            for (out, point) in black_box(&mut copy).iter_mut().zip(black_box(&points)) {
                *out = *point + DVec3::ONE;
            }
        },
    );
    let ratio = ours.as_secs_f64() / pass.as_secs_f64();
    println!(
        "axes of 100,000 points {:6.2} ms   {ratio:5.1} × one pass over the points (wanted: 10)",
        ours.as_secs_f64() * 1e3
    );
}

fn seam() {
    let circle = Segment::circle(DVec3::ZERO, 3.0, DVec3::X, DVec3::Z);
    let (Ok(strand), Some(laps)) = (Strand::new(vec![circle], true), Fraction::new(10_001, 10_000)) else { return };
    let ride: Arc<dyn Motion> = Arc::new(Ride::new(Path::still(Curve::from(strand)), 10_000, laps, 240.0));
    let mut best = Duration::MAX;
    for _ in 0..ROUNDS {
        let begun = Instant::now();
        let _ = black_box(measure(&ride, 240.0, 24.0, &Cancel::default()));
        best = best.min(begun.elapsed());
    }
    println!("seam of 10,000 things  {:6.1} ms (wanted: 50 for the matching)", best.as_secs_f64() * 1e3);
}

fn main() {
    formulas();
    axes();
    meander();
    seam();
}
