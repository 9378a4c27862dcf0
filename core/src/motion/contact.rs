use glam::DVec3;
use serde::Serialize;

/// A thing touches something at an instant.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Contact {
    /// Which thing.
    pub object: usize,
    /// What it touches, as a name.
    pub other: String,
    /// Real-valued frame.
    pub frame: f64,
    /// Metres.
    pub place: DVec3,
    /// Unit vector from what is touched towards the thing.
    pub normal: DVec3,
    /// Change of velocity, metres per second (impulse per unit of mass).
    pub impulse: DVec3,
    /// Speed before, metres per second.
    pub speed_in: f64,
    /// Speed after, metres per second.
    pub speed_out: f64,
}
