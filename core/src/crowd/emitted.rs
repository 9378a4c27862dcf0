//! What begins anew where another motion is.

use crate::motion::{
    Break, Cancel, Columns, Contact, Course, EachAnew, Frames, Kind, Moment, Motion, MotionError, Sample, Symmetry,
    prepared,
};
use crate::pose::Axis;
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// Where things are born: at those of another motion, as they are at the frame of the birth.
#[derive(Clone)]
pub struct Origin {
    /// Whose things they are born at; they take turns.
    pub lead: Arc<dyn Motion>,
    /// Which of its things each birth of a loop is at, and how far off, metres; none for by turns and at their middle.
    pub at: Option<Arc<Vec<(usize, DVec3)>>>,
    /// The part of that thing's velocity that each is born with.
    pub share: f64,
    /// How that part is slowed, per frame, at least 0: as much as it is fast.
    pub slows: f64,
    /// Whether what they do is turned as that thing is.
    pub turned: bool,
}

/// What things of a motion do from frame 0 on, begun anew where another motion is. In closed form where both are.
pub struct Emitted {
    each: EachAnew,
    origin: Origin,
}

impl Emitted {
    /// `motion` must have at least one thing, as must the lead of `origin`.
    pub const fn new(motion: Arc<dyn Motion>, origin: Origin) -> Self {
        Self { each: EachAnew(motion), origin }
    }

    /// Which thing of the lead a birth is at, and how far off.
    fn lead_of(&self, birth: usize) -> (usize, DVec3) {
        match &self.origin.at {
            Some(at) => at[birth % at.len()],
            None => (birth % self.origin.lead.len(), DVec3::ZERO),
        }
    }

    /// Frames for which the lead's velocity would have to last to bring things as far as its share does by an age; and the
    /// part of it that is left.
    fn carried(&self, age: f64) -> (f64, f64) {
        let Origin { share, slows, .. } = self.origin;
        if slows == 0.0 {
            return (share * age, share);
        }
        let left = libm::exp(-slows * age);
        (-share * libm::expm1(-slows * age) / slows, share * left)
    }
}

impl Course for Emitted {
    fn sample(&self, at: &[Moment], columns: Columns, out: &mut Sample) {
        let wanted = if self.origin.turned { columns | Columns::POSITION } else { columns };
        self.each.sample(at, wanted, out);
        let born: Vec<((usize, f64), DVec3)> = at
            .iter()
            .map(|moment| {
                let (object, off) = self.lead_of(moment.birth);
                ((object, moment.born), off)
            })
            .collect();
        let rows: Vec<(usize, f64)> = born.iter().map(|(row, _)| *row).collect();
        let turn = if self.origin.turned { Columns::ORIENTATION } else { Columns::NONE };
        let mut lead = Sample::default();
        self.origin.lead.sample_at(&rows, Columns::POSITION | Columns::VELOCITY | Columns::ALIVE | turn, &mut lead);
        for (row, moment) in at.iter().enumerate() {
            let (frames, left) = self.carried(moment.age);
            let turn = lead.orientations.get(row).copied().unwrap_or(DQuat::IDENTITY);
            if let Some(position) = out.positions.get_mut(row) {
                *position = lead.positions[row] + born[row].1 + turn * *position + lead.velocities[row] * frames;
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity = turn * *velocity + lead.velocities[row] * left;
            }
            if let Some(orientation) = out.orientations.get_mut(row) {
                *orientation = turn * *orientation;
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = turn * *spin;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = turn * *travel;
            }
            // Of what is not there nothing is born.
            if let Some(alive) = out.alive.get_mut(row) {
                *alive &= lead.alive[row];
            }
        }
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        let turn = if self.origin.turned { Columns::ORIENTATION } else { Columns::NONE };
        self.each.varies() | self.origin.lead.varies().and(Columns::ALIVE) | Columns::POSITION | turn
    }

    fn prepare(&self, born: Frames, ages: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Course>>, MotionError> {
        let inner = prepared(&self.each.0, ages, cancel)?;
        let lead = prepared(&self.origin.lead, born.widened(1.0), cancel)?;
        if Arc::ptr_eq(&inner, &self.each.0) && Arc::ptr_eq(&lead, &self.origin.lead) {
            return Ok(None);
        }
        Ok(Some(Arc::new(Self::new(inner, Origin { lead, ..self.origin.clone() }))))
    }

    fn breaks(&self, birth: usize, born: f64, ages: Frames) -> Result<Vec<Break>, MotionError> {
        self.each.breaks(birth, born, ages)
    }

    fn things(&self) -> usize {
        self.each.things()
    }

    fn contacts(&self, ages: Frames) -> Vec<Contact> {
        self.each.contacts(ages)
    }

    fn touched(&self, moment: Moment, contact: Contact) -> Contact {
        if !self.origin.turned {
            return contact;
        }
        let mut lead = Sample::default();
        let row = (self.lead_of(moment.birth).0, moment.born);
        self.origin.lead.sample_at(&[row], Columns::ORIENTATION, &mut lead);
        let turn = lead.orientations[0];
        Contact {
            place: contact.middle + turn * (contact.place - contact.middle),
            normal: turn * contact.normal,
            impulse: turn * contact.impulse,
            ..contact
        }
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        self.each.facing()
    }

    fn kinds(&self) -> &[Kind] {
        self.each.kinds()
    }

    fn kind(&self, birth: usize) -> usize {
        self.each.kind(birth)
    }

    fn symmetry(&self, birth: usize) -> Option<Symmetry> {
        self.each.symmetry(birth)
    }
}
