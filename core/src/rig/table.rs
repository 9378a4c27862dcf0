//! Joints by clip time as a table, for pictures: between its rows numbers go straight on.

use super::Repertoire;
use super::repertoire::corners_apart;
use glam::DMat4;

/// What brings corners where they are, by mixture, by part of the cycle, by bone.
#[derive(Debug, Clone, PartialEq)]
pub struct PoseTable {
    /// The part of the cycle that each row is of, rising from 0 to 1: the first is its start, the last its end.
    pub rows: Vec<f64>,
    /// Mixtures, from the first clip to the last at even distances; between them numbers go straight on as well.
    pub layers: usize,
    /// Mixtures between one clip and the next, and one of these itself.
    pub between: usize,
    /// Bones.
    pub bones: usize,
    /// Twelve numbers each: three rows of a matrix that takes a corner as it is written into the thing.
    pub numbers: Vec<f32>,
    /// The largest distance between what lies half way between two rows, or two mixtures, and what is there, in sizes of the
    /// thing.
    pub error: f64,
}

/// Most rows of a cycle.
const MOST: usize = 1024;
/// Parts of the thing's size that are small enough.
const ENOUGH: f64 = 1e-5;
/// Mixtures between one clip and the next.
const BETWEEN: usize = 16;
/// Most numbers of a table.
const LARGEST: usize = 4 << 20;
/// The end of a cycle, before it begins again.
const END: f64 = 1.0 - f64::EPSILON;

impl PoseTable {
    /// A row for each key and as many between them as it takes, up to some number.
    pub fn of(played: &Repertoire) -> Self {
        let clips = played.cycles().count();
        let (layers, bones) = (1 + (clips - 1) * BETWEEN, played.rig().bones().len());
        let most = (LARGEST / (layers * bones * 12).max(1)).clamp(2, MOST);
        let mut rows = played.kinks();
        rows.truncate(most);
        rows.retain(|row| *row < END);
        rows.push(END);
        let mut split = rows.clone();
        // What lies between two rows is halved until it is near enough.
        loop {
            let wrong = |pair: &[f64]| off(played, pair, layers) > ENOUGH;
            let more: Vec<f64> =
                split.windows(2).filter(|pair| wrong(pair)).map(|pair| 0.5 * (pair[0] + pair[1])).collect();
            if more.is_empty() || rows.len() + more.len() > most {
                break;
            }
            rows.extend(&more);
            rows.sort_by(f64::total_cmp);
            split.clone_from(&rows);
        }
        let mut error = rows.windows(2).map(|pair| off(played, pair, layers)).fold(0.0, f64::max);
        if clips > 1 {
            let across = |row: &f64| (0..layers - 1).map(|layer| off_across(played, layer, *row)).fold(0.0, f64::max);
            error = rows.iter().map(across).fold(error, f64::max);
        }
        let mut numbers = Vec::with_capacity(layers * rows.len() * bones * 12);
        for layer in 0..layers {
            for row in &rows {
                for bone in carried(played, mix(layer), *row) {
                    let by_rows = bone.transpose();
                    let three = [by_rows.x_axis, by_rows.y_axis, by_rows.z_axis].map(|row| row.as_vec4().to_array());
                    numbers.extend(three.concat());
                }
            }
        }
        Self { rows, layers, between: BETWEEN, bones, numbers, error }
    }
}

fn mix(layer: usize) -> f64 {
    layer as f64 / BETWEEN as f64
}

fn carried(played: &Repertoire, mix: f64, phase: f64) -> Vec<DMat4> {
    let mut joints = Vec::new();
    played.joints(mix, phase, &mut joints);
    played.rig().carried(&joints).collect()
}

/// How far what lies half way between two poses is off one, in sizes of the thing.
fn apart(played: &Repertoire, ends: [Vec<DMat4>; 2], there: &[DMat4]) -> f64 {
    let rig = played.rig();
    let mut rest = Vec::new();
    rig.placed(&rig.rest(), &mut rest);
    let rest: Vec<DMat4> = rig.carried(&rest).collect();
    let [first, second] = ends;
    let halves = first.iter().zip(&second).map(|(first, second)| (*first + *second) * 0.5);
    let far = halves.zip(there).zip(&rest).map(|((half, there), rest)| corners_apart(rig, &half, there, rest));
    far.fold(0.0, f64::max) / rig.size().max(f64::MIN_POSITIVE)
}

/// Half way between two rows, of every clip and of what is half of one and half of the next.
fn off(played: &Repertoire, pair: &[f64], layers: usize) -> f64 {
    let middle = 0.5 * (pair[0] + pair[1]);
    let of = |layer: usize| {
        let ends = [pair[0], pair[1]].map(|row| carried(played, mix(layer), row));
        apart(played, ends, &carried(played, mix(layer), middle))
    };
    (0..layers).step_by(BETWEEN / 2).map(of).fold(0.0, f64::max)
}

/// Half way from a mixture to the next.
fn off_across(played: &Repertoire, layer: usize, row: f64) -> f64 {
    let ends = [layer, layer + 1].map(|layer| carried(played, mix(layer), row));
    apart(played, ends, &carried(played, mix(layer) + 0.5 / BETWEEN as f64, row))
}
