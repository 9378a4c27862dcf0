//! Few cubic keys of the joints of a thing.

use super::channel::Channel;
use super::fit::Point;
use super::limbs::{JointKeys, Liberty, Look, Looker, apart, turned};
use super::reduce::{Error, Source, reduce};
use crate::pose::nearer;
use crate::rig::Local;
use glam::DQuat;

/// Frames over which it is looked at how fast joints go.
const STEP: f64 = 1e-3;

/// How fast joints go just before a look and from there on: per frame, turns as quaternions.
pub(super) type Rates = [Vec<Local>; 2];

/// The rates of joints at looks whose turns lie on one side.
pub(super) fn rates(looker: &Looker<'_>, looks: &[Look]) -> Vec<Rates> {
    let last = looks.len() - 1;
    // Half a step on either side, or a whole one where there is but one side.
    let asked = |(i, look): (usize, &Look)| {
        let [before, after] = [look.frame - STEP, look.frame + STEP];
        let [left, right] = look.sides();
        if look.broken || i == 0 || i == last { [before, left, right, after] } else { [before, after, before, after] }
    };
    let frames: Vec<[f64; 4]> = looks.iter().enumerate().map(asked).collect();
    let seen = looker.at(frames.as_flattened());
    let rate = |(from, to): (&Local, &Local), near: DQuat, step: f64| {
        let (a, b) = (nearer(from.rotation, near), nearer(to.rotation, near));
        Local {
            translation: (to.translation - from.translation) / step,
            rotation: (b - a) * (1.0 / step),
            scale: (to.scale - from.scale) / step,
        }
    };
    let all = |(i, (look, at)): (usize, (&Look, &[f64; 4]))| {
        let four = &seen[4 * i..4 * i + 4];
        let side = |from: usize, to: usize, near: &[Local]| -> Vec<Local> {
            let step = at[to] - at[from];
            four[from].iter().zip(&four[to]).zip(near).map(|(both, near)| rate(both, near.rotation, step)).collect()
        };
        let (left, right) = (side(0, 1, &look.left), side(2, 3, &look.right));
        // What lies beyond the ends may be of another lap.
        if i == 0 {
            [right.clone(), right]
        } else if i == last {
            [left.clone(), left]
        } else {
            [left, right]
        }
    };
    looks.iter().zip(&frames).enumerate().map(all).collect()
}

/// Keys of all joints, each within its liberty at every look.
pub(super) fn curved(looks: &[Look], rates: &[Rates], liberty: Liberty<'_>) -> Vec<JointKeys> {
    let one = |joint: usize| {
        let (way, turn) = liberty.of(joint);
        JointKeys {
            translation: few(looks, rates, (joint, way), |local| local.translation.to_array(), &apart),
            rotation: few(looks, rates, (joint, turn), |local| local.rotation.to_array(), &turned),
            scale: few(looks, rates, (joint, turn), |local| local.scale.to_array(), &apart),
        }
    };
    (0..looks[0].right.len()).map(one).collect()
}

fn few<const N: usize>(
    looks: &[Look],
    rates: &[Rates],
    (joint, tolerance): (usize, f64),
    read: impl Fn(&Local) -> [f64; N],
    error: &impl Error<N>,
) -> Channel<N> {
    let point = |(look, [into, out]): (&Look, &Rates)| Point {
        frame: look.frame,
        left: (read(&look.left[joint]), read(&into[joint])),
        right: (read(&look.right[joint]), read(&out[joint])),
    };
    let points: Vec<Point<N>> = looks.iter().zip(rates).map(point).collect();
    let last = points.len() - 1;
    let knots: Vec<usize> = (0..=last).filter(|&i| looks[i].broken).collect();
    let jumps = |i: &usize| error(&points[*i].left.0, &points[*i].right.0) > tolerance;
    let mut fixed: Vec<usize> = knots.iter().copied().filter(jumps).chain([0, last]).collect();
    fixed.sort_unstable();
    fixed.dedup();
    reduce(&Source { points: &points, fixed: &fixed, knots: &knots, tolerance, error })
}
