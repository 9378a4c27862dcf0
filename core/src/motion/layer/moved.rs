//! A whole arrangement of things, moved, turned and enlarged as one.

use super::{Below, Layer, Layered, Rows, Touched};
use crate::curve::{Curve, Path, Placement, placed};
use crate::motion::{Break, Columns, Contact, Frames, Motion, MotionError, Sample, corners};
use crate::pose::{from_degrees, turn_between};
use crate::remembered::Remembered;
use crate::signal::{Driven, Thing};
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// Where an arrangement goes, over time.
#[derive(Debug, Clone)]
pub struct Moving {
    /// Metres.
    pub position: [Driven; 3],
    /// Degrees about x, then y, then z.
    pub orientation: [Driven; 3],
    /// Factor, above 0.
    pub scale: Driven,
    /// The place about which it is turned and enlarged.
    pub about: DVec3,
}

/// What moves a motion and its path as one.
pub struct MovedBy {
    how: Arc<Moving>,
    path: Option<Path>,
}

/// Another motion, moved as one.
pub type Moved = Layered<MovedBy>;

/// Half the frames over which the movement of the arrangement is measured.
const STEP: f64 = 1e-3;
const ALL: Thing = Thing { index: 0, count: 1 };

/// An arrangement at a frame.
#[derive(Clone, Copy)]
struct At {
    turn: DQuat,
    scale: f64,
    position: DVec3,
}

impl At {
    fn place(self, p: DVec3) -> DVec3 {
        self.position + self.turn * (p * self.scale)
    }
}

impl Moving {
    fn at(&self, frame: f64) -> At {
        let three = |of: &[Driven; 3]| DVec3::from([0, 1, 2].map(|axis| of[axis].at(frame, ALL)));
        let (turn, scale) = (from_degrees(three(&self.orientation)), self.scale.at(frame, ALL));
        At { turn, scale, position: self.about + three(&self.position) - turn * (self.about * scale) }
    }

    fn all(&self) -> impl Iterator<Item = &Driven> {
        self.position.iter().chain(&self.orientation).chain([&self.scale])
    }

    /// True when nothing is moved.
    pub fn is_none(&self) -> bool {
        let still = |parts: &[Driven; 3]| parts.iter().all(|part| part.fixed() == Some(0.0));
        still(&self.position) && still(&self.orientation) && self.scale.fixed() == Some(1.0)
    }

    fn over_time(&self) -> bool {
        self.all().any(Driven::over_time)
    }
}

impl Moved {
    /// Moved in this way.
    pub fn new(inner: Arc<dyn Motion>, how: Moving) -> Self {
        let how = Arc::new(how);
        let path = inner.path().map(|path| moved_path(path, &how));
        Self::over(inner, MovedBy { how, path })
    }
}

fn moved_path(path: &Path, how: &Arc<Moving>) -> Path {
    let moved = |curve: &Arc<Curve>, how: &Moving, frame: f64| -> Arc<Curve> {
        let At { turn, scale, position } = how.at(frame);
        // What has a length keeps one when it is enlarged by more than 0.
        placed(curve, &Placement { position, orientation: turn, scale }).map_or_else(|_| curve.clone(), Arc::new)
    };
    match path.unmoving() {
        Some(curve) if !how.over_time() => Path::Still(moved(curve, how, 0.0)),
        _ => {
            let (path, how) = (path.clone(), how.clone());
            let known = Remembered::default();
            Path::Moving(Arc::new(move |frame| known.at(frame, || moved(&path.at(frame), &how, frame))))
        }
    }
}

impl MovedBy {
    /// True where these columns have what the movement itself adds.
    fn hurries(&self, columns: Columns) -> bool {
        self.how.over_time() && columns.touch(Columns::VELOCITY | Columns::TRAVEL)
    }
}

impl Layer for MovedBy {
    fn changes(&self) -> Columns {
        Columns::STANCE
    }

    fn needs(&self, _: &dyn Motion, columns: Columns) -> Columns {
        columns | if self.hurries(columns) { Columns::POSITION | Columns::VELOCITY } else { Columns::NONE }
    }

    fn change(&self, _: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let moves = self.hurries(columns);
        let mut row = 0;
        while row < rows.count() {
            let frame = rows.get(row).1;
            let (now, before, after) = (self.how.at(frame), self.how.at(frame - STEP), self.how.at(frame + STEP));
            let spin = turn_between(before.turn, after.turn) / (2.0 * STEP);
            while row < rows.count() && rows.get(row).1 == frame {
                let was = out.positions.get(row).copied().unwrap_or_default();
                if let Some(position) = out.positions.get_mut(row) {
                    *position = now.place(was);
                }
                if let Some(velocity) = out.velocities.get_mut(row) {
                    *velocity = now.turn * (*velocity * now.scale);
                    if moves {
                        *velocity += (after.place(was) - before.place(was)) / (2.0 * STEP);
                    }
                }
                if let Some(turn) = out.orientations.get_mut(row) {
                    *turn = (now.turn * *turn).normalize();
                }
                if let Some(own) = out.spins.get_mut(row) {
                    *own = now.turn * *own + spin;
                }
                if let Some(scale) = out.scales.get_mut(row) {
                    *scale *= now.scale;
                }
                if let Some(travel) = out.travels.get_mut(row) {
                    let velocity = if moves { out.velocities[row].normalize_or_zero() } else { DVec3::ZERO };
                    *travel = if velocity == DVec3::ZERO { now.turn * *travel } else { velocity };
                }
                if let Some(place) = out.places.get_mut(row) {
                    place.s *= now.scale;
                    place.beyond = place.beyond.map(|beyond| beyond * now.scale);
                }
                row += 1;
            }
        }
    }

    fn breaks(&self, _: Below<'_>, _: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(corners(self.how.all().flat_map(|part| part.bends(range.from, range.to))).collect())
    }

    fn touched(&self) -> Touched {
        Touched::MovesAsOne
    }

    fn touch(&self, contact: Contact) -> Contact {
        let now = self.how.at(contact.frame);
        Contact {
            place: now.place(contact.place),
            middle: now.place(contact.middle),
            normal: now.turn * contact.normal,
            impulse: now.turn * (contact.impulse * now.scale),
            speed_in: contact.speed_in * now.scale,
            speed_out: contact.speed_out * now.scale,
            ..contact
        }
    }

    fn path<'a>(&'a self, _: &'a dyn Motion) -> Option<&'a Path> {
        self.path.as_ref()
    }
}
