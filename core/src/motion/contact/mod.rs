//! Where things touch something, and what happens then.

pub mod attach;
pub mod hits;
pub mod ringing;
pub mod since;
pub mod stick;

use crate::motion::{Columns, Motion, Sample};
use glam::DVec3;
use serde::{Deserialize, Serialize};

/// A thing touches something at an instant.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Contact {
    /// Which thing.
    pub object: usize,
    /// What it touches, as a name.
    pub other: String,
    /// Real-valued frame.
    pub frame: f64,
    /// Where it touches, metres.
    #[cfg_attr(feature = "openapi", schema(value_type = [f64; 3]))]
    pub place: DVec3,
    /// Where the middle of the thing is then, metres.
    #[cfg_attr(feature = "openapi", schema(value_type = [f64; 3]))]
    pub middle: DVec3,
    /// Unit vector from what is touched towards the thing.
    #[cfg_attr(feature = "openapi", schema(value_type = [f64; 3]))]
    pub normal: DVec3,
    /// Change of velocity, metres per second (impulse per unit of mass).
    #[cfg_attr(feature = "openapi", schema(value_type = [f64; 3]))]
    pub impulse: DVec3,
    /// Speed before, metres per second.
    pub speed_in: f64,
    /// Speed after, metres per second.
    pub speed_out: f64,
}

/// Contacts of what a motion wraps, where that motion has their things: a contact goes with the middle of its thing.
pub(crate) fn carried(motion: &dyn Motion, contacts: Vec<Contact>) -> Vec<Contact> {
    with_middles(motion, contacts, |contact, by| contact.place += by)
}

/// The same where things are moved against what touches: the place stays.
pub(in crate::motion) fn with_middles(
    motion: &dyn Motion,
    mut contacts: Vec<Contact>,
    moved: impl Fn(&mut Contact, DVec3),
) -> Vec<Contact> {
    let at: Vec<(usize, f64)> = contacts.iter().map(|contact| (contact.object, contact.frame)).collect();
    let mut sample = Sample::default();
    motion.sample_at(&at, Columns::POSITION, &mut sample);
    for (contact, middle) in contacts.iter_mut().zip(&sample.positions) {
        moved(contact, *middle - contact.middle);
        contact.middle = *middle;
    }
    contacts
}
