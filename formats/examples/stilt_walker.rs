//! Makes `demo/stilt-walker.bvh`: somebody on stilts who walks two steps and two more, towards +z and a little aside, as it is
//! recorded: its last frame is its first one over again, but for the way that it has come.
//!
//! `cargo run -p zickzack-formats --example stilt_walker > demo/stilt-walker.bvh`

use std::f64::consts::{PI, TAU};
use std::fmt::Write;

/// Centimetres, as in most such files.
const THIGH: f64 = 46.0;
const SHIN: f64 = 92.0;
/// What is below its last joint, in line with that: the end of it stays on the ground.
const PEG: f64 = 4.0;
const HIPS: f64 = 130.0;
/// How far one cycle goes, and how far aside.
const STRIDE: f64 = 150.0;
const ASIDE: f64 = 9.0;
/// Part of the cycle for which a stilt stands.
const STANDS: f64 = 0.6;
const LIFT: f64 = 16.0;
const FRAMES: usize = 32;
const CYCLES: usize = 2;

const BONES: &str = "HIERARCHY
ROOT Hips
{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Chest
  {
    OFFSET 0 12 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    JOINT Head
    {
      OFFSET 0 46 0
      CHANNELS 3 Zrotation Xrotation Yrotation
      End Site
      {
        OFFSET 0 26 0
      }
    }
    JOINT LeftArm
    {
      OFFSET 19 40 0
      CHANNELS 3 Zrotation Xrotation Yrotation
      JOINT LeftElbow
      {
        OFFSET 28 0 0
        CHANNELS 3 Zrotation Xrotation Yrotation
        End Site
        {
          OFFSET 34 0 0
        }
      }
    }
    JOINT RightArm
    {
      OFFSET -19 40 0
      CHANNELS 3 Zrotation Xrotation Yrotation
      JOINT RightElbow
      {
        OFFSET -28 0 0
        CHANNELS 3 Zrotation Xrotation Yrotation
        End Site
        {
          OFFSET -34 0 0
        }
      }
    }
  }
";

fn leg(name: &str, side: f64) -> String {
    format!(
        "  JOINT {name}Hip
  {{
    OFFSET {} 0 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    JOINT {name}Knee
    {{
      OFFSET 0 -{THIGH} 0
      CHANNELS 3 Zrotation Xrotation Yrotation
      JOINT {name}Peg
      {{
        OFFSET 0 -{SHIN} 0
        CHANNELS 3 Zrotation Xrotation Yrotation
        End Site
        {{
          OFFSET 0 -{PEG} 0
        }}
      }}
    }}
  }}
",
        9.0 * side
    )
}

fn smooth(x: f64) -> f64 {
    x * x * (3.0 - 2.0 * x)
}

/// Where a stilt's end is: ahead of the hips, aside of where it hangs on them, and above the ground. It stays where it stands,
/// while they go on and aside.
fn peg(phase: f64) -> (f64, f64, f64) {
    let phase = phase - phase.floor();
    let reach = 0.5 * STANDS;
    if phase < STANDS {
        return ((reach - phase) * STRIDE, (reach - phase) * ASIDE, 0.0);
    }
    let part = (phase - STANDS) / (1.0 - STANDS);
    let along = 2.0 * reach * smooth(part) - reach;
    (along * STRIDE, along * ASIDE, LIFT * libm::sin(PI * part))
}

/// The angles of hip aside and forwards and of knee, degrees, that bring a peg there from hips so high.
fn angles((ahead, aside, above): (f64, f64, f64), high: f64) -> (f64, f64, f64) {
    let (straight, shin) = (high - above, SHIN + PEG);
    let down = libm::sqrt(straight * straight + aside * aside);
    let far = libm::sqrt(down * down + ahead * ahead).min((THIGH + shin) * 0.9995);
    let corner = |a: f64, b: f64, c: f64| libm::acos(((a * a + b * b - c * c) / (2.0 * a * b)).clamp(-1.0, 1.0));
    let thigh = libm::atan2(ahead, down) + corner(THIGH, far, shin);
    let knee = PI - corner(THIGH, shin, far);
    (libm::atan2(aside, straight).to_degrees(), thigh.to_degrees(), knee.to_degrees())
}

fn main() {
    let mut out = format!("{BONES}{}{}}}\n", leg("Left", 1.0), leg("Right", -1.0));
    let frames = CYCLES * FRAMES + 1;
    let _ = writeln!(out, "MOTION\nFrames: {frames}\nFrame Time: {:.7}", 1.0 / 30.0);
    for frame in 0..frames {
        let cycles = frame as f64 / FRAMES as f64;
        let wave = |times: f64, ahead: f64| libm::sin(TAU * (times * cycles + ahead));
        let high = HIPS + 1.6 * wave(2.0, 0.1);
        let mut numbers = vec![ASIDE * cycles + 1.5 * wave(1.0, 0.0), high, STRIDE * cycles + 1.2 * wave(2.0, 0.3)];
        // The hips themselves are not turned; the chest leans and twists against the legs.
        numbers.extend([0.0, 0.0, 0.0]);
        numbers.extend([2.5 * wave(1.0, 0.5), 3.0 + 1.0 * wave(2.0, 0.0), 7.0 * wave(1.0, 0.25)]);
        numbers.extend([0.0, -3.0 + 1.5 * wave(2.0, 0.4), -5.0 * wave(1.0, 0.25)]);
        for (side, ahead) in [(1.0, 0.25), (-1.0, 0.75)] {
            numbers.extend([side * (-38.0 + 5.0 * wave(2.0, 0.2)), 0.0, 20.0 * wave(1.0, ahead) - 6.0 * side]);
            numbers.extend([side * 22.0, 0.0, -side * (18.0 + 6.0 * wave(1.0, ahead))]);
        }
        for ahead in [0.0, 0.5] {
            // The sway of the hips is not the pegs'.
            let (along, across, above) = peg(cycles + ahead);
            let from_hips = (along - 1.2 * wave(2.0, 0.3), across - 1.5 * wave(1.0, 0.0), above);
            let (aside, thigh, knee) = angles(from_hips, high);
            // Forwards is against the turn about x, towards +z.
            numbers.extend([aside, -thigh, 0.0, 0.0, knee, 0.0, 0.0, 0.0, 0.0]);
        }
        let line: Vec<String> = numbers.iter().map(|number| format!("{number:.4}")).collect();
        let _ = writeln!(out, "{}", line.join(" "));
    }
    print!("{out}");
}
