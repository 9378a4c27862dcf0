//! What things press into a surface.

use super::cells::Cells;
use super::furrow::{Furrow, Mark};
use super::pressing::{Pressing, Several};
use crate::mesh::Mesh;
use crate::motion::layer::{Rows, Who, who_needs};
use crate::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample};
use crate::surface::{Body, Ground, Surface, wires};
use crate::work::spend;
use glam::{DQuat, DVec3};
use std::fmt::{Debug, Formatter};
use std::sync::Arc;

/// Parts of the reach that a thing moves at most between two places of what it leaves behind.
const STEPS: f64 = 8.0;
/// Places of what a thing leaves behind at least, so that it fades evenly, and at most.
const FEWEST: usize = 24;
const MOST: usize = 256;
/// Cells for each reach.
const CELLS: f64 = 3.0;
/// Frames beside a leap at which a thing is on either side of it.
const BESIDE: f64 = 1e-6;
/// Frames of a loop at which it is looked at how fast things go.
const LOOKED: usize = 24;
/// Corners that are as much work as a look.
const A_LOOK: usize = 16;

/// What things press into a surface, frame by frame.
#[derive(Clone)]
pub struct Dents {
    body: Arc<Body>,
    body_key: [u8; 32],
    /// x, y and z of its corners apart.
    places: Arc<[Vec<f64>; 3]>,
    cells: Arc<Cells>,
    /// Factors on the depth, by corner.
    grain: Arc<Vec<f64>>,
    ground: Ground,
    things: Arc<dyn Motion>,
    /// The frames at which each thing leaps.
    leaps: Arc<Vec<Vec<f64>>>,
    pressing: Pressing,
    /// Steps that what a thing leaves behind has.
    steps: usize,
    deepest: f64,
}

impl Debug for Dents {
    fn fmt(&self, out: &mut Formatter<'_>) -> std::fmt::Result {
        write!(out, "{} corners, pressed as {:?}", self.body.places.len(), self.pressing)
    }
}

impl Dents {
    /// Into the body of a surface that keeps its shape, as it goes along with `ground`; by the things of a motion. `reach`,
    /// above 0, and `deepest` are the most metres that reach and depth are; `frames` those of the loop.
    ///
    /// # Errors
    /// Where it is cancelled, or there is too much to make ready.
    pub fn new(
        body: &Body,
        (ground, things): (Ground, Arc<dyn Motion>),
        pressing: Pressing,
        (reach, deepest, frames): (f64, f64, f64),
        cancel: &Cancel,
    ) -> Result<Self, MotionError> {
        let (cells, order) = Cells::of(&body.places, reach / CELLS);
        let body = body.reordered(&order);
        let grain = body.places.iter().map(|place| pressing.grain.at(*place)).collect();
        let mut dents = Self {
            places: Arc::new([0, 1, 2].map(|axis| body.places.iter().map(|place| place[axis]).collect())),
            body_key: body.key(),
            body: Arc::new(body),
            cells: Arc::new(cells),
            grain: Arc::new(grain),
            ground,
            things,
            leaps: Arc::default(),
            pressing,
            steps: 0,
            deepest,
        };
        dents = dents.ready(Frames { from: 0.0, to: frames }, cancel)?;
        if dents.pressing.tail > 0.0 {
            let parts = STEPS * dents.pressing.tail * dents.fastest(frames) / reach;
            dents.steps = (parts.min(MOST as f64) as usize).clamp(FEWEST, MOST);
        }
        Ok(dents)
    }

    /// Made ready for these frames.
    ///
    /// # Errors
    /// Where it is cancelled, or there is too much to make ready.
    pub(super) fn ready(&self, range: Frames, cancel: &Cancel) -> Result<Self, MotionError> {
        let asked = Frames { from: range.from - self.pressing.tail, to: range.to };
        let things = crate::motion::prepared(&self.things, asked, cancel)?;
        let leaps = |object| -> Result<Vec<f64>, MotionError> {
            let breaks = things.breaks(object, asked)?;
            let leaps = breaks.iter().filter(|of| of.kind.is_jump());
            Ok(leaps.map(|of| of.frame).collect())
        };
        let leaps = (0..things.len()).map(leaps).collect::<Result<_, _>>()?;
        Ok(Self { things, leaps: Arc::new(leaps), ..self.clone() })
    }

    /// The most metres that a thing goes along the surface in a frame.
    fn fastest(&self, frames: f64) -> f64 {
        const STEP: f64 = 1e-3;
        let inside = |frame: f64| {
            let mut sample = Sample::default();
            self.things.sample(frame, Columns::POSITION, &mut sample);
            let surface = self.ground.at(frame);
            sample.positions.iter().map(|place| within(&surface, *place)).collect::<Vec<DVec3>>()
        };
        let at = |i: usize| {
            let frame = frames * (i as f64 + 0.5) / LOOKED as f64;
            let (before, after) = (inside(frame), inside(frame + STEP));
            before.iter().zip(&after).map(|(a, b)| a.distance(*b) / STEP).fold(0.0, f64::max)
        };
        (0..LOOKED).map(at).fold(0.0, f64::max)
    }

    /// The body that is dented, in the surface's own axes.
    pub fn body(&self) -> &Body {
        &self.body
    }

    /// The same of two bodies only where they are the same.
    pub const fn body_key(&self) -> &[u8; 32] {
        &self.body_key
    }

    /// How many corners it has.
    pub fn corners(&self) -> usize {
        self.body.places.len()
    }

    /// The most metres that a single thing presses.
    pub const fn deepest(&self) -> f64 {
        self.deepest
    }

    /// How far each corner is moved along its normal at a frame, metres, one number for each corner.
    pub fn write(&self, frame: f64, out: &mut [f32]) {
        out.iter_mut().zip(self.corners_moved(frame)).for_each(|(out, moved)| *out = moved as f32);
    }

    /// The same in double precision; nowhere where it was given up.
    pub fn corners_moved(&self, frame: f64) -> Vec<f64> {
        let mut moved = vec![0.0; self.corners()];
        let mut alone = if self.pressing.several == Several::Sum { moved.clone() } else { Vec::new() };
        let mut touched = Vec::new();
        for furrows in self.groups(frame) {
            let into = if alone.is_empty() { &mut moved } else { &mut alone };
            for furrow in &furrows {
                for cells in self.cells.around(furrow) {
                    if !spend((cells.len() / A_LOOK) as u64 + 1) {
                        return vec![0.0; self.corners()];
                    }
                    let places = [0, 1, 2].map(|axis| &self.places[axis][cells.clone()]);
                    furrow.deepen(&places, &mut into[cells.clone()], self.pressing.hollow);
                    touched.push(cells);
                }
            }
            // What one thing presses is added to what others do.
            let adds = !alone.is_empty();
            for cells in touched.drain(..).filter(|_| adds) {
                for (moved, own) in moved[cells.clone()].iter_mut().zip(&mut alone[cells]) {
                    *moved += std::mem::take(own);
                }
            }
        }
        let sign = self.sign();
        moved.iter_mut().zip(self.grain.iter()).for_each(|(moved, grain)| *moved *= sign * grain);
        moved
    }

    /// The surface as it is dented at a frame, in its own axes.
    pub fn mesh(&self, frame: f64) -> Mesh {
        let corners = self.body.places.iter().zip(&self.body.normals).zip(self.corners_moved(frame));
        let places = corners.map(|((place, normal), moved)| *place + *normal * moved).collect();
        Mesh::plain(places, self.body.triangles.clone())
    }

    /// Lines that show the surface as it is dented at a frame, in its own axes.
    pub fn wires(&self, frame: f64) -> Vec<Vec<DVec3>> {
        let surface = Surface { position: DVec3::ZERO, orientation: DQuat::IDENTITY, ..self.ground.at(frame) };
        let lines = wires(&surface);
        let places: Vec<DVec3> = lines.iter().flatten().copied().collect();
        let moved = self.moved(frame, &places);
        let out = |(place, moved): (&DVec3, &f64)| *place + surface.nearest(*place).normal * *moved;
        let mut all = places.iter().zip(&moved).map(out);
        lines.iter().map(|line| all.by_ref().take(line.len()).collect()).collect()
    }

    /// How far places anywhere would be moved, metres, in the surface's own axes.
    pub fn moved(&self, frame: f64, places: &[DVec3]) -> Vec<f64> {
        let groups = self.groups(frame);
        let at = |place: &DVec3| {
            let most = |furrows: &Vec<Furrow>| {
                furrows.iter().map(|furrow| furrow.depth(*place, &self.pressing)).fold(0.0, f64::max)
            };
            self.sign() * groups.iter().map(most).sum::<f64>() * self.pressing.grain.at(*place)
        };
        places.iter().map(at).collect()
    }

    /// What is pressed at a frame, in groups of which the deepest counts.
    fn groups(&self, frame: f64) -> Vec<Vec<Furrow>> {
        let furrows = self.furrows(frame);
        match self.pressing.several {
            Several::Deepest => vec![furrows.into_iter().flatten().collect()],
            Several::Sum => furrows,
        }
    }

    /// Which way along its normal the surface is moved.
    const fn sign(&self) -> f64 {
        if self.pressing.raised { 1.0 } else { -1.0 }
    }

    /// What each thing has left behind at a frame.
    fn furrows(&self, frame: f64) -> Vec<Vec<Furrow>> {
        let count = self.things.len();
        if self.steps == 0 {
            let marks = self.marks(Rows::Range { frame, first: 0, count }, frame);
            return marks.into_iter().map(|mark| mark.map(Furrow::at).into_iter().collect()).collect();
        }
        let step = self.pressing.tail / self.steps as f64;
        let at = |i: usize| frame - i as f64 * step;
        let rows = |i: usize| self.marks(Rows::Range { frame: at(i), first: 0, count }, frame);
        let marks: Vec<Vec<Option<Mark>>> = (0..=self.steps).map(rows).collect();
        (0..count).map(|object| self.left_by(object, &marks, (frame, step))).collect()
    }

    /// What a thing has left behind, by the marks of all things, step by step before a frame: in runs between leaps, where it
    /// was there.
    fn left_by(&self, object: usize, marks: &[Vec<Option<Mark>>], (frame, step): (f64, f64)) -> Vec<Furrow> {
        let (mut furrows, mut run) = (Vec::new(), Vec::new());
        let end = |run: &mut Vec<Mark>, furrows: &mut Vec<Furrow>| {
            match run[..] {
                [] => {}
                [mark] => furrows.push(Furrow::at(mark)),
                _ => Furrow::through(run, furrows),
            }
            run.clear();
        };
        for (i, marks) in marks.iter().enumerate() {
            let at = frame - i as f64 * step;
            let leap = self.leaps[object].iter().find(|leap| i > 0 && **leap > at && **leap <= at + step);
            if let Some(leap) = leap {
                // It leaves something on both sides of a leap, and nothing between.
                let beside = [(object, (leap + BESIDE).min(at + step)), (object, leap - BESIDE)];
                let beside = self.marks(Rows::Each(&beside), frame);
                let later = run.last().copied();
                end(&mut run, &mut furrows);
                let pair = |a: Option<Mark>, b: Option<Mark>| a.zip(b).map(|(a, b)| [a, b]);
                for pair in [pair(later, beside[0]), pair(beside[1], marks[object])].iter().flatten() {
                    Furrow::through(pair, &mut furrows);
                }
            }
            match marks[object] {
                Some(mark) => run.push(mark),
                None => end(&mut run, &mut furrows),
            }
        }
        end(&mut run, &mut furrows);
        furrows
    }

    /// Where things pressed, and what is left of that at a frame; nothing of those that were not there.
    fn marks(&self, rows: Rows<'_>, now: f64) -> Vec<Option<Mark>> {
        let mut sample = Sample::default();
        let columns = Columns::POSITION | Columns::ALIVE | who_needs(&*self.things);
        self.things.sample_at(&rows.later(0.0), columns, &mut sample);
        let who = Who::of(&*self.things);
        let mut surface = None;
        (0..rows.count())
            .map(|row| {
                let (thing, frame) = who.at(rows, row, &sample);
                if surface.as_ref().is_none_or(|(at, _)| *at != frame) {
                    surface = Some((frame, self.ground.at(frame)));
                }
                let (_, surface) = surface.as_ref()?;
                let place = within(surface, sample.positions[row]);
                let depth = self.pressing.depth.at(frame, thing) * self.pressing.fade(now - frame);
                let reach = self.pressing.reach.at(frame, thing);
                sample.alive[row].then_some(Mark { place, reach, depth })
            })
            .collect()
    }
}

/// A place in the axes of a surface.
fn within(surface: &Surface, place: DVec3) -> DVec3 {
    surface.orientation.conjugate() * (place - surface.position)
}
