//! Things that roll along a path on the ground without sliding.
//!
//! Along the path the way that the ground has come by is the way that the thing has rolled: where it touches it does not
//! move, but for turning on the spot in bends. Prisms tip about their lower edge; that is exact where the ground is
//! straight, and where it bends they are laid along it where they are.

use super::rolling::{Roller, Standing};
use crate::curve::{AxesTable, Curve, Path, UpRule};
use crate::motion::{
    Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Place, Sample, as_inner,
};
use crate::pose::{Axis, Facing, about, turn_between};
use crate::roots::halved;
use glam::{DQuat, DVec3};
use std::f64::consts::TAU;
use std::sync::Arc;

/// How things roll.
#[derive(Debug, Clone)]
pub struct Trundling {
    /// What rolls.
    pub roller: Roller,
    /// The ground is above the path, as for what rolls along a ceiling.
    pub under: bool,
    /// Which way is up.
    pub up: UpRule,
    /// In flat scenes up is across the path within z = 0.
    pub flat: bool,
    /// The axis of the thing that points ahead when it has not rolled yet, and the one that points up.
    pub axes: (Axis, Axis),
    /// Radians that are added in each lap, so that it looks the same after one.
    pub correction: f64,
}

/// Things of a motion on a path that does not move, rolling along it.
#[derive(Clone)]
pub struct Trundle {
    inner: Arc<dyn Motion>,
    curve: Arc<Curve>,
    path: Path,
    how: Arc<Trundling>,
    axes: Arc<Vec<AxesTable>>,
    facing: Facing,
    fps: f64,
}

/// Radians between nodes of the axes.
const AXES_STEP: f64 = 0.02;
/// Most things that are looked at one by one.
const MOST_LOOKED_AT: usize = 64;
/// A quarter of the frames over which velocities are measured, by differences of fourth order.
const STEP: f64 = 5e-4;
/// Frames between looks for sides that come to lie.
const LOOK: f64 = 0.25;

impl Trundle {
    /// On the path that the motion rides, as it is at frame 0.
    pub fn new(inner: Arc<dyn Motion>, path: &Path, how: Trundling, fps: f64) -> Self {
        let curve = path.at(0.0);
        let table = |strand: &crate::curve::Strand| AxesTable::new(strand.nodes(AXES_STEP), how.up, strand.closed());
        let axes = curve.strands().iter().map(table).collect();
        let facing = Facing::new(how.axes.0, how.axes.1);
        Self { inner, path: Path::Still(curve.clone()), curve, how: Arc::new(how), axes: Arc::new(axes), facing, fps }
    }

    fn up(&self, strand: usize, s: f64) -> (DVec3, DVec3, DVec3) {
        let on = &self.curve.strands()[strand];
        let here = on.at(s);
        let up = if self.how.flat {
            DVec3::Z.cross(here.tangent)
        } else {
            let up = self.axes[strand].up(on.normalise(s), here.point, here.tangent);
            (up - here.tangent * up.dot(here.tangent)).normalize_or(up)
        };
        (here.point, here.tangent, if self.how.under { -up } else { up })
    }

    fn standing(&self, place: &Place) -> (Standing, f64) {
        let length = self.curve.strands()[place.strand].length();
        let way = place.laps * length;
        let standing = self.how.roller.standing(way);
        (Standing { turned: standing.turned + self.how.correction * place.laps, ..standing }, way)
    }

    fn pose(&self, place: &Place) -> (DVec3, DQuat) {
        let (standing, _) = self.standing(place);
        let (point, ahead, up) = self.up(place.strand, place.s);
        let position = point + ahead * standing.middle.x + up * standing.middle.y;
        let side = ahead.cross(up);
        // What is whole turns is taken off while it is exact.
        let turned = standing.turned - TAU * (standing.turned / TAU).round();
        (position, about(side, -turned) * self.facing.turn(ahead, up))
    }

    fn places(&self, at: &[(usize, f64)], offset: f64) -> Vec<Place> {
        let moved: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| (object, frame + offset)).collect();
        let mut sample = Sample::default();
        self.inner.sample_at(&moved, Columns::PLACE, &mut sample);
        sample.places
    }

    /// Where, along the ground, the sides of a prism come to lie; nothing for what is round.
    fn landings(&self) -> Option<(Vec<f64>, f64)> {
        match &self.how.roller {
            Roller::Prism(prism) => Some((prism.landings(), prism.round())),
            Roller::Round { .. } => None,
        }
    }

    /// A thing and a whole frame from 0 to `frames` at which it stands still on an edge, where there is one among the
    /// first things.
    pub fn rests_on_edge(&self, frames: f64) -> Option<(usize, f64)> {
        let Roller::Prism(prism) = &self.how.roller else { return None };
        for object in 0..self.inner.len().min(MOST_LOOKED_AT) {
            let at: Vec<(usize, f64)> = (0..=frames.floor() as usize).map(|frame| (object, frame as f64)).collect();
            let rests = |place: &Place| place.rate == 0.0 && prism.on_edge(self.standing(place).1);
            if let Some(frame) = self.places(&at, 0.0).iter().position(rests) {
                return Some((object, frame as f64));
            }
        }
        None
    }

    /// Frames at which a side comes to lie.
    fn lands(&self, object: usize, range: Frames) -> Result<Vec<f64>, MotionError> {
        let Some((landings, round)) = self.landings() else { return Ok(Vec::new()) };
        let way = |frame: f64| {
            let place = self.places(&[(object, frame)], 0.0)[0];
            place.laps * self.curve.strands()[place.strand].length()
        };
        // How many sides it has come over.
        let count = |way: f64| {
            let rounds = (way / round).floor();
            rounds * landings.len() as f64 + landings.partition_point(|at| *at <= way - rounds * round) as f64
        };
        let looks = ((range.to - range.from) / LOOK).ceil().max(1.0);
        if looks > crate::motion::MOST_BREAKS as f64 {
            return Err(MotionError::TooMuch("It rolls for too long to be followed at once.".to_owned()));
        }
        let frames: Vec<f64> = (0..=looks as usize).map(|i| (range.from + LOOK * i as f64).min(range.to)).collect();
        let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (object, frame)).collect();
        let length = |strand: usize| self.curve.strands()[strand].length();
        let counts = self.places(&at, 0.0).into_iter().map(|place| count(place.laps * length(place.strand)));
        let looked: Vec<(f64, f64)> = frames.into_iter().zip(counts).collect();
        let mut found = Vec::new();
        for pair in looked.windows(2) {
            let (before, now) = (pair[0], pair[1]);
            let up = now.1 > before.1;
            let mut level = before.1;
            while level != now.1 {
                level += if up { 1.0 } else { -1.0 };
                let passed = |frame: f64| if up { count(way(frame)) >= level } else { count(way(frame)) <= level };
                found.push(halved((before.0, now.0), 60, |frame| !passed(frame)).1);
                if found.len() > crate::motion::MOST_BREAKS {
                    return Err(MotionError::TooMuch(
                        "It goes over too many edges: make it larger or slower.".to_owned(),
                    ));
                }
            }
        }
        Ok(found)
    }
}

impl Motion for Trundle {
    as_inner!(len, extent, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range.widened(1.0), cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let own = Columns::POSITION | Columns::ORIENTATION | Columns::VELOCITY | Columns::SPIN | Columns::TRAVEL;
        self.inner.sample_at(at, columns.without(own) | Columns::PLACE, out);
        let places = out.places.clone();
        let mut filled = std::mem::take(out);
        out.reset(at.len(), columns.and(own));
        let poses: Vec<(DVec3, DQuat)> = places.iter().map(|place| self.pose(place)).collect();
        for (row, &(position, orientation)) in poses.iter().enumerate() {
            if let Some(value) = out.positions.get_mut(row) {
                *value = position;
            }
            if let Some(value) = out.orientations.get_mut(row) {
                *value = orientation;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                let ahead = self.up(places[row].strand, places[row].s).1;
                *travel = if places[row].rate < 0.0 { -ahead } else { ahead };
            }
        }
        if columns.touch(Columns::VELOCITY | Columns::SPIN) {
            // What is left of a difference grows with the square of its step: two steps tell how much it is.
            let rates = |step: f64| {
                let (before, after) = (self.places(at, -step), self.places(at, step));
                let rate = |(before, after): (&Place, &Place)| {
                    let ((p, q), (r, s)) = (self.pose(before), self.pose(after));
                    ((r - p) / (2.0 * step), turn_between(q, s) / (2.0 * step))
                };
                before.iter().zip(&after).map(rate).collect::<Vec<_>>()
            };
            let (near, far) = (rates(STEP), rates(2.0 * STEP));
            let better = |near: DVec3, far: DVec3| near + (near - far) / 3.0;
            for (row, (near, far)) in near.into_iter().zip(far).enumerate() {
                if let Some(velocity) = out.velocities.get_mut(row) {
                    *velocity = better(near.0, far.0);
                }
                if let Some(spin) = out.spins.get_mut(row) {
                    *spin = better(near.1, far.1);
                }
            }
        }
        std::mem::swap(&mut filled.positions, &mut out.positions);
        std::mem::swap(&mut filled.orientations, &mut out.orientations);
        std::mem::swap(&mut filled.velocities, &mut out.velocities);
        std::mem::swap(&mut filled.spins, &mut out.spins);
        std::mem::swap(&mut filled.travels, &mut out.travels);
        *out = filled;
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | Columns::POSITION | Columns::ORIENTATION
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = self.inner.breaks(object, range)?;
        let landed = self.lands(object, range)?;
        breaks.extend(landed.into_iter().map(|frame| Break { frame, kind: BreakKind::Contact }));
        breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.kind.rank().cmp(&b.kind.rank())));
        breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
        Ok(breaks)
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let mut contacts = Vec::new();
        for object in 0..self.len() {
            for frame in self.lands(object, range).unwrap_or_default() {
                let place = self.places(&[(object, frame)], 0.0)[0];
                let (point, _, up) = self.up(place.strand, place.s);
                let speed = (place.rate * self.curve.strands()[place.strand].length()).abs() * self.fps;
                contacts.push(Contact {
                    object,
                    other: "ground".to_owned(),
                    frame,
                    place: point,
                    middle: self.pose(&place).0,
                    normal: up,
                    impulse: up * speed,
                    speed_in: speed,
                    speed_out: speed,
                });
            }
        }
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        contacts
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.path)
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        Some(self.how.axes)
    }
}
