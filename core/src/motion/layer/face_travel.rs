//! Facing the travel: the nose forward, the top as upright as the rule allows.

use super::face_up::{FaceUp, Stand};
use crate::curve::{AxesTable, Node, Path};
use crate::motion::{
    Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Place, Sample, as_inner,
};
use crate::pose::{Axis, Facing, bend, turn_between};
use glam::{DQuat, DVec3};
use rayon::prelude::*;
use std::ops::Range;
use std::sync::Arc;

/// Turns the things of another motion so that `nose` points along the travel and `top` up.
///
/// On a path that does not move, under an up that does not move, axes are taken along the path; otherwise
/// along each thing's trajectory in time, from the frame at which its motion starts.
#[derive(Clone)]
pub struct FaceTravel {
    inner: Arc<dyn Motion>,
    nose: Axis,
    top: Axis,
    facing: Facing,
    up: FaceUp,
    axes: Axes,
}

#[derive(Clone)]
enum Axes {
    /// One table per strand of a path that does not move.
    AlongPath(Arc<Vec<AxesTable>>),
    /// One table per thing, over time.
    InTime(Arc<Vec<Runs>>),
    /// In time, but not prepared yet: each direction by itself.
    Unprepared,
}

/// Half the frames over which a spin is measured; its error is of second order in this.
const SPIN_STEP: f64 = 1e-3;
/// The same where the spin changes much within that.
const FINE_SPIN_STEP: f64 = 1e-4;
/// Radians per frame by which spins before and after may differ where nothing breaks.
const SAME_SPIN: f64 = 1.0;
/// Steps per frame of a trajectory's axes.
const STEPS_PER_FRAME: f64 = 4.0;
/// Radians between nodes of a path's axes.
const PATH_STEP: f64 = 0.02;
/// Radians by which a direction may turn from one node of a trajectory to the next.
const TIME_STEP: f64 = 0.1;
/// How often the frames between two nodes are halved at most.
const MOST_HALVINGS: usize = 7;
/// So many frames farther it is looked for the end of a bridge in which a range begins or ends.
const FARTHER: [f64; 3] = [0.0, 32.0, 256.0];
/// Frames before a break at which its left side is looked at.
const BEFORE_BREAK: f64 = 1e-9;
/// Most nodes that the axes of trajectories may take in all.
const MOST_NODES: f64 = 2e7;
/// A node on a path that moves counts so many times, since the path is made anew for it.
const MOVING: f64 = 100.0;

impl FaceTravel {
    /// `nose` and `top` must not be parallel.
    pub fn new(inner: Arc<dyn Motion>, nose: Axis, top: Axis, up: FaceUp) -> Self {
        let axes = match inner.path().and_then(Path::unmoving) {
            Some(curve) if !up.moves() => Axes::AlongPath(Arc::new(up.along(curve, PATH_STEP))),
            _ => Axes::Unprepared,
        };
        Self { inner, nose, top, facing: Facing::new(nose, top), up, axes }
    }

    /// Axes along the strands of the path; none for trajectories.
    pub fn along_path(&self) -> &[AxesTable] {
        match &self.axes {
            Axes::AlongPath(tables) => tables,
            Axes::InTime(_) | Axes::Unprepared => &[],
        }
    }

    fn needs(&self) -> Columns {
        let position = Columns::POSITION | Columns::TRAVEL;
        if self.inner.path().is_some() { position | Columns::PLACE } else { position }
    }

    /// Where a thing of the other motion is asked for its up.
    fn stand(&self, frame: f64, point: DVec3, place: Option<&Place>) -> Stand {
        let part = |place: &Place| {
            let curve = self.inner.path()?.at(frame);
            Some(place.s / curve.strands()[place.strand % curve.strands().len()].length())
        };
        Stand { frame, strand: place.map_or(0, |place| place.strand), part: place.and_then(part), point }
    }

    #[inline(always)]
    fn turn(&self, object: usize, frame: f64, position: DVec3, travel: DVec3, place: Option<&Place>) -> DQuat {
        if travel == DVec3::ZERO {
            return DQuat::IDENTITY;
        }
        let up = match (&self.axes, place) {
            (Axes::AlongPath(tables), Some(place)) => {
                tables[place.strand].up(place.s, position, travel * place.direction)
            }
            (Axes::InTime(runs), _) => runs[object].table(frame).up(frame, position, travel),
            _ => self.up_alone(frame, position, travel, place),
        };
        self.facing.turn(travel, up)
    }

    /// Up at a place by itself, before anything is prepared.
    #[cold]
    #[inline(never)]
    fn up_alone(&self, frame: f64, position: DVec3, travel: DVec3, place: Option<&Place>) -> DVec3 {
        let goal = self.up.goal(self.stand(frame, position, place));
        let alone = vec![Node { at: frame, point: position, tangent: travel }];
        self.up.in_time(alone, &[goal], frame).up(frame, position, travel)
    }

    /// The turn of every row of `base` into `turns`, in place of what it held.
    fn orient(&self, at: impl Fn(usize) -> (usize, f64), base: &Sample, turns: &mut Vec<DQuat>) {
        turns.clear();
        turns.extend((0..base.positions.len()).map(|row| {
            let (object, frame) = at(row);
            self.turn(object, frame, base.positions[row], base.travels[row], base.places.get(row))
        }));
    }

    /// As `orient`, into the sample's own column.
    fn orient_own(&self, at: impl Fn(usize) -> (usize, f64), out: &mut Sample) {
        let mut turns = std::mem::take(&mut out.orientations);
        self.orient(at, out, &mut turns);
        out.orientations = turns;
    }

    fn spins(&self, at: &[(usize, f64)]) -> Vec<DVec3> {
        let mut base = Sample::default();
        spins(at, |moved| {
            self.inner.sample_at(moved, self.needs(), &mut base);
            let mut turns = Vec::new();
            self.orient(|row| moved[row], &base, &mut turns);
            turns
        })
    }

    /// The frames over which axes are made where `range` is asked for: from where steady axes are upright on, so
    /// that what is seen at a frame does not hang on the frames that are asked for.
    fn reach(&self, range: Frames) -> Frames {
        if !matches!(self.up, FaceUp::Steady { .. }) {
            return range;
        }
        let from = self.anchor();
        Frames { from: range.from.min(from), to: range.to.max(from) }
    }

    /// The frame at which steady axes are upright, for what never begins anew.
    fn anchor(&self) -> f64 {
        Some(self.inner.extent().from).filter(|from| from.is_finite()).map_or(0.0, f64::floor)
    }

    /// One table per thing over the frames of `range`, with nodes on both sides of every break; and whether one of
    /// them starts or ends within a bridge.
    fn in_time(&self, range: Frames, cancel: &Cancel) -> Result<(Vec<Runs>, bool), MotionError> {
        let steps = ((range.to - range.from) * STEPS_PER_FRAME).ceil();
        let each = if self.inner.path().is_some_and(|path| path.unmoving().is_none()) { MOVING } else { 1.0 };
        if steps * self.inner.len() as f64 * each > MOST_NODES {
            return Err(MotionError::TooMuch(format!(
                "Turning {} things over {} frames takes too much: use fewer things or frames, or an up that is not steady.",
                self.inner.len(),
                (range.to - range.from).round()
            )));
        }
        let made: Result<Vec<(Runs, bool)>, MotionError> = (0..self.inner.len())
            .into_par_iter()
            .map_init(Sample::default, |sample, object| {
                if cancel.cancelled() {
                    return Err(MotionError::Cancelled);
                }
                cancel.watched(|| self.runs(object, range, sample))
            })
            .collect();
        let (runs, open): (Vec<Runs>, Vec<bool>) = made?.into_iter().unzip();
        Ok((runs, open.contains(&true)))
    }

    fn runs(&self, object: usize, range: Frames, sample: &mut Sample) -> Result<(Runs, bool), MotionError> {
        // What goes on at the start of the range may have begun as long before it as it takes to come round.
        let extent = self.inner.extent();
        let round = Some(extent.to - extent.from).filter(|round| round.is_finite() && *round > 0.0).unwrap_or(0.0);
        let breaks = self.inner.breaks(object, Frames { from: range.from - round, ..range })?;
        let anew = |b: &Break| b.kind == BreakKind::Anew;
        let begun = breaks.iter().rfind(|b| anew(b) && b.frame <= range.from).map(|b| b.frame);
        let from = begun.unwrap_or(range.from);
        // On whole parts of frames, wherever the range begins.
        let first = (from * STEPS_PER_FRAME).floor() as i64;
        let last = (range.to * STEPS_PER_FRAME).ceil() as i64;
        let mut frames: Vec<f64> = (first..=last).map(|i| i as f64 / STEPS_PER_FRAME).collect();
        let mut begins = Vec::new();
        for broken in breaks.iter().filter(|b| b.frame >= from) {
            frames.extend([broken.frame - BEFORE_BREAK, broken.frame]);
            begins.extend(anew(broken).then_some(broken.frame));
        }
        let mut found = Vec::new();
        for _ in 0..MOST_HALVINGS {
            self.looked_at(object, &frames, sample, &mut found);
            frames = found.windows(2).filter_map(|pair| halfway(&pair[0], &pair[1])).collect();
            if frames.is_empty() {
                break;
            }
        }
        if found.is_empty() {
            // What never moves faces nowhere.
            found.push((Node { at: range.from, point: DVec3::ZERO, tangent: DVec3::X }, None));
        }
        let bridges =
            |end: Option<&(Node, Option<DVec3>)>| end.is_some_and(|(node, goal)| self.up.bridges(node, *goal));
        let open = bridges(found.first()) || bridges(found.last());
        let mut tables = Vec::with_capacity(begins.len() + 1);
        for from in begins.iter().rev().copied().chain([f64::NEG_INFINITY]) {
            let first = found.partition_point(|(node, _)| node.at < from);
            let (nodes, goals): (Vec<Node>, Vec<Option<DVec3>>) = found.split_off(first).into_iter().unzip();
            if !nodes.is_empty() {
                let anchor = if from.is_finite() { from } else { self.anchor() };
                tables.push((from, self.up.in_time(nodes, &goals, anchor)));
            }
        }
        tables.reverse();
        Ok((Runs { tables }, open))
    }

    /// Adds the nodes of a thing at these frames and puts all in order; where it never moved there is none.
    fn looked_at(&self, object: usize, frames: &[f64], sample: &mut Sample, found: &mut Vec<(Node, Option<DVec3>)>) {
        let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (object, frame)).collect();
        self.inner.sample_at(&at, self.needs(), sample);
        let nodes = (0..at.len()).filter(|&row| sample.travels[row] != DVec3::ZERO).map(|row| {
            let node = Node { at: frames[row], point: sample.positions[row], tangent: sample.travels[row] };
            (node, self.up.goal(self.stand(node.at, node.point, sample.places.get(row))))
        });
        found.extend(nodes);
        found.sort_by(|a, b| a.0.at.total_cmp(&b.0.at));
    }
}

/// Axes of a thing, from each frame at which it begins anew.
struct Runs {
    /// In order of frames; at least one.
    tables: Vec<(f64, AxesTable)>,
}

impl Runs {
    #[inline(always)]
    fn table(&self, frame: f64) -> &AxesTable {
        if self.tables.len() == 1 {
            return &self.tables[0].1;
        }
        let after = self.tables.partition_point(|(from, _)| *from <= frame);
        &self.tables[after.saturating_sub(1)].1
    }
}

/// Turns per frame about the world's axes, from what `turns` gives for (object, frame) pairs: a central
/// difference, over less where the spin changes fast, one-sided where a break lies within that too.
pub fn spins(at: &[(usize, f64)], mut turns: impl FnMut(&[(usize, f64)]) -> Vec<DQuat>) -> Vec<DVec3> {
    let mut sides = |at: &[(usize, f64)], step: f64| -> Vec<(DVec3, DVec3)> {
        let mut ends = |offset: f64| {
            let moved: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + offset)).collect();
            turns(&moved)
        };
        let (before, here, after) = (ends(-step), ends(0.0), ends(step));
        let rate = |from: DQuat, to: DQuat| turn_between(from, to) / step;
        (0..at.len()).map(|row| (rate(before[row], here[row]), rate(here[row], after[row]))).collect()
    };
    let differ = |(left, right): &(DVec3, DVec3)| (*left - *right).length() > SAME_SPIN;
    let mut all = sides(at, SPIN_STEP);
    let fast: Vec<usize> = (0..at.len()).filter(|row| differ(&all[*row])).collect();
    if !fast.is_empty() {
        let finer = sides(&fast.iter().map(|row| at[*row]).collect::<Vec<_>>(), FINE_SPIN_STEP);
        fast.iter().zip(finer).for_each(|(row, both)| all[*row] = both);
    }
    all.iter().map(|both| if differ(both) { both.1 } else { 0.5 * (both.0 + both.1) }).collect()
}

impl Motion for FaceTravel {
    as_inner!(len, extent, breaks, contacts, path, looks, lives, shared);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        if let Axes::AlongPath(_) = &self.axes {
            let inner = self.inner.prepare(range.widened(1.0), cancel)?;
            return Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }));
        }
        let mut ready = self.clone();
        let reach = self.reach(range.widened(2.0));
        for more in FARTHER {
            let reach = reach.widened(more);
            let made = crate::motion::prepared(&self.inner, reach, cancel).and_then(|inner| {
                let wider = Self { inner, ..self.clone() };
                let (runs, open) = wider.in_time(reach, cancel)?;
                Ok((Self { axes: Axes::InTime(Arc::new(runs)), ..wider }, open))
            });
            match made {
                Ok((made, open)) => {
                    ready = made;
                    if !open {
                        break;
                    }
                }
                // Looking on for the end of a bridge may take more than what was asked for.
                Err(MotionError::TooMuch(_)) if more > 0.0 => break,
                Err(why) => return Err(why),
            }
        }
        Ok(Some(Arc::new(ready)))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let own = Columns::ORIENTATION | Columns::SPIN;
        self.inner.sample_at(at, columns.without(own) | self.needs(), out);
        if columns.contain(Columns::ORIENTATION) {
            self.orient_own(|row| at[row], out);
        }
        if columns.contain(Columns::SPIN) {
            out.spins = self.spins(at);
        }
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | Columns::ORIENTATION
    }

    fn sample_range(&self, frame: f64, objects: Range<usize>, columns: Columns, out: &mut Sample) {
        let own = Columns::ORIENTATION | Columns::SPIN;
        self.inner.sample_range(frame, objects.clone(), columns.without(own) | self.needs(), out);
        if columns.contain(Columns::ORIENTATION) {
            self.orient_own(|row| (objects.start + row, frame), out);
        }
        if columns.contain(Columns::SPIN) {
            let at: Vec<(usize, f64)> = objects.map(|object| (object, frame)).collect();
            out.spins = self.spins(&at);
        }
        out.keep(columns);
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        Some((self.nose, self.top))
    }
}

/// The frame in the middle, where the direction or the goal turns too far between two nodes; not across a break.
fn halfway((a, a_goal): &(Node, Option<DVec3>), (b, b_goal): &(Node, Option<DVec3>)) -> Option<f64> {
    let goals = a_goal.zip(*b_goal).map_or(0.0, |(a, b)| bend(a.normalize_or_zero(), b.normalize_or_zero()));
    let far = bend(a.tangent, b.tangent).max(goals) > TIME_STEP;
    (far && b.at - a.at > 2.0 * BEFORE_BREAK).then_some(0.5 * (a.at + b.at))
}
