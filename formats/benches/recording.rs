//! Speed check: joint motion of 10,000 frames and 100 joints is read, and made ready to be walked by. Run with
//! `cargo bench -p zickzack-formats`; prints the best times.

use glam::DVec3;
use std::fmt::Write;
use std::sync::Arc;
use std::time::{Duration, Instant};
use zickzack_core::rig::{Gait, Taken};
use zickzack_formats::animated;

const FRAMES: usize = 10_000;
/// Joints of the middle and of each leg; a hundred with the ends of three chains.
const CHAINS: [usize; 3] = [32, 32, 32];
const ROUNDS: usize = 5;

fn best<T>(mut work: impl FnMut() -> T) -> (Duration, T) {
    let mut least = None;
    for _ in 0..ROUNDS {
        let begun = Instant::now();
        let made = work();
        let taken = begun.elapsed();
        least = Some(match least.take() {
            Some((before, kept)) if before < taken => (before, kept),
            _ => (taken, made),
        });
    }
    least.unwrap_or_else(|| unreachable!())
}

fn written() -> String {
    let mut out = String::from(
        "HIERARCHY\nROOT hip\n{\nOFFSET 0 96 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n",
    );
    for (chain, joints) in CHAINS.into_iter().enumerate() {
        let step = [3.0, -3.0, -3.0][chain];
        for joint in 0..joints {
            let aside = if joint == 0 { [0.0, 8.0, -8.0][chain] } else { 0.0 };
            let _ = write!(
                out,
                "JOINT j{chain} {joint}\n{{\nOFFSET {aside} {step} 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n"
            );
        }
        let _ = writeln!(out, "End Site\n{{\nOFFSET 0 {step} 0\n}}\n{}", "}".repeat(joints));
    }
    let _ = writeln!(out, "}}\nMOTION\nFrames: {FRAMES}\nFrame Time: 0.0083333");
    for frame in 0..FRAMES {
        let _ = write!(out, "0.0000 {:.4} {:.4}", 96.0, frame as f64 * 1.1);
        let wave = |ahead: f64| libm::sin(std::f64::consts::TAU * (frame as f64 / 128.0 + ahead));
        let _ = write!(out, " 0.0000 0.0000 0.0000");
        for (chain, joints) in CHAINS.into_iter().enumerate() {
            for joint in 0..joints {
                let _ = write!(out, " {:.4} {:.4} 0.0000", 0.1 * wave(joint as f64 * 0.01), wave(0.5 * chain as f64));
            }
        }
        out.push('\n');
    }
    out
}

fn main() {
    let text = written();
    let (read, model) = best(|| animated::read(text.as_bytes()));
    match model {
        Err(why) => println!("it cannot be read: {why}"),
        Ok(model) => {
            println!("{} MB with {} joints read in {read:.2?}", text.len() >> 20, model.0.joints().len());
            let model = Arc::new(model);
            let taken = Taken { clip: 0, up: DVec3::Y, span: None, overlap: 0.1, tall: Some(1.8) };
            let (made, gait) = best(|| Gait::new(model.clone(), taken));
            match gait {
                Ok(gait) => {
                    println!("a cycle of {:.3} s found, with {} feet, in {made:.2?}", gait.seconds(), gait.feet().len())
                }
                Err(why) => println!("{why}, after {made:.2?}"),
            }
        }
    }
}
