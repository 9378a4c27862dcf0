//! From a contact on: what holds until a thing begins anew.

use crate::motion::{BreakKind, Contact, Frames, Motion, MotionError, Outside};

/// From a contact of a thing to where it begins anew.
#[derive(Debug, Clone, PartialEq)]
pub struct Stretch {
    /// The contact with which it begins.
    pub contact: Contact,
    /// The frame at which it ends.
    pub to: f64,
}

/// Stretches of every thing; those of a motion that repeats come again.
#[derive(Debug, Clone)]
pub struct Since {
    every: Option<f64>,
    of: Vec<Vec<Stretch>>,
}

impl Since {
    /// From contact number `which`, from 0, after each beginning. A motion whose [`Extent`](crate::motion::Extent) says that it
    /// is periodic repeats after so many frames; of others what is in `range` counts, once.
    ///
    /// # Errors
    /// As of preparing the motion.
    pub fn new(motion: &dyn Motion, which: usize, range: Frames, frames: f64) -> Result<Self, MotionError> {
        let every = (motion.extent().outside == Outside::Periodic).then_some(frames);
        // What began a loop before may still hold.
        let range = every.map_or(range, |frames| Frames { from: -frames, to: 2.0 * frames });
        let mut of = vec![Vec::new(); motion.len()];
        let mut contacts: Vec<Vec<Contact>> = vec![Vec::new(); motion.len()];
        for contact in motion.contacts(range) {
            contacts[contact.object].push(contact);
        }
        for (object, contacts) in contacts.into_iter().enumerate() {
            let breaks = if every.is_some() { motion.breaks(object, range)? } else { Vec::new() };
            let jumps: Vec<f64> = breaks.iter().filter(|b| b.kind == BreakKind::Anew).map(|b| b.frame).collect();
            let next = |frame: f64| jumps.iter().copied().find(|jump| *jump > frame).unwrap_or(f64::INFINITY);
            let (mut end, mut count) = (f64::NEG_INFINITY, 0);
            for contact in contacts {
                if contact.frame >= end {
                    (end, count) = (next(contact.frame), 0);
                }
                if count == which {
                    of[object].push(Stretch { to: end, contact });
                }
                count += 1;
            }
        }
        Ok(Self { every, of })
    }

    /// The same stretch of all things: from a frame on, for ever.
    pub fn from_frame(things: usize, contact: impl Fn(usize) -> Contact) -> Self {
        let of = (0..things).map(|object| vec![Stretch { contact: contact(object), to: f64::INFINITY }]).collect();
        Self { every: None, of }
    }

    /// Stretches that were found in another way, by object; they do not repeat.
    pub const fn of(of: Vec<Vec<Stretch>>) -> Self {
        Self { every: None, of }
    }

    /// How many things have any.
    pub fn things(&self) -> usize {
        self.of.iter().filter(|own| !own.is_empty()).count()
    }

    /// The stretch in which a frame lies: which of the thing's it is, and how many frames later it comes than that.
    pub fn find(&self, object: usize, frame: f64) -> Option<(usize, f64)> {
        let own = self.of.get(object)?;
        let later = self.every.map_or(0.0, |frames| (frame / frames).floor() * frames);
        let frame = frame - later;
        let at = own.partition_point(|stretch| stretch.contact.frame <= frame).checked_sub(1)?;
        (frame < own[at].to).then_some((at, later))
    }

    /// Stretches of a thing, as they were found.
    pub fn stretches(&self, object: usize) -> &[Stretch] {
        &self.of[object]
    }

    /// Frames within `range` at which stretches of a thing begin, with which they are.
    pub fn begin(&self, object: usize, range: Frames) -> Vec<(f64, usize)> {
        let mut found = Vec::new();
        for (which, stretch) in self.of[object].iter().enumerate() {
            let frame = stretch.contact.frame;
            match self.every {
                None => found.extend(range.holds(frame).then_some((frame, which))),
                // Those of one loop stand for all.
                Some(frames) if (0.0..frames).contains(&frame) => {
                    let (first, last) = ((range.from - frame) / frames, (range.to - frame) / frames);
                    let loops = first.ceil() as i64..=last.floor() as i64;
                    found.extend(loops.map(|i| (frame + i as f64 * frames, which)));
                }
                Some(_) => {}
            }
        }
        found.sort_by(|a, b| a.0.total_cmp(&b.0));
        found
    }
}
