//! The contacts that a motion listens to.

use crate::motion::{Cancel, Contact, Frames, Motion, MotionError, prepared};
use std::sync::Arc;

/// Which contacts count for a thing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Whose {
    /// Those of the thing with its number.
    Own,
    /// Those of all.
    All,
}

/// Contacts of a motion, by the thing that listens.
#[derive(Clone)]
pub struct Hits {
    of: Arc<dyn Motion>,
    whose: Whose,
    /// Contacts before the loop's end come again so many frames earlier and later; nothing where they do not.
    every: Option<f64>,
    /// By the thing that listens, or one list for all.
    found: Arc<Vec<Vec<Contact>>>,
    range: Frames,
    things: usize,
}

impl Hits {
    /// Those of `of` within `range`, for so many things that listen. With `every`, those from frame 0 to there come
    /// again in every loop.
    ///
    /// # Errors
    /// Where preparing `of` is cancelled, or takes too many looks.
    pub fn new(
        of: Arc<dyn Motion>,
        (whose, every): (Whose, Option<f64>),
        things: usize,
        range: Frames,
        cancel: &Cancel,
    ) -> Result<Self, MotionError> {
        let looked = match every {
            Some(frames) => Frames { from: 0.0, to: frames },
            None => range,
        };
        let ready = prepared(&of, looked.widened(1.0), cancel)?;
        // Those of all are kept once.
        let lists = if whose == Whose::All { 1 } else { things };
        let mut found = vec![Vec::new(); lists];
        for contact in ready.contacts(looked) {
            // What is at the loop's end is there at its beginning again.
            if every == Some(contact.frame) {
                continue;
            }
            let times = match every {
                Some(frames) => {
                    let (low, high) = ((range.from - contact.frame) / frames, (range.to - contact.frame) / frames);
                    (low.ceil() as i64..=high.floor() as i64).map(|i| i as f64 * frames).collect()
                }
                None => vec![0.0],
            };
            for later in times {
                let contact = Contact { frame: contact.frame + later, ..contact.clone() };
                match whose {
                    Whose::Own => {
                        if let Some(own) = found.get_mut(contact.object) {
                            own.push(contact);
                        }
                    }
                    Whose::All => found[0].push(contact),
                }
            }
        }
        found.iter_mut().for_each(|own| own.sort_by(|a, b| a.frame.total_cmp(&b.frame)));
        Ok(Self { of, whose, every, found: Arc::new(found), range, things })
    }

    /// The same over a range that holds another, or nothing where it does already.
    ///
    /// # Errors
    /// As of preparing what hits.
    pub fn over(&self, range: Frames, cancel: &Cancel) -> Result<Option<Self>, MotionError> {
        if self.range.holds(range.from) && self.range.holds(range.to) {
            return Ok(None);
        }
        let range = Frames { from: self.range.from.min(range.from), to: self.range.to.max(range.to) };
        Self::new(self.of.clone(), (self.whose, self.every), self.things, range, cancel).map(Some)
    }

    /// Those of a thing, in order of frames.
    pub fn of(&self, object: usize) -> &[Contact] {
        match self.whose {
            Whose::Own => &self.found[object],
            Whose::All => &self.found[0],
        }
    }

    /// Those of a thing from one frame to another, both included.
    pub fn between(&self, object: usize, from: f64, to: f64) -> &[Contact] {
        let own = self.of(object);
        let (first, last) = (own.partition_point(|c| c.frame < from), own.partition_point(|c| c.frame <= to));
        &own[first..last.max(first)]
    }

    /// How many there are from frame 0 to the end of the loop; in all where they do not come again.
    pub fn in_loop(&self) -> usize {
        let within = |contact: &&Contact| self.every.is_none_or(|frames| (0.0..frames).contains(&contact.frame));
        self.found.iter().map(|own| own.iter().filter(within).count()).sum()
    }
}
