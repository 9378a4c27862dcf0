//! Things that stop where they hit.

use super::since::{Since, Stretch};
use super::with_middles;
use crate::curve::Path;
use crate::motion::{
    Break, BreakKind, Cancel, Columns, Contact, Cut, Extent, Frames, Motion, MotionError, Sample, as_inner, prepared,
    with_breaks,
};
use crate::pose::{Axis, Pose};
use crate::roots::halved;
use crate::surface::Surface;
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// What stops a thing, and how.
#[derive(Debug, Clone)]
pub struct Sticking {
    /// Which contact it is, from 0.
    pub which: usize,
    /// A surface that is hit by the tip, in place of contacts that the motion has by itself.
    pub target: Option<Surface>,
    /// The point that hits a target, in metres in the thing's own axes.
    pub tip: DVec3,
    /// Metres that it goes in after the contact.
    pub depth: f64,
    /// It is gone from the contact on.
    pub gone: bool,
    /// What of it has gone in is hidden: it is cut off along the flat of what it hit, there.
    pub hidden: bool,
    /// Frames between which contacts and targets are looked for.
    pub within: Frames,
    /// Frames after which a motion that repeats does so.
    pub frames: f64,
    /// Frames per second.
    pub fps: f64,
}

/// Another motion whose things stop at a contact, as they were just before it.
#[derive(Clone)]
pub struct Stick {
    inner: Arc<dyn Motion>,
    how: Arc<Sticking>,
    since: Arc<Since>,
    /// How each stretch since a contact began, by object.
    ends: Arc<Vec<Vec<End>>>,
}

/// How a thing has stopped.
#[derive(Debug, Clone)]
struct End {
    position: DVec3,
    orientation: DQuat,
    /// Metres per frame at the contact.
    velocity: DVec3,
}

/// Frames before a contact at which it is looked how a thing comes.
const BEFORE: f64 = 1e-6;
/// Metres within which a tip is at its target: what comes to rest on it need not go through.
const TOUCHES: f64 = 1e-7;
/// Frames between looks for a target.
const LOOK: f64 = 0.125;

impl Stick {
    /// Of a motion; its things are followed over the frames within which targets are looked for.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn new(inner: Arc<dyn Motion>, how: Sticking, cancel: &Cancel) -> Result<Self, MotionError> {
        let ready = prepared(&inner, Frames { from: -how.within.to, to: 2.0 * how.within.to }, cancel)?;
        let since = match &how.target {
            Some(target) => {
                let mut stretches = Vec::with_capacity(ready.len());
                for object in 0..ready.len() {
                    if cancel.cancelled() {
                        return Err(MotionError::Cancelled);
                    }
                    let hit = hit(&*ready, object, target, &how);
                    stretches.push(hit.map(|contact| Stretch { contact, to: f64::INFINITY }).into_iter().collect());
                }
                Since::of(stretches)
            }
            None => Since::new(&*ready, how.which, how.within, how.frames)?,
        };
        let end = |stretch: &Stretch| end(&*ready, &stretch.contact);
        let ends = (0..ready.len()).map(|object| since.stretches(object).iter().map(end).collect()).collect();
        Ok(Self { inner, how: Arc::new(how), since: Arc::new(since), ends: Arc::new(ends) })
    }

    /// How many things hit something.
    pub fn hits(&self) -> usize {
        self.since.things()
    }

    /// How far it has gone in so many frames after the contact, metres, and how fast it does, metres per frame: evenly
    /// braked.
    fn sunk(&self, end: &End, after: f64) -> (f64, f64) {
        let speed = end.velocity.length();
        let depth = self.how.depth;
        if speed == 0.0 || depth <= 0.0 {
            return (0.0, 0.0);
        }
        let frames = 2.0 * depth / speed;
        let left = (1.0 - after / frames).max(0.0);
        (depth * (1.0 - left * left), speed * left)
    }
}

fn end(motion: &dyn Motion, contact: &Contact) -> End {
    let mut sample = Sample::default();
    let columns = Columns::POSE | Columns::VELOCITY;
    motion.sample_at(
        &[(contact.object, contact.frame - BEFORE), (contact.object, contact.frame)],
        columns,
        &mut sample,
    );
    // The place is continuous; velocity and orientation are those with which it came.
    End { position: sample.positions[1], orientation: sample.orientations[0], velocity: sample.velocities[0] }
}

/// Where the tip of a thing goes through a target.
fn hit(motion: &dyn Motion, object: usize, target: &Surface, how: &Sticking) -> Option<Contact> {
    let tip = |frame: f64| {
        let mut sample = Sample::default();
        motion.sample_at(&[(object, frame)], Columns::POSE, &mut sample);
        sample.positions[0] + sample.orientations[0] * (how.tip * sample.scales[0])
    };
    let middle = |frame: f64| {
        let mut sample = Sample::default();
        motion.sample_at(&[(object, frame)], Columns::POSITION, &mut sample);
        sample.positions[0]
    };
    let gap = |frame: f64| target.distance(tip(frame)).0;
    let count = ((how.within.to - how.within.from) / LOOK).ceil() as usize;
    let mut looks: Vec<f64> = (0..=count).map(|i| how.within.from + LOOK * i as f64).collect();
    // What bounces off it, or turns back there, is at it for a moment only. Of what has too many such moments to be listed
    // the looks must do.
    looks.extend(motion.breaks(object, how.within).unwrap_or_default().iter().map(|b| b.frame));
    looks.sort_by(f64::total_cmp);
    let first = gap(looks[0]);
    let side = if first >= -TOUCHES { 1.0 } else { -1.0 };
    let outside = |frame: f64| gap(frame) * side > TOUCHES;
    let mut left = how.which;
    for pair in looks.windows(2) {
        if !outside(pair[0]) || outside(pair[1]) {
            continue;
        }
        if left > 0 {
            left -= 1;
            continue;
        }
        let (low, _) = halved((pair[0], pair[1]), 60, outside);
        let place = tip(low);
        let (_, away) = target.distance(place);
        return Some(Contact {
            object,
            other: "target".to_owned(),
            frame: low,
            place,
            middle: middle(low),
            normal: away * side,
            impulse: DVec3::ZERO,
            speed_in: 0.0,
            speed_out: 0.0,
        });
    }
    None
}

impl Motion for Stick {
    as_inner!(len, extent, path, facing, looks);

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = self.inner.prepare(range, cancel)?;
        Ok(inner.map(|inner| -> Arc<dyn Motion> { Arc::new(Self { inner, ..self.clone() }) }))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let cuts = columns.contain(Columns::CUT) && self.how.hidden;
        self.inner.sample_at(at, columns | if cuts { Columns::SCALE } else { Columns::NONE }, out);
        for (row, &(object, frame)) in at.iter().enumerate() {
            let Some((which, later)) = self.since.find(object, frame) else { continue };
            let end = &self.ends[object][which];
            let contact = &self.since.stretches(object)[which].contact;
            let (sunk, speed) = self.sunk(end, frame - later - contact.frame);
            let way = end.velocity.normalize_or_zero();
            let position = end.position + way * sunk;
            if cuts {
                let pose = Pose { position, orientation: end.orientation, scale: out.scales[row] };
                out.cuts[row] = Cut::new(contact.place, contact.normal, pose);
            }
            if let Some(out) = out.positions.get_mut(row) {
                *out = position;
            }
            if let Some(orientation) = out.orientations.get_mut(row) {
                *orientation = end.orientation;
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity = way * speed;
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = DVec3::ZERO;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = way;
            }
            if let (Some(alive), true) = (out.alive.get_mut(row), self.how.gone) {
                *alive = false;
            }
        }
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        let of = |wanted: bool, column| if wanted { column } else { Columns::NONE };
        self.inner.varies() | of(self.how.gone, Columns::ALIVE) | of(self.how.hidden, Columns::CUT)
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = self.inner.breaks(object, range)?;
        // What still happens after it has stopped is not seen; that it begins anew is.
        breaks.retain(|b| b.kind == BreakKind::Anew || self.since.find(object, b.frame).is_none());
        let begins = self.since.begin(object, range).into_iter();
        breaks.extend(begins.map(|(frame, _)| Break { frame, kind: BreakKind::Contact }));
        Ok(with_breaks(breaks, []))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let mut contacts = self.inner.contacts(range);
        contacts.retain(|contact| self.since.find(contact.object, contact.frame).is_none());
        for object in 0..self.len() {
            for (frame, which) in self.since.begin(object, range) {
                // It keeps nothing of its velocity, which the target takes up.
                let came = self.ends[object][which].velocity * self.how.fps;
                let contact = self.since.stretches(object)[which].contact.clone();
                contacts.push(Contact { frame, impulse: -came, speed_in: came.length(), speed_out: 0.0, ..contact });
            }
        }
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        // What is hit by a point of it is found for itself, to within rounding.
        with_middles(self, contacts, |_, _| ())
    }
}
