//! Motion that was worked out frame by frame and kept.

use crate::motion::contact::with_middles;
use crate::motion::{
    Break, BreakKind, Columns, Contact, Extent, Frames, Motion, MotionError, Outside, Sample, with_breaks,
};
use crate::pose::turn_between;
use glam::{DQuat, DVec3, Quat, Vec3};
use std::sync::Arc;

/// A thing at a frame: 40 bytes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Row {
    place: Vec3,
    /// x, y, z, w; a quaternion of its own kind would be aligned to more.
    turn: [f32; 4],
    velocity: Vec3,
}

impl Row {
    /// Metres, a unit quaternion, metres per frame.
    pub fn new(place: Vec3, turn: Quat, velocity: Vec3) -> Self {
        Self { place, turn: turn.to_array(), velocity }
    }

    /// Where it is, standing still.
    #[must_use]
    pub fn at_rest(self) -> Self {
        Self { velocity: Vec3::ZERO, ..self }
    }

    /// Its ten numbers: place, x, y, z, w of its turn, velocity.
    pub fn numbers(&self) -> [f32; 10] {
        let ([a, b, c], [x, y, z, w], [u, v, t]) = (self.place.to_array(), self.turn, self.velocity.to_array());
        [a, b, c, x, y, z, w, u, v, t]
    }

    /// From its ten numbers.
    pub const fn from_numbers([a, b, c, x, y, z, w, u, v, t]: [f32; 10]) -> Self {
        Self { place: Vec3::new(a, b, c), turn: [x, y, z, w], velocity: Vec3::new(u, v, t) }
    }

    fn orientation(&self) -> DQuat {
        Quat::from_array(self.turn).as_dquat().normalize()
    }
}

/// What was worked out of one frame.
#[derive(Debug, Clone, PartialEq)]
pub struct Kept {
    /// All things at the frame.
    pub rows: Box<[Row]>,
    /// What began to touch since the frame before, in order of frames.
    pub contacts: Vec<Contact>,
    /// False where nothing was worked out any more, since something had flown apart: all is held as it was before.
    pub sound: bool,
}

/// Things at whole frames, cubic by their velocities in between; held before the first and after the last. What is still
/// being worked out ends with the last frame that is there.
#[derive(Clone)]
pub struct Recording {
    from: f64,
    frames: Vec<Arc<Kept>>,
    scales: Arc<[f64]>,
    /// Metres.
    size: f64,
}

impl Recording {
    /// From a first frame on, one after the other; at least one, each with as many rows as there are `scales`, at least
    /// one. `size` is that of its things, metres, 0 where it is not known.
    pub const fn new(from: f64, frames: Vec<Arc<Kept>>, scales: Arc<[f64]>, size: f64) -> Self {
        Self { from, frames, scales, size }
    }

    /// Frames that were kept, less one.
    pub fn frames(&self) -> usize {
        self.frames.len() - 1
    }

    /// Bytes that the rows take.
    pub fn bytes(&self) -> usize {
        self.frames.iter().map(|kept| std::mem::size_of_val(&kept.rows[..])).sum()
    }

    /// The frame from which on it was no longer followed, since something flew apart.
    pub fn apart(&self) -> Option<f64> {
        self.frames.iter().position(|kept| !kept.sound).map(|i| self.from + i as f64)
    }

    fn row(&self, object: usize, frame: usize) -> &Row {
        &self.frames[frame].rows[object]
    }

    fn all_contacts(&self) -> impl Iterator<Item = &Contact> {
        self.frames.iter().flat_map(|kept| &kept.contacts)
    }

    /// The frame before, and how far it is on its way to the next, 0 to 1; outside nothing moves.
    fn between(&self, frame: f64) -> (usize, f64, bool) {
        let at = frame - self.from;
        let last = self.frames();
        if at < 0.0 {
            return (0, 0.0, false);
        }
        let whole = at.floor();
        if whole >= last as f64 {
            return (last, 0.0, at == last as f64);
        }
        (whole as usize, at - whole, true)
    }

    /// Place and velocity, metres and frames.
    fn state(&self, object: usize, frame: f64) -> (DVec3, DVec3) {
        let (i, x, moves) = self.between(frame);
        let a = self.row(object, i);
        let (p, v) = (a.place.as_dvec3(), a.velocity.as_dvec3());
        if x == 0.0 {
            return (p, if moves { v } else { DVec3::ZERO });
        }
        let b = self.row(object, i + 1);
        let (q, w) = (b.place.as_dvec3(), b.velocity.as_dvec3());
        let rise = q - p;
        let (c2, c3) = (rise * 3.0 - v * 2.0 - w, v + w - rise * 2.0);
        (p + (v + (c2 + c3 * x) * x) * x, v + (c2 * 2.0 + c3 * (3.0 * x)) * x)
    }

    fn turn(&self, object: usize, frame: f64) -> DQuat {
        let (i, x, _) = self.between(frame);
        let a = self.row(object, i).orientation();
        if x == 0.0 {
            return a;
        }
        let b = self.row(object, i + 1).orientation();
        (crate::pose::scaled_axis(turn_between(a, b) * x) * a).normalize()
    }

    fn spin(&self, object: usize, frame: f64) -> DVec3 {
        let (i, x, moves) = self.between(frame);
        let last = self.frames();
        if !moves || last == 0 {
            return DVec3::ZERO;
        }
        let turned = |i: usize| turn_between(self.row(object, i).orientation(), self.row(object, i + 1).orientation());
        // On a frame it is the mean of both sides, as velocities there are.
        match (x == 0.0, i) {
            (false, i) => turned(i),
            (true, 0) => turned(0),
            (true, i) if i == last => turned(last - 1),
            (true, i) => 0.5 * (turned(i - 1) + turned(i)),
        }
    }
}

impl Motion for Recording {
    fn len(&self) -> usize {
        self.scales.len()
    }

    fn extent(&self) -> Extent {
        Extent { from: self.from, to: self.from + self.frames() as f64, outside: Outside::Holds }
    }

    fn still_below(&self) -> f64 {
        1e-3 * self.size
    }

    fn varies(&self) -> Columns {
        let scales = if self.scales.iter().all(|scale| *scale == 1.0) { Columns::NONE } else { Columns::SCALE };
        Columns::POSITION | Columns::ORIENTATION | scales
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(object, frame)) in at.iter().enumerate() {
            if columns.touch(Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL) {
                let (place, velocity) = self.state(object, frame);
                if let Some(position) = out.positions.get_mut(row) {
                    *position = place;
                }
                if let Some(value) = out.velocities.get_mut(row) {
                    *value = velocity;
                }
                if let Some(travel) = out.travels.get_mut(row) {
                    *travel = velocity.normalize_or_zero();
                }
            }
            if let Some(orientation) = out.orientations.get_mut(row) {
                *orientation = self.turn(object, frame);
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = self.spin(object, frame);
            }
            if let Some(scale) = out.scales.get_mut(row) {
                *scale = DVec3::splat(self.scales[object]);
            }
        }
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        // What was kept is smooth but at its ends; a contact is a corner within the frame in which it was.
        let ends = [self.from, self.from + self.frames() as f64];
        let mut breaks: Vec<Break> = ends.iter().map(|&frame| Break { frame, kind: BreakKind::Corner }).collect();
        let own = self.all_contacts().filter(|contact| contact.object == object);
        breaks.extend(own.map(|contact| Break { frame: contact.frame, kind: BreakKind::Contact }));
        breaks.retain(|b| range.holds(b.frame));
        Ok(with_breaks(breaks, []))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let found = self.all_contacts().filter(|contact| range.holds(contact.frame)).cloned().collect();
        // Between what is kept a thing is where it is shown, which is near where it was then.
        with_middles(self, found, |_, _| ())
    }
}
