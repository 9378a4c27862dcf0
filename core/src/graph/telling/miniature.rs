//! Small pictures of what a node gives, and of a whole scene.

use super::report::SLOWEST_SEEN;
use crate::curve::{Curve, Strand, lines};
use crate::graph::compile::Compiled;
use crate::graph::product::Product;
use crate::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use crate::scene::{Picture, Space};
use crate::signal::Signal;
use crate::surface::{Surface, wires};
use crate::work::OF_A_PICTURE;
use glam::DVec3;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Lines and dots in scene space.
#[derive(Debug, Clone, PartialEq, Serialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Miniature {
    /// Each x, y, z, x, y, z …, metres.
    pub lines: Vec<Vec<f32>>,
    /// x, y, z, x, y, z …, metres, at frame 0.
    pub dots: Vec<f32>,
}

/// A whole scene, small and moving.
#[derive(Debug, Clone, PartialEq, Serialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LivingMiniature {
    /// Paths and wakes, as in a miniature.
    pub lines: Vec<Vec<f32>>,
    /// Per step of the loop the places of the things: x, y, z, x, y, z …
    pub steps: Vec<Vec<f32>>,
    /// Places of contacts: x, y, z, x, y, z …
    pub marks: Vec<f32>,
    /// The picture edge of a flat scene, as a line; empty in a deep one.
    pub edge: Vec<f32>,
    /// How many things there are in all; pictures show some of them.
    pub things: usize,
    /// How many contacts there are.
    pub contacts: usize,
    /// Whether every output closes.
    pub closes: bool,
    /// The most that a thing's end misses its beginning, metres.
    pub gap: f64,
}

const MOST_THINGS: usize = 24;
const MOST_MARKS: usize = 100;
const MOST_STRANDS: usize = 64;
const MOST_POINTS: usize = 2000;
const WAKES: usize = 4;
const WAKE_STEPS: usize = 96;

/// The border of the picture, back to where it begins.
fn picture_edge(picture: Picture) -> Vec<f32> {
    let (x, y) = (picture.width as f32 / 2.0, picture.height as f32 / 2.0);
    [(-x, -y), (x, -y), (x, y), (-x, y), (-x, -y)].iter().flat_map(|&(x, y)| [x, y, 0.0]).collect()
}

fn path_lines(curve: &Curve) -> Vec<Vec<f32>> {
    let shown: Vec<&Strand> = curve.strands().iter().take(MOST_STRANDS).collect();
    let flat = |line: Vec<DVec3>| line.iter().flat_map(|p| p.as_vec3().to_array()).collect();
    lines(&shown, curve.length() / 200.0, MOST_POINTS).into_iter().map(flat).collect()
}

/// Some edges of its triangles.
fn surface_lines(surface: &Surface) -> Vec<Vec<f32>> {
    wires(surface).into_iter().map(|line| line.iter().flat_map(|p| p.as_vec3().to_array()).collect()).collect()
}

/// Steps of a signal's curve.
const CURVE_STEPS: usize = 96;

/// A signal's curve over the loop, twice as wide as high, standing in x and y; what jumps is drawn upright.
fn signal_miniature(signal: &dyn Signal, frames: f64) -> Miniature {
    let values: Vec<f64> = (0..=CURVE_STEPS).map(|i| signal.at(frames * i as f64 / CURVE_STEPS as f64)).collect();
    let low = values.iter().copied().fold(f64::MAX, f64::min);
    let high = values.iter().copied().fold(f64::MIN, f64::max);
    let span = if high - low > 1e-9 * high.abs().max(low.abs()) { high - low } else { 0.0 };
    let point = |(i, value): (usize, &f64)| {
        let y = if span > 0.0 { (value - low) / span - 0.5 } else { 0.0 };
        [(2.0 * i as f64 / CURVE_STEPS as f64 - 1.0) as f32, y as f32, 0.0]
    };
    Miniature { lines: vec![values.iter().enumerate().flat_map(point).collect()], dots: Vec::new() }
}

fn wakes(motion: &dyn Motion, range: Frames) -> Vec<Vec<f32>> {
    let mut sample = Sample::default();
    let contacts = motion.contacts(range);
    let frames = |object: usize| -> Vec<(usize, f64)> {
        let step = (range.to - range.from) / WAKE_STEPS as f64;
        let mut frames: Vec<f64> = (0..=WAKE_STEPS).map(|i| range.from + i as f64 * step).collect();
        frames.extend(contacts.iter().filter(|c| c.object == object).take(200).map(|c| c.frame));
        frames.sort_by(f64::total_cmp);
        frames.into_iter().map(|frame| (object, frame)).collect()
    };
    (0..motion.len().min(WAKES))
        .flat_map(|object| {
            motion.sample_at(&frames(object), Columns::POSITION | Columns::ALIVE, &mut sample);
            // A line for each stretch in which it is there.
            let rows: Vec<usize> = (0..sample.positions.len()).collect();
            let stretches = rows.chunk_by(|a, b| sample.alive[*a] == sample.alive[*b]);
            let line =
                |rows: &[usize]| rows.iter().flat_map(|row| sample.positions[*row].as_vec3().to_array()).collect();
            stretches.filter(|rows| sample.alive[rows[0]] && rows.len() > 1).map(line).collect::<Vec<Vec<f32>>>()
        })
        .collect()
}

/// Places along what is bent, in a line and as dots.
const SPINE: usize = 33;
const SPINE_DOTS: usize = 13;

/// Places along those of the rows that are there and bent.
fn spines(motion: &dyn Motion, at: &[(usize, f64)], places: usize) -> Vec<Vec<DVec3>> {
    if !motion.varies().contain(Columns::BENT) {
        return Vec::new();
    }
    let mut sample = Sample::default();
    motion.sample_at(at, Columns::BENT | Columns::ALIVE, &mut sample);
    let rows = at.iter().zip(&sample.bents).zip(&sample.alive).filter(|(_, alive)| **alive);
    rows.filter_map(|(((object, _), lying), _)| {
        Some(motion.kinds()[motion.kind(*object)].bent.as_ref()?.spine(lying, places))
    })
    .collect()
}

/// Lines of those of the rows that are there and dented, and the limbs of those that walk, as far as these columns are shown.
fn bodies(motion: &dyn Motion, at: &[(usize, f64)], shown: Columns) -> Vec<Vec<DVec3>> {
    if !motion.varies().touch(shown) {
        return Vec::new();
    }
    let mut sample = Sample::default();
    motion.sample_at(at, shown | Columns::POSE, &mut sample);
    let lines = |(row, (object, _)): (usize, &(usize, f64))| {
        let kind = Some(&motion.kinds()[motion.kind(*object)]).filter(|_| sample.alive[row])?;
        let pose = sample.pose(row);
        let placed = |line: Vec<DVec3>| {
            line.into_iter().map(|place| pose.position + pose.orientation * (pose.scale * place)).collect()
        };
        let lines = match (&kind.dented, &kind.walked) {
            (Some(dents), _) => dents.wires(*sample.dents.get(row)?),
            (_, Some(walk)) => walk.limbs(sample.steps.get(row)?),
            _ => return None,
        };
        Some(lines.into_iter().map(placed).collect::<Vec<_>>())
    };
    at.iter().enumerate().filter_map(lines).flatten().collect()
}

impl Compiled {
    /// A miniature of what each node gives. On a path, motions show the path rather than their wake.
    ///
    /// # Errors
    /// Where it is cancelled.
    pub fn miniatures(&self, cancel: &Cancel) -> Result<BTreeMap<String, Miniature>, MotionError> {
        let drawn = self.nodes.iter().filter_map(|(id, result)| Some((id, result.product()?)));
        drawn
            .map(|(id, product)| {
                let lines = |lines| Miniature { lines, dots: Vec::new() };
                let drawn = cancel.within(OF_A_PICTURE, |cancel| match product {
                    Product::Path(product) => Ok(lines(path_lines(&product.path.at(0.0)))),
                    Product::Motion(motion) => self.motion_miniature(motion, cancel),
                    Product::Surface(ground) => Ok(lines(surface_lines(&ground.at(0.0)))),
                    Product::Signal(signal) => Ok(signal_miniature(&**signal, self.timing.frames)),
                });
                match drawn {
                    // The end that shows it says so.
                    Err(MotionError::TooMuch(_)) => Ok((id.clone(), Miniature::default())),
                    drawn => Ok((id.clone(), drawn?)),
                }
            })
            .collect()
    }

    fn motion_miniature(&self, motion: &Arc<dyn Motion>, cancel: &Cancel) -> Result<Miniature, MotionError> {
        let range = Frames { from: 0.0, to: self.timing.frames };
        let ready = prepared(motion, range, cancel)?;
        let mut lines = match ready.path() {
            Some(path) => path_lines(&path.at(0.0)),
            None => wakes(&*ready, range),
        };
        let things = || 0..ready.len().min(MOST_THINGS);
        let at: Vec<(usize, f64)> = things().map(|object| (object, 0.0)).collect();
        let mut sample = Sample::default();
        ready.sample_at(&at, Columns::POSITION, &mut sample);
        // What is bent is seen by its form where it is there: what grows is not yet at the loop's start.
        let half: Vec<(usize, f64)> = things().map(|object| (object, 0.5 * range.to)).collect();
        let mut forms = spines(&*ready, &half, SPINE);
        forms.extend(bodies(&*ready, &half, Columns::DENTED | Columns::STEP));
        lines.extend(forms.iter().map(|form| form.iter().flat_map(|place| place.as_vec3().to_array()).collect()));
        Ok(Miniature { lines, dots: sample.positions.iter().flat_map(|p| p.as_vec3().to_array()).collect() })
    }

    /// The scene as a small moving picture of at most `steps` steps.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn living_miniature(&self, steps: usize, cancel: &Cancel) -> Result<LivingMiniature, MotionError> {
        let frames = self.timing.frames;
        let range = Frames { from: 0.0, to: frames };
        let count = steps.min(frames as usize).max(1);
        let mut living = LivingMiniature { steps: vec![Vec::new(); count], closes: true, ..LivingMiniature::default() };
        for result in self.nodes.values() {
            if let Some(Product::Path(product)) = result.product() {
                living.lines.extend(path_lines(&product.path.at(0.0)));
            }
        }
        if self.timing.space == Space::Flat {
            living.edge = picture_edge(self.timing.picture);
        }
        let mut sample = Sample::default();
        for end in &self.ends {
            cancel.within(OF_A_PICTURE, |cancel| {
                let ready = prepared(&end.motion, range, cancel)?;
                if ready.path().is_none() {
                    living.lines.extend(wakes(&*ready, range));
                }
                let shown = ready.len().min(MOST_THINGS);
                let first: Vec<(usize, f64)> = (0..shown).map(|object| (object, 0.0)).collect();
                let forms = bodies(&*ready, &first, Columns::DENTED);
                living
                    .lines
                    .extend(forms.iter().map(|form| form.iter().flat_map(|p| p.as_vec3().to_array()).collect()));
                for (step, places) in living.steps.iter_mut().enumerate() {
                    let frame = frames * step as f64 / count as f64;
                    let at: Vec<(usize, f64)> = (0..shown).map(|object| (object, frame)).collect();
                    ready.sample_at(&at, Columns::POSITION, &mut sample);
                    places.extend(sample.positions.iter().flat_map(|p| p.as_vec3().to_array()));
                    let forms = spines(&*ready, &at, SPINE_DOTS);
                    places.extend(forms.iter().flatten().flat_map(|place| place.as_vec3().to_array()));
                }
                Ok(())
            })?;
            let told = super::report::EndReport::of(end, frames, self.timing.fps, cancel)?;
            living.things += told.things;
            living.contacts += told.contact_count;
            let seen = told.contacts.iter().filter(|contact| contact.speed_in >= SLOWEST_SEEN).take(MOST_MARKS);
            living.marks.extend(seen.flat_map(|contact| contact.place.as_vec3().to_array()));
            living.closes &= told.seam.closes;
            living.gap = living.gap.max(told.seam.position);
        }
        Ok(living)
    }
}
