//! How many keys there are, and what they miss.

use super::bake::ObjectKeys;
use super::channel::Channel;

/// The channels that change, and their keys.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Count {
    /// Channels that change.
    pub moving: usize,
    /// Keys in them.
    pub keys: usize,
}

impl Count {
    fn add<const N: usize>(&mut self, channel: &Channel<N>) {
        if !channel.is_still() {
            self.moving += 1;
            self.keys += channel.keys.len();
        }
    }
}

/// What is counted of keys while they are given on.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Tally {
    /// Things.
    pub things: usize,
    /// Of places, three channels each.
    pub position: Count,
    /// Of orientations.
    pub orientation: Count,
    /// Of sizes.
    pub scale: Count,
    /// Largest distance from the motion, metres, and its frame; 0 at frame 0 where there is none.
    pub off: (f64, f64),
    /// Largest angle from the motion, radians, and its frame.
    pub turned_off: (f64, f64),
    /// The numbers of the things that are so far off, and turned so far off.
    pub worst: (usize, usize),
    /// Of joints.
    pub joints: Count,
    /// Most that a corner is off which hangs on joints, metres, and its frame.
    pub limbs_off: (f64, f64),
    /// The number of the thing whose corner that is.
    pub worst_limbs: usize,
}

impl Tally {
    /// One more thing.
    pub fn add(&mut self, keys: &ObjectKeys) {
        self.things += 1;
        keys.position.iter().for_each(|channel| self.position.add(channel));
        self.orientation.add(&keys.orientation);
        self.scale.add(&keys.scale);
        let number = self.things - 1;
        if keys.off.0 > self.off.0 {
            (self.off, self.worst.0) = (keys.off, number);
        }
        if keys.turned_off.0 > self.turned_off.0 {
            (self.turned_off, self.worst.1) = (keys.turned_off, number);
        }
        let Some(limbs) = &keys.limbs else { return };
        for joint in &limbs.joints {
            self.joints.add(&joint.translation);
            self.joints.add(&joint.rotation);
            self.joints.add(&joint.scale);
        }
        if limbs.off.0 > self.limbs_off.0 {
            (self.limbs_off, self.worst_limbs) = (limbs.off, number);
        }
    }

    /// Of all that changes.
    pub const fn all(&self) -> Count {
        Count {
            moving: self.position.moving + self.orientation.moving + self.scale.moving + self.joints.moving,
            keys: self.position.keys + self.orientation.keys + self.scale.keys + self.joints.keys,
        }
    }
}
