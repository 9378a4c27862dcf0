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
